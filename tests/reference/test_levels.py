"""Loudness and peaks against ITU-R BS.1770-4, EBU Tech 3341 and pyloudnorm."""

from __future__ import annotations

import math

import numpy as np
import pyloudnorm
import pytest
import soxr

from innerbloom.core.sound.levels import LevelMeter

SECONDS = 20


def measured(samples: np.ndarray, rate: int = 48_000) -> LevelMeter:
    shaped = samples[:, None] if samples.ndim == 1 else samples
    meter = LevelMeter(rate, shaped.shape[1])
    for at in range(0, len(shaped), 50_000):
        meter.feed(shaped[at : at + 50_000].astype(np.float32))
    return meter


def tone(hz: float, level_db: float, rate: int = 48_000, seconds: float = SECONDS) -> np.ndarray:
    t = np.arange(round(seconds * rate)) / rate
    return 10 ** (level_db / 20) * np.sin(2 * np.pi * hz * t)


def test_997_hz_at_full_scale_in_one_channel():
    """ITU-R BS.1770-4 Annex 1: -3.01 LKFS."""
    assert measured(tone(997, 0)).integrated_lufs() == pytest.approx(-3.01, abs=0.02)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_1_khz_stereo_at_minus_23(rate):
    """EBU Tech 3341 case 1: -23.0 +/- 0.1 LUFS; holds at other rates too."""
    stereo = np.repeat(tone(1_000, -23, rate)[:, None], 2, axis=1)
    assert measured(stereo, rate).integrated_lufs() == pytest.approx(-23.0, abs=0.1)


def test_the_relative_gate():
    """EBU Tech 3341 case 3: -36, -23, -36 dBFS for 10, 60, 10 s reads -23.0 +/- 0.1 LUFS."""
    parts = [tone(1_000, level, seconds=s) for level, s in ((-36, 10), (-23, 60), (-36, 10))]
    stereo = np.repeat(np.concatenate(parts)[:, None], 2, axis=1)
    assert measured(stereo).integrated_lufs() == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_noise_agrees_with_pyloudnorm(rate, channels):
    """pyloudnorm with the De Man coefficients; its blocks start at rounded times."""
    rng = np.random.default_rng(3)
    swell = 0.02 + 0.2 * np.sin(np.linspace(0, 9, 8 * rate))[:, None] ** 2
    samples = rng.normal(0, 1, (8 * rate, channels)) * swell
    reference = pyloudnorm.Meter(rate, filter_class="DeMan").integrated_loudness(samples)
    assert measured(samples, rate).integrated_lufs() == pytest.approx(reference, abs=0.03)


@pytest.mark.parametrize("seconds", [0.05, 0.1, 0.25, 0.399])
def test_a_sound_too_short_for_the_gate_has_its_highest_momentary_loudness(seconds):
    """A 997 Hz sine at 0 dBFS reads -3.01 LUFS (ITU-R BS.1770-4); a momentary meter sees its
    energy within a window of 400 ms (EBU Tech 3341), the rest of which is silence."""
    found = measured(tone(997, 0, seconds=seconds))
    assert found.integrated_lufs() == -math.inf
    expected = -3.01 + 10 * math.log10(seconds / 0.4)
    assert found.momentary_lufs() == pytest.approx(expected, abs=0.15)


def test_longer_sounds_and_silence_have_no_momentary_figure():
    assert measured(tone(997, 0, seconds=0.5)).momentary_lufs() == -math.inf
    assert measured(np.zeros(4_800)).momentary_lufs() == -math.inf


def test_silence_and_moments_have_no_loudness():
    assert measured(np.zeros(48_000)).integrated_lufs() == -math.inf
    assert measured(tone(1_000, -6, seconds=0.3)).integrated_lufs() == -math.inf
    assert measured(np.zeros(48_000)).true_peak_dbtp == -math.inf


def test_half_is_6_db_down():
    """AES17: a factor of 0.5 is -6.0206 dB."""
    assert measured(np.full(1_000, 0.5)).sample_peak_dbfs == pytest.approx(-6.0206, abs=1e-4)


@pytest.mark.parametrize("phase", [0.25, 0.5, 0.785])
def test_true_peak_between_samples(phase):
    """BS.1770-4 Annex 2: a quarter-rate sine's peaks lie between samples; within +0.2/-0.4 dB."""
    t = np.arange(48_000)
    sine = np.sin(np.pi / 2 * t + phase) * np.hanning(len(t)) ** 0.1
    assert measured(sine).true_peak_dbtp == pytest.approx(0.0, abs=0.3)


def test_true_peak_of_noise_agrees_with_resampling():
    """soxr at very high quality to 8 times the rate."""
    noise = 0.2 * np.random.default_rng(8).standard_normal(48_000)
    band_limited = soxr.resample(soxr.resample(noise, 48_000, 36_000), 36_000, 48_000)
    reference = 20 * np.log10(np.abs(soxr.resample(band_limited, 1, 8, quality="VHQ")).max())
    assert measured(band_limited).true_peak_dbtp == pytest.approx(reference, abs=0.3)


def test_noise_floor_is_the_level_of_quiet_moments():
    rng = np.random.default_rng(1)
    floor = 10 ** (-62 / 20) * rng.standard_normal(48_000 * 10)
    floor[48_000 : 48_000 * 7] += tone(300, -12, seconds=6)
    assert measured(floor).noise_floor_dbfs() == pytest.approx(-62, abs=1)
