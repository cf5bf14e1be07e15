"""A Dask scheduler and workers on loopback, as processes of their own."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from contextlib import ExitStack, contextmanager
from pathlib import Path

BIN = Path(sys.executable).parent
_LONG_S = 90.0


class TestCluster:
    """An address, and the processes behind it."""

    __test__ = False

    def __init__(self, address: str, workers: list[subprocess.Popen]) -> None:
        self.address, self.workers = address, workers

    def kill(self, number: int) -> None:
        """Kill a worker and its processes, as a machine that goes away."""
        os.killpg(self.workers[number].pid, signal.SIGKILL)
        self.workers[number].wait(10)


def free_port() -> int:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        return int(taken.getsockname()[1])


@contextmanager
def running(folder: Path, workers: int, *more: str, env: dict[str, str] | None = None):
    """A scheduler with so many workers of one process each, gone with the context."""
    port = free_port()
    address = f"tcp://127.0.0.1:{port}"
    scheduler = [
        BIN / "dask",
        "scheduler",
        "--host",
        "127.0.0.1",
        "--port",
        str(port),
        "--no-dashboard",
    ]
    with ExitStack() as stack:
        stack.enter_context(_process(scheduler, folder / "scheduler.log"))
        _until(lambda: _answers(port))
        started = [
            stack.enter_context(_process(
                [BIN / "bloom", "worker", address, "--processes", "1", "--folder", folder / f"worker{n}", *more],
                folder / f"worker{n}.log", env,
            )) for n in range(workers)
        ]  # fmt: skip
        _until(
            lambda: all(
                "works for" in (folder / f"worker{n}.log").read_text() for n in range(workers)
            )
        )
        yield TestCluster(address, started)


@contextmanager
def _process(words, log: Path, env: dict[str, str] | None = None):
    with log.open("w") as out:
        one = subprocess.Popen([str(word) for word in words], stdout=out, stderr=out, cwd=log.parent,
                               start_new_session=True, env={**os.environ, **(env or {})})  # fmt: skip
        try:
            yield one
        finally:
            if one.poll() is None:
                os.killpg(one.pid, signal.SIGKILL)
                one.wait(20)


def _answers(port: int) -> bool:
    with socket.socket() as trying:
        return trying.connect_ex(("127.0.0.1", port)) == 0


def _until(there) -> None:
    until = time.monotonic() + _LONG_S
    while not there():
        assert time.monotonic() < until, "the cluster did not start"
        time.sleep(0.1)
