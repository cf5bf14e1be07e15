"""Processes for jobs, each of which may end without taking others' work with it."""

from __future__ import annotations

import os
import signal
import threading
import time
from concurrent.futures import BrokenExecutor, CancelledError, Executor, ThreadPoolExecutor
from functools import partial

import pytest

from innerbloom.jobs.kind import JobKind
from innerbloom.jobs.kinds import JOB_KINDS
from innerbloom.processes import background_executor
from innerbloom.workers import SeparateWorkers


def _pid_after(path: str) -> int:
    """Its process, once the file is there."""
    until = time.monotonic() + 60
    while not os.path.exists(path) and time.monotonic() < until:
        time.sleep(0.01)
    return os.getpid()


def _killed() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


@pytest.fixture
def threads():
    """Two at once, in threads, and how many executors were made."""
    made = []

    def make():
        made.append(ThreadPoolExecutor(1))
        return made[-1]

    workers = SeparateWorkers(make, lambda: 2)
    workers.made = made  # type: ignore[attr-defined]
    yield workers
    workers.shutdown(wait=False, cancel_futures=True)


def test_one_that_is_killed_takes_only_its_own_work_with_it(tmp_path):
    workers = SeparateWorkers(partial(background_executor, start="spawn"), lambda: 2)
    try:
        beside = workers.submit(_pid_after, str(tmp_path / "go"))
        killed = workers.submit(_killed)
        with pytest.raises(BrokenExecutor):
            killed.result(60)
        after = workers.submit(os.getpid)
        assert after.result(60) != os.getpid()
        assert not beside.done()
        (tmp_path / "go").touch()
        assert beside.result(60) not in (os.getpid(), after.result())
    finally:
        workers.shutdown(wait=True, cancel_futures=True)


def test_no_more_work_at_once_than_there_is_room_for(threads):
    gate, running, most = threading.Semaphore(0), [0], [0]
    lock = threading.Lock()

    def work(number):
        with lock:
            running[0] += 1
            most[0] = max(most[0], running[0])
        gate.acquire()
        with lock:
            running[0] -= 1
        return number

    futures = [threads.submit(work, number) for number in range(7)]
    until = time.monotonic() + 60
    while running[0] < 2 and time.monotonic() < until:
        time.sleep(0.01)
    for _ in futures:
        gate.release()
    assert [one.result(10) for one in futures] == list(range(7))
    assert most[0] == 2
    assert len(threads.made) == 2


def test_what_waits_can_be_cancelled_and_errors_are_its_own(threads):
    gate = threading.Event()
    held = [threads.submit(gate.wait, 10) for _ in range(2)]
    waiting, wrong = threads.submit(int, "1"), threads.submit(int, "one")
    assert waiting.cancel()
    gate.set()
    assert all(one.result(10) for one in held)
    with pytest.raises(ValueError, match="one"):
        wrong.result(10)
    with pytest.raises(CancelledError):
        waiting.result(10)
    assert threads.submit(int, "3").result(10) == 3


def test_with_less_room_fewer_begin_and_one_always_does():
    room = [0]
    workers = SeparateWorkers(lambda: ThreadPoolExecutor(1), lambda: room[0])
    gate = threading.Event()
    first, second = workers.submit(gate.wait, 10), workers.submit(int, "2")
    assert first.running()
    assert not second.running()
    gate.set()
    assert second.result(10) == 2
    workers.shutdown()


def test_after_a_shutdown_nothing_begins(threads):
    gate = threading.Event()
    held = [threads.submit(gate.wait, 10) for _ in range(2)]
    waiting = threads.submit(int, "1")
    threads.shutdown(wait=False, cancel_futures=True)
    gate.set()
    assert waiting.cancelled()
    assert all(one.result(10) for one in held)
    with pytest.raises(RuntimeError):
        threads.submit(int, "1")


def test_a_process_that_cannot_be_had_is_a_broken_worker():
    def none():
        raise OSError(24, "Too many open files")

    class Without(Executor):
        def submit(self, fn, /, *args, **kwargs):
            raise OSError(12, "Cannot allocate memory")

    for make, said in ((none, "Too many open files"), (Without, "Cannot allocate memory")):
        workers = SeparateWorkers(make, lambda: 1)
        for _ in range(2):
            with pytest.raises(BrokenExecutor, match=said):
                workers.submit(int, "1").result(30)
        workers.shutdown()


def test_whoever_submits_does_not_wait_for_a_worker_to_be_there():
    """The process that workers are forked from loads all that jobs need, which takes seconds."""
    begins = threading.Event()

    def made():
        begins.wait(30)
        return ThreadPoolExecutor(1)

    workers = SeparateWorkers(made, lambda: 1)
    first, second = workers.submit(int, "1"), workers.submit(int, "2")
    assert not first.done()
    assert second.cancel()
    begins.set()
    assert first.result(30) == 1
    workers.shutdown()


def test_files_are_taken_in_side_by_side(client, monkeypatch):
    """Each waits for the other: one after another they would never end."""
    monkeypatch.setattr("innerbloom.jobs.service.cores", lambda: 2)
    together = threading.Barrier(2)

    def wait(work):
        together.wait(30)
        return {}

    kind = JobKind("wait", "Waiting", wait, takes_file=True)
    jobs = client.application.extensions["innerbloom"].jobs
    until = time.monotonic() + 60
    states: list[str] = []
    with JOB_KINDS.with_kind(kind):
        started = [jobs.submit("wait", "x", {"path": f"none-{n}"}) for n in range(2)]
        while time.monotonic() < until and states != ["done", "done"]:
            states = [client.get(f"/api/jobs/{one}").json["state"] for one in started]
    assert states == ["done", "done"]
