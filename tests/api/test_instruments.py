"""Instruments, revisions, renders, bundles and jobs over HTTP."""

from __future__ import annotations

import base64
import io
import zipfile

import numpy as np
import pytest
import soundfile as sf

from innerbloom.store.models import JobRow, Recording
from tests.core.test_delivery import NOTES


def size_patch(value):
    return [{"op": "replace", "path": "/layers/0/settings/size", "value": value}]


def edit(client, instrument, patch, label="size"):
    body = {"revision": instrument["revision"], "label": label, "patch": patch}
    return client.patch(f"/api/instruments/{instrument['id']}", json=body)


def step(client, way, instrument):
    url = f"/api/instruments/{instrument['id']}/{way}"
    return client.post(url, json={"revision": instrument["revision"]}).json


def test_growing_takes_root_and_loudness_from_the_recording(shelf, tone_file):
    instrument = shelf.instrument(tone_file)
    layer = instrument["document"]["layers"][0]
    assert layer["kind"] == "cloud"
    assert layer["sounds"][0]["root"] == pytest.approx(57.0, abs=0.02)
    assert -24 <= layer["sounds"][0]["gain_db"] <= 24
    recording = shelf.client.get("/api/recordings/1").json
    assert recording["instruments"] == [{"id": instrument["id"], "name": "tone"}]


def test_edits_undo_and_redo_are_revisions(shelf, tone_file):
    client, first = shelf.client, shelf.instrument(tone_file)
    changed = edit(client, first, size_patch(55)).json
    assert changed["revision"] == 1
    assert changed["undo"] == "size"
    back = step(client, "undo", changed)
    assert back["document"] == first["document"]
    assert (back["revision"], back["undo"], back["redo"]) == (2, None, "size")
    forth = step(client, "redo", back)
    assert forth["document"] == changed["document"]
    nothing = step(client, "redo", forth)
    assert nothing["revision"] == forth["revision"]


def test_a_rename_is_an_edit_and_can_be_undone(shelf, tone_file):
    instrument = shelf.instrument(tone_file)
    patch = [{"op": "replace", "path": "/name", "value": "Ribs"}]
    renamed = edit(shelf.client, instrument, patch, "Rename").json
    assert renamed["document"]["name"] == "Ribs"
    assert step(shelf.client, "undo", renamed)["document"]["name"] == "tone"


def test_two_clients_do_not_overwrite_each_other(shelf, tone_file):
    client, instrument = shelf.client, shelf.instrument(tone_file)
    assert edit(client, instrument, size_patch(55)).status_code == 200
    late = edit(client, instrument, size_patch(99))
    assert late.status_code == 409
    assert "changed elsewhere" in late.json["message"]
    newest = client.get(f"/api/instruments/{instrument['id']}").json
    assert newest["document"]["layers"][0]["settings"]["size"] == 55


@pytest.mark.parametrize(
    ("patch", "status"),
    [
        (size_patch(-1), 400),
        (size_patch("big"), 400),
        ([{"op": "add", "path": "/layers/0/settings/colour", "value": 1}], 400),
        ([{"op": "remove", "path": "/layers/0"}], 400),
        ([{"op": "replace", "path": "/x/y", "value": 1}], 400),
        ("not a list", 422),
        ([5], 422),
    ],
)
def test_a_change_that_does_not_fit_is_refused(shelf, tone_file, patch, status):
    client, instrument = shelf.client, shelf.instrument(tone_file)
    answer = edit(client, instrument, patch)
    assert answer.status_code == status
    assert answer.json["message"].endswith(".")
    assert client.get(f"/api/instruments/{instrument['id']}").json == instrument


@pytest.mark.parametrize("body", ["{", "[1, 2", "", "null", '{"revision": 0}'])
def test_malformed_json_is_refused(shelf, tone_file, body):
    instrument = shelf.instrument(tone_file)
    answer = shelf.client.patch(
        f"/api/instruments/{instrument['id']}", data=body, content_type="application/json"
    )
    assert 400 <= answer.status_code < 500
    assert answer.json["message"]


def test_duplicate_delete_and_back(shelf, tone_file):
    client, instrument = shelf.client, shelf.instrument(tone_file)
    copy = client.post(f"/api/instruments/{instrument['id']}/duplicate").json
    assert copy["document"]["name"] == "tone copy"
    url = f"/api/instruments/{instrument['id']}"
    assert client.delete(url).status_code == 204
    assert client.get(url).status_code == 404
    assert [one["id"] for one in client.get("/api/instruments").json["instruments"]] == [copy["id"]]
    assert client.post(f"{url}/restore").json["document"] == instrument["document"]


@pytest.mark.parametrize(
    ("form", "subtype"), [("wav24", "PCM_24"), ("wav32f", "FLOAT"), ("flac", "PCM_24")]
)
def test_a_note_is_rendered_and_downloaded(shelf, tone_file, form, subtype):
    instrument = shelf.instrument(tone_file)
    body = {"key": 57, "seconds": 0.5, "format": form, "title": "Low note"}
    started = shelf.client.post(f"/api/instruments/{instrument['id']}/render", json=body)
    job = shelf.ended(started.json["job"])
    assert job["state"] == "done", job
    answer = shelf.client.get(f"/api/jobs/{job['id']}/file")
    assert "Low note" in answer.headers["Content-Disposition"]
    with sf.SoundFile(io.BytesIO(answer.data)) as sound:
        assert (sound.samplerate, sound.channels, sound.subtype) == (48_000, 2, subtype)
        assert np.abs(sound.read()).max() > 0.01


def test_a_midi_file_is_rendered(shelf, tone_file):
    instrument = shelf.instrument(tone_file)
    body = {"midi": base64.b64encode(NOTES).decode(), "format": "flac"}
    started = shelf.client.post(f"/api/instruments/{instrument['id']}/render", json=body)
    assert shelf.ended(started.json["job"])["result"]["seconds"] > 1.1


@pytest.mark.parametrize("midi", ["!!!", base64.b64encode(b"rubbish").decode()])
def test_a_bad_midi_file_fails_in_a_sentence(shelf, tone_file, midi):
    instrument = shelf.instrument(tone_file)
    started = shelf.client.post(f"/api/instruments/{instrument['id']}/render", json={"midi": midi})
    job = shelf.ended(started.json["job"])
    assert job["state"] == "failed"
    assert "MIDI" in job["error"]


@pytest.mark.parametrize(
    "body", [{"seconds": 0}, {"seconds": 1e9}, {"key": 200}, {"format": "mp3"}, {"velocity": 2}]
)
def test_a_render_that_makes_no_sense_is_refused(shelf, tone_file, body):
    instrument = shelf.instrument(tone_file)
    answer = shelf.client.post(f"/api/instruments/{instrument['id']}/render", json=body)
    assert answer.status_code == 422


def test_a_render_is_cancelled(shelf, tone_file, tmp_path):
    instrument = shelf.instrument(tone_file)
    url = f"/api/instruments/{instrument['id']}/render"
    job = shelf.client.post(url, json={"seconds": 3_600}).json["job"]
    shelf.client.delete(f"/api/jobs/{job}")
    assert shelf.ended(job)["state"] == "cancelled"
    assert list((tmp_path / "project" / "renders").iterdir()) == []
    assert shelf.client.get(f"/api/jobs/{job}/file").status_code == 409


def test_a_render_goes_back_on_the_shelf_with_its_lineage(shelf, tone_file):
    client, instrument = shelf.client, shelf.instrument(tone_file)
    body = {"key": 69, "seconds": 1, "title": "Back again"}
    job = shelf.ended(
        client.post(f"/api/instruments/{instrument['id']}/render", json=body).json["job"]
    )
    kept = shelf.ended(client.post(f"/api/jobs/{job['id']}/keep").json["job"])
    recording = client.get(f"/api/recordings/{kept['result']['recording']}").json
    assert recording["name"] == "Back again"
    assert recording["measured"]["root_note"] == "A4"
    assert recording["lineage"]["instrument"] == instrument["id"]
    lineage = client.get(f"/api/recordings/{recording['id']}/lineage").json
    assert [one["id"] for one in lineage["made_from"]] == [1]
    with client.application.extensions["innerbloom"].sessions() as db:
        stored = db.get(Recording, recording["id"]).lineage
        # whole documents lie in a job's folder and not in the list of jobs
        assert all(len(str(one.params)) < 1_000 for one in db.query(JobRow))
    assert stored["document"] == instrument["document"]
    assert stored["played"]["key"] == 69


def test_a_bundle_goes_out_and_comes_back(shelf, tone_file):
    client, instrument = shelf.client, shelf.instrument(tone_file)
    data = client.get(f"/api/exports/instrument/{instrument['id']}/bundle").data
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        assert bundle.namelist() == ["recordings/1.flac", "instrument.json"]
    answer = client.post("/api/bundles", query_string={"name": "tone.zip"}, data=data)
    job = shelf.ended(answer.json["job"])
    back = client.get(f"/api/instruments/{job['result']['instrument']}").json
    # beside the one it came from it has a name of its own
    assert back["document"] == instrument["document"] | {"name": "tone 2"}
    # the recording was known, so that none was added
    assert len(client.get("/api/recordings").json["recordings"]) == 1


def test_a_bundle_brings_its_recordings_to_another_project(shelf, tone_file, tmp_path):
    from concurrent.futures import ThreadPoolExecutor

    from innerbloom.web.app import create_app
    from tests.conftest import FakeLive, Shelf

    instrument = shelf.instrument(tone_file)
    data = shelf.client.get(f"/api/exports/instrument/{instrument['id']}/bundle").data
    app = create_app(
        tmp_path / "other", FakeLive(), make_executor=lambda **_: ThreadPoolExecutor(1)
    )
    other = Shelf(app.test_client())
    answer = other.client.post("/api/bundles", query_string={"name": "tone.zip"}, data=data)
    job = other.ended(answer.json["job"])
    assert job["state"] == "done", job
    recording = other.client.get("/api/recordings").json["recordings"][0]
    assert recording["root_note"] == "A3"
    known = other.client.get(f"/api/recordings/{recording['id']}").json
    assert known["lineage"]["bundle"] == "tone.zip"
    document = other.client.get(f"/api/instruments/{job['result']['instrument']}").json["document"]
    assert document["layers"][0]["sounds"][0]["recording"] == recording["digest"]
    started = other.client.post(
        f"/api/instruments/{job['result']['instrument']}/render", json={"seconds": 0.2}
    )
    assert other.ended(started.json["job"])["state"] == "done"


@pytest.mark.parametrize("data", [b"not a zip", b"PK\x03\x04" + bytes(100)])
def test_a_bad_bundle_fails_alone(shelf, data, tmp_path):
    answer = shelf.client.post("/api/bundles", query_string={"name": "x.zip"}, data=data)
    job = shelf.ended(answer.json["job"])
    assert job["state"] == "failed"
    assert "bundle" in job["error"]
    assert list((tmp_path / "project" / "incoming").iterdir()) == []


def test_an_instrument_plays_on_when_its_recording_leaves_the_shelf(shelf, tone_file):
    instrument = shelf.instrument(tone_file)
    shelf.client.delete("/api/recordings/1")
    started = shelf.client.post(
        f"/api/instruments/{instrument['id']}/render", json={"seconds": 0.2}
    )
    assert shelf.ended(started.json["job"])["state"] == "done"


def test_unknown_things_are_404(client):
    for url in ("/api/instruments/99", "/api/recordings/99", "/api/jobs/abc", "/api/nothing"):
        answer = client.get(url)
        assert answer.status_code == 404
        assert answer.json["message"]


def test_the_registry_is_served_as_it_is_declared(client):
    from innerbloom.core.instrument.catalogue import INSTRUMENT, LAYER_KINDS

    served = client.get("/api/parameters").json
    assert [p["id"] for p in served["whole"]] == [p.id for p in INSTRUMENT]
    assert [p["id"] for p in served["kinds"]["cloud"]] == [
        p.id for p in LAYER_KINDS["cloud"].declared
    ]


@pytest.mark.parametrize("body", [{"tuning": 300}, {"ring_blocks": 99}, {"nonsense": 1}])
def test_settings_keep_to_their_ranges(client, body):
    assert client.patch("/api/settings", json=body).status_code == 422
    assert client.get("/api/settings").json["tuning"] == 440


def test_derived_files_in_docs_are_fresh():
    """`make reference` was run after the last change of a declaration."""
    from pathlib import Path

    from innerbloom.cli.reference import written

    docs = Path(__file__).parents[2] / "docs"
    for name, text in written().items():
        assert (docs / name).read_text("utf-8") == text, f"run 'make reference': {name}"
