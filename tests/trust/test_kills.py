"""SIGKILL to every process at a random moment, over whatever is being done; nothing acknowledged is lost.

Each kill is followed by a start, which takes up what was cut short. What had been acknowledged before the kill
is looked for then: uploads with their hashes, pieces of captures, edits, documents.
"""

from __future__ import annotations

import hashlib
import io
import os
import random
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from contextlib import closing, suppress
from http.client import HTTPException
from pathlib import Path
from typing import Any
from urllib.error import HTTPError

import numpy as np
import pytest
import soundfile as sf
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine

from innerbloom.store.database import MIGRATIONS, migrate, open_database
from tests.conftest import RATE, harmonic_tone
from tests.servers import Server
from tests.trust.conftest import many

KILLS = many(3, 80)
MIGRATION_KILLS = many(4, 20)
SECOND = (0.1 * np.sin(np.arange(RATE) / 20)).astype("<f4").tobytes()


class Done:
    """What was acknowledged."""

    def __init__(self) -> None:
        self.hashes: set[str] = set()
        self.pieces: dict[str, int] = {}
        self.kept: set[str] = set()
        self.revisions: dict[int, int] = {}
        self.faults: list[str] = []

    def acknowledged(self) -> int:
        return len(self.hashes) + sum(self.pieces.values()) + sum(self.revisions.values())


class Doing(threading.Thread):
    """One kind of work against a server, on and on until that is gone."""

    def __init__(self, server: Server, done: Done, what: str, seed: int) -> None:
        super().__init__(daemon=True)
        self._server, self._done, self._what = server, done, what
        self._random = random.Random(seed)

    def run(self) -> None:
        # an answer may be cut off in its middle
        with suppress(OSError, ValueError, HTTPException):
            while True:
                try:
                    getattr(self, f"_{self._what}")()
                except HTTPError as error:
                    if error.code >= 500:
                        self._done.faults.append(f"{self._what}: {error.code} {error.read()!r}")

    def _imports(self) -> None:
        sound = io.BytesIO()
        tone = harmonic_tone(self._random.uniform(80, 800), self._random.uniform(0.2, 1.5))
        sf.write(sound, tone, RATE, "PCM_24", format="WAV")
        data = sound.getvalue()
        self._server.json("POST", "/api/recordings?name=tone.wav", data=data)
        self._done.hashes.add(hashlib.sha256(data).hexdigest())

    def _captures(self) -> None:
        begun = self._server.json("POST", "/api/captures", {"rate": RATE, "channels": 1})
        for number in range(self._random.randint(1, 6)):
            self._server.json("PUT", f"/api/captures/{begun['id']}/{number}", data=SECOND)
            self._done.pieces[begun["id"]] = number + 1
        if self._random.random() < 0.5:
            # whether it was kept is known once that is answered; before, either will do
            self._done.kept.add(begun["id"])
            self._server.json("POST", f"/api/captures/{begun['id']}/keep", {"name": begun["id"]})

    def _edits(self) -> None:
        found = self._server.json("GET", "/api/instruments")["instruments"]
        if not found:
            body = {
                "document": {"name": "x", "layers": [{"id": "l1", "name": "x", "kind": "noise"}]}
            }
            self._server.json("POST", "/api/instruments", body)
            return
        number = found[0]["id"]
        now = self._server.json("GET", f"/api/instruments/{number}")
        level = round(self._random.uniform(-40, 0), 3)
        patch = [{"op": "replace", "path": "/layers/0/settings/level", "value": level}]
        body = {"revision": now["revision"], "label": "Level", "patch": patch}
        self._server.json("PATCH", f"/api/instruments/{number}", body)
        self._done.revisions[number] = now["revision"] + 1

    def _renders(self) -> None:
        found = self._server.json("GET", "/api/instruments")["instruments"]
        if found:
            path = f"/api/instruments/{found[0]['id']}/render"
            self._server.ended(self._server.json("POST", path, {"seconds": 0.3})["job"])
        else:
            self._edits()


WORK = ("imports", "captures", "edits", "renders")


def settled(server: Server) -> list[dict[str, Any]]:
    """All jobs, once none is under way; after eighty kills hundreds of them wait."""
    until, before = time.monotonic() + 180, -1
    while True:
        jobs = server.json("GET", "/api/jobs")["jobs"]
        left = sum(job["state"] in ("queued", "running") for job in jobs)
        if not left:
            return jobs
        if left != before:
            # as long as one after the other ends, all will
            until, before = time.monotonic() + 180, left
        assert time.monotonic() < until, [job for job in jobs if job["state"] != "done"][:20]
        time.sleep(0.1)


def lost(server: Server, done: Done) -> list[str]:
    """What was acknowledged and is not there."""
    known = {one["digest"] for one in server.json("GET", "/api/recordings")["recordings"]}
    found = [f"upload {one[:12]}" for one in done.hashes - known]
    found += [
        f"file {one[:12]}"
        for one in done.hashes & known
        if not any((server.root / "recordings" / one[:2]).glob(f"{one}.*"))
    ]
    left = {one["id"]: one["seconds"] for one in server.json("GET", "/api/captures")["captures"]}
    named = {one["name"] for one in server.json("GET", "/api/recordings")["recordings"]}
    for capture, pieces in done.pieces.items():
        if left.get(capture, 0.0) < pieces and not (capture in done.kept and capture in named):
            found.append(f"capture {capture[:8]}: {pieces} pieces")
    for number, revision in done.revisions.items():
        if server.json("GET", f"/api/instruments/{number}")["revision"] < revision:
            found.append(f"edit {revision} of instrument {number}")
    return found


def test_kills_over_imports_captures_keeps_renders_and_edits(tmp_path, tally):
    root, done, chance = tmp_path / "project", Done(), random.Random(7)
    missing: list[str] = []
    for number in range(KILLS):
        server = Server(root)
        try:
            doing = [Doing(server, done, what, 100 * number + at) for at, what in enumerate(WORK)]
            for one in doing:
                one.start()
            until = time.monotonic() + 60
            before = done.acknowledged()
            while done.acknowledged() == before:
                assert time.monotonic() < until
                time.sleep(0.005)
            time.sleep(chance.uniform(0.0, 1.5))
        finally:
            server.kill()
        for one in doing:
            one.join(60)
        tally.counts["kills"] += 1
    after = Server(root)
    try:
        settled(after)
        missing = lost(after, done)
    finally:
        after.stop()
    with closing(sqlite3.connect(root / "project.sqlite3")) as opened:
        assert opened.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    log = (tmp_path / "server.log").read_text("utf-8", "replace")
    tally.counts |= {"lost": len(missing), "tracebacks": log.count("Traceback"),
                     "acknowledged": len(done.hashes) + len(done.pieces) + len(done.revisions)}  # fmt: skip
    tally.counts["5xx"] = len(done.faults)
    assert missing == []
    assert done.faults == []
    assert "Traceback" not in log, log[-4_000:]


_MIGRATE = """
import sys
from pathlib import Path
from innerbloom.store.database import open_database
print("ready", flush=True)
sys.stdin.readline()
open_database(Path(sys.argv[1]))
print("done", flush=True)
"""


def versions() -> list[str]:
    """Every version that a database may be of, the oldest first."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    found = [one.revision for one in ScriptDirectory.from_config(config).walk_revisions()]
    return found[::-1]


def database_of(version: str, path: Path) -> None:
    engine = create_engine(f"sqlite:///{path}")
    migrate(engine, version)
    engine.dispose()


@pytest.mark.parametrize("version", versions())
def test_kills_in_migrations(version, tmp_path, tally):
    """From every version to the newest: killed on the way, it goes on from where it was."""
    path, chance = tmp_path / "project.sqlite3", random.Random(version)
    count = max(1, MIGRATION_KILLS // len(versions()) + 1)
    for number in range(count):
        path.unlink(missing_ok=True)
        for beside in tmp_path.glob("project.sqlite3-*"):
            beside.unlink()
        database_of(version, path)
        process = subprocess.Popen(
            [sys.executable, "-c", _MIGRATE, path], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        assert process.stdout.readline() == b"ready\n"
        process.stdin.write(b"\n")
        process.stdin.flush()
        time.sleep(chance.uniform(0.0, 0.25) * (number + 1) / count)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        tally.counts["kills"] += 1
        sessions = open_database(path)
        with sessions() as db:
            assert (
                db.connection().exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
                == versions()[-1]
            )
            assert db.connection().exec_driver_sql("PRAGMA integrity_check").scalar() == "ok"
        sessions.kw["bind"].dispose()
