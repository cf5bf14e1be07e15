"""Equaliser, filter, crossover and phase: against analogue prototypes, SciPy and closed forms."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from scipy.signal import butter, freqs, iirfilter, sosfreqz

from innerbloom.core.dsp.rates import RATE
from innerbloom.core.process.equalise import Band
from innerbloom.core.process.equalise import response_db as prototype_db
from tests.streams import impulse, noise, response_db, through, tone

HZ = np.geomspace(25, 18_000, 90)


@pytest.mark.parametrize("shape", ["bell", "low shelf", "high shelf"])
def test_bands_have_the_response_of_their_analogue_prototype_up_to_18_khz(shape):
    """W3C Audio EQ Cookbook (R. Bristow-Johnson): its analogue prototypes, nowhere cramped."""
    qs = (0.4, 0.71, 2.0, 8.0) if shape == "bell" else (0.71,)
    for hz, gain, q in itertools.product((60, 900, 6_000, 12_000, 17_000), (-18, -4, 9, 24), qs):
        settings = {"shape_1": "off", "shape_3": shape, "hz_3": hz, "gain_3": gain, "q_3": q}
        sound = through("equaliser", impulse(0.7), **settings)[:, 0]
        wanted = prototype_db([Band(shape, hz, gain, q)], HZ)
        np.testing.assert_allclose(response_db(sound, HZ), wanted, atol=0.5, err_msg=f"{hz} {gain}")


@pytest.mark.parametrize(("shape", "btype"), [("low cut", "highpass"), ("high cut", "lowpass")])
def test_cuts_are_butterworth_filters_of_second_order(shape, btype):
    """SciPy's analogue Butterworth filter; 18 kHz is a third of an octave below half the rate."""
    for hz in (40, 500, 5_000, 10_000):
        settings = {"shape_1": shape, "hz_1": hz, "q_1": 2**-0.5}
        sound = through("equaliser", impulse(0.5), **settings)[:, 0]
        b, a = iirfilter(2, 2 * np.pi * hz, btype=btype, analog=True)
        wanted = 20 * np.log10(np.abs(freqs(b, a, 2 * np.pi * HZ)[1]))
        heard = wanted > -40
        np.testing.assert_allclose(response_db(sound, HZ)[heard], wanted[heard], atol=0.5)


def test_eight_bands_add_up():
    bands = {f"shape_{n}": "bell" for n in range(1, 9)}
    for n in range(1, 9):
        bands |= {f"hz_{n}": 60 * 2**n, f"gain_{n}": (-1) ** n * 5, f"q_{n}": 1.4}
    sound = through("equaliser", impulse(0.5), **bands)[:, 0]
    wanted = prototype_db([Band("bell", 60 * 2**n, (-1) ** n * 5, 1.4) for n in range(1, 9)], HZ)
    np.testing.assert_allclose(response_db(sound, HZ), wanted, atol=0.5)


def test_an_equaliser_with_nothing_to_do_changes_not_one_sample():
    settings = {f"shape_{n}": "off" for n in range(1, 9)}
    sound = noise(0.2)
    np.testing.assert_array_equal(through("equaliser", sound, **settings), sound)


def test_three_bands_that_do_nothing_add_up_flat():
    """S. H. Linkwitz 1976: low and high of fourth order add up to an all-pass."""
    for low, high in ((120, 2_500), (60, 1_000), (1_000, 1_000), (300, 12_000)):
        sound = through("bands", impulse(0.5), split_low=low, split_high=high, mix=0)[:, 0]
        assert np.abs(response_db(sound, HZ)).max() < 0.1


def test_the_outer_bands_are_linkwitz_riley_filters_of_fourth_order():
    """Two Butterworth filters of SciPy one after another; the upper split is out of the way."""
    plain = through("bands", impulse(0.5), mix=0, split_low=300, split_high=12_000)[:, 0]
    less = through("bands", impulse(0.5), mix=0, split_low=300, split_high=12_000, low_gain=-24)
    low = (plain - less[:, 0]) / (1 - 10 ** (-24 / 20))
    hz = np.geomspace(40, 2_000, 40)
    _, half = sosfreqz(butter(2, 300, fs=RATE, output="sos"), hz, fs=RATE)
    np.testing.assert_allclose(response_db(low, hz), 40 * np.log10(np.abs(half)), atol=0.1)


def test_ring_modulation_makes_sum_and_difference_and_shift_only_one():
    """Trigonometry: cos a cos b is half of cos (a - b) and half of cos (a + b)."""
    sound = tone(1_000, 2.0)
    for does, wanted in (("ring", {700: -6.0, 1_300: -6.0}), ("shift", {1_300: 0.0})):
        made = through("shift", sound, does=does, shift=300)[RATE:, 0]
        spectrum = 2 * np.abs(np.fft.rfft(made)) / len(made) / 0.25
        for hz, level in wanted.items():
            assert 20 * np.log10(spectrum[hz]) == pytest.approx(level, abs=0.1)
        others = np.delete(spectrum, list(wanted))
        assert 20 * np.log10(others.max()) < -55, does


def test_a_phaser_has_a_notch_for_every_two_stages():
    """J. O. Smith 1984: a notch wherever the all-passes have turned by an odd number of half
    turns; between 0 and the full turn of n sections of first order there are n / 2."""
    for stages in (2, 4, 8):
        settings = {"stages": stages, "depth": 0, "feedback": 0, "mix": 50, "apart": 0}
        sound = through("phaser", impulse(0.3), **settings)[:, 0]
        level = response_db(sound, np.geomspace(30, 20_000, 4_000))
        dips = (level[1:-1] < level[:-2]) & (level[1:-1] < level[2:]) & (level[1:-1] < -20)
        assert int(dips.sum()) == stages // 2


@pytest.mark.parametrize("kind", ["filter", "stereo", "bitcrush", "chorus", "phaser", "shift"])
def test_without_mix_or_with_neutral_settings_the_stream_passes(kind):
    neutral = {"stereo": {}, "shift": {"mix": 0}}.get(kind, {"mix": 0})
    sound = noise(0.2)
    np.testing.assert_allclose(through(kind, sound, **neutral), sound, atol=1e-6)


def test_stereo_keeps_power_when_it_turns_and_makes_lows_one_channel():
    sound = np.stack([tone(60, 1.0)[:, 0], np.zeros(RATE, np.float32)], axis=1)
    turned = through("stereo", sound, rotate=90)
    assert (turned**2).sum() == pytest.approx((sound**2).sum(), rel=1e-3)
    low = through("stereo", sound, mono_below=500)[RATE // 2 :]
    apart = (low[:, 0] - low[:, 1]).std() / low.std()
    assert 20 * np.log10(apart) < -25
    one = through("stereo", noise(0.5), width=0)
    np.testing.assert_allclose(one[:, 0], one[:, 1], atol=1e-7)
