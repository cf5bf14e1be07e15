"""Clicks, clipping and an equaliser, against what they are made of and against other designs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import sosfreqz

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.process.equalise import Band, equalise, response_db
from innerbloom.core.process.interpolate import interpolate
from innerbloom.core.process.repair import find_clicks, remove_clicks, repair_clipping
from tests.conftest import harmonic_tone
from tests.sounds import RATE, vowel

KITS = Path("/usr/share/hydrogen/data/drumkits")
RNG = np.random.default_rng(1986)


def sdr_db(wanted, got):
    """Signal to distortion ratio."""
    return 10 * np.log10(np.sum(wanted**2) / max(np.sum((wanted - got) ** 2), 1e-20))


def measured_db(bands, hz):
    impulse = np.zeros((2 * RATE, 1), np.float32)
    impulse[10] = 1.0
    spectrum = np.abs(np.fft.rfft(equalise(impulse, RATE, bands)[:, 0]))
    return 20 * np.log10(np.interp(hz, np.fft.rfftfreq(2 * RATE, 1 / RATE), spectrum))


# -- equaliser -------------------------------------------------------------------

BANDS = st.builds(
    Band,
    st.sampled_from(["low shelf", "bell", "high shelf"]),
    st.floats(60, 16_000),
    st.floats(-24, 24),
    st.floats(0.3, 6),
)


@settings(deadline=None, max_examples=20)
@given(st.lists(BANDS, min_size=1, max_size=5))
def test_the_response_is_that_of_the_analogue_prototypes(bands):
    """W3C Audio EQ Cookbook: to 20 kHz at 48 kHz, where digital biquads are cramped."""
    hz = np.geomspace(30, 20_000, 60)
    wanted = response_db(bands, hz)
    heard = wanted > wanted.max() - 60
    assert np.abs(measured_db(bands, hz) - wanted)[heard].max() < 0.2


def cookbook_biquad(hz, gain_db, q):
    """The cookbook's digital bell, in its own words."""
    a, w0 = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE
    alpha = np.sin(w0) / (2 * q)
    b = [1 + alpha * a, -2 * np.cos(w0), 1 - alpha * a]
    den = [1 + alpha / a, -2 * np.cos(w0), 1 - alpha / a]
    return np.array([[*b, *den]]) / den[0]


@pytest.mark.parametrize(("hz", "gain", "q"), [(200, 9, 1), (500, -12, 3), (100, 6, 0.7)])
def test_where_nothing_is_cramped_a_bell_is_the_cookbooks_biquad(hz, gain, q):
    at = np.geomspace(40, 1_500, 40)
    _, wanted = sosfreqz(cookbook_biquad(hz, gain, q), at, fs=RATE)
    got = measured_db([Band("bell", hz, gain, q)], at)
    assert np.abs(got - 20 * np.log10(np.abs(wanted))).max() < 0.1


def test_a_shelf_has_half_its_gain_where_it_stands_and_all_of_it_beyond():
    shelf = Band("high shelf", 2_000, 12)
    got = measured_db([shelf], np.array([50.0, 2_000.0, 20_000.0]))
    assert got == pytest.approx([0.0, 6.0, 12.0], abs=0.15)


def test_what_is_raised_and_lowered_again_is_the_sound_it_was():
    sound = np.stack((vowel(140.0, 1.0), harmonic_tone(220.0, 1.0)), axis=1).astype(np.float32)
    there = equalise(sound, RATE, [Band("bell", 1_000, 9, 2), Band("low shelf", 100, -6)])
    back = equalise(there, RATE, [Band("bell", 1_000, -9, 2), Band("low shelf", 100, 6)])
    assert sdr_db(sound, back) > 60
    assert sdr_db(sound, there) < 20


def test_an_offset_starts_without_a_click_and_a_flat_one_changes_nothing():
    sound = np.full((RATE, 1), 0.25, np.float32)
    assert np.ptp(equalise(sound, RATE, [Band("low shelf", 200, 6)])) < 1e-5
    noise = RNG.standard_normal((1_000, 2)).astype(np.float32)
    assert np.array_equal(equalise(noise, RATE, [Band("bell", 500, 0.0)]), noise)


# -- missing samples ---------------------------------------------------------------


@pytest.mark.parametrize("gap", [16, 64, 192])
def test_missing_samples_of_sinusoids_are_found_again(gap):
    """Two coefficients predict a sinusoid wholly: 20 partials need 40."""
    x = harmonic_tone(220.0, 0.3)[2_000:6_800].astype(np.float64)
    missing = np.zeros(len(x), bool)
    missing[2_000 : 2_000 + gap] = True
    got = interpolate(np.where(missing, 0.0, x), missing, order=256)
    assert np.array_equal(got[~missing], x[~missing])
    assert sdr_db(x[missing], got[missing]) > 60


@pytest.mark.parametrize(("gap", "least"), [(16, 40), (64, 18)])
def test_missing_samples_of_a_voice_are_found_again(gap, least):
    """Janssen et al. 1986 fill gaps of 16 samples in speech; the usual one of eleven places."""
    x = vowel(140.0, 0.3)[2_000:6_800].astype(np.float64)
    found = []
    for at in range(1_500, 3_000, 137):
        missing = np.zeros(len(x), bool)
        missing[at : at + gap] = True
        got = interpolate(np.where(missing, 0.0, x), missing, order=120)
        found.append(sdr_db(x[missing], got[missing]))
    assert np.median(found) > least


# -- clicks --------------------------------------------------------------------------


def clicked(sound, count, rng):
    """Bursts of 1 to 20 samples, 6 to 30 dB over the sound's own deviation; and where they lie."""
    damaged, where = sound.astype(np.float64), np.zeros(len(sound), bool)
    for at in np.linspace(2_000, len(sound) - 2_000, count).astype(int):
        at += rng.integers(-500, 500)
        width = rng.integers(1, 20)
        level = sound.std() * 10 ** (rng.uniform(6, 30) / 20)
        damaged[at : at + width] += level * rng.standard_normal(width).clip(-2, 2)
        where[at : at + width] = True
    return damaged, where


SOURCES = {
    "voice": lambda: vowel(140.0, 2.0),
    "tone": lambda: 0.3 * harmonic_tone(220.0, 2.0) + 0.001 * RNG.standard_normal(2 * RATE),
    "noise": lambda: (
        np.cumsum(0.02 * RNG.standard_normal(2 * RATE)) * 0.0
        + np.convolve(RNG.standard_normal(2 * RATE), np.hanning(24) / 12, "same") * 0.1
    ),
}


@pytest.mark.parametrize("name", SOURCES)
def test_clicks_are_taken_out_and_the_rest_stays(name):
    """Godsill & Rayner 1998, ch. 5: 40 clicks; at least 12 dB nearer to the sound without them."""
    sound = SOURCES[name]().astype(np.float32)
    damaged, where = clicked(sound, 40, np.random.default_rng(3))
    got = remove_clicks(damaged[:, None].astype(np.float32), RATE, threshold=16, longest_ms=1)[:, 0]
    assert sdr_db(sound, got) > sdr_db(sound, damaged) + 12
    # what no click is near to is bit by bit as it was
    changed = got != damaged.astype(np.float32)
    near = np.convolve(where, np.ones(61), "same") > 0
    assert np.mean(changed[~near]) < 3e-3


@pytest.mark.parametrize("name", SOURCES)
def test_a_sound_without_clicks_is_left_alone(name):
    sound = SOURCES[name]().astype(np.float32)[:, None]
    got = remove_clicks(sound, RATE, threshold=16, longest_ms=1)
    assert sdr_db(sound, got) > 60


def test_a_strike_of_a_real_drum_is_no_click():
    if not (KITS / "Gimme A Hand 1.0").is_dir():
        pytest.skip("the package hydrogen-drumkits is not installed")
    kept = []
    for path in sorted((KITS / "Gimme A Hand 1.0").glob("*.wav")):
        samples, rate = sf.read(path, dtype="float32", always_2d=True)
        mono = one_channel(samples)[:, None]
        kept.append(sdr_db(mono, remove_clicks(mono, rate, threshold=16, longest_ms=1)))
    assert len(kept) > 40
    assert np.median(kept) > 40
    assert np.percentile(kept, 10) > 15


@pytest.mark.parametrize("sound", [np.zeros(20), np.zeros(9_000), np.ones(5_000)])
def test_what_holds_nothing_to_find_comes_back(sound):
    samples = sound.astype(np.float32)[:, None]
    assert np.array_equal(remove_clicks(samples, RATE, threshold=16, longest_ms=1), samples)
    assert np.array_equal(repair_clipping(samples, RATE), samples)
    assert not find_clicks(sound, RATE, threshold=16, longest=48).any()


# -- clipping --------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "lost_db", "least"),
    [("voice", 2, 12), ("voice", 4, 12), ("voice", 6, 12), ("tone", 2, 12), ("tone", 4, 4), ("tone", 6, 1)],
)  # fmt: skip
def test_clipped_peaks_rise_again(name, lost_db, least):
    """Nearer to the sound by so many dB. From memory: surveys of declipping report 5 to 15 dB for
    autoregressive methods; a tone that is cut for 40 % of its time holds too little to go by."""
    sound = SOURCES[name]()
    sound /= np.abs(sound).max()
    level = 10 ** (-lost_db / 20)
    clipped = np.clip(sound, -level, level).astype(np.float32)
    got = repair_clipping(clipped[:, None], RATE)[:, 0]
    assert sdr_db(sound, got) > sdr_db(sound, clipped) + least
    assert np.abs(got).max() > 1.02 * level
    inside = np.abs(clipped) < 0.99 * level
    assert np.array_equal(got[inside], clipped[inside])


@pytest.mark.parametrize("hz", [20.0, 100.0, 1_000.0, 9_000.0])
def test_a_peak_that_was_not_cut_off_stays(hz):
    sine = (0.9 * np.sin(2 * np.pi * hz * np.arange(RATE) / RATE)).astype(np.float32)[:, None]
    assert np.array_equal(repair_clipping(sine, RATE), sine)


@settings(max_examples=15, deadline=None)
@given(st.floats(0.97, 0.999), st.floats(30.0, 2_000.0))
def test_only_what_reaches_the_highest_sample_is_cut_off(share, hz):
    """A sine as loud as any share of a cut one keeps its round tops."""
    at = np.arange(RATE // 4) / RATE
    cut = np.clip(1.3 * np.sin(2 * np.pi * 50.0 * at), -1.0, 1.0)
    round_ = share * np.sin(2 * np.pi * hz * at) + 1e-4 * RNG.standard_normal(len(at))
    sound = np.concatenate((cut, np.zeros(RATE // 4), round_)).astype(np.float32)[:, None]
    got = repair_clipping(sound, RATE)
    assert np.array_equal(got[RATE // 2 :], sound[RATE // 2 :])
