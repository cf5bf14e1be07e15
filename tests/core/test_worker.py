"""The second thread of the engine: does its part, passes errors on, sleeps, ends with its owner."""

from __future__ import annotations

import os
import signal
import threading
import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.engine.worker import Worker

LONG_ENOUGH_TO_SLEEP_S = 0.02


def threads_named(name: str) -> list[threading.Thread]:
    return [one for one in threading.enumerate() if one.name == name]


def until_gone(name: str) -> bool:
    for _ in range(500):
        if not threads_named(name):
            return True
        time.sleep(0.01)
    return False


def test_both_parts_are_done_each_on_a_thread_of_its_own_when_the_call_returns() -> None:
    worker, where = Worker("part"), {}
    for number in range(300):
        worker.both(
            lambda n=number: where.update({(n, "here"): threading.current_thread().name}),
            lambda n=number: where.update({(n, "there"): threading.current_thread().name}),
        )
        assert len(where) == 2 * (number + 1)
    assert {name for (_, part), name in where.items() if part == "there"} == {"part"}
    here = {name for (_, part), name in where.items() if part == "here"}
    assert here == {threading.current_thread().name}


@settings(max_examples=40, deadline=None)
@given(st.lists(st.sampled_from(["wake", "both", "slow here", "slow there", "pause"]), max_size=12))
def test_however_it_is_woken_every_work_is_done_once_and_in_order(steps: list[str]) -> None:
    worker, done, wanted = Worker("random"), [], []

    def part(name: str, pause_s: float) -> None:
        time.sleep(pause_s)
        done.append(name)

    for number, step in enumerate(steps):
        if step == "wake":
            worker.wake()
        elif step == "pause":
            time.sleep(LONG_ENOUGH_TO_SLEEP_S)
        else:
            pauses = [0.002 if step == f"slow {side}" else 0.0 for side in ("here", "there")]
            worker.both(
                lambda n=number, s=pauses[0]: part(f"{n} here", s),
                lambda n=number, s=pauses[1]: part(f"{n} there", s),
            )
            wanted += [{f"{number} here", f"{number} there"}]
    assert [set(done[at : at + 2]) for at in range(0, len(done), 2)] == wanted


@pytest.mark.parametrize("side", ["here", "there"])
def test_an_error_of_either_part_is_raised_once_both_have_ended(side: str) -> None:
    worker, done = Worker("failing"), []

    def fails() -> None:
        raise ValueError(side)

    def works() -> None:
        time.sleep(0.01)
        done.append(side)

    parts = (fails, works) if side == "here" else (works, fails)
    with pytest.raises(ValueError, match=side):
        worker.both(*parts)
    assert done == [side]
    # and it goes on
    worker.both(lambda: done.append("here"), lambda: done.append("there"))
    assert sorted(done[1:]) == ["here", "there"]


def test_its_thread_and_its_pipe_end_when_nobody_holds_it() -> None:
    for _ in range(20):
        worker = Worker("short-lived")
        worker.both(lambda: None, lambda: None)
        assert threads_named("short-lived")
        del worker
        assert until_gone("short-lived")
    pipes = [os.readlink(f"/proc/self/fd/{one}") for one in _descriptors()]
    # each would have left two; other tests' workers may still be there
    assert sum("pipe:" in one for one in pipes) < 20


def _descriptors() -> list[str]:
    return [one for one in os.listdir("/proc/self/fd") if os.path.lexists(f"/proc/self/fd/{one}")]


def test_a_signal_while_it_sleeps_does_not_end_it() -> None:
    worker, done = Worker("signalled"), []
    before = signal.signal(signal.SIGUSR1, lambda *_: done.append("signal"))
    try:
        time.sleep(LONG_ENOUGH_TO_SLEEP_S)
        # the thread itself is interrupted in its sleep
        signal.pthread_kill(threads_named("signalled")[0].ident or 0, signal.SIGUSR1)
        time.sleep(LONG_ENOUGH_TO_SLEEP_S)
        worker.both(lambda: done.append("here"), lambda: done.append("there"))
    finally:
        signal.signal(signal.SIGUSR1, before)
    assert sorted(done) == ["here", "signal", "there"]
