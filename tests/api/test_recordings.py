"""The shelf over HTTP, good files and bad."""

from __future__ import annotations

import errno
import io
import os
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone
from tests.core.test_recordings import BAD_FILES
from tests.full_disks import FullDisk


def test_a_recording_arrives_measured(shelf, tone_file):
    recording = shelf.recording(tone_file)
    assert recording["name"] == "tone"
    assert recording["measured"]["root_note"] == "A3"
    assert recording["measured"]["duration_s"] == 2.0
    listed = shelf.client.get("/api/recordings").json["recordings"]
    assert [entry["id"] for entry in listed] == [recording["id"]]


def test_the_original_is_stored_untouched(shelf, tone_file, tmp_path):
    recording = shelf.recording(tone_file)
    stored = list((tmp_path / "project" / "recordings").rglob("*.wav"))
    assert [path.stem for path in stored] == [recording["digest"]]
    assert stored[0].read_bytes() == tone_file.read_bytes()


def test_a_duplicate_is_recognised(shelf, tone_file):
    first = shelf.recording(tone_file)
    answer = shelf.client.post(
        "/api/recordings", query_string={"name": "again.wav"}, data=tone_file.read_bytes()
    )
    assert answer.status_code == 200
    assert answer.json["recording"] == first["id"]
    assert "already on the shelf" in answer.json["message"]
    assert len(shelf.client.get("/api/recordings").json["recordings"]) == 1


def test_a_database_without_room_is_said_and_loses_nothing(shelf, tone_file):
    shelf.recording(tone_file)
    disk = FullDisk(shelf.client.application.extensions["innerbloom"].sessions)
    made = shelf.client.post("/api/recordings/1/instrument", json={})
    assert made.status_code == 201
    disk.fill()
    refused = shelf.client.post("/api/recordings/1/instrument", json={})
    assert refused.status_code == 507
    assert refused.json["message"] == "The disk is full: make room and try again."
    # what is there can still be read, and what was refused works once there is room
    assert len(shelf.client.get("/api/instruments").json["instruments"]) == 1
    assert shelf.client.get("/api/recordings").status_code == 200
    disk.make_room()
    assert shelf.client.post("/api/recordings/1/instrument", json={}).status_code == 201


@pytest.mark.parametrize("harm", ["missing", "damaged"])
def test_adding_it_again_mends_an_original(shelf, tone_file, tmp_path, harm):
    first = shelf.recording(tone_file)
    (stored,) = (tmp_path / "project" / "recordings").rglob("*.wav")
    if harm == "missing":
        stored.unlink()
    else:
        stored.write_bytes(tone_file.read_bytes()[:-2_000])
    answer = shelf.client.post(
        "/api/recordings", query_string={"name": "again.wav"}, data=tone_file.read_bytes()
    )
    assert answer.json["recording"] == first["id"]
    assert answer.json["message"] == "The file of 'tone' is whole again."
    (mended,) = (tmp_path / "project" / "recordings").rglob("*.wav")
    assert mended.read_bytes() == tone_file.read_bytes()
    assert list((tmp_path / "project" / "incoming").iterdir()) == []


def test_what_is_acknowledged_lies_on_the_disk(shelf, tone_file, monkeypatch):
    """fsync(2) of content and of name come before the answer."""
    safe = set()
    real = os.fsync

    def noted(handle: int) -> None:
        real(handle)
        safe.add(os.readlink(f"/proc/self/fd/{handle}"))

    monkeypatch.setattr("os.fsync", noted)
    answer = shelf.client.post(
        "/api/recordings", query_string={"name": "tone.wav"}, data=tone_file.read_bytes()
    )
    assert answer.status_code == 202
    (waiting,) = [path for path in safe if path.endswith(".wav") and "incoming" in path]
    assert str(Path(waiting).parent) in safe


@pytest.mark.parametrize("name", BAD_FILES)
def test_a_bad_file_fails_alone(shelf, tone_file, tmp_path, name):
    query = {"name": name}
    answer = shelf.client.post("/api/recordings", query_string=query, data=BAD_FILES[name])
    if answer.status_code == 202:
        job = shelf.ended(answer.json["job"])
        assert job["state"] == "failed"
        message = job["error"]
    else:
        assert 400 <= answer.status_code < 500
        message = answer.json["message"]
    assert message.endswith(".")
    assert "\n" not in message
    assert shelf.recording(tone_file)["name"] == "tone"
    project = tmp_path / "project"
    assert len(list((project / "recordings").rglob("*.*"))) == 1
    assert list((project / "incoming").iterdir()) == []


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("../../../etc/passwd.wav", "passwd"),
        ("..\\..\\boot.wav", "boot"),
        ("C:\\sounds\\wind.wav", "wind"),
        ("a\nb\0c.wav", "abc"),
        ("...wav", "Recording"),
        ("x" * 400 + ".wav", "x" * 120),
        ("Größe 测试.wav", "Größe 测试"),
        ("<img src=x>.wav", "<img src=x>"),
    ],
)
def test_names_are_names_and_never_paths(shelf, tone_file, tmp_path, name, shown):
    job = shelf.add(tone_file.read_bytes(), name)
    assert job["state"] == "done", job["error"]
    recording = shelf.client.get("/api/recordings").json["recordings"][0]
    assert recording["name"] == shown
    outside = [
        path for path in tmp_path.rglob("*") if "project" not in path.parts and path != tone_file
    ]
    assert [path.name for path in outside if path.is_file()] == []


def test_rename_notes_delete_and_back(shelf, tone_file):
    client = shelf.client
    recording = shelf.recording(tone_file)
    url = f"/api/recordings/{recording['id']}"
    changed = client.patch(url, json={"name": " Night pump ", "notes": "north bank"}).json
    assert (changed["name"], changed["notes"]) == ("Night pump", "north bank")
    assert client.delete(url).status_code == 204
    assert client.get(url).status_code == 404
    assert client.get("/api/recordings").json["recordings"] == []
    assert client.post(f"{url}/restore").json["name"] == "Night pump"


def test_adding_a_deleted_recording_again_brings_it_back(shelf, tone_file):
    recording = shelf.recording(tone_file)
    shelf.client.delete(f"/api/recordings/{recording['id']}")
    answer = shelf.client.post(
        "/api/recordings", query_string={"name": "tone.wav"}, data=tone_file.read_bytes()
    )
    assert "back on the shelf" in answer.json["message"]
    assert shelf.client.get(f"/api/recordings/{recording['id']}").status_code == 200


@pytest.mark.parametrize(
    ("query", "found"),
    [("", 2), ("tone", 1), ("TONE", 1), ("north bank", 1), ("bank tone", 1), ("A3", 1), ("zebra", 0),
     ("%", 0), ("_", 1), ("north_bank", 0), ("near_his", 1), ("near_his.wav", 1), ("ear_h", 1),
     ("hiss'; drop table recording; --", 0)],
)  # fmt: skip
def test_search(shelf, tone_file, write_wav, query, found):
    tone = shelf.recording(tone_file)
    shelf.client.patch(f"/api/recordings/{tone['id']}", json={"notes": "north bank"})
    shelf.recording(write_wav(np.random.default_rng(1).normal(0, 0.1, RATE), name="near_his.wav"))
    answer = shelf.client.get("/api/recordings/found", query_string={"q": query})
    assert len(answer.json["ids"]) == found


@pytest.mark.parametrize("body", [{"name": ""}, {"name": "  "}, {"colour": "red"}, {"name": 5}, []])
def test_a_bad_edit_is_refused_in_a_sentence(shelf, tone_file, body):
    recording = shelf.recording(tone_file)
    answer = shelf.client.patch(f"/api/recordings/{recording['id']}", json=body)
    assert answer.status_code == 422
    assert answer.json["message"].endswith(".")


def test_a_changed_reference_pitch_renames_roots(shelf, tone_file):
    recording = shelf.recording(tone_file)
    shelf.client.patch("/api/settings", json={"tuning": 432})
    again = shelf.client.get(f"/api/recordings/{recording['id']}").json
    assert again["measured"]["root_note"] == "A3"
    assert again["measured"]["cents"] == pytest.approx(31.8, abs=0.3)


def test_the_picture_of_a_waveform(shelf, tone_file):
    digest = shelf.recording(tone_file)["digest"]
    answer = shelf.client.get(f"/api/sounds/{digest}/peaks", query_string={"columns": 100})
    pairs = np.frombuffer(answer.data, "<i2").reshape(-1, 2)
    assert pairs.shape == (100, 2)
    assert pairs[:, 0].max() < 0 < pairs[:, 1].min()
    for bad in ("f" * 64, "z" * 64):
        assert 400 <= shelf.client.get(f"/api/sounds/{bad}/peaks").status_code < 500


def test_a_full_disk_is_said_and_loses_nothing(shelf, tone_file, monkeypatch):
    kept = shelf.recording(tone_file)
    monkeypatch.setattr("innerbloom.store.files.shutil.disk_usage", lambda _: _Usage())
    answer = shelf.client.post("/api/recordings", query_string={"name": "x.wav"}, data=b"1" * 1_000)
    assert answer.status_code == 400
    assert "disk" in answer.json["message"]
    assert shelf.client.get(f"/api/recordings/{kept['id']}").status_code == 200


class _Usage:
    free = 1_000


def test_a_disk_that_fills_up_on_the_way(shelf, tmp_path, monkeypatch):
    def full(self, data):
        raise OSError(errno.ENOSPC, "No space left on device")

    class FullFile(io.BytesIO):
        write = full

    monkeypatch.setattr(
        "innerbloom.web.uploads.Path.open", lambda *_, **__: FullFile(), raising=False
    )
    answer = shelf.client.post("/api/recordings", query_string={"name": "x.wav"}, data=b"1" * 1_000)
    assert answer.status_code == 507
    assert "disk is full" in answer.json["message"]


def test_an_upload_that_breaks_off_is_forgotten(client, tmp_path):
    answer = client.post(
        "/api/recordings?name=x.wav", input_stream=io.BytesIO(b"abc"),
        environ_overrides={"CONTENT_LENGTH": "100", "wsgi.input_terminated": False},
    )  # fmt: skip
    assert answer.status_code == 400
    assert list((tmp_path / "project" / "incoming").iterdir()) == []


def test_an_mp4_sound_track_is_taken_in(shelf, tmp_path):
    import av

    path = tmp_path / "clip.m4a"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("aac", rate=RATE, layout="mono")
        samples = harmonic_tone(220.0, 1.5).astype(np.float32)[None]
        for at in range(0, samples.shape[1] - 1024, 1024):
            piece = np.ascontiguousarray(samples[:, at : at + 1024])
            frame = av.AudioFrame.from_ndarray(piece, "fltp", "mono")
            frame.rate, frame.pts = RATE, at
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    recording = shelf.recording(path)
    assert recording["measured"]["root_note"] == "A3"
    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={})
    started = shelf.client.post(
        f"/api/instruments/{grown.json['id']}/render", json={"seconds": 0.2}
    )
    assert shelf.ended(started.json["job"])["state"] == "done"


def test_origin_travels_from_the_file_to_the_shelf(shelf, tmp_path):
    from innerbloom.core.sound.metadata import Origin
    from innerbloom.core.sound.writing import write_sound

    path = tmp_path / "x.wav"
    origin = Origin("Wire", "Take 4", "O. T.", "CC BY 4.0", "2031-03-03")
    write_sound(path, [np.zeros((4_800, 1), np.float32)], RATE, 1, origin=origin)
    recording = shelf.recording(path)
    assert (recording["name"], recording["title"]) == ("x", "Wire")
    assert recording["licence"] == "CC BY 4.0"
    assert recording["date"] == "2031-03-03"


def test_sound_files_keep_their_format(shelf, tmp_path):
    path = tmp_path / "tone.flac"
    sf.write(path, harmonic_tone(220.0, 1.0), RATE)
    digest = shelf.recording(path)["digest"]
    assert list((tmp_path / "project" / "recordings").rglob(f"{digest}.flac"))


def test_sounds_go_out_as_a_file_or_as_a_zip_of_several(shelf, tone_file, write_wav):
    import io
    import zipfile

    one = shelf.recording(tone_file)
    other = shelf.recording(write_wav(harmonic_tone(330.0, 0.5), name="high.wav"))
    hot = shelf.recording(write_wav(9.0 * harmonic_tone(220.0, 0.5), name="hot.wav"))

    def exported(*ids, **more):
        answer = shelf.client.post("/api/export", json={"recordings": list(ids), **more})
        assert answer.status_code == 202, answer.json
        job = shelf.ended(answer.json["job"])
        return job, shelf.client.get(f"/api/jobs/{job['id']}/file")

    job, answer = exported(one["id"], format="flac", rate=44_100)
    assert job["result"]["name"] == "tone.flac"
    assert "filename=tone.flac" in answer.headers["Content-Disposition"]
    assert sf.info(io.BytesIO(answer.data)).samplerate == 44_100
    job, answer = exported(one["id"], other["id"], hot["id"], one["id"], template="{name}_{root}")
    with zipfile.ZipFile(io.BytesIO(answer.data)) as found:
        names = found.namelist()
    assert len(names) == 3
    assert all(name.endswith(".wav") for name in names)
    assert len(set(names)) == 3
    assert ["'hot' peaks" in text for text in job["result"]["problems"]] == [True]
    bad = {"recordings": [one["id"]], "template": "{tempo}"}
    refused = shelf.client.post("/api/export", json=bad)
    assert (refused.status_code, "no {tempo}" in refused.json["message"]) == (400, True)
