"""Swap sheets over HTTP: made, ranked, heard, kept."""

from __future__ import annotations

import io

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, harmonic_tone


@pytest.fixture
def stage(shelf, tone_file, tmp_path):
    """A shelf with an instrument and three other recordings: a like one, noise, and one too short."""
    own = shelf.recording(tone_file)
    number = shelf.client.post(f"/api/recordings/{own['id']}/instrument", json={}).json["id"]
    random = np.random.default_rng(3)
    others = {}
    for name, samples in {
        "like": harmonic_tone(330.0, 3.0), "noise": 0.1 * random.standard_normal(3 * RATE),
        "tiny": harmonic_tone(330.0, 0.1),
    }.items():  # fmt: skip
        sf.write(tmp_path / f"{name}.wav", samples, RATE, "PCM_24")
        others[name] = shelf.recording(tmp_path / f"{name}.wav")["id"]
    shelf.number, shelf.others = number, others
    return shelf


def made(stage, **more):
    body = {"recordings": list(stage.others.values()), "seconds": 1.5, **more}
    started = stage.client.post(f"/api/instruments/{stage.number}/swap", json=body)
    assert started.status_code == 202, started.json
    done = stage.ended(started.json["job"])
    assert done["state"] == "done", done
    return done["result"]


def test_a_sheet_ranks_them_and_names_what_could_not_be_tried(stage):
    empty = stage.client.get(f"/api/instruments/{stage.number}/swap").json
    assert empty == {"sheet": None, "found": None}
    result = made(stage)
    newest = stage.client.get(f"/api/instruments/{stage.number}/swap").json
    assert newest["sheet"] == result["sheet"]
    rows = newest["found"]["rows"]
    assert [one["name"] for one in rows] == ["tone", "like", "noise"]
    assert rows[1]["together"] > rows[2]["together"]
    assert newest["found"]["problems"] == ["'tiny' is too short for an instrument: 0.10 s."]
    sound, rate = sf.read(io.BytesIO(stage.client.get(f"/api/swaps/{result['sheet']}/1").data))
    assert rate == 48_000
    assert abs(sound).max() > 0.01


def test_what_is_good_is_kept_as_an_instrument(stage):
    sheet = made(stage)["sheet"]
    kept = stage.client.post(f"/api/swaps/{sheet}/1/keep")
    assert kept.status_code == 201
    assert kept.json["document"]["name"] == "tone, like"
    again = stage.client.post(f"/api/swaps/{sheet}/1/keep").json
    assert again["document"]["name"] == "tone, like 2"
    document = stage.client.get(f"/api/instruments/{kept.json['id']}").json["document"]
    digest = stage.client.get(f"/api/recordings/{stage.others['like']}").json["digest"]
    assert document["layers"][0]["sounds"][0]["recording"] == digest
    assert stage.client.post(f"/api/swaps/{sheet}/9/keep").status_code == 400
    assert stage.client.post(f"/api/swaps/{'0' * 32}/1/keep").status_code == 400


def test_what_cannot_be_tried_is_said(stage):
    url = f"/api/instruments/{stage.number}/swap"
    assert stage.client.post(url, json={"recordings": []}).status_code == 422
    many = stage.client.post(url, json={"recordings": list(range(1, 26))})
    assert many.status_code == 422
    assert stage.client.post(url, json={"recordings": [99]}).status_code == 404
    started = stage.client.post(url, json={"recordings": [stage.others["tiny"]]}).json["job"]
    failed = stage.ended(started)
    assert (failed["state"], failed["error"]) == (
        "failed",
        "'tiny' is too short for an instrument: 0.10 s.",
    )
