"""Small functions that much stands on, each against what it is by definition or another library."""

from __future__ import annotations

import math
from itertools import pairwise

import librosa
import numpy as np
import pytest
import scipy.stats
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.pitch import parabola
from innerbloom.core.analysis.timbre import mel_matrix
from innerbloom.core.dsp.chance import chance_key, two_sided, uniform, waiting_time
from innerbloom.core.dsp.cosine import cosine, fine_cosine
from innerbloom.core.dsp.delay_line import glide, read_cubic, read_line, ring_size
from innerbloom.core.dsp.lattice import nearest_step
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.materials.spectrum.path import MOST_AT_ONCE, shares_on_path
from innerbloom.core.scales import LATTICE

CYCLES = st.floats(-1e4, 1e4)
RNG = np.random.default_rng(1983)


# -- cosines ---------------------------------------------------------------------------


@settings(max_examples=300)
@given(CYCLES)
def test_cosines_are_those_of_the_c_library(cycles):
    true = math.cos(2 * math.pi * math.fmod(cycles, 1.0))
    # ripples of 6e-7, and single precision's rounding
    assert cosine(cycles) == pytest.approx(true, abs=7e-7)
    # 1e4 cycles are known to 2e-12 of one, as the C library's argument is
    assert fine_cosine(cycles) == pytest.approx(true, abs=3e-11)


def test_a_cosine_in_single_precision_is_as_good_as_its_cycles():
    cycles = RNG.uniform(-1, 1, 2_000).astype(np.float32)
    found = np.array([cosine(one) for one in cycles])
    assert np.abs(found - np.cos(2 * np.pi * cycles.astype(np.float64))).max() < 1e-6


# -- delay lines -----------------------------------------------------------------------


@given(st.lists(st.floats(-1, 1), min_size=4, max_size=4), st.floats(1, 20))
def test_what_is_a_cubic_is_read_exactly_between_samples(factors, frames):
    """Lagrange interpolation of third order (Laakso et al. 1996) is exact for cubics."""
    now = 40
    ring = np.zeros(64, np.float32)
    curve = np.polynomial.Polynomial([f / 10.0**k for k, f in enumerate(factors)])
    ring[: now + 1] = curve(np.arange(now + 1) - now)
    assert read_cubic(ring, now, frames) == pytest.approx(curve(-frames), abs=2e-5)


@given(st.integers(0, 1_000), st.floats(2 * TICK + 3, 150), st.floats(-30, 30))
@settings(max_examples=60)
def test_a_line_is_read_as_sample_by_sample_wherever_its_ring_begins(at, frames, change):
    ring = RNG.standard_normal(ring_size(300)).astype(np.float32)
    to = max(frames + change, TICK + 2.0)
    out = np.zeros(TICK, np.float32)
    read_line(out, ring, at, frames, to)
    steps = frames + (to - frames) * np.arange(1, TICK + 1) / TICK
    each = [read_cubic(ring, at + i, step) for i, step in enumerate(steps)]
    np.testing.assert_allclose(out, each, atol=2e-4)


@given(st.floats(0, 1e6))
def test_a_ring_holds_what_is_asked_and_a_power_of_two(frames):
    size = ring_size(frames)
    assert frames + 8 <= size < 2 * (frames + 8)
    assert size & (size - 1) == 0


@given(st.floats(10, 5_000), st.floats(10, 5_000), st.floats(0.01, 0.5))
def test_a_delay_glides_to_its_aim_without_going_beyond(start, aim, share):
    """Two poles with one share are critically damped: no overshoot."""
    state = np.array([start, start])
    low, high = min(start, aim) - 1e-6, max(start, aim) + 1e-6
    way = []
    for _ in range(4_000):
        glide(state, aim, share)
        way.append(state[1])
    assert all(low <= one <= high for one in way)
    assert way[-1] == aim
    # it sets off without a jerk: the first step is the square of the share of the way
    assert abs(way[0] - start) == pytest.approx(share**2 * abs(aim - start), abs=2e-4)


# -- pitches ---------------------------------------------------------------------------


@given(st.floats(-60, 60), st.sampled_from([name for name, steps in LATTICE.items() if steps]))
def test_the_nearest_step_is_the_nearest_of_all(semitones, name):
    found = nearest_step(semitones, list(LATTICE).index(name))
    allowed = [12 * octave + step for octave in range(-7, 8) for step in LATTICE[name]]
    nearest = min(abs(one - semitones) for one in allowed)
    assert found in allowed
    assert abs(found - semitones) == pytest.approx(nearest, abs=1e-9)


@given(st.floats(-60, 60))
def test_anywhere_is_where_it_is(semitones):
    assert nearest_step(semitones, list(LATTICE).index("anywhere")) == semitones


@given(st.floats(-0.5, 0.5), st.floats(-10, 10), st.floats(0.1, 10))
def test_the_top_of_a_parabola_is_found_from_three_points(place, height, bend):
    y = height - bend * (np.arange(-1, 2) - place) ** 2
    found, top = parabola(y, 1)
    assert found == pytest.approx(1 + place, abs=1e-6)
    assert top == pytest.approx(height, abs=1e-6)


def test_three_points_without_a_top_are_taken_as_they_are():
    assert parabola(np.array([1.0, 0.5, 1.0]), 1) == (1.0, 0.5)


@pytest.mark.filterwarnings("ignore:Empty filters")
@pytest.mark.parametrize(("frame", "rate"), [(1_024, 44_100), (2_048, 48_000), (1_024, 22_050)])
def test_mel_bands_are_librosas(frame, rate):
    """Triangles of height 1, even in mel as HTK has it (``librosa.filters.mel``)."""
    ours = mel_matrix(frame, rate)
    theirs = librosa.filters.mel(
        sr=rate, n_fft=frame, n_mels=ours.shape[1], fmin=40.0, fmax=16_000.0, htk=True, norm=None
    )
    reached = theirs.T[: len(ours)]
    np.testing.assert_allclose(ours, reached, atol=2e-3)


# -- chance ----------------------------------------------------------------------------

SPLITMIX64 = (
    6457827717110365317, 3203168211198807973, 9817491932198370423, 4593380528125082431, 16408922859458223821,
)  # fmt: skip
"""The first numbers of SplitMix64 from the seed 1234567, as its authors' C code gives them."""


def test_draws_are_those_of_splitmix64():
    key = np.uint64(1234567)
    for counter, expected in enumerate(SPLITMIX64):
        assert uniform(key, np.uint64(counter)) == (expected >> 11) * 2.0**-53


def draws(function, count=4_000, layer=0):
    key = np.uint64(chance_key(np.uint64(7), np.uint64(3), np.uint64(layer)))
    return np.array([function(key, np.uint64(i)) for i in range(count)])


@pytest.mark.parametrize(
    ("function", "law"),
    [(uniform, scipy.stats.uniform()), (two_sided, scipy.stats.uniform(-1, 2)),
     (waiting_time, scipy.stats.expon())],
)  # fmt: skip
def test_draws_follow_their_law(function, law):
    """Kolmogorov and Smirnov's test, by scipy; the key is fixed, and so is the outcome."""
    assert scipy.stats.kstest(draws(function), law.cdf).pvalue > 0.01


def test_layers_and_neighbours_have_nothing_to_do_with_each_other():
    one, other = draws(two_sided), draws(two_sided, layer=1)
    assert abs(np.corrcoef(one, other)[0, 1]) < 4 / math.sqrt(len(one))
    assert abs(np.corrcoef(one[:-1], one[1:])[0, 1]) < 4 / math.sqrt(len(one))


# -- the way of a morph ----------------------------------------------------------------


@given(st.integers(1, 8), st.floats(0, 1), st.floats(0, 1))
def test_shares_of_a_morph_are_a_whole_and_of_few(count, morph, amount):
    shares = shares_on_path(count, morph, amount)
    assert sum(shares) == pytest.approx(1.0)
    assert min(shares) >= 0.0
    assert sum(one > 0.0 for one in shares) <= MOST_AT_ONCE


@given(st.integers(2, 8))
def test_a_morph_passes_each_sound_in_turn_without_a_step(count):
    for number in range(count):
        at = shares_on_path(count, number / (count - 1), 1.0)
        assert at[number] == pytest.approx(1.0)
    way = [np.array(shares_on_path(count, k / 500, 1.0)) for k in range(501)]
    most = max(np.abs(b - a).max() for a, b in pairwise(way))
    assert most <= (count - 1) / 500 + 1e-9
