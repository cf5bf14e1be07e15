"""Wavetables: taken from tones that are known, built from formulas, edited, retraced."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import jv

from innerbloom.core.materials.wavetable import document as d
from innerbloom.core.materials.wavetable.build import build
from innerbloom.core.materials.wavetable.extract import extract
from innerbloom.core.materials.wavetable.following import follow_cycles
from innerbloom.core.materials.wavetable.make import make_raw, make_table
from innerbloom.core.materials.wavetable.retrace import retrace
from innerbloom.core.materials.wavetable.shape import shaped
from innerbloom.core.materials.wavetable.table import (
    HARMONICS,
    Table,
    TableError,
    rms_of,
    spectra_of,
    waves_of,
)

RATE = 48_000
SOUND = {"recording": "00" * 32}


def drifting(seconds=3.0, hz=220.0, rate=RATE):
    """Hz at every frame: a glide of three semitones, vibrato of 5 Hz, and a slow drift."""
    t = np.arange(round(seconds * rate)) / rate
    cents = 300 * t / seconds + 30 * np.sin(2 * np.pi * 5 * t) + 20 * np.sin(2 * np.pi * 0.4 * t)
    return hz * 2 ** (cents / 1200)


def tone(hz, levels, phases, rate=RATE):
    """Harmonics of known level (rows in time or constant) on a moving pitch."""
    cycles = np.cumsum(hz) / rate
    return sum(
        level * np.cos(2 * np.pi * k * cycles + phase)
        for k, (level, phase) in enumerate(zip(levels, phases, strict=True), 1)
    ), cycles


LEVELS = 0.3 * 10 ** (-np.array([0, 4, 9, 3, 14, 20, 11, 26, 30, 18, 35, 40]) / 20)
PHASES = np.array([0.3, 1.1, -2.0, 0.4, 2.9, -1.0, 0.0, 1.9, -0.7, 2.2, -2.5, 0.9])


def recording(**more):
    return d.FromRecording(sound=SOUND, **more)


@pytest.mark.parametrize("missing", [None, 0], ids=["whole", "without its fundamental"])
def test_harmonics_of_a_drifting_tone_within_three_tenths_of_a_db(missing):
    levels = LEVELS.copy()
    if missing is not None:
        levels[missing] = 0.0
    sound, _ = tone(drifting(), levels, PHASES)
    found = extract(sound[:, None].astype(np.float32), RATE, recording(by="cycles", phases="kept"))
    sizes = np.abs(found.table.spectra[:, :12])
    # scaled as a whole only: compare ratios to the strongest
    got = 20 * np.log10(sizes[:, levels > 0] / sizes[:, 3:4])
    wanted = 20 * np.log10(levels[levels > 0] / levels[3])
    assert np.abs(got - wanted).max() < 0.3
    assert 20 * np.log10(sizes[:, levels == 0].max(initial=1e-9) / sizes.max()) < -50


def test_cycles_are_aligned_to_a_five_hundredth():
    sound, cycles = tone(drifting(), LEVELS, PHASES)
    found = extract(sound[:, None].astype(np.float32), RATE, recording(by="cycles", phases="kept"))
    # the place of each frame in its cycle, from the angles of its harmonics against the first's
    angles = np.angle(found.table.spectra[:, 0] * np.conj(found.table.spectra[0, 0])) / (2 * np.pi)
    assert np.abs(angles).max() < 1 / 500
    # and the count itself against the one the tone was made with, but for where it begins
    counted = follow_cycles(sound.astype(np.float32), RATE).count
    inside = slice(RATE // 10, -RATE // 10)
    off = counted[inside] - cycles[inside]
    assert np.ptp(off) < 1 / 500


def test_a_tone_that_changes_is_retraced():
    """The level of each harmonic moves on its own; 64 frames bring it back within 4 dB."""
    t = np.arange(3 * RATE) / RATE
    moving = [
        level * (0.55 + 0.45 * np.sin(2 * np.pi * (0.2 + 0.13 * k) * t + k))
        for k, level in enumerate(LEVELS)
    ]
    sound, _ = tone(drifting(), moving, PHASES)
    document = d.TableDocument(name="x", source=recording())
    raw = make_raw(document, lambda _: (sound[:, None].astype(np.float32), RATE))
    assert raw.by == "cycles"
    assert raw.retraced.timbre_db < 1.5
    assert raw.retraced.level_db < 0.5


def test_frames_spread_by_timbre_gather_where_it_changes():
    t = np.arange(4 * RATE) / RATE
    bright = np.clip((t - 1.0) / 0.5, 0, 1)
    levels = [0.3 * (bright if k > 1 else 1.0) / k for k in range(1, 9)]
    sound, _ = tone(np.full(len(t), 150.0), levels, np.zeros(8))
    found = extract(sound[:, None].astype(np.float32), RATE, recording(spread="timbre", frames=32))
    inside = (found.table.seconds > 0.9) & (found.table.seconds < 1.6)
    assert inside.sum() > 20
    assert (np.diff(found.table.seconds) > 0).all()


def test_levels_are_made_equal_or_kept():
    t = np.arange(2 * RATE) / RATE
    sound, _ = tone(np.full(len(t), 200.0), LEVELS[:, None] * 10 ** (-24 * t / 20 / 2), PHASES)
    samples = sound[:, None].astype(np.float32)
    equal = rms_of(extract(samples, RATE, recording()).table.spectra)
    kept = rms_of(extract(samples, RATE, recording(level="kept", end=2.0)).table.spectra)
    np.testing.assert_allclose(equal, equal[0], rtol=0.01)
    assert 20 * np.log10(kept[-1] / kept[0]) == pytest.approx(-24, abs=0.5)


def test_noise_is_taken_by_its_spectrum():
    """Pink noise has equal power in every octave (definition)."""
    from scipy.signal import lfilter

    # Voss-McCartney by filter: B. Kasdin, Proc. IEEE 83(5), 1995, from memory
    b = [0.049922035, -0.095993537, 0.050612699, -0.004408786]
    a = [1, -2.494956002, 2.017265875, -0.522189400]
    noise = lfilter(b, a, np.random.default_rng(1).standard_normal(4 * RATE))
    samples = (0.2 * noise / np.abs(noise).max())[:, None].astype(np.float32)
    found = extract(samples, RATE, recording(frames=32))
    assert found.by == "spectra"
    power = (np.abs(found.table.spectra) ** 2).mean(axis=0)
    # swept at its root it is as near as two looks at noise are: their levels, each a mean of
    # four powers and correlated, differ by some 3 to 6 dB
    told = retrace(samples, found)
    assert 1.0 < told.timbre_db < 7.0
    assert told.level_db < 1.5
    octaves = [10 * np.log10(power[2**n : 2 ** (n + 1)].sum()) for n in range(2, 7)]
    assert np.ptp(octaves) < 1.5


def test_a_stretch_closes_at_its_seam():
    sound = np.linspace(-0.5, 0.5, RATE)[:, None].astype(np.float32)
    how = recording(by="stretches", stretch_ms=100.0, closed=0.25, frames=4, phases="kept")
    waves = waves_of(extract(sound, RATE, how).table.spectra, 2_048)
    steps = np.abs(np.diff(np.concatenate((waves, waves[:, :1]), axis=1), axis=1))
    assert steps[:, -1].max() < 3 * np.median(steps)


@pytest.mark.parametrize("index", [0.0011, 0.05, 0.5, 1.0, 2.404826, 3.0, 7.5])
def test_two_operators_give_the_sidebands_of_chowning(index):
    """Chowning 1973: J_n(I) at c + n m, those below 0 reflected with their sign changed."""
    carrier, modulator = 5, 3
    made = build(
        d.FromWaves(
            frames=2,
            operators=[
                d.Operator(id="a", harmonic=carrier),
                d.Operator(id="b", harmonic=modulator, start=index, end=index, into="a"),
            ],
        )
    )
    wanted = np.zeros(HARMONICS + 1)
    for n in range(-60, 61):
        place = carrier + n * modulator
        sign = 1.0 if place > 0 else -1.0
        if 0 < abs(place) <= HARMONICS:
            wanted[abs(place)] += sign * jv(n, index)
    spectrum = made.spectra[0]
    scale = np.abs(spectrum).max() / np.abs(wanted).max()
    heard = np.abs(wanted[1:]) > 1e-3 * np.abs(wanted).max()
    got = 20 * np.log10(np.abs(spectrum[heard]) / scale)
    np.testing.assert_allclose(got, 20 * np.log10(np.abs(wanted[1:][heard])), atol=0.1)
    if index == 2.404826:
        assert np.abs(spectrum[carrier - 1]) / scale < 1e-6


@pytest.mark.parametrize(
    ("wave", "series"),
    [
        ("saw", lambda k: 2 / (np.pi * k)),
        ("square", lambda k: np.where(k % 2 == 1, 4 / (np.pi * k), 0)),
        ("triangle", lambda k: np.where(k % 2 == 1, 8 / (np.pi * k) ** 2, 0)),
    ],
)
def test_plain_waves_are_their_fourier_series(wave, series):
    made = build(d.FromWaves(frames=1, operators=[d.Operator(id="a", wave=wave)])).spectra[0]
    k = np.arange(1, 301)
    wanted = series(k)
    got = np.abs(made[:300]) / np.abs(made[0]) * wanted[0]
    np.testing.assert_allclose(got, wanted, atol=2e-5)


def test_amounts_travel_across_the_table_along_their_curve():
    operators = [
        d.Operator(id="a", harmonic=1, start=1.0, end=1.0),
        d.Operator(id="b", harmonic=3, start=0.0, end=0.5),
        d.Operator(id="c", harmonic=5, start=0.5, end=0.0, bend=100),
    ]
    sizes = np.abs(build(d.FromWaves(frames=11, operators=operators)).spectra)
    x = np.linspace(0, 1, 11)
    np.testing.assert_allclose(sizes[:, 2] / sizes[:, 0], 0.5 * x, atol=1e-6)
    curve = (1 - np.exp(-6 * x)) / (1 - np.exp(-6))
    np.testing.assert_allclose(sizes[:, 4] / sizes[:, 0], 0.5 * (1 - curve), atol=1e-6)


def table(*rows):
    spectra = np.zeros((len(rows), HARMONICS), complex)
    for i, row in enumerate(rows):
        spectra[i, : len(row)] = row
    return Table(spectra)


def test_edits_do_what_they_say():
    made = table([1, 0.5], [1j, 0, 0.25], [0.1, 0.4])
    arranged = shaped(made, [d.Arrange(frames=[2, 0, 0])])
    np.testing.assert_array_equal(arranged.spectra, made.spectra[[2, 0, 0]])
    between = shaped(made, [d.Between(frames=5, last=3)])
    assert len(between) == 5
    # levels go straight, phases turn evenly
    assert between.spectra[1, 0] == pytest.approx(np.exp(1j * np.pi / 4))
    assert np.abs(between.spectra[1, 1]) == pytest.approx(0.25)
    assert np.abs(shaped(made, [d.Between(frames=5, by="time")]).spectra[1, 0]) == pytest.approx(
        np.sqrt(0.5)
    )
    part = shaped(made, [d.Between(first=2, last=3, frames=6)])
    assert len(part) == 7
    np.testing.assert_array_equal(part.spectra[0], made.spectra[0])
    odd = shaped(made, [d.Keep(which="odd")])
    assert not np.abs(odd.spectra[:, 1::2]).any()
    tilted = np.abs(shaped(made, [d.Tilt(db_per_octave=-6.0206)]).spectra[0])
    assert tilted[1] / tilted[0] == pytest.approx(0.25, rel=1e-3)
    drawn = shaped(made, [d.Draw(frame=1, levels=[(4, -6.0206), (1, -120)])]).spectra
    assert np.abs(drawn[1, 3]) == pytest.approx(0.5, rel=1e-3)
    assert drawn[1, 0] == 0
    np.testing.assert_array_equal(drawn[[0, 2]], made.spectra[[0, 2]])
    flat = shaped(made, [d.Level(to="equal level")])
    np.testing.assert_allclose(rms_of(flat.spectra), rms_of(flat.spectra)[0])
    assert flat.peak() == pytest.approx(1.0)
    zero = shaped(made, [d.Phases(to="zero")])
    np.testing.assert_allclose(np.angle(zero.spectra[np.abs(zero.spectra) > 0]), -np.pi / 2)
    smooth = np.abs(shaped(made, [d.Smooth(frames=1.0)]).spectra)
    assert smooth[1, 1] > 0.05


def test_low_peak_phases_lower_the_peak():
    flat = table([1.0] * 64)
    zero = shaped(flat, [d.Phases(to="zero"), d.Level(to="equal level")])
    low = shaped(flat, [d.Phases(to="low peak"), d.Level(to="equal level")])
    # crest of 64 sines in phase against that of Schroeder's phases (below 6 dB; Schroeder 1970)
    assert 20 * np.log10(zero.peak() / rms_of(zero.spectra)[0]) > 15
    assert 20 * np.log10(low.peak() / rms_of(low.spectra)[0]) < 6


def test_a_recipe_is_the_same_after_saving():
    document = d.TableDocument(
        name="Bells", source=d.FromWaves(operators=[d.Operator(id="a"), d.Operator(id="b", into="a")]),
        steps=[d.Tilt(), d.Arrange(frames=[3, 1])],
    )  # fmt: skip
    again = d.parse_table(document.model_dump_json())
    assert again == document
    made = [make_table(one, lambda _: None).spectra for one in (document, again)]
    np.testing.assert_array_equal(*made)


SILENCE = np.zeros((RATE, 1), np.float32)
NOISE = np.random.default_rng(2).standard_normal((RATE, 1)).astype(np.float32) * 0.1


@pytest.mark.parametrize(
    ("samples", "how", "says"),
    [
        (SILENCE, {}, "is silent"),
        (SILENCE[:0], {}, "is empty"),
        (NOISE, {"by": "cycles"}, "No clear pitch"),
        (NOISE[:100], {"by": "cycles", "root": 36}, "shorter than two cycles"),
        (np.full((RATE, 1), np.nan, np.float32), {}, "no numbers"),
        (NOISE, {"spread": "hand"}, "No places are chosen"),
        (NOISE, {"start": 0.6, "end": 0.5}, "is empty"),
    ],
)
def test_what_cannot_be_extracted_says_why(samples, how, says):
    with pytest.raises(TableError, match=says) as error:
        extract(samples, RATE, recording(**how))
    assert str(error.value).count(". ") == 0


@pytest.mark.parametrize(
    ("operators", "says"),
    [
        ([{"id": "a", "start": 0, "end": 0}], "Nothing would be heard"),
        ([{"id": "a", "harmonic": 0}], "Nothing would be heard"),
        ([{"id": "a", "into": "b"}, {"id": "b", "into": "a"}], "in a ring"),
        ([{"id": "a", "into": "a"}], "in a ring"),
        ([{"id": "a", "into": "x"}], "is not there"),
        ([{"id": "a"}, {"id": "a"}], "one id"),
        ([{"id": "a", "wave": "cycle"}], "none is chosen"),
        ([{"id": "a", "start": 11}], "less than or equal to 10"),
    ],
)
def test_what_cannot_be_built_says_why(operators, says):
    plain = {"name": "x", "source": {"kind": "waves", "operators": operators}}
    with pytest.raises(TableError, match=says):
        make_table(d.parse_table(plain), lambda _: None)


def test_frames_at_hand():
    cycle = np.sin(2 * np.pi * np.arange(600) / 600)
    two = np.concatenate((cycle, 0.5 * cycle, cycle[:100]))[:, None].astype(np.float32)
    source = {"kind": "cycles", "sounds": [{**SOUND, "cycle": 600}]}
    document = d.parse_table({"name": "x", "source": source})
    made = make_table(document, lambda _: (two, RATE))
    assert len(made) == 2
    np.testing.assert_allclose(np.abs(made.spectra[:, 0]), [1, 0.5], atol=1e-6)
    with pytest.raises(TableError, match="at most"):
        make_table(document, lambda _: (np.ones((600 * 10_000, 1), np.float32), RATE))
    with pytest.raises(TableError, match="does not fit"):
        make_table(document, lambda _: (two[:500], RATE))


def test_harmonics_of_waves_and_back():
    random = np.random.default_rng(3).standard_normal((3, HARMONICS))
    spectra = random + 1j * random[::-1]
    np.testing.assert_allclose(spectra_of(waves_of(spectra, 2_048)), spectra, atol=1e-9)
