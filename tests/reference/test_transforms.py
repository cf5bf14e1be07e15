"""Transforms and filters within kernels, against scipy.fft, numpy and scipy.signal."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.fft
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.dsp.fft import forward, inverse, scratch_for, transform_of
from innerbloom.core.dsp.fir import add_fir
from innerbloom.core.dsp.oversampling import LATENCY, LINE, TIMES, downsample, upsample
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.dsp.windowed_sinc import lowpass_taps

LENGTHS = tuple(2**n for n in range(5, 17))


def spectrum_of(block: np.ndarray) -> np.ndarray:
    real, imag = np.empty((2, len(block) // 2 + 1), np.float32)
    forward(real, imag, block, transform_of(len(block)), scratch_for(len(block)))
    return real + 1j * imag


def block_of(spectrum: np.ndarray) -> np.ndarray:
    frames = 2 * (len(spectrum) - 1)
    real, imag = (np.ascontiguousarray(p, np.float32) for p in (spectrum.real, spectrum.imag))
    block = np.empty(frames, np.float32)
    inverse(block, real, imag, transform_of(frames), scratch_for(frames))
    return block


def noise(frames: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(frames).astype(np.float32)


@pytest.mark.parametrize("frames", LENGTHS)
def test_a_spectrum_is_scipys(frames):
    block = noise(frames)
    expected = scipy.fft.rfft(block.astype(np.float64))
    # single precision: the error grows with the number of passes (Van Loan 1992, section 1.9)
    assert np.abs(spectrum_of(block) - expected).max() < 4e-7 * np.abs(expected).max()


@pytest.mark.parametrize("frames", LENGTHS)
def test_a_block_is_scipys(frames):
    spectrum = np.fft.rfft(noise(frames, 2)).astype(np.complex64)
    expected = scipy.fft.irfft(spectrum.astype(np.complex128))
    assert np.abs(block_of(spectrum) - expected).max() < 2e-6


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(LENGTHS[:6]), st.integers(0, 2**32 - 1), st.floats(1e-6, 1e4))
def test_what_is_taken_apart_comes_back_as_it_was(frames, seed, level):
    block = np.float32(level) * noise(frames, seed)
    assert np.abs(block_of(spectrum_of(block)) - block).max() <= 2e-6 * np.abs(block).max()


@pytest.mark.parametrize("place", [0, 1, 5, 31])
def test_an_impulse_has_all_frequencies_alike(place):
    block = np.zeros(64, np.float32)
    block[place] = 1.0
    # the definition of the transform
    turns = np.exp(-2j * np.pi * place * np.arange(33) / 64)
    assert np.abs(spectrum_of(block) - turns).max() < 3e-7


@pytest.mark.parametrize("frames", [0, 16, 48, 100, 4095])
def test_other_lengths_are_refused(frames):
    with pytest.raises(ValueError, match="no power of two"):
        transform_of(frames)


@given(count=st.integers(3, 400), cutoff=st.floats(0.02, 0.98), beta=st.floats(0.0, 14.0))
def test_a_low_pass_by_a_window_is_scipys(count, cutoff, beta):
    theirs = scipy.signal.firwin(count, cutoff, window=("kaiser", beta))
    np.testing.assert_allclose(lowpass_taps(count, cutoff, beta), theirs, rtol=1e-9, atol=1e-12)


@pytest.mark.parametrize("count", [4, 32, 256])
def test_a_finite_filter_is_scipys(count):
    taps, line, out = noise(count, 3), noise(count - 1 + 100, 4), np.ones(100, np.float32)
    add_fir(out, line, np.ascontiguousarray(taps[::-1]))
    expected = 1.0 + scipy.signal.lfilter(taps.astype(np.float64), 1.0, line)[count - 1 :]
    assert np.abs(out - expected).max() < 1e-6 * np.abs(taps).sum() * np.abs(line).max()


def there_and_back(x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A channel at four times the rate, and at its own again."""
    line, lines = np.zeros(LINE, np.float32), np.zeros((TIMES, LINE), np.float32)
    rows, fine = np.zeros((TIMES, TICK), np.float32), np.zeros(TIMES * TICK, np.float32)
    up, back = [], []
    for at in range(0, len(x), TICK):
        stereo = np.repeat(x[at : at + TICK], 2)
        upsample(fine, line, rows, stereo)
        up.append(fine.copy())
        downsample(stereo, lines, rows[0], fine)
        back.append(stereo[::2].copy())
    return np.concatenate(up), np.concatenate(back)


@pytest.mark.parametrize("place", [5, 43, 384, 725])
def test_a_tone_is_the_same_tone_at_four_times_the_rate_and_back(place):
    hz = place * TIMES * 48_000 / 8_192
    at = np.arange(64 * TICK) / 48_000
    up, back = there_and_back((0.5 * np.sin(2 * np.pi * hz * at)).astype(np.float32))
    spectrum = np.abs(np.fft.rfft(up[-8_192:] * np.blackman(8_192)))
    others = np.delete(spectrum, range(max(0, place - 3), place + 4))
    assert 20 * np.log10(others.max() / spectrum.max()) < -90
    # both filters are symmetric: each is late by half its length less one
    late = (LATENCY - 1 / TIMES) / 48_000
    expected = 0.5 * np.sin(2 * np.pi * hz * (at - late))
    assert np.abs(back - expected)[1_000:].max() < 0.006  # 0.1 dB
