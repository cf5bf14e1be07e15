"""Wavetables over HTTP: taken, edited with undo, looked at, kept, written, read again."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
import soundfile as sf

from tests.revised import Revised
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


class Table(Revised):
    def __init__(self, shelf, id_):
        super().__init__(shelf, f"/api/recordings/{id_}/table")
        self.id = id_

    def out(self, way):
        """Where it is got as a file."""
        return f"/api/exports/wavetable/{self.id}/{way}"

    def change(self, label="Change", steps=None, revision=None, **source):
        def changed(document):
            document["source"] |= source
            document["steps"] += steps or []

        return self.edit(changed, label, revision)


def test_a_recording_becomes_a_wavetable_that_is_seen_and_heard(table, recording):
    row = table.client.get(f"/api/recordings/{table.id}").get_json()
    assert (row["kind"], row["name"]) == ("wavetable", "wire, wavetable")
    now = table.made()
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


def test_a_table_is_played_as_it_is_now(table, shelf):
    key = table.made()["key"]
    playable = shelf.client.get(f"{table.url}/audition?place=0.25").json
    (layer,) = playable["layers"]
    assert layer["sounds"][0]["recording"] == key
    assert layer["settings"]["frame"] == 25
    sound = shelf.played(playable, 69.0)[24_000:, 0]
    peak = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))).argmax() * 2
    assert peak == pytest.approx(440, abs=4)


def test_edits_are_revisions_that_undo(table):
    first = table.state()
    assert table.change("Spread", frames=16, spread="timbre").status_code == 200
    assert table.made()["frames"] == 16
    changed = table.change("Tilt", steps=[{"do": "tilt", "db_per_octave": -6}]).get_json()
    assert changed["undo"] == "Tilt"
    assert table.made()["frames"] == 16
    for _ in range(2):
        table.step("undo")
    assert table.state()["document"] == first["document"]
    assert table.state()["redo"] == "Spread"


def test_looking_starts_nothing(table):
    """RFC 9110, section 9.2.1: GET is safe."""
    table.change("Spread", frames=16)
    before = table.client.get("/api/jobs").get_json()["jobs"]
    table.state()
    assert table.client.get("/api/jobs").get_json()["jobs"] == before


def test_what_does_not_fit_is_said_and_loses_nothing(table):
    assert table.change(steps=[{"do": "arrange", "frames": [200]}]).status_code == 200
    wrong = table.client.post(f"{table.url}/make")
    assert wrong.status_code == 400
    assert "Frame 201 is to be kept" in wrong.get_json()["message"]
    refused = table.change(frames=1_000)
    assert refused.status_code == 400
    assert refused.get_json()["message"].startswith("The wavetable recipe cannot be read: source")
    assert table.change("x", frames=8, revision=0).status_code == 409


def test_a_table_is_kept_split_written_and_read_again(table):
    table.change(steps=[{"do": "keep", "which": "odd"}])
    job = table.client.post(f"{table.url}/keep", json={"name": "Odd wire"}).get_json()["job"]
    kept = table.shelf.ended(job)["result"]["recording"]
    assert (
        Table(table.shelf, kept).state()["document"]["steps"] == table.state()["document"]["steps"]
    )
    answer = table.client.get(table.out("wavetable"))
    assert "wire, wavetable 2048.wav" in answer.headers["Content-Disposition"]
    samples, _ = sf.read(io.BytesIO(answer.data), dtype="float32")
    assert len(samples) == 64 * 2_048
    assert (
        table.client.get(table.out("wavetable-recipe")).get_json()["format"]
        == "inner-bloom/wavetable"
    )
    split = {"at": 20, "revision": table.state()["revision"]}
    assert table.client.post(f"{table.url}/split", json=split).get_json()["undo"] == "Split"
    assert table.made()["frames"] == 20
    again = {"at": 200, "revision": table.state()["revision"]}
    assert table.client.post(f"{table.url}/split", json=again).status_code == 400


def test_a_file_of_cycles_is_recognised_and_taken_in(shelf, table, tmp_path):
    written = tmp_path / "elsewhere.wav"
    table.change(steps=[{"do": "tilt"}])
    written.write_bytes(table.client.get(table.out("wavetable")).data)
    recording = shelf.recording(written)
    layout = shelf.client.get(f"/api/recordings/{recording['id']}/cycles").get_json()
    assert (layout["cycle"], layout["frames"], layout["sure"]) == (2_048, 64, True)
    again = Table(shelf, made(shelf, recordings=[recording["id"]], cycles=True, cycle=2_048))
    key = again.made()["key"]
    other = table.made()["key"]
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
    table.change(by="spectra")
    made = table.made()
    assert made["by"] == "spectra"
    assert made["retraced"]["timbre_db"] > 0
    assert made["swept"]


def test_a_stack_of_waves_is_built_and_says_when_nothing_is_heard(shelf):
    operators = [{"id": "a", "harmonic": 2}, {"id": "b", "into": "a", "start": 0, "end": 1}]
    document = {"name": "Bells", "source": {"kind": "waves", "operators": operators}}
    built = Table(shelf, made(shelf, document=document))
    assert built.made()["by"] == "waves"
    operators[0]["start"] = operators[0]["end"] = 0
    built.change(operators=operators)
    silent = built.client.post(f"{built.url}/make").get_json()
    assert silent["message"].startswith("Nothing would be heard")


def test_asking_for_nothing_or_of_the_wrong_kind(shelf, recording):
    assert "Choose a recording" in shelf.client.post("/api/tables", json={}).get_json()["message"]
    assert shelf.client.get(f"/api/recordings/{recording['id']}/table").status_code == 404
    assert shelf.client.get(f"/api/tables/{'0' * 64}/picture").status_code == 404
