"""Collections of sounds and instruments, tags of instruments, and what instruments sound like."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.deliver.sketch import COLUMNS, ROWS
from tests.conftest import harmonic_tone


@pytest.fixture
def wire(client, shelf, write_wav):
    return shelf.instrument(write_wav(harmonic_tone(220.0, 1.0), name="wire.wav"))


def found(client, **query):
    return client.get("/api/recordings/found", query_string=query).json["ids"]


def test_a_file_comes_into_the_collection_of_its_folder(client, shelf, write_wav):
    data = write_wav(harmonic_tone(330.0, 0.5), name="a.wav").read_bytes()
    query = {"name": "a.wav", "collection": "North pool"}
    job = client.post("/api/recordings", query_string=query, data=data).json["job"]
    recording = shelf.ended(job)["result"]["recording"]
    assert client.get(f"/api/recordings/{recording}").json["collection"] == "North pool"
    assert client.get("/api/recordings").json["collections"] == ["North pool"]
    assert found(client, collection="North pool") == [recording]
    assert found(client, collection="South pool") == []
    # a part of its name finds it as any other text does
    assert found(client, q="orth po") == [recording]
    assert found(client, q="po") == [recording]


def test_a_collection_is_changed_with_the_rest_and_emptied(client, wire):
    client.patch("/api/recordings/1", json={"collection": "Lids"})
    assert client.get("/api/recordings").json["recordings"][0]["collection"] == "Lids"
    client.patch("/api/recordings/1", json={"collection": ""})
    assert client.get("/api/recordings").json["collections"] == []
    assert found(client, q="Lids") == []


def test_an_instrument_is_sorted_without_a_revision(client, wire):
    url = f"/api/instruments/{wire['id']}"
    line = client.patch(f"{url}/about", json={"collection": "Palm house", "tags": ["slow"]}).json
    assert (line["collection"], line["tags"]) == ("Palm house", ["slow"])
    client.patch(f"{url}/about", json={"tags": []})
    (line,) = client.get("/api/instruments").json["instruments"]
    assert (line["collection"], line["tags"]) == ("Palm house", [])
    assert client.get(url).json["revision"] == wire["revision"]
    assert client.patch("/api/instruments/99/about", json={"tags": []}).status_code == 404
    assert client.patch(f"{url}/about", json={"mood": "grey"}).status_code == 422


def test_the_last_changed_comes_first(client, shelf, wire):
    other = client.post("/api/recordings/1/instrument", json={}).json
    names = [one["id"] for one in client.get("/api/instruments").json["instruments"]]
    assert names == [other["id"], wire["id"]]
    patch = [{"op": "replace", "path": "/notes", "value": "x"}]
    body = {"revision": wire["revision"], "patch": patch, "label": "x"}
    client.patch(f"/api/instruments/{wire['id']}", json=body)
    names = [one["id"] for one in client.get("/api/instruments").json["instruments"]]
    assert names == [wire["id"], other["id"]]


def test_what_it_sounds_like_is_made_once_a_revision(client, shelf, wire):
    url = f"/api/instruments/{wire['id']}"
    assert client.get(f"{url}/sketch").status_code == 404
    ask = {"instruments": [wire["id"]]}
    job = client.post("/api/instruments/sketches", json=ask).json["job"]
    assert shelf.ended(job)["state"] == "done"
    answer = client.get(f"{url}/sketch")
    levels = np.frombuffer(answer.data, np.uint8).reshape(ROWS, COLUMNS)
    assert answer.headers["X-Shape"] == f"{ROWS},{COLUMNS}"
    # the note sounds, and has died away at the end
    assert levels[:, 20].max() > 100
    assert client.post("/api/instruments/sketches", json=ask).json["job"] is None
    patch = [{"op": "replace", "path": "/layers/0/settings/mute", "value": "on"}]
    body = {"revision": wire["revision"], "patch": patch, "label": "x"}
    client.patch(url, json=body)
    assert client.get(f"{url}/sketch").status_code == 404
    shelf.ended(client.post("/api/instruments/sketches", json=ask).json["job"])
    silent = np.frombuffer(client.get(f"{url}/sketch").data, np.uint8)
    assert silent.max() == 0


def test_one_that_cannot_sound_does_not_hold_up_the_others(client, shelf, wire):
    services = client.application.extensions["innerbloom"]
    other = client.post("/api/recordings/1/instrument", json={}).json
    patch = [{"op": "replace", "path": "/layers/0/sounds/0/recording", "value": "0" * 64}]
    body = {"revision": other["revision"], "patch": patch, "label": "x"}
    assert client.patch(f"/api/instruments/{other['id']}", json=body).status_code == 200
    ask = {"instruments": [other["id"], wire["id"]]}
    assert shelf.ended(client.post("/api/instruments/sketches", json=ask).json["job"])["state"] == "done"  # fmt: skip
    assert client.get(f"/api/instruments/{other['id']}/sketch").status_code == 404
    assert client.get(f"/api/instruments/{wire['id']}/sketch").status_code == 200
    assert len(list(services.files.sketches.iterdir())) == 1


def test_the_file_of_a_sound_is_handed_out_as_it_came(client, shelf, write_wav):
    path = write_wav(harmonic_tone(330.0, 0.5), name="GH07_01.wav")
    recording = shelf.recording(path)
    client.patch(f"/api/recordings/{recording['id']}", json={"name": "Lid, struck"})
    answer = client.get(f"/api/recordings/{recording['id']}/file")
    assert answer.data == path.read_bytes()
    assert "Lid, struck.wav" in answer.headers["Content-Disposition"]
    assert client.get("/api/recordings/99/file").status_code == 404
