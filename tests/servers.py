"""The whole application in processes of its own, as a user runs it."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any
from urllib.parse import quote

BLOOM = Path(sys.executable).with_name("bloom")


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def processes_of(group: int, name: str = "") -> list[int]:
    """Processes of a group, or those of them that monitors of processes show under a name."""
    found = []
    for path in Path("/proc").iterdir():
        with suppress(OSError, ValueError):
            shown = (path / "comm").read_text().rstrip("\n")
            if os.getpgid(int(path.name)) == group and name in ("", shown):
                found.append(int(path.name))
    return found


class Server:
    """A running ``bloom serve``."""

    def __init__(self, root: Path, port: int | None = None, options: tuple[str, ...] = ()) -> None:
        self.root = root
        self.port = port or free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        command = [str(BLOOM), "serve", "--folder", str(root), "--port", str(self.port)]
        command += options
        log = (root.parent / "server.log").open("ab")
        self._process = subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)
        self._wait()

    def _wait(self) -> None:
        for _ in range(1_200):
            try:
                self.json("GET", "/api/settings")
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not start")

    def json(self, method: str, path: str, body: Any = None, data: bytes | None = None) -> Any:
        headers = {}
        if body is not None:
            data, headers = json.dumps(body).encode(), {"Content-Type": "application/json"}
        request = urllib.request.Request(self.url + path, data, headers, method=method)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read() or b"null")

    def ended(self, job: str, within: float = 180.0) -> dict[str, Any]:
        until = time.monotonic() + within
        while time.monotonic() < until:
            state = self.json("GET", f"/api/jobs/{job}")
            if state["state"] not in ("queued", "running"):
                return state
            time.sleep(0.05)
        raise AssertionError("the job did not end")

    def add(self, path: Path) -> dict[str, Any]:
        answer = self.json(
            "POST", f"/api/recordings?name={quote(path.name)}", data=path.read_bytes()
        )
        return self.ended(answer["job"])

    def processes(self, name: str = "") -> list[int]:
        """Its processes, or those that monitors of processes show under a name."""
        return processes_of(self._process.pid, name)

    def engine_pids(self) -> list[int]:
        """The processes of its sound engine."""
        return self.processes("bloom-engine")

    def memory_mb(self) -> list[int]:
        """What its processes hold in memory, the largest first."""
        found = []
        for pid in self.processes():
            status = Path(f"/proc/{pid}/status").read_text().splitlines()
            found += [int(line.split()[1]) // 1024 for line in status if line.startswith("VmRSS")]
        return sorted(found, reverse=True)

    def kill_engine(self) -> None:
        """End the sound engine at once, as a crash would."""
        for pid in self.engine_pids():
            os.kill(pid, signal.SIGKILL)

    def kill(self) -> None:
        """SIGKILL to every process at once."""
        os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait(10)

    def terminate_all(self) -> None:
        """SIGTERM to every process at once, as service managers send it."""
        os.killpg(self._process.pid, signal.SIGTERM)
        self._process.wait(30)

    def interrupt(self) -> None:
        """Stop it as Ctrl+C in a terminal does, which tells all of its processes."""
        os.killpg(self._process.pid, signal.SIGINT)
        self._process.wait(15)

    def stop(self) -> None:
        self._process.terminate()
        try:
            self._process.wait(15)
        except subprocess.TimeoutExpired:
            self.kill()


@contextmanager
def running(root: Path, *options: str) -> Iterator[Server]:
    server = Server(root, options=options)
    try:
        yield server
    finally:
        server.stop()
