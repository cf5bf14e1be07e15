"""The limiter against what a transparent one has to do.

True peak is measured as ITU-R BS.1770-5, annex 2, says, by oversampling: here with SciPy's
resampler, 16 times. The rest is *common practice* for look-ahead limiters, as described in
Giannoulis, Massberg, Reiss: Digital Dynamic Range Compressor Design (JAES 60/6, 2012).
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import resample_poly

from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.engine.limiter import Limiter

CEILING = 10 ** (-1 / 20)


def limited(sound: np.ndarray, ceiling_db: float = -1.0) -> np.ndarray:
    """What comes out, brought back in time; shape (frames, 2)."""
    stereo = sound if sound.ndim == 2 else np.repeat(sound[:, None], 2, axis=1)
    limiter = Limiter(ceiling_db)
    padded = np.zeros((-(-(len(stereo) + limiter.latency) // TICK) * TICK, 2), np.float32)
    padded[: len(stereo)] = stereo
    limiter.process(padded)
    return padded[limiter.latency : limiter.latency + len(stereo)]


def true_peak(sound: np.ndarray) -> float:
    return float(np.abs(resample_poly(sound.astype(float), 16, 1, axis=0)).max())


def tone(hz: float, level_db: float, seconds: float = 2.0) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return (10 ** (level_db / 20) * np.sin(2 * np.pi * hz * t)).astype(np.float32)


@pytest.mark.parametrize("hz", [60.0, 110.0, 1_000.0])
def test_a_tone_6_db_over_comes_out_without_distortion(hz):
    """Total harmonic distortion below 0.5 %, as IEC 60268-3 reckons it: the harmonics' rms to
    that of the fundamental, over whole periods."""
    out = limited(tone(hz, 5.0))[-RATE:, 0]
    spectrum = np.abs(np.fft.rfft(out.astype(float)))
    fundamental = round(hz)
    harmonics = spectrum[2 * fundamental :: fundamental]
    assert np.sqrt((harmonics**2).sum()) / spectrum[fundamental] < 0.005
    assert 20 * np.log10(np.abs(out).max()) == pytest.approx(-1.3, abs=0.1)


LOUD = {
    "noise": lambda random: random.normal(0, 0.8, (RATE, 2)),
    "clicks": lambda random: np.where(random.random((RATE, 2)) < 0.001, 8.0, 0.0),
    "square": lambda random: 2.5 * np.sign(np.sin(np.arange(RATE)[:, None] * [0.05, 0.07])),
    # peaks that lie between samples: a quarter of the rate, 45 degrees off
    "between": lambda random: 1.6 * np.sin(np.pi / 2 * np.arange(RATE)[:, None] + [0.785, 0.785]),
    "one side": lambda random: random.normal(0, 0.8, (RATE, 1)) * [1.0, 0.0],
}


@pytest.mark.parametrize("kind", LOUD)
@pytest.mark.parametrize("ceiling_db", [-1.0, -6.0])
def test_true_peaks_stay_below_the_ceiling(kind, ceiling_db):
    sound = LOUD[kind](np.random.default_rng(11)).astype(np.float32)
    assert true_peak(limited(sound, ceiling_db)) < 10 ** (ceiling_db / 20)


def test_what_lies_below_the_ceiling_passes_bit_by_bit():
    sound = np.random.default_rng(2).normal(0, 0.12, (RATE, 2)).astype(np.float32)
    assert true_peak(sound) < 0.9 * CEILING
    np.testing.assert_array_equal(limited(sound), sound)


def test_gain_never_steps_by_more_than_a_tenth_of_a_db():
    """Measured on a slow tone that a click interrupts, where the tone is not near zero."""
    sound = np.full((RATE, 2), 0.5, np.float32)
    sound[RATE // 2 : RATE // 2 + 3] = 6.0
    sound[3 * RATE // 4 :: 700] = 2.0
    out = limited(sound)
    steady = np.abs(sound[:, 0] - 0.5) < 1e-6
    gains_db = 20 * np.log10(out[:, 0] / sound[:, 0])
    both = steady[1:] & steady[:-1]
    assert np.abs(np.diff(gains_db))[both].max() <= 0.1
    assert gains_db.min() < -10


def test_gain_is_down_before_a_peak_comes_and_comes_back_after_it():
    """Look-ahead of at least 1.5 ms; a lone peak, 13 dB over, is soon let go of."""
    sound = np.full((4 * RATE, 2), 0.2, np.float32)
    sound[RATE // 2] = 4.0
    gains = limited(sound)[:, 0] / sound[:, 0]
    assert Limiter().latency >= 0.001_5 * RATE
    assert gains[RATE // 2 - round(0.001 * RATE)] < 0.9
    assert gains[RATE // 2 + round(0.2 * RATE)] > 0.7
    assert gains[-1] == 1.0
    assert gains[RATE // 2 - Limiter.latency - TICK] == 1.0


def test_both_channels_are_held_down_alike():
    """So that nothing moves from its place."""
    random = np.random.default_rng(4).normal(0, 1, (RATE, 1)).astype(np.float32)
    sound = random * np.array([1.5, 0.3], np.float32)
    out = limited(sound)
    loud = np.abs(sound[:, 1]) > 0.05
    np.testing.assert_allclose(out[loud, 0] / out[loud, 1], 5.0, rtol=1e-4)


@settings(max_examples=40)
@given(st.lists(st.integers(1, 12), min_size=1, max_size=20), st.floats(0.0, 30.0))
def test_cutting_changes_nothing_and_nothing_ever_passes_the_ceiling(cuts, level_db):
    count = sum(cuts) * TICK
    random = np.random.default_rng(count)
    sound = (10 ** (level_db / 20) * random.normal(0, 0.3, (count, 2))).astype(np.float32)
    whole, pieces = sound.copy(), sound.copy()
    Limiter().process(whole)
    limiter, at = Limiter(), 0
    for cut in cuts:
        limiter.process(pieces[at * TICK : (at + cut) * TICK])
        at += cut
    np.testing.assert_array_equal(pieces, whole)
    assert np.abs(whole).max() <= CEILING


def test_the_reduction_is_the_most_since_it_was_last_asked_for():
    limiter = Limiter()
    risen = np.hanning(64 * TICK)[:, None].repeat(2, axis=1)
    limiter.process((2.0 * risen).astype(np.float32))
    assert limiter.reduction_db() == pytest.approx(-7.0, abs=0.5)
    limiter.process(np.zeros((4 * RATE // TICK * TICK, 2), np.float32))
    limiter.reduction_db()
    limiter.process(np.zeros((8 * TICK, 2), np.float32))
    assert limiter.reduction_db() == 0.0
    assert not limiter.ringing()
