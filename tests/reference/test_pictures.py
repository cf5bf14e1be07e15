"""The pictures of a sound: levels, frequencies and times where they belong, at every zoom."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.analysis import spectrogram as sg
from innerbloom.core.analysis.likeness import likeness_words
from innerbloom.core.analysis.pictures import WAVE_COLUMNS, Sounding, spectrum_tile, wave_tile
from innerbloom.core.analysis.timbre import (
    TimbreCollector,
    brightness_octaves,
    likeness,
    timbre,
    timbre_distance,
)
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.peaks import PeakCollector
from tests.sounds import RATE, shaped

RNG = np.random.default_rng(31)


def sounding(samples: np.ndarray, rate: int = RATE) -> Sounding:
    """A sound with everything that is stored of it on import."""
    samples = shaped(samples)
    peaks, spectrum = PeakCollector(), sg.BaseCollector(len(samples), rate)
    for at in range(0, len(samples), 20_000):
        peaks.feed(samples[at : at + 20_000])
        spectrum.feed(samples[at : at + 20_000])
    return Sounding(
        len(samples), rate, lambda first, count: samples[first : first + count], peaks.pairs(),
        sg.pyramid(spectrum.columns()),
    )  # fmt: skip


def level_db(byte: float) -> float:
    return sg.FLOOR_DB + sg.STEP_DB * byte


T = np.arange(6 * RATE) / RATE
LEVELS = [4, 7, 9, 11, 13, 15]


@pytest.mark.parametrize("axis", sg.AXES)
@pytest.mark.parametrize("hz", [60.0, 441.0, 3_000.0, 11_000.0])
def test_a_full_scale_sine_reads_zero_db_at_its_frequency(hz, axis):
    """Scalloping of a Hann window is 1.42 dB at most (Harris 1978, table I)."""
    picture = sounding(np.sin(2 * np.pi * hz * T))
    rows = sg.row_hz(RATE, axis)
    for level in LEVELS:
        columns = spectrum_tile(picture, axis, level, 0)
        column = columns[len(columns) // 2]
        assert -1.6 - (axis == "log" and hz < 100) <= level_db(column.max()) <= 0.3
        bin_hz = RATE / sg.window_length(level)
        spacing = np.diff(rows)[column.argmax() - 1] + bin_hz
        assert abs(rows[column.argmax()] - hz) <= spacing


def test_levels_agree_with_scipy():
    """White noise: the mean power in the rows of scipy.signal.spectrogram, within a decibel."""
    noise = 0.1 * RNG.standard_normal(6 * RATE)
    columns = spectrum_tile(sounding(noise), "linear", 10, 0).astype(float)
    ours = 10 * np.log10(np.mean(10 ** (level_db(columns[4:-4]) / 10), axis=0))
    length = sg.window_length(10)
    window = scipy.signal.get_window("hann", length)
    _, _, power = scipy.signal.spectrogram(noise, RATE, window, length, length // 2,
                                           detrend=False, scaling="spectrum", mode="psd")  # fmt: skip
    # a one-sided power spectrum of a full-scale sine reads 1/2; rows keep the strongest of 16 bins,
    # whose mean over an exponential distribution is the 16th harmonic number
    each = power[8:-8].mean() * 2
    strongest = 10 * np.log10(each * np.sum(1 / np.arange(1, 17)))
    assert np.median(ours[8:-8]) == pytest.approx(strongest, abs=1.0)


def test_a_moment_stays_where_it_is_at_every_zoom():
    """A click in a quiet second: the loudest column is the one that holds it."""
    samples = 1e-4 * RNG.standard_normal(6 * RATE)
    place = 4 * RATE + 1_234
    samples[place] = 1.0
    picture = sounding(samples)
    for level in LEVELS:
        span = sg.COLUMNS << level
        columns = spectrum_tile(picture, "linear", level, place // span)
        energy = columns.astype(float)[:, 40:].sum(axis=1)
        found = (place // span) * span + int(energy.argmax()) * 2**level
        assert abs(found - place) <= max(2**level, sg.window_length(level) // 2)
        span = WAVE_COLUMNS << level
        pairs = wave_tile(picture, level, place // span)
        assert (place % span) >> level == int(pairs[:, 1].argmax())


@given(st.integers(0, 12), st.integers(1, 40_000))
def test_wave_tiles_cover_the_sound_and_no_more(level, frames):
    """Property: all tiles of a level together hold every frame once, extremes exactly."""
    samples = np.random.default_rng(frames).uniform(-1, 1, frames)
    picture = sounding(samples)
    pairs = []
    for index in range(-(-frames // (WAVE_COLUMNS << level))):
        pairs.append(wave_tile(picture, level, index))
    joined = np.concatenate(pairs)
    assert len(joined) == -(-frames // 2**level)
    wanted = np.round(np.float32(samples) * 32767)
    assert joined[:, 1].max() == wanted.max()
    assert joined[:, 0].min() == wanted.min()
    with pytest.raises(BloomError):
        wave_tile(picture, level, len(pairs))


@given(st.integers(1, 700))
def test_the_pyramid_halves_down_to_one_column(count):
    columns = np.random.default_rng(count).integers(0, 255, (2, count, sg.ROWS), np.uint8)
    whole = sg.pyramid(columns)
    first, left, total = 0, count, 0
    for step in range(12):
        assert sg.level_in_pyramid(count, step) == (first, left)
        total = first + left
        if left == 1:
            break
        level = whole[0, first : first + left]
        nxt = whole[0, first + left : first + left + -(-left // 2)]
        assert np.array_equal(nxt, sg.halved(level))
        first, left = first + left, -(-left // 2)
    assert whole.shape[1] == total


def test_coarse_columns_are_made_once_and_bounded():
    for frames in (1, 1_000, 48_000 * 60, 96_000 * 3_600, 192_000 * 86_400):
        level = sg.base_level(frames)
        assert -(-frames // 2**level) <= 1 << 14
        assert 11 <= level <= sg.MOST_LEVEL


def test_the_base_does_not_depend_on_blocks():
    noise = shaped(0.1 * RNG.standard_normal(100_000))
    whole = sg.BaseCollector(len(noise), RATE)
    whole.feed(noise)
    parts = sg.BaseCollector(len(noise), RATE)
    for at in range(0, len(noise), 777):
        parts.feed(noise[at : at + 777])
    assert np.array_equal(whole.columns(), parts.columns())


@given(st.floats(0.05, 0.9), st.integers(0, 3))
def test_timbre_does_not_hear_level_or_a_copy(gain, seed):
    """Property: the distance is a distance, and level is no part of it."""
    rng = np.random.default_rng(seed)
    one = rng.standard_normal(40_000).astype(np.float32)
    other = np.cumsum(rng.standard_normal(40_000)).astype(np.float32)
    other *= 0.3 / np.abs(other).max()
    here, softer, there = (timbre(x, RATE) for x in (one, one * np.float32(gain), other))
    assert timbre_distance(here, here) == 0
    assert timbre_distance(here, softer) < 0.01
    assert timbre_distance(here, there) == timbre_distance(there, here) > 0.5
    assert timbre_distance(here, []) == float("inf")
    assert timbre_distance([0.0] * 24, [0.0] * 24) == float("inf")


@given(st.integers(1, 30_000), st.integers(0, 5))
def test_timbre_does_not_depend_on_blocks(cut, seed):
    sound = np.random.default_rng(seed).standard_normal(40_000).astype(np.float32)
    parts = TimbreCollector(len(sound), RATE)
    for at in range(0, len(sound), cut):
        parts.feed(sound[at : at + cut])
    assert parts.timbre() == timbre(sound, RATE)


def test_a_tone_of_another_pitch_is_brighter_by_its_octaves():
    """The centre of gravity of a sine is its own frequency, whatever the analysis."""
    t = np.arange(RATE) / RATE
    low, high = (timbre(np.sin(2 * np.pi * hz * t).astype(np.float32), RATE) for hz in (300, 2_400))
    assert brightness_octaves(low, high) == pytest.approx(3.0, abs=0.05)
    assert likeness_words((low, high), (0.9, 0.2), (1.0, 1.1)) == "brighter, noisier, as long"


@given(st.floats(0, 5), st.floats(0, 5))
def test_likeness_falls_with_the_distance(a, b):
    near, far = sorted((a, b))
    assert 1 >= likeness(near) >= likeness(far) >= 0
    assert likeness(0.0) == 1
    assert likeness(float("inf")) == 0
