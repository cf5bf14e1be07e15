"""A second thread is kept only where it helps."""

from __future__ import annotations

from collections.abc import Callable

from innerbloom.live.second_core import BUSY, CALM, PAUSE_BLOCKS, TRIAL_BLOCKS, SecondCore


def _blocks(second: SecondCore, count: int, load: Callable[[int], float]) -> list[int]:
    """Threads a block, where the load of each depends on the threads of the one before."""
    found, threads = [], 1
    for _ in range(count):
        threads = second.threads(load(threads))
        found.append(threads)
    return found


def test_one_core_is_all_there_is_on_a_machine_of_one() -> None:
    assert set(_blocks(SecondCore(cores=1), 500, lambda _: 2.0)) == {1}


def test_a_second_core_is_taken_when_one_is_busy_and_given_back_when_it_is_calm() -> None:
    second = SecondCore(cores=2)
    assert second.threads(BUSY) == 1
    assert set(_blocks(second, 3 * TRIAL_BLOCKS, lambda n: 1.2 if n == 1 else 0.7)) == {2}
    assert second.threads(CALM - 0.01) == 1


def test_two_threads_that_are_slower_than_one_are_tried_again_much_later() -> None:
    second = SecondCore(cores=2)
    found = _blocks(second, 2 * PAUSE_BLOCKS, lambda n: 0.8 if n == 1 else 1.4)
    # a first try, and one after the pause
    assert found.count(2) == 2 * TRIAL_BLOCKS
    assert found[TRIAL_BLOCKS + 1 : PAUSE_BLOCKS] == [1] * (PAUSE_BLOCKS - TRIAL_BLOCKS - 1)


def test_calm_ends_a_try_without_a_verdict() -> None:
    second = SecondCore(cores=2)
    assert second.threads(0.9) == 2
    assert second.threads(0.1) == 1
    assert second.threads(0.9) == 2
