"""Spectra played: formants, morphs, shaping, against vowels, closed forms and BS.1770."""

from __future__ import annotations

from functools import cache

import numpy as np
import parselmouth
import pyloudnorm
import pytest
from scipy.signal import butter, lfilter, sosfilt, sosfreqz

from innerbloom.core.analysis.evolution import third_octaves
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.layers.spectral.loudness import k_power
from innerbloom.core.performance.events import Event
from innerbloom.core.sound.levels import k_weighting
from tests.engines import click_db, move
from tests.sounds import RATE, cents, db, gliding_tone
from tests.spectra import UNIT, engine_of, heard, key_of, log_spectral_distance, spectral, taken

# Peterson & Barney 1952, JASA 24(2), table II, men, from memory
VOWELS = {
    "a": (730, 1090, 2440),
    "i": (270, 2290, 3010),
    "u": (300, 870, 2240),
    "ae": (660, 1720, 2410),
}
F0 = 110.0


def vowel(name: str, seconds: float = 1.6, formants: float = 1.0) -> np.ndarray:
    """A vowel with vibrato; fourth and fifth formants as the reference library needs five poles."""
    t = np.arange(round(seconds * RATE)) / RATE
    phase = np.cumsum(F0 * 2 ** (0.6 / 12 * np.sin(2 * np.pi * 4 * t))) / RATE
    source = sum(np.cos(2 * np.pi * k * phase) for k in range(1, int(0.45 * RATE / F0)))
    out = lfilter([1.0], [1.0, -0.96], source)
    poles = formants * np.array([*VOWELS[name], 3500, 4500])
    for hz, width in zip(poles, (60, 90, 120, 150, 200), strict=True):
        r = np.exp(-np.pi * width / RATE)
        out = lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * hz / RATE), r * r], out)
    return 0.2 * out / np.abs(out).max()


@pytest.fixture(scope="module")
def vowels():
    return {name: taken(vowel(name), F0) for name in VOWELS}


def formants(sound: np.ndarray, count: int = 2) -> np.ndarray:
    """Formants by Burg's method, the median over time (praat-parselmouth)."""
    found = parselmouth.Sound(sound.astype(float), RATE).to_formant_burg(
        max_number_of_formants=5, maximum_formant=5_500, window_length=0.03
    )
    times = np.arange(0.3, len(sound) / RATE - 0.2, 0.02)
    return np.array([
        np.nanmedian([found.get_value_at_time(number, at) for at in times])
        for number in range(1, count + 1)
    ])  # fmt: skip


def farthest(wanted: np.ndarray, sound: np.ndarray) -> float:
    """How far the first two formants lie from those wanted, as a share.

    Among widely spaced multiples the reference library may count one formant too many, so each
    is looked for among the first three.
    """
    found = formants(sound, 3)
    return max(float(np.abs(found / one - 1).min()) for one in wanted)


@pytest.mark.parametrize("semitones", [-7, -3, 4, 7])
@pytest.mark.parametrize("name", ["a", "ae", "u"])
def test_formants_are_kept_as_the_pitch_moves(vowels, name, semitones):
    spoken = formants(vowel(name))
    sound = heard(vowels[name], seconds=1.4, semitones=semitones, formants="kept")
    assert farthest(spoken, sound) < 0.05
    # and would not be, if they went with the pitch
    assert farthest(spoken, heard(vowels[name], seconds=1.4, semitones=semitones)) > 0.05


def test_formants_move_with_the_pitch_or_by_themselves(vowels):
    up = 2 ** (4 / 12)
    before = formants(vowel("a"))
    assert farthest(up * before, heard(vowels["a"], seconds=1.4, semitones=4)) < 0.05
    spoken = formants(vowel("a", formants=up))
    assert farthest(spoken, heard(vowels["a"], seconds=1.4, formant_shift=4)) < 0.05


@pytest.mark.parametrize("other", ["i", "u", "ae"])
def test_half_way_between_two_vowels_the_first_formant_lies_between(vowels, other):
    ends = [formants(vowel(name))[0] for name in ("a", other)]
    sound = heard(vowels["a"], vowels[other], seconds=1.4, morph=50)
    low, high = sorted(ends)
    assert low + 0.2 * (high - low) < formants(sound)[0] < high - 0.2 * (high - low)


def test_a_morph_at_its_ends_is_its_ends(vowels):
    for morph, name in ((0, "a"), (100, "i")):
        sound = heard(vowels["a"], vowels["i"], seconds=1.5, morph=morph)
        alone = heard(vowels[name], seconds=1.5)
        assert log_spectral_distance(sound, alone) < 1.0


def test_a_morph_of_no_amount_stays_at_its_first_sound(vowels):
    sound = heard(vowels["a"], vowels["i"], seconds=1.0, morph=100, morph_amount=0)
    assert log_spectral_distance(sound, heard(vowels["a"], seconds=1.0)) < 0.01


@pytest.mark.parametrize("pair", [("a", "i"), ("u", "ae")])
def test_a_morph_goes_along_the_line_between_its_ends_in_loudness(vowels, pair):
    """BS.1770 loudness by pyloudnorm: monotone, and within 0.3 LU of the line."""
    meter = pyloudnorm.Meter(RATE)
    places = np.linspace(0, 100, 6)
    loud = np.array([
        meter.integrated_loudness(
            heard(*(vowels[name] for name in pair), seconds=1.4, morph=place)
        ) for place in places
    ])  # fmt: skip
    line = np.interp(places, [0, 100], [loud[0], loud[-1]])
    assert np.abs(loud - line).max() < 0.3
    steps = np.diff(loud) * np.sign(loud[-1] - loud[0])
    # equal ends leave only what the meter cannot tell apart
    assert (steps > -0.25).all()


def bands_apart(one, other):
    """Root mean square difference of two spectra in thirds of an octave, dB, without that of their levels.

    A. H. Gray and J. D. Markel, "Distance measures for speech processing", IEEE Trans. ASSP 24(5),
    1976: gain says nothing about a spectrum's shape. How loud a morph is on its way is asked for by itself.
    """
    pair = [
        third_octaves(x.reshape(len(x), -1).astype(np.float32), RATE, 1.3)[0] for x in (one, other)
    ]
    return float(np.std(pair[0] - pair[1]))


@pytest.mark.parametrize(
    "pair", [("a", "i"), ("u", "a"), ("saw", "a"), ("a", "noise"), ("noise", "saw")]
)
def test_the_way_of_a_morph_is_as_far_as_its_setting_says(vowels, pair):
    """Share of the way by third-octave spectra, between tones, and tones and noise."""
    noise = 0.1 * np.random.default_rng(7).standard_normal(2 * RATE)
    sounds = {
        **vowels,
        "saw": taken(gliding_tone(np.full(2 * RATE, 220.0), 30), 220.0),
        "noise": taken(noise, None),
    }
    places = np.linspace(0, 100, 11)
    way = [heard(*(sounds[name] for name in pair), seconds=1.4, morph=place) for place in places]
    gone, left = (np.array([bands_apart(x, end) for x in way]) for end in (way[0], way[-1]))
    off = np.abs(gone / (gone + left) - places / 100).max()
    assert off < 0.1


def stroke_db(sound, at_s):
    """Highest level above 3 kHz near a moment, dB."""
    sos = butter(4, 3_000, "high", fs=RATE, output="sos")
    near = slice(round((at_s - 0.03) * RATE), round((at_s + 0.05) * RATE))
    return 20 * np.log10(np.abs(sosfilt(sos, sound)[near]).max() + 1e-9)


@pytest.mark.parametrize(("both", "half_way"), [(True, -3.0), (False, -20.0)])
def test_a_strike_crosses_by_power_where_both_have_one_and_in_db_where_one_has(both, half_way):
    """One that both have stays an attack half way; one alone comes up as all else does (common practice)."""
    plain = 0.05 * gliding_tone(np.full(RATE, 220.0), 8)
    burst = np.zeros(RATE)
    decay = np.exp(-np.arange(2_000) / 120)
    burst[RATE // 2 : RATE // 2 + 2_000] = np.random.default_rng(5).standard_normal(2_000) * decay
    struck, other = plain + 0.2 * burst, plain + 0.2 * burst * both
    sounds = taken(other, 220.0), taken(struck, 220.0)
    assert (len(sounds[1].strikes) > len(sounds[0].strikes)) == (not both)
    whole, half = (stroke_db(heard(*sounds, seconds=0.9, morph=morph), 0.5) for morph in (100, 50))
    # two strikes of the same wave add up in amplitude
    assert half - whole == pytest.approx(half_way + 6.0 * both, abs=2.0)


def test_a_morph_from_a_tone_to_noise_holds_its_loudness(vowels):
    """BS.1770 loudness by pyloudnorm; partials and noise have nothing in common to go along."""
    noise = taken(0.1 * np.random.default_rng(7).standard_normal(2 * RATE), None)
    meter = pyloudnorm.Meter(RATE)
    places = np.linspace(0, 100, 6)
    loud = [meter.integrated_loudness(heard(vowels["a"], noise, seconds=1.4, morph=place))
            for place in places]  # fmt: skip
    assert np.abs(loud - np.interp(places, [0, 100], [loud[0], loud[-1]])).max() < 0.5


@cache
def swelling(sign):
    """Two seconds of noise that swells and fades by 15 dB either way, twice."""
    level_db = 15.0 * sign * np.sin(2 * np.pi * np.arange(2 * RATE) / RATE)
    noise = np.random.default_rng(9).standard_normal(2 * RATE)
    return taken(0.02 * 10 ** (level_db / 20) * noise, None)


def test_a_morph_of_sounds_that_swell_in_turn_holds_its_loudness():
    """BS.1770 loudness by pyloudnorm, of whole sounds: half way, a mix in dB is the one's curve times the other's."""
    meter, places = pyloudnorm.Meter(RATE), [0, 50, 75, 100]
    ends = swelling(1), swelling(-1)
    loud = [meter.integrated_loudness(heard(*ends, seconds=2.0, morph=place)) for place in places]
    assert np.abs(loud - np.interp(places, [0, 100], [loud[0], loud[-1]])).max() < 1.5


def test_a_place_that_stands_still_keeps_its_own_loudness():
    """Half way between a swell and a lull of 15 dB either way; by root mean square."""
    ends, quarter = (swelling(1), swelling(-1)), {"motion": "still", "position": 12.5}
    low, half, high = (
        20 * np.log10(np.std(heard(*ends, seconds=0.7, morph=place, **quarter)[RATE // 10 :]))
        for place in (100, 50, 0)
    )
    assert high - low == pytest.approx(30.0, abs=2.0)
    assert half == pytest.approx((low + high) / 2, abs=1.0)


def test_a_morph_from_low_to_high_holds_its_loudness():
    """BS.1770 loudness by pyloudnorm: a meter hears 60 Hz 5 dB softer than 4 kHz at the same power."""
    ends = [taken(gliding_tone(np.full(2 * RATE, hz), 1), None) for hz in (60.0, 4_000.0)]
    meter, places = pyloudnorm.Meter(RATE), np.linspace(0, 100, 6)
    loud = [meter.integrated_loudness(heard(*ends, seconds=1.4, morph=place)) for place in places]
    assert np.abs(loud - np.interp(places, [0, 100], [loud[0], loud[-1]])).max() < 0.3


@pytest.mark.parametrize("rate", [44_100, 48_000, 192_000])
def test_weights_of_partials_are_those_of_the_meter(rate):
    """The response of BS.1770's filters by SciPy, 30 Hz to 15 kHz."""
    hz = np.geomspace(30.0, 15_000.0, 200)
    _, response = sosfreqz(k_weighting(rate), hz, fs=rate)
    found = np.array([k_power(one) for one in hz])
    np.testing.assert_allclose(10 * np.log10(found), 20 * np.log10(np.abs(response)), atol=0.15)


@pytest.mark.parametrize("name", ["a", "i", "u"])
@pytest.mark.parametrize("odd_even", [-100, -50, 50, 100])
def test_odd_or_even_partials_alone_are_as_loud(vowels, name, odd_even):
    """BS.1770 loudness by pyloudnorm, within 1.5 LU; before, up to 17 were lost."""
    meter = pyloudnorm.Meter(RATE)
    plain, shaped_ = (
        meter.integrated_loudness(heard(vowels[name], seconds=1.4, odd_even=one))
        for one in (0, odd_even)
    )
    assert shaped_ == pytest.approx(plain, abs=1.5)


def test_a_morph_sweep_and_a_frozen_place_that_moves_do_not_click():
    low = [taken(gliding_tone(np.full(RATE, hz), 6), hz) for hz in (110.0, 110.0 * 2 ** (5 / 12))]
    engine = engine_of(*low, motion="still")
    sound = [engine.render(0, [Event("on", 1, key_of(low[0]), 1.0)])]
    for step in range(300):
        move(engine, "l1", "morph", 100.0 * abs(np.sin(step / 20)))
        move(engine, "l1", "position", 50 + 45 * np.sin(step / 7))
        sound.append(engine.render(256))
    assert click_db(np.concatenate(sound)[4_800:]) < -60


def test_a_loop_that_turns_into_itself_has_no_seam():
    hz = 200.0 * 2 ** (np.linspace(0, 4, 2 * RATE) / 12)
    spectrum = taken(gliding_tone(hz, 6), 250.0)
    sound = heard(
        spectrum, seconds=4.0, at_end="loop", loop_start=20, loop_length=500, loop_blend=40
    )
    assert click_db(sound[RATE // 2 :]) < -60


# -- shaping -------------------------------------------------------------------


def tone(count: int = 8, hz: float = 200.0):
    """A tone whose partials all have one level."""
    t = np.arange(RATE) / RATE
    return taken(
        0.05 * sum(np.cos(2 * np.pi * k * hz * t + k * k) for k in range(1, count + 1)), hz
    )


def levels(sound: np.ndarray, hz: list[float]) -> np.ndarray:
    """Level in dB at frequencies, of the first second but its beginning, by projection."""
    piece = sound[RATE // 5 :][: RATE // 2]
    window = np.hanning(len(piece))
    n = np.arange(len(piece)) / RATE
    found = [abs(np.dot(piece * window, np.exp(-2j * np.pi * one * n))) for one in hz]
    return 20 * np.log10(2 * np.array(found) / window.sum() + 1e-9)


MULTIPLES = [200.0 * k for k in range(1, 9)]
PLAIN_DB = db(0.05)


def test_a_tone_played_plainly_is_as_it_was():
    np.testing.assert_allclose(levels(heard(tone(), seconds=0.9), MULTIPLES), PLAIN_DB, atol=0.1)


def test_tilt_is_in_decibels_an_octave():
    found = levels(heard(tone(), seconds=0.9, tilt=-6), MULTIPLES)
    np.testing.assert_allclose(found, PLAIN_DB - 6 * np.log2(np.arange(1, 9)), atol=0.1)


def test_odd_and_even_multiples_are_balanced():
    found = levels(heard(tone(), seconds=0.9, odd_even=-100), MULTIPLES)
    # all have the same level: the half that is left has twice the power
    np.testing.assert_allclose(found[0::2], PLAIN_DB + 3.0103, atol=0.1)
    assert found[1::2].max() < -80
    assert levels(heard(tone(), seconds=0.9, odd_even=100), MULTIPLES)[0::2].max() < -80


def test_shift_and_stretch_put_partials_where_they_say():
    shifted = levels(heard(tone(), seconds=0.9, shift=37), [one + 37 for one in MULTIPLES])
    np.testing.assert_allclose(shifted, PLAIN_DB, atol=0.1)
    stretched = [200.0 * k**1.1 for k in range(1, 9)]
    found = levels(heard(tone(), seconds=0.9, stretch=10), stretched)
    np.testing.assert_allclose(found, PLAIN_DB, atol=0.2)


def test_pull_draws_partials_to_the_scale():
    """Multiples drawn to octaves and fifths all the way: none is left in between."""
    sound = heard(tone(), seconds=0.9, steps="fifths", pull=100)
    spectrum = np.abs(np.fft.rfft(sound[RATE // 5 :] * np.hanning(len(sound) - RATE // 5)))
    hz = np.fft.rfftfreq(len(sound) - RATE // 5, 1 / RATE)
    strong = hz[spectrum > 0.1 * spectrum.max()]
    semitones = 12 * np.log2(strong[strong > 150] / 200.0)
    near = np.min(np.abs(semitones[:, None] - np.array([0, 7, 12, 19, 24, 31, 36, 43])), axis=1)
    assert near.max() < 0.4


def test_only_the_strongest_are_kept():
    t = np.arange(RATE) / RATE
    falling = taken(0.2 * sum(np.cos(2 * np.pi * k * 200 * t) / k for k in range(1, 9)), 200.0)
    found = levels(heard(falling, seconds=0.9, most=3), MULTIPLES)
    whole = levels(heard(falling, seconds=0.9), MULTIPLES)
    np.testing.assert_allclose(found[:3], whole[:3], atol=0.5)
    assert (found[4:] < whole[4:] - 6).all()
    gated = levels(heard(falling, seconds=0.9, gate=-10), MULTIPLES)
    np.testing.assert_allclose(gated[:3], whole[:3], atol=0.1)
    assert (gated[4:] < whole[4:] - 10).all()


def test_a_drawn_filter_takes_away_what_it_says():
    """A straight line from 0 dB at 20 Hz to -60 dB at 20 kHz: 6.02 dB an octave."""
    curve = {"drawn_filter": [(0.0, 1.0), (1.0, 0.0)]}
    found = levels(heard(tone(), seconds=0.9, drawn=100, layer=curve), MULTIPLES)
    octaves = np.log2(np.array(MULTIPLES) / 20) / np.log2(1_000)
    np.testing.assert_allclose(found, PLAIN_DB - 60 * octaves, atol=0.2)


def test_balance_leaves_one_part():
    t = np.arange(RATE) / RATE
    noise = np.random.default_rng(2).standard_normal(RATE)
    mixed = taken(0.2 * np.cos(2 * np.pi * 440 * t) + 0.01 * noise, 440.0)
    assert levels(heard(mixed, seconds=0.9, balance=100), [440.0])[0] < -45
    alone = heard(mixed, seconds=0.9, balance=-100)[RATE // 4 :]
    t = np.arange(len(alone)) / RATE
    basis = np.stack((np.cos(2 * np.pi * 440 * t), np.sin(2 * np.pi * 440 * t)), 1)
    left = alone - basis @ np.linalg.lstsq(basis, alone, rcond=None)[0]
    assert db(np.std(left) / np.std(alone)) < -45


def test_a_blur_takes_the_mean_of_levels():
    """A tone that beats at 4 Hz, blurred over much longer, holds still."""
    t = np.arange(3 * RATE) / RATE
    beating = taken((0.1 + 0.08 * np.cos(2 * np.pi * 4 * t)) * np.cos(2 * np.pi * 300 * t), 300.0)

    def swing(**how):
        sound = heard(beating, seconds=2.0, position=20, **how)[RATE // 2 :]
        power = [np.mean(sound[at : at + 1_600] ** 2) for at in range(0, len(sound) - 1_600, 1_600)]
        return 10 * np.log10(max(power) / min(power))

    assert swing() > 12
    assert swing(blur_time=1_000) < 5


def test_speed_and_pitch_are_independent():
    hz = 220 * 2 ** (np.arange(2 * RATE) / RATE / 2 / 12 * 2)
    spectrum = taken(gliding_tone(hz, 6), 220.0)
    for speed in (0.5, 1.0, 2.0):
        sound = heard(spectrum, seconds=0.9 * 2 / speed, semitones=5, speed=speed)
        at = len(sound) // 2
        piece = sound[at - 4_096 : at + 4_096] * np.hanning(8_192)
        found = np.abs(np.fft.rfft(piece, 1 << 18))
        near = found[: round(420 / RATE * (1 << 18))].argmax() * RATE / (1 << 18)
        played = at / RATE * speed
        assert abs(cents(near, 220 * 2 ** (played / 12) * 2 ** (5 / 12))) < 12


def test_a_layer_below_moves_the_phase_of_all_partials():
    """A spectrum of one sine, moved by a sine, has sidebands J0 and J1 (Chowning 1973)."""
    from scipy.special import jv

    from innerbloom.core.engine import Engine, compile_program
    from innerbloom.core.materials.held import HeldMaterials

    t = np.arange(RATE) / RATE
    one = taken(0.2 * np.cos(2 * np.pi * 440 * t), 440.0)
    document = spectral([440.0], {}, motion="still", position=50).model_dump(mode="json")
    below = {"id": "l2", "name": "Sine", "kind": "wave", "settings": {
        "attack": 0.5, "sustain": 100, "link": "phase", "link_amount": 1.0, "level": -60}}  # fmt: skip
    document["layers"].append(below)
    engine = Engine(compile_program(parse_instrument(document), HeldMaterials(spectra=(one,))))
    sound = engine.render(RATE, [Event("on", 1, 69.0, 1.0)])[:, 0] / UNIT
    found = 10 ** (levels(sound, [440.0, 880.0, 1320.0]) / 20) / 0.2
    # a carrier and a modulator of one frequency: sidebands reflected at 0 Hz add up
    wanted = [
        abs(jv(0, 1.0) + jv(2, 1.0)),
        abs(jv(1, 1.0) + jv(3, 1.0)),
        abs(jv(2, 1.0) - jv(4, 1.0)),
    ]
    assert found[0] == pytest.approx(wanted[0], rel=0.35)
    assert found[1] == pytest.approx(wanted[1], rel=0.1)
