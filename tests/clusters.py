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
_LONG_S = 300.0


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
def running(folder: Path, workers: int, *, way: str = "tcp", env: dict[str, str] | None = None):
    """A scheduler with so many workers of one process each, gone with the context.

    ``env`` is theirs; ``way`` begins their addresses.
    """
    port = free_port()
    address = f"{way}://127.0.0.1:{port}"
    scheduler = [
        BIN / "dask",
        "scheduler",
        "--host",
        f"{way}://127.0.0.1",
        "--port",
        port,
        "--no-dashboard",
    ]
    with ExitStack() as stack:
        stack.enter_context(_process(scheduler, folder / "scheduler.log", env))
        _until(lambda: _answers(port))
        started = []
        for number in range(workers):
            # beside other tests they would not get far if they stepped aside
            words = [BIN / "bloom", "worker", address, "--processes", 1, "--nice", 0,
                     "--folder", folder / f"worker{number}"]  # fmt: skip
            log = folder / f"worker{number}.log"
            started.append(stack.enter_context(_process(words, log, env)))
        _until(lambda: all(_works(folder / f"worker{n}.log") for n in range(workers)))
        yield TestCluster(address, started)


def _works(log: Path) -> bool:
    return "works for" in log.read_text()


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
