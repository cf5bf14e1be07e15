"""Disks that are full, small or lose power, and clocks that jump."""

from __future__ import annotations

import errno
import hashlib
import io
import json
import os
import shutil
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from innerbloom.live.server import TICKET_S, Tickets
from innerbloom.store import tidying
from innerbloom.store.ages import age_s
from innerbloom.store.captures import Captures
from innerbloom.store.settings import read_settings
from innerbloom.web.app import create_app
from innerbloom.web.services import services
from tests.conftest import RATE, FakeLive, Shelf, harmonic_tone
from tests.servers import BLOOM, free_port

SECOND = (0.1 * np.sin(np.arange(RATE) / 20)).astype("<f4").tobytes()


def tone(hz: float = 220.0, seconds: float = 1.0) -> bytes:
    made = io.BytesIO()
    sf.write(made, harmonic_tone(hz, seconds), RATE, "PCM_24", format="WAV")
    return made.getvalue()


class Disk:
    """A disk that may lose its power: it has what was synced, under the names that were.

    A file's content is what it was at its last fsync(2), and it has its name once its folder was synced, too.
    SQLite syncs by itself, which cannot be seen from here; its files count as they are (it promises so with
    ``synchronous=FULL``, sqlite.org/pragma.html#pragma_synchronous).
    """

    def __init__(self, root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        self.root = root
        self._content: dict[int, bytes] = {}
        self._names: dict[Path, int] = {}
        self._sync = os.fsync
        monkeypatch.setattr(os, "fsync", self._fsync)

    def _fsync(self, handle: int) -> None:
        self._sync(handle)
        path = Path(os.readlink(f"/proc/self/fd/{handle}"))
        if path.is_dir():
            self._names = {k: v for k, v in self._names.items() if k.parent != path}
            self._names |= {one: one.stat().st_ino for one in path.iterdir() if one.is_file()}
        else:
            self._content[path.stat().st_ino] = path.read_bytes()

    def after_a_loss(self, folder: Path) -> Path:
        """What is there when power is back, as another folder."""
        made = folder / "after"
        for path in self.root.rglob("*"):
            if path.is_dir():
                (made / path.relative_to(self.root)).mkdir(parents=True, exist_ok=True)
            elif path.name.startswith("project.sqlite3") or path.name == "about.json":
                (made / path.relative_to(self.root)).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy(path, made / path.relative_to(self.root))
        for path, number in self._names.items():
            if number in self._content and path.is_relative_to(self.root):
                kept = made / path.relative_to(self.root)
                kept.parent.mkdir(parents=True, exist_ok=True)
                kept.write_bytes(self._content[number])
        return made


class Never:
    """Takes jobs and never begins with any, as if power went before."""

    def submit(self, *_: object, **__: object):
        from concurrent.futures import Future

        return Future()

    def shutdown(self, *_: object, **__: object) -> None:
        pass


@pytest.fixture
def disk(tmp_path, monkeypatch) -> Disk:
    return Disk(tmp_path / "project", monkeypatch)


@pytest.fixture
def waiting(disk) -> Iterator[Shelf]:
    """An application whose jobs do not begin."""
    app = create_app(disk.root, FakeLive(), make_executor=lambda **_: Never())
    with app.test_client() as client:
        yield Shelf(client)


def opened_again(root: Path) -> Shelf:
    from concurrent.futures import ThreadPoolExecutor

    app = create_app(root, FakeLive(), make_executor=lambda **_: ThreadPoolExecutor(1))
    return Shelf(app.test_client())


class TestLossOfPower:
    def test_an_upload_that_was_acknowledged_is_there(self, waiting, disk, tmp_path):
        data = tone()
        answer = waiting.client.post(
            "/api/recordings", query_string={"name": "tone.wav"}, data=data
        )
        assert answer.status_code == 202
        again = opened_again(disk.after_a_loss(tmp_path))
        assert again.ended(answer.json["job"])["state"] == "done"
        found = again.client.get("/api/recordings").json["recordings"]
        assert [one["digest"] for one in found] == [hashlib.sha256(data).hexdigest()]

    def test_so_are_pieces_of_a_capture(self, waiting, disk, tmp_path):
        begun = waiting.client.post("/api/captures", json={"rate": RATE, "channels": 1}).json
        for number in range(3):
            put = waiting.client.put(f"/api/captures/{begun['id']}/{number}", data=SECOND)
            assert put.status_code == 200
        again = opened_again(disk.after_a_loss(tmp_path))
        (left,) = again.client.get("/api/captures").json["captures"]
        assert left["seconds"] == 3.0

    def test_a_recording_on_the_shelf_has_its_file(self, shelf, tmp_path, monkeypatch):
        with shelf.client.application.app_context():
            root = services().files.root
        disk = Disk(root, monkeypatch)
        path = tmp_path / "tone.wav"
        path.write_bytes(tone(330.0))
        recording = shelf.recording(path)
        after = disk.after_a_loss(tmp_path)
        kept = list((after / "recordings" / recording["digest"][:2]).iterdir())
        assert [hashlib.sha256(one.read_bytes()).hexdigest() for one in kept] == [
            recording["digest"]
        ]

    def test_the_simulation_forgets_what_was_not_synced(self, disk, tmp_path):
        disk.root.mkdir()
        (disk.root / "careless").write_bytes(b"gone")
        synced = disk.root / "careful"
        synced.write_bytes(b"kept")
        for one in (synced, disk.root):
            handle = os.open(one, os.O_RDONLY)
            os.fsync(handle)
            os.close(handle)
        synced.write_bytes(b"written later, and lost")
        after = disk.after_a_loss(tmp_path)
        assert {one.name: one.read_bytes() for one in after.iterdir()} == {"careful": b"kept"}


def test_a_capture_on_a_full_disk_is_said_and_goes_on_when_there_is_room(client, monkeypatch):
    capture = client.post("/api/captures", json={"rate": RATE, "channels": 1}).json["id"]
    assert client.put(f"/api/captures/{capture}/0", data=SECOND).status_code == 200

    def full(*_: object, **__: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as on:
        on.setattr(os, "replace", full)
        refused = client.put(f"/api/captures/{capture}/1", data=SECOND)
    assert refused.status_code == 507
    assert refused.json["message"] == "The disk is full: make room and try again."
    assert client.get("/api/captures").json["captures"][0]["seconds"] == 1.0
    assert client.put(f"/api/captures/{capture}/1", data=SECOND).json["seconds"] == 2.0
    with client.application.app_context():
        files = services().files
    assert not list((files.captures / capture).glob(".*"))


def test_files_may_be_limited_in_size(tmp_path):
    """``ulimit -f``: a sentence for what is too large, and nothing of it left."""
    import subprocess
    import urllib.error
    import urllib.request

    root, port = tmp_path / "project", free_port()
    command = f"ulimit -f 3000; exec {BLOOM} serve --folder {root} --port {port}"
    log = (tmp_path / "log").open("wb")
    served = subprocess.Popen(["bash", "-c", command], stdout=log, stderr=log)
    address = f"http://127.0.0.1:{port}/api"

    said: list[str] = []

    def sent(data: bytes) -> int:
        request = urllib.request.Request(f"{address}/recordings?name=tone.wav", data, method="POST")
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return int(answer.status)
        except urllib.error.HTTPError as error:
            said.append(json.loads(error.read())["message"])
            return error.code

    try:
        until = time.monotonic() + 120
        while True:
            try:
                urllib.request.urlopen(f"{address}/settings", timeout=10).read()
                break
            except OSError:
                assert time.monotonic() < until
                time.sleep(0.1)
        # blocks of 1024 bytes: three megabytes are the most
        assert sent(tone(seconds=30.0)) == 507
        assert list((root / "incoming").iterdir()) == []
        assert sent(tone()) == 202
    finally:
        served.terminate()
        served.wait(60)
    assert said == ["The disk refused: File too large."]


class TestClocks:
    def test_a_ticket_is_good_for_a_while_and_once(self, monkeypatch):
        now = time.monotonic()
        monkeypatch.setattr(time, "monotonic", lambda: now)
        tickets = Tickets()
        for name in ("early", "late"):
            tickets.add(name, "http://here")
        now += TICKET_S - 0.1
        assert tickets.use("early", "http://here")
        assert not tickets.use("early", "http://here")
        now += 0.2
        assert not tickets.use("late", "http://here")

    @pytest.mark.parametrize("jump", [-3_650, -1, 1, 3_650])
    def test_whatever_day_it_is_what_was_made_stays(self, shelf, tone_file, monkeypatch, jump):
        recording = shelf.recording(tone_file)
        made = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
        capture = shelf.client.post("/api/captures", json={"rate": RATE, "channels": 1}).json["id"]
        shelf.client.put(f"/api/captures/{capture}/0", data=SECOND)
        truly = time.time
        monkeypatch.setattr(time, "time", lambda: truly() + 86_400 * jump)
        with shelf.client.application.app_context():
            held = services()
            with held.sessions() as db:
                tidying.tidy(held.files, db, read_settings(db))
            Captures(held.files).sweep()
        assert (
            shelf.client.get(f"/api/instruments/{made['id']}").json["document"] == made["document"]
        )
        assert len(shelf.client.get("/api/recordings").json["recordings"]) == 1
        (left,) = shelf.client.get("/api/captures").json["captures"]
        assert left["seconds"] == 1.0
        assert not left["running"]

    def test_a_file_of_the_future_is_not_new(self, tmp_path):
        path = tmp_path / "x"
        path.touch()
        assert age_s(path) < 60
        os.utime(path, (time.time() + 9_000, time.time() + 9_000))
        assert age_s(path) == pytest.approx(9_000, abs=60)
        assert age_s(tmp_path / "none") == float("inf")
