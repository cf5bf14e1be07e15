"""A project folder has one server at a time, its port is the one that was asked for, and it is private."""

from __future__ import annotations

import os
import shutil
import socket
import sqlite3
import stat
import subprocess
import time
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
import soundfile as sf

from innerbloom.store.folder_lock import FolderInUse, folder_lock
from tests.servers import BLOOM, Server, free_port, running


def serve(root: Path, port: int) -> subprocess.CompletedProcess[str]:
    """A ``bloom serve`` that is expected to refuse."""
    command = [str(BLOOM), "serve", "--folder", str(root), "--port", str(port)]
    return subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)


def wait_for(there) -> None:
    end = time.monotonic() + 60
    while not there():
        assert time.monotonic() < end
        time.sleep(0.05)


def test_a_second_server_says_where_the_first_is_and_touches_nothing(tmp_path):
    root = tmp_path / "project"
    with running(root) as first:
        waiting = root / "incoming" / "waiting.wav"
        waiting.write_bytes(b"on its way in")
        refused = serve(root, free_port())
        assert refused.returncode == 1
        assert f"in use by process {first._process.pid} at {first.url}" in refused.stderr
        assert "Traceback" not in refused.stderr
        assert waiting.read_bytes() == b"on its way in"
        assert first.json("GET", "/api/jobs")["jobs"] == []


def test_a_demo_is_not_made_anew_while_it_is_served(tmp_path):
    root = tmp_path / "project"
    with running(root):
        command = [str(BLOOM), "demo", "--folder", str(root), "--fresh", "--prepare-only"]
        refused = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
        assert refused.returncode == 1
        assert "in use" in refused.stderr
        assert (root / "project.sqlite3").is_file()


def test_a_killed_server_leaves_the_folder_free(tmp_path):
    root = tmp_path / "project"
    Server(root).kill()
    with running(root) as again:
        assert again.json("GET", "/api/recordings")["recordings"] == []


def test_a_port_that_was_asked_for_and_is_taken_is_said(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        refused = serve(tmp_path / "project", port)
    assert refused.returncode == 1
    assert f"Port {port}" in refused.stderr
    assert not (tmp_path / "project").exists()


def test_a_damaged_database_is_said_and_its_daily_copy_goes_on(tmp_path):
    root = tmp_path / "project"
    with running(root) as first:
        first.json("PATCH", "/api/settings", {"project": "The pump house"})
        wait_for(lambda: list((root / "backups").glob("*.sqlite3")))
    database = root / "project.sqlite3"
    # one file, however early it ended
    assert not (root / "project.sqlite3-wal").exists()
    (copy,) = (root / "backups").iterdir()
    assert sqlite3.connect(copy).execute("PRAGMA integrity_check").fetchone() == ("ok",)
    database.write_bytes(b"\xa5" * database.stat().st_size)
    refused = serve(root, free_port())
    assert refused.returncode == 1
    assert f"is damaged: say --restore to go on with its copy of {copy.stem}" in refused.stderr
    assert "Traceback" not in refused.stderr
    with running(root, "--restore") as again:
        assert again.json("GET", "/api/recordings")["recordings"] == []
    (aside,) = root.glob("project damaged *.sqlite3")
    assert set(aside.read_bytes()) == {0xA5}


def test_what_lies_in_a_project_is_for_its_owner(tmp_path):
    root = tmp_path / "project"
    with running(root):
        modes = {}
        for path in (root, *root.rglob("*")):
            # the day's copy of the database is being made meanwhile, beside its name
            with suppress(FileNotFoundError):
                modes[path] = stat.S_IMODE(path.stat().st_mode)
    assert root / "project.sqlite3" in modes
    assert {path: oct(mode) for path, mode in modes.items() if mode & 0o077} == {}


def test_a_lock_that_says_nothing_yet_still_holds(tmp_path):
    with folder_lock(tmp_path):
        (tmp_path / ".in-use").write_text("{")
        with pytest.raises(FolderInUse, match="another process"), folder_lock(tmp_path):
            pass
    with folder_lock(tmp_path):
        pass


@pytest.mark.skipif(shutil.which("setpriv") is None, reason="no setpriv(1) to be somebody else by")
def test_a_folder_that_cannot_be_written_is_said_in_a_sentence():
    # nobody, who owns nothing here; root would be let in
    as_nobody = ["setpriv", "--reuid", "65534", "--clear-groups"] if os.geteuid() == 0 else []
    with TemporaryDirectory() as place:
        Path(place).chmod(0o755)
        folder = Path(place) / "theirs"
        folder.mkdir(mode=0o555)
        for root in (folder, folder / "project"):
            command = [
                *as_nobody,
                str(BLOOM),
                "serve",
                "--folder",
                str(root),
                "--port",
                str(free_port()),
            ]
            done = subprocess.run(
                command,
                capture_output=True,
                text=True,
                timeout=60,
                env={**os.environ, "HOME": place},
            )
            assert done.returncode == 1
            assert "Permission denied." in done.stderr
            assert len(done.stderr.splitlines()) == 1


def test_a_server_whose_workers_are_ended_with_it_says_nothing(tmp_path):
    """A service manager ends all processes at once, while files are being taken in and others wait."""
    sf.write(tmp_path / "wire.wav", 0.1 * np.sin(0.03 * np.arange(40 * 48_000)), 48_000)
    data = (tmp_path / "wire.wav").read_bytes()
    server = Server(tmp_path / "project")
    for number in range(6):
        server.json("POST", f"/api/recordings?name={number}.wav", data=data + bytes([number]) * 8)
    server.terminate_all()
    assert "Traceback" not in (tmp_path / "server.log").read_text()
    again = Server(tmp_path / "project")
    try:
        # what came in is taken up by the next one
        until = time.monotonic() + 120
        while len(again.json("GET", "/api/recordings")["recordings"]) < 6:
            assert time.monotonic() < until
            time.sleep(0.2)
    finally:
        again.stop()
