"""Spectra over HTTP: taken, changed with undo, looked at, heard by parts, kept, played."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.instrument.document import parse_instrument
from tests.revised import Revised
from tests.sounds import RATE, gliding_tone, vowel


@pytest.fixture
def recording(shelf, write_wav):
    samples = gliding_tone(np.full(2 * RATE, 220.0))
    samples += 0.002 * np.random.default_rng(1).standard_normal(len(samples))
    return shelf.recording(write_wav(samples, name="wire.wav"))


@pytest.fixture
def spectrum(shelf, recording):
    job = shelf.client.post("/api/spectra", json={"recording": recording["id"]}).json["job"]
    return Spectrum(shelf, shelf.ended(job)["result"]["recording"])


class Spectrum(Revised):
    def __init__(self, shelf, id_):
        super().__init__(shelf, f"/api/recordings/{id_}/spectrum")
        self.id = id_

    def out(self, way):
        """Where it is got as a file."""
        return f"/api/exports/spectrum/{self.id}/{way}"

    def change(self, label="Change", **analysis):
        return self.edit(lambda document: document["sound"]["analysis"].update(analysis), label)


def test_a_recording_is_taken_apart_seen_and_heard(spectrum, recording):
    row = spectrum.client.get(f"/api/recordings/{spectrum.id}").json
    assert (row["kind"], row["name"]) == ("spectrum", "wire, spectrum")
    made = spectrum.made()
    assert made["partials"] >= 10
    assert made["tonal"] > 0.95
    picture = spectrum.client.get(f"/api/spectra/{made['key']}/picture").json
    lowest = min(picture["tracks"], key=lambda one: one["hz"][0])
    assert np.median(lowest["hz"]) == pytest.approx(220, rel=0.001)
    files = spectrum.client.application.extensions["innerbloom"].files
    lengths = {part: len(sf.read(files.readable(key))[0]) for part, key in made["parts"].items()}
    assert set(lengths) == {"together", "partials", "strikes", "noise"}
    assert set(lengths.values()) == {2 * RATE}
    lineage = spectrum.client.get(f"/api/recordings/{spectrum.id}/lineage").json
    assert [one["name"] for one in lineage["made_from"]] == ["wire"]


def test_parts_of_two_channels_are_heard_in_both(shelf, write_wav):
    tone = 0.2 * np.sin(2 * np.pi * 330 * np.arange(RATE) / RATE)
    name = write_wav(np.stack([tone, 0.25 * tone], axis=1), name="bowl.wav")
    job = shelf.client.post("/api/spectra", json={"recording": shelf.recording(name)["id"]})
    spectrum = Spectrum(shelf, shelf.ended(job.json["job"])["result"]["recording"])
    parts = spectrum.made()["parts"]
    samples, _ = sf.read(
        shelf.client.application.extensions["innerbloom"].files.readable(parts["partials"])
    )
    left, right = np.abs(samples[RATE // 4 : RATE // 2]).max(axis=0)
    assert left / right == pytest.approx(4, rel=0.05)


def test_settings_change_with_undo(spectrum):
    before = spectrum.made()
    assert spectrum.change("Partials", partials=3).status_code == 200
    assert spectrum.made()["at_once"] <= 3 < before["at_once"]
    assert spectrum.state()["undo"] == "Partials"
    assert spectrum.step("undo")["redo"] == "Partials"
    assert spectrum.made()["key"] == before["key"]
    wrong = spectrum.change(partials=900)
    assert wrong.status_code in (400, 422)
    assert "partials" in wrong.json["message"]


def test_a_spectrum_is_kept_written_and_grown(spectrum):
    spectrum.change(partials=5)
    spectrum.made()
    job = spectrum.client.post(f"{spectrum.url}/keep", json={"name": "Five partials"}).json["job"]
    kept = spectrum.shelf.ended(job)["result"]["recording"]
    assert spectrum.client.get(f"/api/recordings/{kept}").json["name"] == "Five partials"
    data = spectrum.client.get(spectrum.out("spectrum")).data
    assert "spectrum.json" in zipfile.ZipFile(io.BytesIO(data)).namelist()
    grown = spectrum.client.post(f"/api/recordings/{kept}/instrument", json={}).json["document"]
    layer = parse_instrument(grown).layers[0]
    assert layer.kind == "spectral"
    assert layer.sound.analysis.partials == 5


def test_what_is_not_taken_apart_yet_is_not_written_and_no_request_takes_it_apart(spectrum):
    spectrum.change(partials=7)
    refused = spectrum.client.get(spectrum.out("spectrum"))
    assert refused.status_code == 409
    assert "open it on the Bench first" in refused.json["message"]
    spectrum.made()
    assert spectrum.client.get(spectrum.out("spectrum")).status_code == 200


def test_only_a_spectrum_is_opened_as_one(shelf, recording):
    answer = shelf.client.get(f"/api/recordings/{recording['id']}/spectrum")
    assert answer.status_code == 404
    assert "no spectrum" in answer.json["message"]
    assert shelf.client.get(f"/api/spectra/{'0' * 64}/picture").status_code == 404


def test_a_silent_recording_says_why_it_has_none(shelf, write_wav):
    silent = shelf.recording(write_wav(np.zeros(RATE), name="silence.wav"))
    job = shelf.client.post("/api/spectra", json={"recording": silent["id"]}).json["job"]
    ended = shelf.ended(job)
    assert ended["state"] == "failed"
    assert "silent" in ended["error"]


def test_a_morph_is_pictured_once_its_sounds_are_taken(shelf, spectrum, recording, write_wav):
    other = shelf.recording(write_wav(vowel(140.0), name="voice.wav"))
    job = shelf.client.post("/api/spectra", json={"recording": other["id"]}).json["job"]
    shelf.ended(job)
    sounds = [
        shelf.client.get(f"/api/recordings/{one}/spectrum").json["document"]["sound"]
        for one in (spectrum.id, spectrum.id + 2)
    ]
    asked = {"sounds": sounds, "place": 0.5, "morph": 0.25}
    picture = shelf.client.post("/api/spectra/morph", json=asked).json
    assert picture["ready"]
    assert picture["shares"] == [0.75, 0.25]
    # one of them has no root, so that nothing is said of ratios unless it is asked for
    assert None in [sound["root"] for sound in sounds]
    assert picture["matching"] == "by frequency"
    by_ratio = shelf.client.post("/api/spectra/morph", json={**asked, "matching": "by ratio"}).json
    assert by_ratio["matching"] == "by ratio"
    ends, between = np.array(picture["sounds"]), np.array(picture["between"])
    assert len(picture["hz"]) == len(between) == ends.shape[1]
    near = np.abs(between - ends[0]).mean(), np.abs(between - ends[1]).mean()
    assert near[0] < near[1]
    unknown = {**sounds[0], "start": 0.5, "length": 0.7}
    waiting = shelf.client.post(
        "/api/spectra/morph", json={**asked, "sounds": [unknown, sounds[1]]}
    )
    assert waiting.json["ready"] is False
    # it is taken apart meanwhile, once however often it is asked for
    shelf.client.post("/api/spectra/morph", json={**asked, "sounds": [unknown, sounds[1]]})
    jobs = [
        one
        for one in shelf.client.get("/api/jobs").json["jobs"]
        if one["title"].startswith("Spectrum of")
    ]
    assert len(jobs) == 1
    shelf.ended(jobs[0]["id"])
    ready = shelf.client.post("/api/spectra/morph", json={**asked, "sounds": [unknown, sounds[1]]})
    assert ready.json["ready"]


def test_a_spectrum_is_played_as_it_is_now(shelf, spectrum):
    sound = shelf.client.get(f"/api/recordings/{spectrum.id}/spectrum").json["document"]["sound"]
    playable = shelf.client.get(f"/api/recordings/{spectrum.id}/spectrum/audition").json
    (layer,) = playable["layers"]
    assert (layer["kind"], layer["sounds"]) == ("spectral", [sound])
    assert np.sqrt(np.mean(shelf.played(playable, 45.0) ** 2)) > 0.003


def test_segments_of_a_cloud_are_pictured(shelf, recording):
    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    sounds = grown["document"]["layers"][0]["sounds"]
    found = shelf.client.post("/api/segments", json={"sounds": sounds}).json
    axes = {axis["what"]: axis for axis in found["axes"]}
    assert list(axes) == ["loudness", "brightness", "pitch", "noisiness", "flatness"]
    assert len(found["points"]) == 40
    assert found["seconds"] == [2.0]
    pitch = np.array(found["points"])[5:-5, 4]
    assert 32.703 * 2 ** (7 * np.median(pitch)) == pytest.approx(220, rel=0.01)
    # what the axis says of its ends lies about the tone, and the grid is that of the moments
    low, high = (float(axes["pitch"][f"{end}_words"].split()[0]) for end in ("low", "high"))
    assert low < 220 < high
    moments = np.array(found["points"])[:, 1]
    assert np.diff(moments) == pytest.approx(found["hop_s"])


def test_layers_are_coloured_and_speak_as_others(shelf, recording):
    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    url = f"/api/instruments/{grown['id']}/layers"

    def act(do, **more):
        revision = shelf.client.get(f"/api/instruments/{grown['id']}").json["revision"]
        return shelf.client.post(url, json={"action": {"do": do, "revision": revision, **more}})

    lent = act("colour", layer=0, recording=recording["id"]).json["document"]["layers"][0][
        "effects"
    ][0]
    assert lent["kind"] == "colour"
    assert lent["sound"]["recording"] == recording["digest"]
    assert act("colour", layer=0).json["document"]["layers"][0]["effects"] == []
    assert act("add", kind="wave", shape="saw").status_code == 200
    spoken = act("resemble", layer=0, other=1).json["document"]
    assert spoken["layers"][0]["settings"]["gather"] == "a likeness"
    refused = act("resemble", layer=1, other=0)
    assert refused.status_code == 400
    assert "Only a cloud" in refused.json["message"]


def test_a_document_stored_before_a_setting_existed_can_still_be_changed(shelf, recording):
    """Such a one lacks the setting; the page shows its default, and replaces it."""
    from innerbloom.store.models import Document

    grown = shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json
    sessions = shelf.client.application.extensions["innerbloom"].sessions
    with sessions() as db:
        row = db.get(Document, grown["id"])
        older = {**row.content, "layers": [{**row.content["layers"][0]}]}
        older["layers"][0]["settings"] = {
            key: value for key, value in older["layers"][0]["settings"].items() if key != "gather"
        }
        row.content = older
        db.commit()
    seen = shelf.client.get(f"/api/instruments/{grown['id']}").json["document"]
    assert seen["layers"][0]["settings"]["gather"] == "a place"
    patch = [{"op": "replace", "path": "/layers/0/settings/gather", "value": "a likeness"}]
    body = {"revision": 0, "label": "grains from", "patch": patch}
    changed = shelf.client.patch(f"/api/instruments/{grown['id']}", json=body)
    assert changed.status_code == 200, changed.json
    undone = shelf.client.post(f"/api/instruments/{grown['id']}/undo", json={"revision": 1}).json
    assert undone["document"]["layers"][0]["settings"]["gather"] == "a place"
