"""Moments of long sounds, against what was put into them; novelty against its definition."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from innerbloom.core.analysis.moments import Wanted, find_moments
from innerbloom.core.analysis.novelty import borders, checkerboard, novelty
from innerbloom.core.analysis.take_features import FeatureCollector, TakeFeatures

RATE = 48_000
SECONDS = 96


def features_of(sound: np.ndarray) -> TakeFeatures:
    collector = FeatureCollector(RATE)
    for at in range(0, len(sound), 1 << 16):
        collector.feed(sound[at : at + (1 << 16)])
    return collector.features(lambda first, count: sound[first : first + count], RATE)


class MadeUpTake:
    """A bed of noise with four events at random quarters of it: a strike, a long swell, a
    stretch that repeats itself, and one odd sound."""

    def __init__(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        self.t = np.arange(SECONDS * RATE) / RATE
        bed = sosfilt(butter(2, [200, 1_500], "band", fs=RATE, output="sos"),
                      rng.standard_normal(len(self.t)))  # fmt: skip
        level = np.interp(self.t, np.arange(0, SECONDS + 4, 3.0), rng.uniform(-30, -22, 34)[:34])
        self.sound = bed / bed.std() * 10 ** (level / 20)
        places = rng.permutation(4) * (SECONDS // 4) + rng.integers(3, 6, 4)
        self.events: dict[str, tuple[float, float]] = {}
        self._strike(float(places[0]))
        self._swell(float(places[1]))
        self._repeating(float(places[2]))
        self._odd(float(places[3]))

    def _add(self, at: float, made: np.ndarray) -> None:
        first = round(at * RATE)
        self.sound[first : first + len(made)] += made

    def _quiet(self, start: float, end: float, db: float) -> None:
        gain = np.interp(self.t, [start - 0.5, start, end, end + 0.5], [0, db, db, 0])
        self.sound *= 10 ** (gain / 20)

    def _strike(self, at: float) -> None:
        self._quiet(at, at + 7, -40)
        d = np.arange(5 * RATE) / RATE
        tone = sum(np.sin(2 * np.pi * hz * d) for hz in (440, 1_187, 2_090)) / 3
        self._add(at + 1, 0.5 * np.exp(-d / 0.7) * tone)
        self.events["strike"] = (at + 1, at + 5)

    def _swell(self, at: float) -> None:
        self._quiet(at, at + 12, -40)
        d = np.arange(12 * RATE) / RATE
        level = 10 ** ((-50 + 40 * np.minimum(d / 9, 1)) / 20)
        saw = 2 * ((110 * d) % 1) - 1
        self._add(at, level * saw * np.interp(d, [0, 11.5, 12], [1, 1, 0]))
        self.events["opens"] = (at, at + 9)

    def _repeating(self, at: float) -> None:
        self._quiet(at, at + 12, -70)
        d = np.arange(12 * RATE) / RATE
        both = np.sin(2 * np.pi * 220 * d) + np.sin(2 * np.pi * 331 * d)
        turn = 0.08 * (1 + 0.5 * np.sin(np.pi * d))
        self._add(at, turn * both * np.interp(d, [0, 0.5, 11.5, 12], [0, 1, 1, 0]))
        self.events["loop"] = (at, at + 12)

    def _odd(self, at: float) -> None:
        self._quiet(at, at + 5, -60)
        d = np.arange(5 * RATE) / RATE
        chirp = np.sin(2 * np.pi * 5_000 * d + 200 * np.sin(2 * np.pi * 7 * d))
        self._add(at, 0.1 * chirp * np.interp(d, [0, 0.3, 4.7, 5], [0, 1, 1, 0]))
        self.events["rare"] = (at, at + 5)

    def stereo(self) -> np.ndarray:
        return np.stack((self.sound, self.sound), axis=1).astype(np.float32)


def common(one, event) -> float:
    """Share of the shorter of the two that they have in common."""
    both = min(one.end, event[1]) - max(one.start, event[0])
    return both / min(one.seconds, event[1] - event[0])


@pytest.mark.parametrize("seed", range(5))
def test_the_first_five_ranks_hold_what_was_put_in(seed):
    take = MadeUpTake(seed)
    found = find_moments(features_of(take.stereo()))[:5]
    missing = [name for name, event in take.events.items()
               if not any(common(one, event) > 0.4 for one in found)]  # fmt: skip
    assert not missing, (take.events, found)


def test_reasons_are_those_of_the_events():
    take = MadeUpTake(3)
    found = find_moments(features_of(take.stereo()))[:6]
    for name in ("strike", "opens", "loop"):
        own = [one for one in found if common(one, take.events[name]) > 0.4]
        assert name in {one.reason for one in own}, (name, found)


def test_lengths_and_sensitivity_are_respected():
    features = features_of(MadeUpTake(1).stereo())
    few = find_moments(features, Wanted(sensitivity=0.0))
    many = find_moments(features, Wanted(sensitivity=1.0, shortest_s=1.0, longest_s=6.0))
    assert len(few) < len(many)
    assert all(1.0 <= one.seconds <= 6.0 + 1e-6 for one in many)
    assert many == find_moments(features, Wanted(1.0, 1.0, 6.0))


def test_no_two_moments_are_mostly_the_same():
    found = find_moments(features_of(MadeUpTake(2).stereo()), Wanted(1.0))
    for i, one in enumerate(found):
        assert all(common(one, (other.start, other.end)) < 0.5 for other in found[:i])


def test_a_mark_comes_first_and_lies_before_it():
    features = features_of(MadeUpTake(4).stereo())
    found = find_moments(features, marks=[50.0])
    assert found[0].reason == "marked"
    assert found[0].start < 50.0 <= found[0].end + 1e-6
    assert {one.reason for one in found[1:]} & {"strike", "opens", "loop", "rare"}


@pytest.mark.parametrize("sound", [
    np.zeros((5 * RATE, 2), np.float32),
    np.zeros((10, 2), np.float32),
    np.full((RATE, 2), 0.5, np.float32),
    np.random.default_rng(0).normal(0, 0.1, (RATE // 3, 2)).astype(np.float32),
])  # fmt: skip
def test_silence_and_next_to_nothing_have_no_moments_and_raise_nothing(sound):
    assert len(find_moments(features_of(sound), Wanted(1.0))) <= 1


def test_novelty_is_the_kernel_along_the_diagonal():
    """Foote 2000, equation 5: the sum of the kernel times the matrix under it."""
    rng = np.random.default_rng(1)
    points = rng.normal(0, 0.5, (60, 3)).cumsum(axis=0) * 0.3
    half = 8
    curve = novelty(points, half)
    padded = np.pad(points, ((half, half), (0, 0)), mode="edge")
    alike = np.exp(-((padded[:, None] - padded[None, :]) ** 2).sum(axis=2))
    kernel = checkerboard(half)
    for at in range(len(points)):
        under = alike[at : at + 2 * half, at : at + 2 * half]
        plain = max(0.0, (kernel * under).sum() / np.abs(kernel).sum())
        assert curve[at] == pytest.approx(plain, abs=1e-9)


def test_novelty_peaks_at_a_change_and_nowhere_in_sameness():
    steps = np.repeat([[0.0], [3.0], [0.5]], 40, axis=0)
    curve = novelty(steps, 10)
    assert borders(curve, 0.1, 5).tolist() == [40, 80]
    assert novelty(np.zeros((50, 2)), 10)[10:40] == pytest.approx(0.0, abs=1e-9)
