"""Capturing, the card, finding, tags and batches through the API."""

from __future__ import annotations

import os
import time

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.sound.takes import Take, add_ixml, add_markers, read_take
from innerbloom.demo.card import BROKEN, TAKES
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.measuring import MEASURE, outdated
from innerbloom.store.captures import Captures
from innerbloom.store.models import Recording
from innerbloom.web.services import services
from tests.sounds import RATE, gliding_tone

SECOND = (0.1 * np.sin(np.arange(RATE) / 20)).astype("<f4")


@pytest.fixture
def capture(client):
    return client.post("/api/captures", json={"rate": RATE, "channels": 1}).json["id"]


def put(client, capture, number, data=None):
    data = SECOND.tobytes() if data is None else data
    return client.put(f"/api/captures/{capture}/{number}", data=data)


def test_a_capture_becomes_a_recording_with_markers(client, shelf, capture):
    for number in range(3):
        assert put(client, capture, number).json["seconds"] == number + 1
    body = {"name": "Door", "notes": "cellar", "markers": [0.5, 2.25, 99]}
    job = shelf.ended(client.post(f"/api/captures/{capture}/keep", json=body).json["job"])
    found = client.get(f"/api/recordings/{job['result']['recording']}").json
    assert (found["name"], found["notes"]) == ("Door", "cellar")
    assert found["measured"]["duration_s"] == 3.0
    assert found["measured"]["markers"] == [0.5, 2.25]
    assert "captured" in found["lineage"]
    assert client.get("/api/captures").json["captures"] == []


def test_pieces_sent_twice_count_once_and_gaps_are_refused(client, capture):
    put(client, capture, 0)
    assert put(client, capture, 0).json["seconds"] == 1
    answer = put(client, capture, 2)
    assert answer.status_code == 409
    assert "Piece 2" in answer.json["message"]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not whole"),
        (b"abc", "not whole"),
        (np.full(8, np.nan, "<f4").tobytes(), "no samples"),
    ],
)
def test_bad_pieces_are_refused_and_lose_nothing(client, capture, data, words):
    put(client, capture, 0)
    answer = put(client, capture, 1, data)
    assert answer.status_code == 400
    assert words in answer.json["message"]
    assert put(client, capture, 1).json["seconds"] == 2


def test_a_capture_cut_short_is_still_there(client, capture):
    """Each piece is on disk once it is acknowledged: a crash loses what came after the last."""
    put(client, capture, 0)
    files = client.application.extensions["innerbloom"].files
    (files.captures / capture / "000001.part").write_bytes(SECOND.tobytes()[:1_000])
    again = Captures(files).left_over()
    assert [(one.id, one.seconds) for one in again] == [(capture, 1.0)]
    assert client.delete(f"/api/captures/{capture}").status_code == 204
    assert client.get("/api/captures").json["captures"] == []
    assert client.delete("/api/captures/..").status_code in (400, 404, 405)


def test_what_is_left_of_captures_without_sound_is_swept_and_sound_stays(client, capture):
    with client.application.app_context():
        files = services().files
    put(client, capture, 0)
    empty = client.post("/api/captures", json={"rate": RATE, "channels": 1}).json["id"]
    fresh = client.post("/api/captures", json={"rate": RATE, "channels": 1}).json["id"]
    damaged = files.captures / ("2" * 32)
    damaged.mkdir()
    (damaged / "000000.f32").write_bytes(SECOND.tobytes())
    (files.captures / capture / ".half.000001.f32").write_bytes(b"half")
    two_days_ago = time.time() - 2 * 86_400
    for name in (empty, capture, damaged.name):
        os.utime(files.captures / name, (two_days_ago, two_days_ago))
    # the half written one is gone at once, which makes its folder young again
    assert Captures(files).sweep() == 1
    assert {one.name for one in files.captures.iterdir()} == {capture, fresh, damaged.name}
    assert [one.name for one in (files.captures / capture).iterdir() if one.name[0] == "."] == []
    assert Captures(files).find(capture).seconds == 1.0


def test_a_damaged_capture_or_one_half_removed_does_not_hide_the_others(client, capture):
    put(client, capture, 0)
    files = client.application.extensions["innerbloom"].files
    for name in ("0" * 32, "f" * 32 + ".gone"):
        (files.captures / name).mkdir()
    (files.captures / ("1" * 32)).mkdir()
    (files.captures / ("1" * 32) / "about.json").write_text("{ not whole")
    listed = client.get("/api/captures")
    assert listed.status_code == 200
    assert [one["id"] for one in listed.json["captures"]] == [capture]


def test_nothing_captured_and_too_long(client, capture, monkeypatch):
    answer = client.post(f"/api/captures/{capture}/keep", json={})
    assert answer.status_code == 400
    assert "Nothing was captured" in answer.json["message"]
    monkeypatch.setattr("innerbloom.store.captures.MOST_S", 1.5)
    put(client, capture, 0)
    put(client, capture, 1)
    assert "minutes at most" in put(client, capture, 2).json["message"]


# -- the card ---------------------------------------------------------------------------


def test_the_card_comes_in_with_its_metadata(client, shelf):
    assert client.get("/api/card").json["present"] is False
    card = client.post("/api/card").json
    names = [file["name"] for file in card["files"]]
    assert len(names) == len(TAKES) + 1
    broken = next(file for file in card["files"] if file["name"] == BROKEN)
    assert "damaged" in broken["problem"]
    answer = client.post(
        "/api/card/import", json={"names": ["GH07_02.WAV", BROKEN, "none.WAV"]}
    ).json
    assert answer["problems"] == ["There is no file 'none.WAV' on the card."]
    good, bad = (shelf.ended(job) for job in answer["jobs"])
    assert bad["state"] == "failed"
    assert BROKEN in bad["error"]
    found = client.get(f"/api/recordings/{good['result']['recording']}").json
    assert found["place"] == "North boundary"
    assert found["notes"] == "Wire, harder, best one"
    assert found["recordist"] == "O. T."
    assert len(found["measured"]["markers"]) == 2
    # outside the card nothing can be reached
    answer = client.post("/api/card/import", json={"names": ["../project.sqlite3"]}).json
    assert answer["jobs"] == []


def test_take_round_trip(tmp_path):
    """iXML fields and `cue ` points (RIFF MCI 1.0: 24 bytes a point), from memory."""
    path = tmp_path / "take.wav"
    sf.write(path, np.zeros(RATE), RATE, subtype="PCM_16")
    add_ixml(path, Take("12", "3", "Wind & rain <loud>", "The inlet", frames_a_second=23.976))
    add_markers(path, [10, 20_000])
    found = read_take(path)
    assert (found.scene, found.take, found.place) == ("12", "3", "The inlet")
    assert found.note == "Wind & rain <loud>"
    assert found.markers == (10, 20_000)
    assert found.frames_a_second == pytest.approx(23.976)
    assert sf.info(path).frames == RATE


def test_timecode():
    """06:12:40 and half a second at 25 frames is frame 12."""
    take = Take(since_midnight=(6 * 3600 + 12 * 60 + 40) * RATE + RATE // 2)
    assert take.timecode(RATE) == "06:12:40:12"
    assert Take().timecode(RATE) == ""


@pytest.mark.parametrize(
    "xml", [b"<a", b"<!DOCTYPE x [<!ENTITY a 'b'>]><BWFXML/>", b"\xff\xfe", b""]
)
def test_damaged_ixml_is_survived(tmp_path, xml):
    path = tmp_path / "take.wav"
    sf.write(path, np.zeros(100), RATE, subtype="PCM_16")
    with path.open("ab") as file:
        file.write(b"iXML" + len(xml).to_bytes(4, "little") + xml)
    assert read_take(path).scene == ""


# -- finding ----------------------------------------------------------------------------


@pytest.fixture
def sounds(shelf, write_wav):
    """A low and a high tone and two noises."""
    rng = np.random.default_rng(6)
    made = {
        "low": 0.5 * gliding_tone(np.full(2 * RATE, 110.0)),
        "high": gliding_tone(np.full(RATE, 440.0)),
        "hiss": 0.05 * rng.standard_normal(3 * RATE),
        "hiss two": 0.1 * rng.standard_normal(RATE),
    }
    return {name: shelf.recording(write_wav(x, name=f"{name}.wav")) for name, x in made.items()}


def names(client, **query):
    answer = client.get("/api/recordings/found", query_string=query)
    assert answer.status_code == 200, answer.json
    listed = client.get("/api/recordings").json["recordings"]
    name_of = {one["id"]: one["name"] for one in listed}
    return [name_of[number] for number in answer.json["ids"]]


def test_filters_and_orders(client, sounds):
    assert names(client, character="tonal") == ["low", "high"]
    assert names(client, character="noisy") == ["hiss", "hiss two"]
    assert names(client, pitched="no") == ["hiss", "hiss two"]
    assert names(client, root=9) == ["low", "high"]
    assert names(client, root=2) == []
    assert names(client, longest=1.5) == ["high", "hiss two"]
    assert names(client, shortest=2.5) == ["hiss"]
    assert names(client, order="length", descending="true")[0] == "hiss"
    assert names(client, order="name") == ["high", "hiss", "hiss two", "low"]
    assert names(client, order="root")[:2] == ["low", "high"]
    loudness = {name: one["measured"]["lufs"] for name, one in sounds.items()}
    assert names(client, order="loudness") == sorted(loudness, key=loudness.get)
    assert set(names(client, quietest=-24)) == {
        name for name, lufs in loudness.items() if lufs >= -24
    }
    assert names(client, kind="clip") == []
    assert client.get("/api/recordings/found", query_string={"order": "colour"}).status_code == 422


def test_more_like_this_one(client, sounds):
    assert names(client, like=sounds["hiss"]["id"])[:2] == ["hiss", "hiss two"]
    assert names(client, like=sounds["low"]["id"])[0] == "low"
    answer = client.get("/api/recordings/found", query_string={"like": sounds["hiss"]["id"]}).json
    nearest = answer["alike"][0]
    assert nearest["id"] == answer["ids"][1] == sounds["hiss two"]["id"]
    assert nearest["likeness"] > 0.5
    assert nearest["words"] == "as bright, as noisy, shorter"
    others = [one["likeness"] for one in answer["alike"]]
    assert others == sorted(others, reverse=True)
    assert client.get("/api/recordings/found").json["alike"] == []


def test_sounds_measured_in_another_way_are_measured_anew(client, sounds, tmp_path):
    services = client.application.extensions["innerbloom"]
    with services.sessions() as db:
        row = db.get(Recording, sounds["low"]["id"])
        fresh = row.measured["timbre"]
        row.measured = {**row.measured, "timbre": [0.0] * 24}
        db.commit()
        assert outdated(db) == [row.digest]
        do_at_once(db, services.files, MEASURE, {}, outdated(db))
        db.refresh(row)
        assert row.measured["timbre"] == fresh
        assert outdated(db) == []


def test_tags_places_and_batches(client, sounds):
    ids = [sounds["hiss"]["id"], sounds["hiss two"]["id"]]
    batch = lambda **body: client.post("/api/recordings/batch", json=body)  # noqa: E731
    assert batch(recordings=ids, action="tag", tag="rain").json["changed"] == ids
    assert batch(recordings=ids, action="tag", tag="rain").json["changed"] == []
    assert names(client, tag="rain") == ["hiss", "hiss two"]
    assert names(client, q="rain") == ["hiss", "hiss two"]
    assert client.get("/api/recordings").json["tags"] == ["rain"]
    batch(recordings=ids[:1], action="untag", tag="rain")
    assert names(client, tag="rain") == ["hiss two"]
    assert batch(recordings=ids, action="delete").json["changed"] == ids
    assert names(client) == ["low", "high"]
    batch(recordings=ids, action="restore")
    assert len(names(client)) == 4
    assert batch(recordings=ids, action="tag").status_code == 422
    assert batch(recordings=[999], action="delete").status_code == 404
    client.patch(f"/api/recordings/{ids[0]}", json={"place": "The inlet"})
    assert names(client, place="The inlet") == ["hiss"]
    assert client.get("/api/recordings").json["places"] == ["The inlet"]
