"""Sets of samples over HTTP: estimated, made, heard, handed over."""

from __future__ import annotations

import io
import os
import time
import zipfile
from urllib.request import urlopen

import numpy as np
import pytest
import soundfile as sf

from innerbloom.store.sample_folders import SampleFolders
from innerbloom.store.tidying import tidy
from innerbloom.web.services import database, services, settings
from tests.api.test_live import Page, opened
from tests.clusters import free_port
from tests.made_sets import MadeSet
from tests.servers import running
from tests.sfz import SfzPlayer


class Samples(MadeSet):
    def __init__(self, shelf, tone_file):
        super().__init__(shelf, tone_file, "samples")

    @property
    def made(self):
        return self.client.get(f"{self.url}/made").json


@pytest.fixture
def samples(shelf, tone_file):
    one = Samples(shelf, tone_file)
    one.edit(settings__key_low=57, settings__key_high=65, settings__placing="evenly",
             settings__seconds=1.0)  # fmt: skip
    return one


def test_what_it_comes_to_is_said_before_and_what_was_made_after(samples):
    before = samples.made
    assert before["notes"] == []
    assert before["estimate"]["keys"] == [3, 3]
    assert before["estimate"]["files"] == [12, 12]
    done = samples.job("make")
    assert done["result"]["cost"].startswith("6 on ")
    after = samples.made
    assert [one["key"] for one in after["notes"]] == [57, 57, 61, 61, 65, 65]
    assert len(after["files"]) == len([one for one in after["notes"] if one["released"]]) + 6
    assert "tone_A3_064.wav" in after["files"]
    assert not after["stale"]
    samples.edit(settings__velocities=1)
    assert samples.made["stale"]
    assert len(samples.made["notes"]) == 6
    # undone, they fit again; once more, and they are as before they were made
    samples.step("undo")
    assert not samples.made["stale"]
    samples.step("undo")
    assert samples.made["notes"] == []
    samples.step("redo")
    assert len(samples.made["notes"]) == 6


def test_what_is_handed_over_plays_elsewhere(samples, tmp_path):
    samples.client.patch(f"/api/recordings/{samples.recording['id']}",
                         json={"recordist": "A. B.", "licence": "CC BY 4.0"})  # fmt: skip
    samples.edit(names="{name} {key} {velocity}", form="flac")
    samples.job("make")
    done = samples.job("hand-over")
    with zipfile.ZipFile(
        io.BytesIO(samples.client.get(f"/api/jobs/{done['id']}/file").data)
    ) as whole:
        whole.extractall(tmp_path)
    folder = tmp_path / "tone"
    assert {
        "tone.sfz",
        "contents.json",
        "contents.csv",
        "credits.txt",
        "SHA256SUMS",
        "samples",
    } == {path.name for path in folder.iterdir()}
    assert "A. B." in (folder / "credits.txt").read_text()
    back, rate = SfzPlayer(folder / "tone.sfz").note(61, 127, 1.5, 0.5)
    assert rate == 48_000
    assert abs(back[:rate]).max() > 0.01


def test_what_cannot_be_made_is_said_at_once(samples):
    answer = samples.client.post(f"{samples.url}/hand-over")
    assert answer.status_code == 409
    assert "Nothing has been sampled" in answer.json["message"]
    samples.edit(settings__key_low=90)
    answer = samples.client.post(f"{samples.url}/make")
    assert answer.status_code == 400
    assert "turn them round" in answer.json["message"]
    assert "turn them round" in samples.made["wrong"]
    samples.edit(settings__key_low=57)
    samples.job("make")
    samples.edit(names="{name}")
    assert "put {number} into it" in samples.made["wrong"]
    assert samples.client.post(f"{samples.url}/hand-over").status_code == 409
    samples.client.delete(f"/api/instruments/{samples.instrument}")
    assert samples.client.post(f"{samples.url}/make").status_code == 404


def test_a_scheduler_is_a_setting_and_one_that_is_away_is_said(samples):
    refused = samples.client.patch("/api/settings", json={"scheduler": "nonsense"})
    assert refused.status_code == 422
    address = f"tcp://127.0.0.1:{free_port()}"
    assert samples.client.patch("/api/settings", json={"scheduler": address}).status_code == 200
    started = samples.client.post(f"{samples.url}/make").json["job"]
    failed = samples.shelf.ended(started)
    assert failed["state"] == "failed"
    assert f"No scheduler answers at {address}" in failed["error"]
    samples.client.patch("/api/settings", json={"scheduler": ""})
    samples.job("make")


def test_what_no_set_shows_any_more_is_given_up_by_age(samples):
    first = samples.job("make") and samples.made["made"]
    samples.job("make")
    second = samples.made["made"]
    with samples.client.application.app_context():
        folders = SampleFolders(services().files)
        long_ago = time.time() - 400 * 86_400
        for made in (first, second):
            os.utime(folders.folder(made), (long_ago, long_ago))
        tidy(services().files, database(), settings())
        assert not folders.folder(first).exists()
        assert folders.folder(second).exists()


def test_they_are_deleted_and_brought_back(samples):
    assert samples.client.delete(samples.url).status_code == 204
    assert samples.client.get(samples.url).status_code == 404
    assert samples.client.get("/api/samples").json["sets"] == []
    assert samples.client.post(f"{samples.url}/restore").status_code == 200
    assert len(samples.client.get("/api/samples").json["sets"]) == 1


def test_one_is_heard_and_its_loop_goes_on(tmp_path, tone_file):
    with running(tmp_path / "project") as server:
        server.add(tone_file)
        instrument = server.json("POST", "/api/recordings/1/instrument", {})["id"]
        made = server.json("POST", "/api/samples", {"instrument": instrument, "name": ""})
        at = f"/api/samples/{made['id']}"
        patch = [{"op": "replace", "path": f"/settings/{key}", "value": value} for key, value in
                 {"key_low": 69, "key_high": 70, "seconds": 2.0, "velocities": 1}.items()]  # fmt: skip
        server.json("PATCH", at, {"revision": made["revision"], "label": "Edit", "patch": patch})
        server.ended(server.json("POST", f"{at}/make")["job"])
        found = server.json("GET", f"{at}/made")
        note = next(one for one in found["notes"] if one["loop"])
        address = f"{found['made']}/{note['number']}"
        loop = {
            "start": note["loop"][0] / note["rate"],
            "end": note["loop"][1] / note["rate"],
            "crossfade": 0,
        }
        with opened(server) as connection:
            page = Page(connection)
            page.say(do="listen", id=1, sample=address, loop=loop)
            # longer than the loop lasts
            assert np.abs(page.blocks(600)[-9_600:]).max() > 1e-3
            page.say(do="listen", id=2, sample=f"{'0' * 32}/1")
            page.blocks(2)
            assert "sample again" in page.answer("problem")["text"]
        with urlopen(f"{server.url}{at}/sounds/{note['number']}") as answer:
            sound, rate = sf.read(io.BytesIO(answer.read()))
        assert (len(sound), rate) == (note["frames"], note["rate"])
