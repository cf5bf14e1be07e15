"""Sums of whole ticks against the same sums in double precision."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.vectors import (
    ABREAST,
    LANES,
    MOST_BENT,
    add_partials,
    add_ramps,
    add_wide_partials,
)

FRAMES = np.arange(1, TICK + 1)


@borrowing
def one_partial(left, right, turn, levels):
    add_partials(left, right, ((turn, levels),))


@borrowing
def two_partials(left, right, turn, levels, other_turn, other_levels):
    add_partials(left, right, ((turn, levels), (other_turn, other_levels)))


@borrowing
def one_wide_partial(left, right, turn, levels):
    add_wide_partials(left, right, ((turn, levels),))


@borrowing
def some_sounds(out, audio, at, before, after):
    add_ramps(out, audio, at, before, after)


def singles(*values: float) -> tuple[np.float32, ...]:
    return tuple(np.float32(one) for one in values)


@st.composite
def turns(draw):
    """Phase, pace and bend of a partial as a voice tells them."""
    start = draw(st.floats(0.0, 1.0))
    hz = draw(st.floats(20.0, 20_000.0))
    bend = draw(st.floats(-MOST_BENT, MOST_BENT))
    # what steady turns go by is the mean pace
    pace = float(np.float32(hz / RATE + bend * TICK))
    far = 2.0 * math.pi * LANES * pace
    return singles(start, pace, bend, math.cos(far), math.sin(far))


levels = st.tuples(*4 * [st.floats(0.0, 1.0)])


def exactly(turn, quarter: float = 0.0) -> np.ndarray:
    """A partial of level 1 in double precision."""
    start, pace, bend = (float(one) for one in turn[:3])
    cycles = start + FRAMES * (pace - bend * TICK) + bend * FRAMES**2
    return np.cos(2.0 * math.pi * (cycles - quarter))


def ramp(before: float, after: float) -> np.ndarray:
    return before + (after - before) * FRAMES / TICK


def as_gains(pairs) -> tuple[np.float32, ...]:
    return singles(*(v for before, after in pairs for v in (before, (after - before) / TICK)))


@given(turns(), levels, turns(), levels)
@settings(deadline=None, max_examples=60)
def test_partials_are_those_of_double_precision(one, gains, other, other_gains):
    """Within -108 dB of full level each: half of 24-bit files' last bits, and of what is bent."""
    left, right = np.zeros(TICK, np.float32), np.zeros(TICK, np.float32)
    pairs = [(gains[0], gains[1]), (gains[2], gains[3])]
    other_pairs = [(other_gains[0], other_gains[1]), (other_gains[2], other_gains[3])]
    two_partials(left, right, one, as_gains(pairs), other, as_gains(other_pairs))
    both = zip(pairs, other_pairs, strict=True)
    for channel, (mine, others) in zip((left, right), both, strict=True):
        wanted = ramp(*mine) * exactly(one) + ramp(*others) * exactly(other)
        assert np.abs(channel - wanted).max() < 8e-6
    alone = np.zeros(TICK, np.float32), np.zeros(TICK, np.float32)
    one_partial(*alone, one, as_gains(pairs))
    one_partial(*alone, other, as_gains(other_pairs))
    assert np.abs(alone[0] - left).max() < 1e-6
    assert np.abs(alone[1] - right).max() < 1e-6


@given(turns(), levels, st.tuples(st.floats(-1.0, 1.0), st.floats(-1.0, 1.0)))
@settings(deadline=None, max_examples=60)
def test_a_sine_goes_to_the_left_and_comes_from_the_right(turn, gains, sine):
    left, right = np.zeros(TICK, np.float32), np.zeros(TICK, np.float32)
    pairs = [(gains[0], gains[1]), (gains[2], gains[3])]
    one_wide_partial(left, right, turn, as_gains([*pairs, sine]))
    side = ramp(*sine) * exactly(turn, 0.25)
    for channel, pair, sign in ((left, pairs[0], 1.0), (right, pairs[1], -1.0)):
        assert np.abs(channel - ramp(*pair) * exactly(turn) - sign * side).max() < 8e-6


@pytest.mark.parametrize("at", [0, 7])
def test_sounds_abreast_are_added_up_at_their_gains(at):
    random = np.random.default_rng(at)
    audio = random.integers(-32_767, 32_768, at + ABREAST * TICK).astype(np.int16)
    before, after = random.standard_normal((2, ABREAST)).astype(np.float32) / 32_767
    out = np.ones(TICK, np.float32)
    some_sounds(out, audio, at, before, after)
    wanted = np.ones(TICK)
    for k in range(ABREAST):
        wanted += ramp(before[k], after[k]) * audio[at + k * TICK : at + (k + 1) * TICK]
    assert np.abs(out - wanted).max() < 2e-6
