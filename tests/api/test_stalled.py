"""Connections that stall hold nothing up for long, and an engine that compiles ends with whom it is for."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

from innerbloom.web.serving import _THREADS, STALLED_S
from tests.servers import processes_of, running


def connected(port: int, head: bytes) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port))
    made.sendall(head)
    return made


def test_stalled_requests_give_their_threads_back(tmp_path):
    half = b"GET /api/settings HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: "
    with running(tmp_path / "project") as server:
        held = [connected(server.port, half) for _ in range(2 * _THREADS)]
        try:
            until = time.monotonic() + 4 * STALLED_S
            while True:
                try:
                    assert server.json("GET", "/api/recordings")["recordings"] == []
                    break
                except OSError:
                    assert time.monotonic() < until
        finally:
            for one in held:
                one.close()


def test_an_upload_that_stalls_is_said_and_leaves_nothing(tmp_path):
    root = tmp_path / "project"
    head = (
        b"POST /api/recordings?name=wire.wav HTTP/1.1\r\nHost: 127.0.0.1:%d\r\n"
        b"Content-Length: 100000\r\n\r\nRIFF"
    )
    with running(root) as server:
        upload = connected(server.port, head % server.port)
        upload.settimeout(3 * STALLED_S)
        answer = upload.recv(65_536)
        while b"stalled" not in answer:
            more = upload.recv(65_536)
            assert more, answer
            answer += more
        assert answer.startswith(b"HTTP/1.1 408")
        assert list((root / "incoming").iterdir()) == []
        assert server.json("GET", "/api/recordings")["recordings"] == []


_STARTER = """
import sys, time
from pathlib import Path
from innerbloom.live.supervisor import LiveProcess

live = LiveProcess(Path(sys.argv[1]))
time.sleep(600)
"""


def test_an_engine_that_compiles_ends_with_its_parent_and_so_do_its_workers(tmp_path):
    # nothing is compiled there yet, so that it takes a minute
    there = {**os.environ, "NUMBA_CACHE_DIR": str(tmp_path / "kernels")}
    starter = subprocess.Popen(
        [sys.executable, "-c", _STARTER, tmp_path / "project"], env=there, start_new_session=True
    )
    until = time.monotonic() + 60
    # what they are forked from, the engine, two that compile, and what tracks their resources
    while len(processes_of(starter.pid)) < 7:
        assert time.monotonic() < until
        time.sleep(0.1)
    left = set(processes_of(starter.pid)) - {starter.pid}
    os.kill(starter.pid, signal.SIGKILL)
    starter.wait()
    until = time.monotonic() + 30
    while any(Path(f"/proc/{pid}").exists() and not is_zombie(pid) for pid in left):
        assert time.monotonic() < until, left
        time.sleep(0.1)


def is_zombie(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return True
