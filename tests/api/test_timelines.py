"""Timelines over HTTP: worked on, measured, handed over, heard."""

from __future__ import annotations

import io
import json
import subprocess
import time
import zipfile
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.timeline.mix import MIX_RATE
from innerbloom.live.messages import parse_message
from innerbloom.live.session import LiveSession
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import DiskMaterials
from tests.conftest import Shelf
from tests.films import EDL, write_film


@pytest.fixture
def timeline(client) -> int:
    return client.post("/api/timelines", json={"name": "The announcement"}).json["id"]


def added(shelf, path: Path) -> int:
    return shelf.recording(path)["id"]


@pytest.fixture
def wire(shelf, write_wav) -> int:
    noise = np.random.default_rng(4).uniform(-0.3, 0.3, (6 * MIX_RATE, 2))
    return added(shelf, write_wav(noise, name="wire.wav"))


def ended(client, job: str) -> dict:
    return Shelf(client).ended(job)


def act(client, timeline: int, expect: int = 200, **action):
    revision = client.get(f"/api/timelines/{timeline}").json["revision"]
    answer = client.post(
        f"/api/timelines/{timeline}/act", json={"action": {"revision": revision, **action}}
    )
    assert answer.status_code == expect, answer.json
    return answer.json


def film(client, timeline: int, path: Path) -> dict:
    job = client.post(
        f"/api/timelines/{timeline}/film", query_string={"name": path.name}, data=path.read_bytes()
    )
    return ended(client, job.json["job"])


def ready(client, timeline: int) -> dict:
    job = client.post(f"/api/timelines/{timeline}/measure").json["job"]
    assert ended(client, job)["state"] == "done"
    return client.get(f"/api/timelines/{timeline}/ready").json


def test_a_film_comes_in_and_gives_its_clock(client, timeline, tmp_path):
    path = tmp_path / "shots.mp4"
    write_film(path, [shot for shot in (3, 40, 11) for _ in range(25)], Fraction(25))
    assert film(client, timeline, path)["state"] == "done"
    document = client.get(f"/api/timelines/{timeline}").json["document"]
    assert (document["rate"], document["frames"]) == ("25", 75)
    assert document["film"]["name"] == "shots.mp4"
    found = act(client, timeline, do="scenes at cuts")["document"]
    assert [one["start"] for one in found["scenes"]] == [0, 25, 50]
    proxy = client.get(
        f"/api/films/{document['film']['digest']}/proxy", headers={"Range": "bytes=0-99"}
    )
    assert proxy.status_code == 206
    assert len(proxy.data) == 100
    # a film that is known is ready at once, and is undone as anything else
    client.post(f"/api/timelines/{timeline}/undo", json={"revision": 2})
    undone = client.post(f"/api/timelines/{timeline}/undo", json={"revision": 3}).json["document"]
    assert undone["film"] is None
    assert undone["frames"] == 1_440


@pytest.mark.parametrize("data", [b"no film at all", b"\0" * 4_000])
def test_what_is_no_film_is_said_by_its_own_name(client, timeline, tmp_path, data):
    path = tmp_path / "holiday pictures.mp4"
    path.write_bytes(data)
    told = film(client, timeline, path)
    assert told["state"] == "failed"
    assert "holiday pictures.mp4" in told["error"]
    assert client.get(f"/api/timelines/{timeline}").json["revision"] == 0


def test_scenes_are_read_from_a_list(client, timeline):
    def read(name: str, data: bytes):
        query = {
            "name": name,
            "revision": client.get(f"/api/timelines/{timeline}").json["revision"],
        }
        return client.post(f"/api/timelines/{timeline}/scenes", query_string=query, data=data)

    assert [one["name"] for one in read("film.edl", EDL.encode()).json["document"]["scenes"]] == ["SURFACE", "UNDER THE PANES"]  # fmt: skip
    bad = read("film.edl", b"what is this")
    assert bad.status_code == 400
    assert bad.json["message"].count("\n") == 0
    assert client.get(f"/api/timelines/{timeline}").json["undo"] == "Scenes of film.edl"


def test_from_an_empty_timeline_to_stems_and_what_changed_since(client, timeline, wire, tmp_path):
    told = ready(client, timeline)
    assert told["wrong"]
    assert client.post(f"/api/timelines/{timeline}/hand-over").status_code == 409
    act(client, timeline, do="add scene", frame=0)
    act(client, timeline, do="place", recording=wire, frame=24)
    lane = act(client, timeline, do="place", recording=wire, frame=240)["document"]["lanes"][0][
        "id"
    ]
    act(client, timeline, do="place", recording=wire, frame=200, lane=lane)
    told = ready(client, timeline)
    assert told["measure"]["loudness"] == pytest.approx(-23 - told["raised"], abs=0.02)
    assert any(
        "recordist" in one["text"] or "recorded" in one["text"]
        for one in told["findings"]
        if not one["right"]
    )
    assert [one for one in told["findings"] if one["mend"] == "name"]
    assert told["wrong"]
    twin = next(one for one in told["findings"] if one["mend"] == "name")
    act(client, timeline, do="mend", what="name", owner=twin["owner"])
    job = client.post(f"/api/timelines/{timeline}/hand-over").json["job"]
    result = ended(client, job)
    assert result["state"] == "done", result
    data = client.get(f"/api/jobs/{job}/file").data
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        archive.extractall(tmp_path)
    path = tmp_path / "stems.zip"
    path.write_bytes(data)
    assert subprocess.run(["unzip", "-tq", str(path)], capture_output=True).returncode == 0
    folder = tmp_path / "The_announcement"
    made = json.loads((folder / "recipes.json").read_text())["sounds"]
    assert [(one["name"], one["kind"]) for one in made] == [("wire", "recording")]
    assert (
        subprocess.run(
            ["sha256sum", "-c", "SHA256SUMS"], cwd=folder, capture_output=True
        ).returncode
        == 0
    )
    assert sf.info(folder / "The_announcement_whole.wav").frames == 60 * MIX_RATE
    told = client.get(f"/api/timelines/{timeline}/ready").json
    assert told["handed"]["stems"] == 2
    assert told["handed"]["changed"] == []
    act(client, timeline, do="move clip", clip="c1", frame=30)
    assert client.get(f"/api/timelines/{timeline}/ready").json["handed"]["changed"] == [
        "lane 'wire'"
    ]


def test_clips_are_worked_on_and_unended(client, timeline, wire):
    act(client, timeline, do="place", recording=wire, frame=24)
    act(client, timeline, do="trim clip", clip="c1", frame=48, end=9_999)
    found = act(client, timeline, do="split clip", clip="c1", frame=72)["document"]
    clips = found["lanes"][0]["clips"]
    assert [one["start"] for one in clips] == [48, 72]
    assert sum(one["seconds"] for one in clips) == pytest.approx(5.005)
    act(client, timeline, do="duplicate clip", clip="c1")
    act(client, timeline, do="remove clip", clip="c2")
    act(client, timeline, 400, do="remove clip", clip="c2")
    act(client, timeline, 400, do="split clip", clip="c1", frame=5)
    step = client.post(f"/api/timelines/{timeline}/undo", json={"revision": 5}).json
    assert step["redo"] == "Remove a clip"
    outlines = client.get(f"/api/timelines/{timeline}/outlines").json["outlines"]
    assert len(outlines) == 1
    assert outlines[0]["seconds"] == pytest.approx(6.0)
    assert min(outlines[0]["pairs"]) < -20
    assert max(map(abs, outlines[0]["pairs"])) <= 127


def test_the_clock_is_set_and_refused_where_it_cannot_be(client, timeline):
    found = act(client, timeline, do="set clock", rate="29.97", drop=True, start="10:00:00;00")[
        "document"
    ]
    assert found["start"] == 10 * 107_892
    act(client, timeline, 400, do="set clock", rate="24", start="25:00:00:00")
    act(client, timeline, 422, do="set clock", rate="26", start="01:00:00:00")
    assert act(client, timeline, do="set length", end="10:00:10;00")["document"]["frames"] == 300
    act(client, timeline, 400, do="set length", end="10:00:00;00")
    act(client, timeline, 409, do="scenes at cuts")


def test_what_is_gone_is_said_and_kept_from_being_handed_over(client, timeline, wire, tmp_path):
    act(client, timeline, do="place", recording=wire, frame=24)
    for path in (tmp_path / "project" / "recordings").rglob("*.wav"):
        path.unlink()
    told = client.get(f"/api/timelines/{timeline}/ready").json
    assert told["missing"] == ["c1"]
    assert told["findings"][0]["mend"] == "drop"
    assert client.post(f"/api/timelines/{timeline}/hand-over").status_code == 409
    assert client.get(f"/api/timelines/{timeline}/outlines").json["outlines"] == []


def test_an_older_revision_is_refused(client, timeline):
    act(client, timeline, do="add lane")
    answer = client.post(
        f"/api/timelines/{timeline}/act", json={"action": {"do": "add lane", "revision": 0}}
    )
    assert answer.status_code == 409


def test_deleted_and_back(client, timeline):
    assert client.delete(f"/api/timelines/{timeline}").status_code == 204
    assert client.get(f"/api/timelines/{timeline}").status_code == 404
    assert (
        client.post(f"/api/timelines/{timeline}/restore").json["document"]["name"]
        == "The announcement"
    )
    assert [one["id"] for one in client.get("/api/timelines").json["timelines"]] == [timeline]


# -- heard ----------------------------------------------------------------------


class Page(LiveSession):
    def say(self, **message):
        return self.take(parse_message(json.dumps(message)))

    def hear(self, seconds: float) -> np.ndarray:
        blocks = round(seconds * MIX_RATE / 256)
        return np.frombuffer(b"".join(self.block() for _ in range(blocks)), "<f4").reshape(-1, 2)

    def begun(self) -> None:
        for _ in range(300):
            self.loaded()
            if self.look()["listening"] is not None:
                return
            time.sleep(0.01)
        raise AssertionError("nothing is heard")


@pytest.fixture
def page(client, tmp_path) -> Page:
    store = FileStore(tmp_path / "project")
    return Page(DiskMaterials(store), store)


def test_it_is_heard_from_any_moment_on_as_it_is_mixed(client, timeline, wire, page, tmp_path):
    document = act(client, timeline, do="place", recording=wire, frame=24)["document"]
    page.say(do="listen", id=7, timeline=document, at=0.5)
    page.begun()
    sound = page.hear(2.0)
    own, _ = sf.read(tmp_path / "wire.wav", dtype="float32")
    begins = int(np.flatnonzero(np.abs(sound).max(axis=1) > 1e-6)[0])
    # the limiter looks ahead by some milliseconds
    assert 0 <= begins - MIX_RATE // 2 < 0.01 * MIX_RATE
    inside = slice(begins + 1_000, 2 * MIX_RATE - 512)
    np.testing.assert_allclose(
        sound[inside], own[1_000 : 1_000 + inside.stop - inside.start], atol=1e-4
    )
    assert page.look()["listening"] == pytest.approx(2.5, abs=0.006)
    page.say(do="hush")
    page.hear(0.1)
    assert page.look()["listening"] is None


def test_a_change_while_it_is_heard_goes_on_without_a_click(
    client, shelf, timeline, page, write_wav
):
    tone = added(
        shelf,
        write_wav(
            0.3 * np.sin(2 * np.pi * 220 * np.arange(6 * MIX_RATE) / MIX_RATE), name="tone.wav"
        ),
    )
    document = act(client, timeline, do="place", recording=tone, frame=0)["document"]
    page.say(do="listen", id=1, timeline=document, at=0.5)
    page.begun()
    before = page.hear(0.5)
    document["lanes"][0]["gain"] = -12.0
    page.say(do="change timeline", document=document, gain=0.0)
    lower = np.abs(before[-4_800:]).max() * 10 ** (-12 / 20)
    pieces = [page.hear(0.1)]
    # it is opened beside the sound: heard as soon as it is there
    while np.abs(pieces[-1][-4_000:]).max() > 1.02 * lower and len(pieces) < 50:
        time.sleep(0.02)
        pieces.append(page.hear(0.1))
    after = np.concatenate(pieces)
    assert np.abs(after[-4_000:]).max() == pytest.approx(lower, rel=0.02)
    whole = np.concatenate((before[4_800:], after))[:, 0].astype(float)
    # nothing above 6 kHz but what a tone of 220 Hz has: -60 dB
    from scipy.signal import butter, sosfilt

    high = sosfilt(butter(8, 6_000, "high", fs=MIX_RATE, output="sos"), whole)[2_000:]
    assert 20 * np.log10(np.abs(high).max() / 0.3) < -60


def test_what_cannot_be_heard_is_said(page):
    page.say(do="listen", id=1, timeline={"name": ""}, at=0)
    for _ in range(100):
        answer = page.loaded()
        if answer:
            break
        time.sleep(0.02)
    assert answer["is"] == "problem"
    assert "timeline cannot be read" in answer["text"]
