"""Wavetables over HTTP: taken, edited with undo, looked at, kept, written, read again."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
import soundfile as sf

from tests.sounds import RATE, gliding_tone


@pytest.fixture
def recording(shelf, write_wav):
    return shelf.recording(
        write_wav(gliding_tone(np.linspace(220, 233, 2 * RATE)), name="wire.wav")
    )


@pytest.fixture
def table(shelf, recording):
    """A wavetable of the recording, on the shelf."""
    return Table(shelf, made(shelf, recordings=[recording["id"]]))


def made(shelf, **asked):
    job = shelf.client.post("/api/tables", json=asked).get_json()["job"]
    return shelf.ended(job)["result"]["recording"]


class Table:
    def __init__(self, shelf, id_):
        self.shelf, self.client, self.id = shelf, shelf.client, id_
        self.url = f"/api/recordings/{id_}/table"

    def state(self):
        """The newest state, once it is made."""
        found = self.client.get(self.url).get_json()
        if found["job"]:
            self.shelf.ended(found["job"])
            found = self.client.get(self.url).get_json()
        return found

    def edit(self, label="Change", steps=None, **source):
        now = self.state()
        document = now["document"]
        document["source"] |= source
        document["steps"] += steps or []
        body = {"revision": now["revision"], "document": document, "label": label}
        return self.client.patch(self.url, json=body)


def test_a_recording_becomes_a_wavetable_that_is_seen_and_heard(table, recording):
    row = table.client.get(f"/api/recordings/{table.id}").get_json()
    assert (row["kind"], row["name"]) == ("wavetable", "wire, wavetable")
    now = table.state()["made"]
    assert (now["frames"], now["by"]) == (64, "cycles")
    assert now["retraced"]["timbre_db"] < 4
    picture = table.client.get(f"/api/tables/{now['key']}/picture").get_json()
    ink = np.frombuffer(base64.b64decode(picture["ink"]), np.int8).reshape(64, picture["columns"])
    assert np.abs(ink).max() == 127
    frame = table.client.get(f"/api/tables/{now['key']}/frames/10").get_json()
    # the tone has a twelfth harmonic and none above
    assert frame["levels"][11] > -40 > frame["levels"][12]
    # what it was made from is known, and both can be listened to
    lineage = table.client.get(f"/api/recordings/{table.id}/lineage").get_json()
    assert [one["name"] for one in lineage["made_from"]] == ["wire"]
    files = table.client.application.extensions["innerbloom"].files
    swept, _ = sf.read(files.readable(now["swept"]))
    assert len(swept) == 2 * RATE


def test_edits_are_revisions_that_undo(table):
    first = table.state()
    assert table.edit("Spread", frames=16, spread="timbre").status_code == 200
    assert table.state()["made"]["frames"] == 16
    changed = table.edit("Tilt", steps=[{"do": "tilt", "db_per_octave": -6}]).get_json()
    assert changed["undo"] == "Tilt"
    assert changed["made"]["frames"] == 16
    for _ in range(2):
        now = table.state()
        table.client.post(f"{table.url}/undo", json={"revision": now["revision"]})
    assert table.state()["document"] == first["document"]
    assert table.state()["made"]["key"] == first["made"]["key"]
    assert table.state()["redo"] == "Spread"


def test_what_does_not_fit_is_said_and_loses_nothing(table):
    wrong = table.edit(steps=[{"do": "arrange", "frames": [200]}]).get_json()
    assert "Frame 201 is to be kept" in wrong["problem"]
    assert wrong["made"] is None
    refused = table.edit(frames=1_000)
    assert refused.status_code == 400
    assert refused.get_json()["message"].startswith("The wavetable recipe cannot be read: source")
    old = table.state()["document"]
    body = {"revision": 0, "document": old, "label": "x"}
    assert table.client.patch(table.url, json=body).status_code == 409


def test_a_table_is_kept_split_written_and_read_again(table):
    table.edit(steps=[{"do": "keep", "which": "odd"}])
    job = table.client.post(f"{table.url}/keep", json={"name": "Odd wire"}).get_json()["job"]
    kept = table.shelf.ended(job)["result"]["recording"]
    assert (
        Table(table.shelf, kept).state()["document"]["steps"] == table.state()["document"]["steps"]
    )
    answer = table.client.get(f"{table.url}/file")
    assert "wire, wavetable 2048.wav" in answer.headers["Content-Disposition"]
    samples, _ = sf.read(io.BytesIO(answer.data), dtype="float32")
    assert len(samples) == 64 * 2_048
    assert table.client.get(f"{table.url}/recipe").get_json()["format"] == "inner-bloom/wavetable"
    parted = table.client.post(f"{table.url}/split", json={"at": 20}).get_json()
    assert parted["made"]["frames"] == 20
    assert table.client.post(f"{table.url}/split", json={"at": 200}).status_code == 400


def test_a_file_of_cycles_is_recognised_and_taken_in(shelf, table, tmp_path):
    written = tmp_path / "elsewhere.wav"
    table.edit(steps=[{"do": "tilt"}])
    written.write_bytes(table.client.get(f"{table.url}/file").data)
    recording = shelf.recording(written)
    layout = shelf.client.get(f"/api/recordings/{recording['id']}/cycles").get_json()
    assert (layout["cycle"], layout["frames"], layout["sure"]) == (2_048, 64, True)
    again = Table(shelf, made(shelf, recordings=[recording["id"]], cycles=True, cycle=2_048))
    key = again.state()["made"]["key"]
    other = table.state()["made"]["key"]
    frames = [
        shelf.client.get(f"/api/tables/{one}/frames/5").get_json()["wave"] for one in (key, other)
    ]
    np.testing.assert_allclose(*frames, atol=2e-4)


def test_a_wavetable_becomes_an_instrument_whose_position_moves(table):
    grown = table.client.post(f"/api/recordings/{table.id}/instrument", json={}).get_json()
    (layer,) = grown["document"]["layers"]
    assert layer["kind"] == "wave"
    assert layer["sounds"][0]["cycle"] == 2_048
    moved = [(r["source"], r["parameter"]) for r in grown["document"]["routes"]]
    assert ("m:m1", "frame") in moved


def test_a_table_by_spectra_says_how_near_it_is_too(table):
    table.edit(by="spectra")
    made = table.state()["made"]
    assert made["by"] == "spectra"
    assert made["retraced"]["timbre_db"] > 0
    assert made["swept"]


def test_a_stack_of_waves_is_built_and_says_when_nothing_is_heard(shelf):
    operators = [{"id": "a", "harmonic": 2}, {"id": "b", "into": "a", "start": 0, "end": 1}]
    document = {"name": "Bells", "source": {"kind": "waves", "operators": operators}}
    built = Table(shelf, made(shelf, document=document))
    assert built.state()["made"]["by"] == "waves"
    operators[0]["start"] = operators[0]["end"] = 0
    silent = built.edit(operators=operators).get_json()
    assert silent["problem"].startswith("Nothing would be heard")


def test_asking_for_nothing_or_of_the_wrong_kind(shelf, recording):
    assert "Choose a recording" in shelf.client.post("/api/tables", json={}).get_json()["message"]
    assert shelf.client.get(f"/api/recordings/{recording['id']}/table").status_code == 404
    assert shelf.client.get(f"/api/tables/{'0' * 64}/picture").status_code == 404
