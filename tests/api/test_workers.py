"""The worker of jobs is killed: what waited goes on, and nothing that was taken in is lost."""

from __future__ import annotations

import os
import signal
import time
from contextlib import suppress
from pathlib import Path
from types import SimpleNamespace
from urllib.parse import quote

import numpy as np
import pytest
import soundfile as sf
from gunicorn.config import Config

from innerbloom.web.serving import _Worker
from tests.servers import Server, running

RATE = 48_000


def workers(server: Server) -> list[int]:
    """Processes of the server that do jobs, and the one that they are forked from."""
    return server.processes("bloom-worker") + server.processes("bloom-preloaded")


def until(there, seconds: float = 60.0):
    end = time.monotonic() + seconds
    while not (found := there()):
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.02)
    return found


def upload(server: Server, path: Path) -> str:
    return server.json("POST", f"/api/recordings?name={quote(path.name)}", data=path.read_bytes())[
        "job"
    ]


def is_worked_on(server: Server, job: str) -> bool:
    """Whether a worker has begun with a job and has not ended it."""
    return (server.root / "jobs" / f"{job}.progress").exists()


def worker_over(server: Server, size: int, besides: set[int]) -> int | None:
    """The worker that reads a file of so many bytes in the incoming folder, besides some."""
    for pid in set(workers(server)) - besides:
        with suppress(OSError):
            for handle in Path(f"/proc/{pid}/fd").iterdir():
                target = handle.readlink()
                if target.parent == server.root / "incoming" and target.stat().st_size == size:
                    return pid
    return None


@pytest.fixture
def server(tmp_path):
    with running(tmp_path / "project") as one:
        yield one


def sound(folder: Path, name: str, seconds: float, seed: int) -> Path:
    random = np.random.default_rng(seed)
    sf.write(
        folder / name, 0.1 * random.standard_normal((round(seconds * RATE), 2)), RATE, "PCM_24"
    )
    return folder / name


def test_what_waits_behind_a_worker_that_is_killed_is_taken_in_all_the_same(server, tmp_path):
    paths = [sound(tmp_path, f"reeds {n}.wav", 120.0 if n == 0 else 1.0, n) for n in range(10)]
    jobs = [upload(server, path) for path in paths]
    until(lambda: is_worked_on(server, jobs[0]))
    for pid in workers(server):
        os.kill(pid, signal.SIGKILL)
    states = [server.ended(job)["state"] for job in jobs]
    assert states == ["done"] * 10
    assert len(server.json("GET", "/api/recordings")["recordings"]) == 10
    assert list((server.root / "incoming").iterdir()) == []


def test_a_file_over_which_the_worker_ends_again_is_set_aside_and_named(server, tmp_path):
    poison = sound(tmp_path, "poison.wav", 240.0, 1)
    content = poison.read_bytes()
    first = upload(server, poison)
    rest = [upload(server, sound(tmp_path, f"stones {n}.wav", 0.5, n)) for n in range(3)]
    killed: set[int] = set()
    for _ in range(2):
        # others may be at the stones, and one of them may take the poison over at once
        pid = until(lambda: worker_over(server, len(content), besides=killed))
        os.kill(pid, signal.SIGKILL)
        killed.add(pid)
    told = server.ended(first)
    assert told["state"] == "failed"
    assert (
        "ended again and again over 'poison.wav': it is set aside as 'set aside/poison"
        in told["error"]
    )
    (kept,) = (server.root / "set aside").iterdir()
    assert kept.read_bytes() == content
    assert [server.ended(job)["state"] for job in rest] == ["done"] * 3


def test_one_recording_that_comes_in_many_times_at_once_is_on_the_shelf_once(server, tmp_path):
    content = sound(tmp_path, "reeds.wav", 3.0, 1).read_bytes()
    jobs = [
        server.json("POST", f"/api/recordings?name=reeds%20{n}.wav", data=content)["job"]
        for n in range(8)
    ]
    assert [server.ended(job)["state"] for job in jobs] == ["done"] * 8
    assert len(server.json("GET", "/api/recordings")["recordings"]) == 1
    assert list((server.root / "incoming").iterdir()) == []


def test_without_the_process_that_workers_are_forked_from_work_goes_on(server, tmp_path):
    first = upload(server, sound(tmp_path, "reeds.wav", 1.0, 1))
    assert server.ended(first)["state"] == "done"
    there = workers(server)
    (source,) = server.processes("bloom-preloaded")
    os.kill(source, signal.SIGKILL)
    until(lambda: not set(there) & set(workers(server)))
    second = upload(server, sound(tmp_path, "stones.wav", 1.0, 2))
    assert server.ended(second)["state"] == "done"


def test_a_server_that_is_stopped_at_work_ends_by_itself_and_goes_on_at_its_next_start(tmp_path):
    root = tmp_path / "project"
    with running(root) as server:
        job = upload(server, sound(tmp_path, "reeds.wav", 150.0, 1))
        until(lambda: is_worked_on(server, job))
        server.interrupt()
        until(lambda: server.processes() == [])
    told = (tmp_path / "server.log").read_text()
    assert [one for one in ("SIGKILL", "Traceback", "did not end by itself") if one in told] == []
    with running(root) as again:
        assert again.ended(job)["state"] == "done"


def test_a_server_that_is_stopped_while_it_still_loads_says_nothing_of_it(tmp_path):
    with running(tmp_path / "project") as server:
        server.interrupt()
        until(lambda: server.processes() == [])
    told = (tmp_path / "server.log").read_text()
    assert "Traceback" not in told


def test_who_is_told_to_quit_again_on_the_way_out_does_not_wait_for_itself():
    """As a terminal and the arbiter do, the second while the first closes a pool under its lock."""
    worker, closed = object.__new__(_Worker), []

    class Pool:
        def shutdown(self, wait: bool) -> None:
            closed.append(wait)
            worker.handle_quit(signal.SIGQUIT, None)

    worker.app = SimpleNamespace(let_go=lambda: None)
    worker.tpool, worker.cfg = Pool(), Config()
    with pytest.raises(SystemExit):
        worker.handle_quit(signal.SIGINT, None)
    assert closed == [False]
