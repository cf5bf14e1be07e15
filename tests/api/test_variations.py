"""Variations over HTTP: drawn, chosen from, heard, handed over."""

from __future__ import annotations

import io
import json
import os
import time
import zipfile

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.performance.events import Event
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_format import header_of
from innerbloom.store.files import FileStore
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.tidying import tidy
from innerbloom.web.services import database, services, settings
from tests.api.test_live import Page, opened
from tests.conftest import RATE, harmonic_tone
from tests.made_sets import MadeSet
from tests.servers import running


class Varied(MadeSet):
    def __init__(self, shelf, tone_file):
        super().__init__(shelf, tone_file, "variations")

    @property
    def drawn(self):
        return self.client.get(f"{self.url}/drawn").json

    def draw(self):
        self.job("draw")
        return self.drawn


@pytest.fixture
def varied(shelf, tone_file):
    one = Varied(shelf, tone_file)
    one.edit(settings__drawn=8, settings__kept=4, settings__seconds=0.2)
    return one


def test_they_are_drawn_kept_and_dropped_by_hand_and_undone(varied):
    assert varied.drawn["drawn"] == []
    shown = varied.draw()
    assert len(shown["drawn"]) == 8
    assert shown["kept"] == 4
    assert shown["least"] > 0
    kept = [one["number"] for one in shown["drawn"] if one["kept"]]
    dropped = next(one["number"] for one in shown["drawn"] if not one["kept"])
    assert {one["file"] for one in shown["drawn"] if not one["kept"]} == {""}
    varied.edit(**{f"decisions__{kept[0]}": False, f"decisions__{dropped}": True})
    after = {one["number"]: one for one in varied.drawn["drawn"]}
    assert not after[kept[0]]["kept"]
    assert after[dropped]["kept"]
    assert after[dropped]["by_hand"]
    assert varied.drawn["kept"] == 4
    varied.step("undo")
    assert [one["number"] for one in varied.drawn["drawn"] if one["kept"]] == kept
    # more are kept of what was drawn without drawing again
    varied.edit(settings__kept=7)
    assert varied.drawn["kept"] == 7
    assert varied.drawn["made"] == shown["made"]


def test_what_is_kept_is_equally_loud_and_named(varied):
    shown = varied.draw()
    kept = [one for one in shown["drawn"] if one["kept"]]
    assert np.ptp([one["loudness"] for one in kept]) <= 0.1
    assert [one["file"] for one in kept] == [f"tone_{n:03d}.wav" for n in range(1, 5)]
    varied.edit(names="{name}")
    assert "put {number} into it" in varied.drawn["wrong"]
    answer = varied.client.post(f"{varied.url}/hand-over")
    assert answer.status_code == 409
    assert "put {number} into it" in answer.json["message"]


def test_what_is_handed_over_is_whole_and_credited(varied):
    url = f"/api/recordings/{varied.recording['id']}"
    assert "It is not known of 'tone' who recorded it and its licence." in varied.drawn["warnings"]
    varied.client.patch(url, json={"recordist": "A. B.", "licence": "CC BY-NC 4.0"})
    assert "non-commercial" in varied.drawn["warnings"][0]
    varied.edit(form="flac", names="{name} {number} {root}")
    varied.draw()
    done = varied.shelf.ended(varied.client.post(f"{varied.url}/hand-over").json["job"])
    assert done["state"] == "done"
    data = varied.client.get(f"/api/jobs/{done['id']}/file").data
    with zipfile.ZipFile(io.BytesIO(data)) as whole:
        names = {name.partition("/")[2] for name in whole.namelist()}
        assert {"contents.json", "contents.csv", "credits.txt", "SHA256SUMS"} < names
        contents = json.loads(whole.read("tone/contents.json"))
        assert len(contents["files"]) == 4
        assert contents["credits"][0]["recordist"] == "A. B."
        first = contents["files"][0]
        sound, rate = sf.read(io.BytesIO(whole.read(f"tone/{first['file']}")))
        assert (len(sound), rate) == (first["frames"], RATE)
    shown = [one for one in varied.drawn["drawn"] if one["kept"]]
    assert [one["loudness"] for one in contents["files"]] == pytest.approx(
        [one["loudness"] for one in shown], abs=0.06
    )


def test_what_cannot_be_drawn_is_said_at_once(varied):
    varied.edit(settings__snapshots="any of them")
    answer = varied.client.post(f"{varied.url}/draw")
    assert answer.status_code == 400
    assert "no snapshots" in answer.json["message"]
    varied.edit(settings__snapshots="as it is set")
    varied.client.delete(f"/api/instruments/{varied.instrument}")
    assert varied.client.post(f"{varied.url}/draw").status_code == 404
    answer = varied.client.post(f"{varied.url}/hand-over")
    assert "Nothing is kept" in answer.json["message"]


def test_a_set_is_listed_deleted_and_restored(varied):
    assert [one["name"] for one in varied.client.get("/api/variations").json["sets"]] == ["tone"]
    assert varied.client.delete(varied.url).status_code == 204
    assert varied.client.get(f"{varied.url}/drawn").status_code == 404
    assert varied.client.post(f"{varied.url}/restore").status_code == 200


def test_what_is_shown_no_more_is_tidied_by_age(varied):
    first = varied.draw()["made"]
    second = varied.draw()["made"]
    with varied.client.application.app_context():
        store: FileStore = services().files
        root = store.root / "variations"
        old = time.time() - 400 * 86_400
        for name in (first, second):
            os.utime(root / name, (old, old))
        assert tidy(store, database(), settings()) > 0
        assert not (root / first).exists()
        assert (root / second).exists()
    assert len(varied.drawn["drawn"]) == 8


def test_one_is_heard_as_it_is_handed_over(tmp_path):
    sf.write(tmp_path / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    with running(tmp_path / "project") as server:
        server.add(tmp_path / "tone.wav")
        instrument = server.json("POST", "/api/recordings/1/instrument", {})["id"]
        made = server.json("POST", "/api/variations", {"instrument": instrument})
        url = f"/api/variations/{made['id']}"
        patch = [{"op": "replace", "path": "/settings/drawn", "value": 2}]
        server.json("PATCH", url, {"revision": 0, "label": "E", "patch": patch})
        server.ended(server.json("POST", f"{url}/draw")["job"])
        drawn = server.json("GET", f"{url}/drawn")
        one = drawn["drawn"][0]
        with opened(server) as connection:
            page = Page(connection)
            page.say(do="listen", id=1, variation=f"{drawn['made']}/{one['number']}",
                     gain=one["gain"])  # fmt: skip
            assert np.abs(page.blocks(60)).max() > 0.005
            page.say(do="listen", id=2, variation=f"{drawn['made']}/999")
            page.blocks(2)
            assert "draw again" in page.answer("problem")["text"]


def test_of_a_take_and_of_layers(varied):
    """A set of a take plays its hands; one of snapshots has a loop for each."""
    document = varied.client.get(f"/api/instruments/{varied.instrument}").json["document"]
    files = varied.client.application.extensions["innerbloom"].files
    events = (Event("on", 1, 57.0, 0.8, 4_800), Event("off", 1, 57.0, 0.3, 30_000))
    take = Take(document, events=events, frames=2 * RATE)
    folder = TakeFolders(files)
    folder.write(header_of(take, instrument=varied.instrument, name="Tone"), take)
    entered = varied.client.post("/api/takes/found").json["entered"][0]
    made = varied.client.post("/api/variations", json={"take": entered}).json
    assert made["document"]["take"] == entered
    assert made["document"]["settings"]["seconds"] == 2.0
    varied.url = f"/api/variations/{made['id']}"
    varied.edit(settings__drawn=3, settings__kept=2)
    told = varied.draw()
    assert told["kept"] == 2
    assert told["drawn"][0]["seconds"] > 0.5
    job = varied.client.post(f"{varied.url}/hand-over").json["job"]
    assert varied.shelf.ended(job)["state"] == "done"
    varied.edit(start=1.5)
    job = varied.client.post(f"{varied.url}/draw").json["job"]
    assert "No note begins" in varied.shelf.ended(job)["error"]
    assert varied.client.post("/api/variations", json={}).status_code == 422
    refused = varied.client.post(
        "/api/variations", json={"instrument": varied.instrument, "layers": True}
    )
    assert refused.status_code == 400
    assert "two at least" in refused.json["message"]


def test_of_a_sound_that_was_printed(varied):
    body = {"key": 57, "seconds": 0.5, "velocity": 0.8}
    job = varied.client.post(f"/api/instruments/{varied.instrument}/render", json=body).json["job"]
    assert varied.shelf.ended(job)["state"] == "done"
    kept = varied.client.post(f"/api/jobs/{job}/keep").json["job"]
    printed = varied.shelf.ended(kept)["result"]["recording"]
    made = varied.client.post("/api/variations", json={"recording": printed}).json
    settings_of = made["document"]["settings"]
    assert (settings_of["key_low"], settings_of["key_high"], settings_of["seconds"]) == (
        57,
        57,
        0.5,
    )
    varied.url = f"/api/variations/{made['id']}"
    varied.edit(settings__drawn=3, settings__kept=2)
    # the instrument as it was then is played, whatever became of it
    varied.client.delete(f"/api/instruments/{varied.instrument}")
    assert varied.draw()["kept"] == 2
    plain = varied.client.post("/api/variations", json={"recording": varied.recording["id"]})
    assert plain.status_code == 409
    assert "was not printed" in plain.json["message"]
