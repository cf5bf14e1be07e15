"""Work in the background steps aside while something sounds."""

import os
import signal
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

from innerbloom.processes import background_executor, become_realtime, single_threaded_children
from innerbloom.store.sounding import Sounding
from innerbloom.throttle import throttled


def aged(folder, name: str, seconds: float) -> None:
    then = time.time() - seconds
    os.utime(folder / name, (then, then))


def test_work_has_all_of_its_time_until_something_sounds(tmp_path):
    assert Sounding(tmp_path).share() == 1.0
    assert Sounding(tmp_path).pause_s(3.0) == 0.0


def test_while_it_plays_work_takes_half_and_less_after_a_late_block(tmp_path):
    engine, worker = Sounding(tmp_path), Sounding(tmp_path)
    engine.plays()
    assert worker.share() == pytest.approx(0.5)
    assert worker.pause_s(0.02) == pytest.approx(0.02)
    engine.was_late()
    assert worker.share() < 0.2
    assert worker.pause_s(0.02) > 0.08
    aged(tmp_path, "sound.late", 60)
    assert worker.share() == pytest.approx(0.5)
    aged(tmp_path, "sound.playing", 60)
    assert worker.share() == 1.0


def test_a_pause_is_never_so_long_that_a_cancel_waits_for_it(tmp_path):
    sounding = Sounding(tmp_path)
    sounding.plays()
    sounding.was_late()
    assert sounding.pause_s(60.0) <= 1.0


@pytest.fixture
def rests(monkeypatch):
    """Pauses that work takes, which pass at once."""
    slept, stepped = [], []
    monkeypatch.setattr("innerbloom.throttle.time.sleep", slept.append)
    monkeypatch.setattr("innerbloom.throttle.become_idle", lambda: stepped.append(1))
    return slept, stepped


def work(seconds: float) -> None:
    """Take processor time without a word to anyone."""
    end = time.process_time() + seconds
    while time.process_time() < end:
        pass


def test_work_that_knows_of_nothing_rests_while_something_sounds(tmp_path, rests):
    sounding = Sounding(tmp_path)
    sounding.plays()
    with throttled(sounding):
        work(0.1)
    slept, stepped = rests
    assert stepped == [1]
    # half of the time: it rests as long as it works, whatever the machine's clock ticks are
    assert sum(slept) == pytest.approx(0.1, rel=0.5)


def test_work_that_begins_in_silence_keeps_its_place(tmp_path, rests):
    slept, stepped = rests
    with throttled(Sounding(tmp_path)):
        work(0.05)
    assert not stepped
    assert sum(slept) == 0.0


def test_nothing_rests_any_more_at_the_end_nor_twice_in_between(tmp_path, rests):
    slept, _ = rests
    sounding = Sounding(tmp_path)
    sounding.plays()
    handler = signal.getsignal(signal.SIGPROF)
    with throttled(sounding):
        with throttled(sounding):
            work(0.03)
        inner = len(slept)
        work(0.05)
        assert len(slept) > inner
    assert signal.getsignal(signal.SIGPROF) is handler
    before = len(slept)
    work(0.05)
    assert len(slept) == before


def test_beside_the_main_thread_it_only_works(tmp_path):
    sounding = Sounding(tmp_path)
    sounding.plays()

    def beside() -> int:
        with throttled(sounding):
            return 7

    with ThreadPoolExecutor(1) as pool:
        assert pool.submit(beside).result() == 7


@pytest.mark.skipif(not hasattr(os, "SCHED_IDLE"), reason="this system has no idle scheduling")
def test_what_nobody_waits_for_runs_when_nothing_else_does():
    with (
        background_executor(idle=True, start="spawn") as idle,
        background_executor(start="spawn") as waited_for,
    ):
        assert idle.submit(os.sched_getscheduler, 0).result() == os.SCHED_IDLE
        assert waited_for.submit(os.sched_getscheduler, 0).result() != os.SCHED_IDLE
        assert waited_for.submit(os.getenv, "OPENBLAS_NUM_THREADS").result() == "1"


def scheduling(_: object = None) -> int:
    return os.sched_getscheduler(0) & ~os.SCHED_RESET_ON_FORK


@pytest.mark.skipif(not hasattr(os, "SCHED_RR"), reason="this system has no such scheduling")
def test_a_sound_goes_before_all_else_where_that_is_allowed_and_nothing_inherits_it():
    def sound() -> tuple[bool, int, int]:
        allowed, mine = become_realtime(), scheduling()
        with ThreadPoolExecutor(1) as beside:
            return allowed, mine, beside.submit(scheduling).result()

    with ThreadPoolExecutor(1) as pool:
        allowed, mine, beside = pool.submit(sound).result()
    assert mine == (os.SCHED_RR if allowed else os.SCHED_OTHER)
    assert beside == os.SCHED_OTHER


@pytest.mark.skipif(not hasattr(os, "SCHED_RR"), reason="this system has no such scheduling")
def test_a_sound_plays_on_where_that_is_not_allowed(monkeypatch):
    def refuse(*_: object) -> None:
        raise PermissionError("not for you")

    monkeypatch.setattr("os.sched_setscheduler", refuse)
    assert become_realtime() is False


def test_processes_that_are_started_at_the_same_time_leave_the_environment_as_it_was(monkeypatch):
    monkeypatch.delenv("OPENBLAS_NUM_THREADS", raising=False)
    inside, leave = threading.Event(), threading.Event()

    def start():
        with single_threaded_children():
            inside.set()
            leave.wait(30)

    with ThreadPoolExecutor(1) as pool:
        with single_threaded_children():
            assert os.environ["OPENBLAS_NUM_THREADS"] == "1"
            other = pool.submit(start)
            # it waits for its turn, or else is there before this one leaves
            inside.wait(0.5)
        leave.set()
        other.result(30)
    assert "OPENBLAS_NUM_THREADS" not in os.environ
