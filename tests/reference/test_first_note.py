"""The first note of a recording: level, holes, flutter, width, and whether it lives.

Thresholds are the least that counts for a first note (common practice where no source is named).
"""

from __future__ import annotations

from functools import partial

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.evening import evened_db, loud_power, weighted_power
from innerbloom.core.analysis.evolution import evolution, flutter, levels, side_db
from innerbloom.core.analysis.opening import find_opening
from innerbloom.core.deliver.first_note import first_note, grow_file, program_of
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.grow import with_breath_held
from innerbloom.core.materials.clip import prepare_material
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event
from innerbloom.core.sound.levels import loudness
from tests.conftest import RATE, harmonic_tone
from tests.recordings import ICONS, KITS, effects, folder
from tests.sounds import db, vowel

RNG = np.random.default_rng(1990)
SETTLED = RATE


def struck(hz, decay_s, seconds=2.0):
    t = np.arange(round(seconds * RATE)) / RATE
    parts = [np.exp(-t * k / decay_s) * np.sin(2 * np.pi * hz * r * t) / k
             for k, r in enumerate((1, 2.76, 5.4, 8.93), 1)]  # fmt: skip
    return 0.3 * sum(parts)


SOURCES = {
    "hum": (lambda: harmonic_tone(110.0, 4.0), True),
    "whistle": (lambda: harmonic_tone(1_480.0, 4.0, partials=3), True),
    "chord": (lambda: sum(harmonic_tone(hz, 4.0, level=0.06) for hz in (196, 247, 294)), True),
    "wash": (lambda: 0.05 * RNG.standard_normal(4 * RATE), True),
    "vowel": (lambda: vowel(120.0, 3.0), False),
    "bell": (lambda: struck(523.0, 0.6), False),
    "quiet": (lambda: 0.002 * harmonic_tone(220.0, 3.0), True),
    "loud": (lambda: 4.0 * harmonic_tone(220.0, 3.0), True),
}


def played(samples, rate, tmp_path, seconds=30.0, seed=1):
    path = tmp_path / "first.wav"
    sf.write(path, samples, rate, subtype="FLOAT")
    document = grow_file(path)
    document.settings.seed = seed
    return first_note(program_of(document, path), document, seconds)[SETTLED:]


@pytest.mark.parametrize("name", SOURCES)
def test_the_first_note_of(name, tmp_path):
    make, steady = SOURCES[name]
    samples = np.asarray(make(), np.float32)
    sound = played(samples, RATE, tmp_path)
    found = evolution(sound, RATE)
    assert loudness(sound, RATE) == pytest.approx(-24.0, abs=2.0)
    assert -12 <= found.side_db <= -3
    assert found.far > found.near
    assert found.lowest_db > -20
    if steady:
        assert found.lowest_db > -8
        assert found.flutter < flutter(samples[:, None], RATE) + 0.1


def chirps():
    """Short and high, a pause between them; so high that any filter takes what there is of it."""
    t = np.arange(round(0.15 * RATE)) / RATE
    one = np.sin(2 * np.pi * (3_500.0 + 4_000.0 * t) * t) * np.hanning(len(t))
    return np.concatenate([0.2 * one, np.zeros(RATE // 5), 0.05 * one, np.zeros(RATE // 10)])


def test_a_recording_with_sides_as_loud_as_its_middle_is_narrowed(tmp_path):
    """Noise of its own on either side, fading: side against middle is 0 dB."""
    fading = np.exp(-np.arange(RATE) / (0.3 * RATE))[:, None]
    wide = (0.2 * fading * np.random.default_rng(4).standard_normal((RATE, 2))).astype(np.float32)
    assert side_db(wide) == pytest.approx(0.0, abs=0.2)
    sound = played(wide, RATE, tmp_path, 8.0)
    assert -12 <= side_db(sound) <= -3
    assert loudness(sound, RATE) == pytest.approx(-24.0, abs=2.0)
    # as many channels that are alike are left as they are
    path = tmp_path / "narrow.wav"
    sf.write(path, wide.mean(axis=1), RATE, subtype="FLOAT")
    assert grow_file(path).layers[0].effects == []


@pytest.mark.parametrize("make", [partial(struck, 311.0, 0.4), chirps], ids=["struck", "chirps"])
def test_first_notes_are_equally_loud(make, tmp_path):
    sounds = [played(make(), RATE, tmp_path, 6.0, seed) for seed in range(1, 11)]
    assert [loudness(one, RATE) for one in sounds] == pytest.approx(10 * [-24.0], abs=2.0)


def test_a_filter_that_closes_leaves_the_level_as_it_is(tmp_path):
    path = tmp_path / "first.wav"
    sf.write(path, struck(1_200.0, 0.3), RATE, subtype="FLOAT")
    document = grow_file(path)
    breath = [one for one in document.routes if one.source == "m:m2"]
    depths = {one.parameter: one.depth for one in breath}
    # one way down, the other up
    assert depths["cutoff"] > 0 > depths["level"]
    heard = []
    for at in (-1.0, 1.0):
        held = with_breath_held(document, at)
        sound = first_note(program_of(held, path), held, 4.0)[SETTLED:]
        heard.append(loudness(sound, RATE) + at * depths["level"])
    assert heard[0] == pytest.approx(heard[1], abs=0.5)


def test_until_the_engine_is_compiled_its_level_is_an_estimate(tmp_path, monkeypatch):
    monkeypatch.setattr("innerbloom.core.deliver.first_note.is_warm", lambda: False)
    sound = played(struck(311.0, 0.4), RATE, tmp_path, 6.0)
    assert loudness(sound, RATE) == pytest.approx(-24.0, abs=4.0)


def real_ones():
    """Short and long, pitched and not: every eighth of three packages."""
    kits = sorted(KITS.rglob("*.[wf][al]*"))[::60] if KITS.is_dir() else []
    found = [*effects()[::8], *folder(ICONS, "sound-icons")[::8]]
    found += [sf.read(one, dtype="float32", always_2d=True) for one in kits]
    return [(samples[:, :2], rate) for samples, rate in found if len(samples) > 0.15 * rate]


def test_first_notes_of_real_recordings(tmp_path):
    found = []
    for number, (samples, rate) in enumerate(real_ones()):
        sound = played(samples, rate, tmp_path, 30.0, 1 + number % 8)
        found.append((loudness(sound[: 11 * RATE], RATE), evolution(sound, RATE)))
    assert len(found) > 20
    lufs = np.array([one for one, _ in found])
    assert np.abs(lufs + 24.0).max() <= 2.0
    sides = np.array([one.side_db for _, one in found])
    assert np.mean((sides >= -12.5) & (sides <= -3.0)) >= 0.8
    assert np.mean([one.lowest_db > -20 for _, one in found]) >= 0.9
    assert np.mean([one.far > one.near for _, one in found]) >= 0.95


# -- the cloud -------------------------------------------------------------------------


def cloud(samples, seconds=6.0, root=None, **given):
    """One note of a cloud that neither fades in nor moves; shape (frames, 2)."""
    settings_ = {"attack": 1, "level_scatter": 0, "stereo_scatter": 0, "pitch_scatter": 0, **given}
    layer = {"id": "l1", "name": "c", "kind": "cloud", "settings": settings_,
             "sounds": [{"path": "a.wav", "root": root}]}  # fmt: skip
    document = parse_instrument({"version": 4, "name": "c", "layers": [layer]})
    material = prepare_material(np.asarray(samples, np.float32).reshape(len(samples), -1), RATE)
    engine = Engine(compile_program(document, HeldMaterials(material)))
    key = 60.0 if root is None else root
    return engine.render(round(seconds * RATE), [Event("on", 1, key, 0.8)])[SETTLED // 2 :]


@settings(max_examples=15)
@given(st.floats(0, 100), st.floats(30, 400), st.floats(2.0, 8.0))
def test_a_dense_cloud_has_no_holes(regularity, size, overlap):
    """A grain is due before the last has faded, however irregular."""
    noise = 0.1 * RNG.standard_normal(4 * RATE)
    sound = cloud(
        noise, 4.0, regularity=regularity, size=size, density=min(200.0, overlap / size * 1_000)
    )
    step = levels(sound, RATE, 0.02)
    assert db(step.min() / np.median(step)) > -9


def test_a_sparse_cloud_keeps_its_pauses():
    noise = 0.1 * RNG.standard_normal(4 * RATE)
    step = levels(cloud(noise, 8.0, size=60, density=3, regularity=0), RATE, 0.02)
    assert np.mean(step < 1e-4 * step.max()) > 0.5


@pytest.mark.parametrize("softness", [0, 50, 100])
@pytest.mark.parametrize("density", [10, 40, 160])
def test_level_does_not_depend_on_how_many_grains_overlap(density, softness):
    """Normalised by the running power of the windows: noise keeps its level within 1 dB."""
    noise = 0.1 * RNG.standard_normal(4 * RATE)
    sound = cloud(noise, 6.0, size=300, density=density, softness=softness)
    wanted = cloud(noise, 6.0, size=300, density=6, softness=0, regularity=100)
    assert abs(db(np.std(sound) / np.std(wanted))) < 1.0


@pytest.mark.parametrize("hz", [65.4, 261.6, 1_046.5])
def test_aligned_grains_hold_a_tone(hz):
    """WSOLA (Verhelst & Roelands 1993): overlapping grains of a tone go on with its wave."""
    tone, note = harmonic_tone(hz, 4.0), 69 + 12 * np.log2(hz / 440)
    given = {"size": 150, "density": 30, "position_scatter": 10, "regularity": 30, "root": note}
    loose = evolution(cloud(tone, **given), RATE)
    aligned = evolution(cloud(tone, alignment=100, **given), RATE)
    assert aligned.lowest_db > -2
    assert aligned.flutter < 0.06
    assert loose.flutter > 3 * aligned.flutter


@pytest.mark.parametrize("backward", [0, 100])
def test_alignment_leaves_the_pitch_alone(backward):
    tone = harmonic_tone(220.0, 4.0)
    sound = cloud(tone, root=57.0, alignment=100, direction=backward, regularity=80)
    mono = sound[:, 0] * np.hanning(len(sound))
    peak = np.abs(np.fft.rfft(mono)).argmax() * RATE / len(mono)
    assert peak == pytest.approx(220.0, abs=0.5)


@pytest.mark.parametrize("evenness", [0, 50, 100])
def test_evenness_raises_quiet_places(evenness):
    """A sound that falls by 24 dB from one end to the other, heard at both ends."""
    noise = RNG.standard_normal(4 * RATE) * 10 ** np.linspace(-0.5, -1.7, 4 * RATE)
    near, far = (
        np.std(cloud(noise, 4.0, position=at, position_scatter=2, evenness=evenness))
        for at in (5, 95)
    )
    assert db(far / near) == pytest.approx(-21.6 * (1 - evenness / 100), abs=1.5)


# -- measures --------------------------------------------------------------------------


@given(st.floats(0.05, 0.9), st.floats(2.5, 9.5))
def test_flutter_of_a_modulated_tone_is_its_index(index, hz):
    """By definition: 1 + m sin has the modulation index m."""
    t = np.arange(8 * RATE) / RATE
    tone = (1 + index * np.sin(2 * np.pi * hz * t)) * np.sin(2 * np.pi * 1_000 * t)
    assert flutter(tone[:, None], RATE) == pytest.approx(index, rel=0.15, abs=0.01)


def test_slow_and_fast_movement_are_no_flutter():
    t = np.arange(8 * RATE) / RATE
    for hz in (0.3, 24.0):
        tone = (1 + 0.5 * np.sin(2 * np.pi * hz * t)) * np.sin(2 * np.pi * 1_000 * t)
        assert flutter(tone[:, None], RATE) < 0.05


@pytest.mark.parametrize("wide_db", [-20, -6, 0, 6])
def test_side_of_known_width(wide_db):
    middle, side = RNG.standard_normal((2, RATE))
    side *= 10 ** (wide_db / 20)
    sound = np.stack((middle + side, middle - side), axis=1).astype(np.float32)
    assert side_db(sound) == pytest.approx(wide_db, abs=0.2)


def test_a_sweep_evolves_and_a_tone_does_not():
    t = np.arange(12 * RATE) / RATE
    sweep = np.sin(2 * np.pi * 100 * 2 ** (t / 2) * 2 / np.log(2))
    moving, still = (evolution(one[:, None], RATE) for one in (sweep, np.sin(2 * np.pi * 200 * t)))
    assert moving.far > 2 * max(still.far, 0.1)
    assert still.far < 0.5


# -- where it starts out ---------------------------------------------------------------


def test_an_opening_lies_where_the_sound_is():
    """Two seconds of sound in ten of near silence."""
    sound = 1e-5 * RNG.standard_normal(10 * RATE)
    sound[5 * RATE : 7 * RATE] += harmonic_tone(220.0)
    found = find_opening(sound[:, None].astype(np.float32), RATE)
    assert found.middle_s - found.span_s / 2 >= 5.0
    assert found.middle_s + found.span_s / 2 <= 7.0
    assert found.span_s >= 1.0
    assert found.character == "steady"


def test_an_opening_leaves_out_the_silence_between_two_strokes():
    """What would be raised by 30 dB, and is silence all the same."""
    sound = np.zeros(RATE // 8)
    sound[:960] = sound[-960:] = 0.4 * RNG.standard_normal(960)
    found = find_opening(sound[:, None].astype(np.float32), RATE)
    assert found.span_s <= 0.06
    assert min(abs(found.middle_s - 0.01), abs(found.middle_s - 0.115)) <= 0.03


def test_an_opening_stays_around_the_moment_asked_for():
    sound = np.concatenate((harmonic_tone(220.0), 0.1 * harmonic_tone(330.0)))[:, None]
    found = find_opening(sound.astype(np.float32), RATE, at_s=3.0)
    assert abs(found.middle_s - 3.0) <= 1.0


@pytest.mark.parametrize(
    ("name", "character"), [("hum", "steady"), ("wash", "noisy"), ("bell", "striking")]
)
def test_characters(name, character):
    sound = np.asarray(SOURCES[name][0](), np.float32)[:, None]
    assert find_opening(sound, RATE).character == character


@pytest.mark.parametrize("frames", [1, 30, 5_000])
def test_nothing_but_silence_opens_somewhere(frames):
    found = find_opening(np.zeros((frames, 2), np.float32), RATE)
    assert found.lufs is None
    assert np.isfinite(found.middle_s)


@given(st.floats(-40, 0))
def test_loud_places_have_their_loudness(level_db):
    """ITU-R BS.1770-4: 997 Hz at full scale in one channel is -3.01 LUFS."""
    tone = 10 ** (level_db / 20) * np.sin(2 * np.pi * 997 * np.arange(RATE) / RATE)
    power = weighted_power(tone[:, None].astype(np.float32), RATE)
    assert -0.691 + 10 * np.log10(loud_power(power)) == pytest.approx(level_db - 3.01, abs=0.15)
    assert evened_db(power)[5:-5] == pytest.approx(0.0, abs=1e-6)
