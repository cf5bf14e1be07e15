"""Filters over a stream, against SciPy's own; however it is cut, it is the same stream."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import butter, firwin, sosfilt

from innerbloom.core.sound.levels import _interpolation_phases, loudness_filters
from innerbloom.core.sound.streaming_filter import StreamingFilter, butterworth_high_pass

NOISE = np.random.default_rng(5).standard_normal((3_000, 2)).astype(np.float32)


@pytest.mark.parametrize("rate", [8_000, 44_100, 48_000, 192_000])
def test_it_is_what_scipy_gives(rate):
    for sos in (loudness_filters(rate), butterworth_high_pass(rate, 35.0)[None]):
        expected = sosfilt(sos, NOISE, axis=0)
        assert np.abs(StreamingFilter(sos, 2)(NOISE) - expected).max() < 1e-9


@given(cuts=st.lists(st.integers(0, len(NOISE)), max_size=12))
def test_however_a_stream_is_cut(cuts):
    sos = butter(4, (0.02, 0.3), "bandpass", output="sos")
    filtering = StreamingFilter(sos, 2)
    edges = [0, *sorted(cuts), len(NOISE)]
    pieces = [filtering(NOISE[a:b]) for a, b in pairwise(edges)]
    assert np.abs(np.concatenate(pieces) - sosfilt(sos, NOISE, axis=0)).max() < 1e-9


def test_a_long_stream_neither_grows_nor_drifts():
    filtering = StreamingFilter(loudness_filters(48_000), 2)
    for _ in range(400):
        last = filtering(NOISE)
    assert np.isfinite(last).all()
    silent = filtering(np.zeros((48_000, 2), np.float32))
    assert np.abs(silent[-100:]).max() < 1e-12


def test_sections_are_those_of_scipy():
    for rate, hz in ((16_000, 35.0), (48_000, 1_000.0)):
        assert butterworth_high_pass(rate, hz) == pytest.approx(
            butter(2, hz, "highpass", fs=rate, output="sos")[0], abs=1e-14
        )


@pytest.mark.parametrize("factor", [2, 4, 5])
def test_the_interpolator_is_a_windowed_sinc(factor):
    expected = firwin(12 * factor + 1, 1.0 / factor, window=("kaiser", 6.0)) * factor
    phases = _interpolation_phases(factor)[:, ::-1]
    for number, phase in enumerate(phases, 1):
        assert phase == pytest.approx(expected[number : number + 12 * factor : factor], abs=1e-7)
