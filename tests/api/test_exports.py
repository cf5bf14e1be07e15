"""Out as a file over HTTP, from one list; kept pieces back in; the project backed up and looked over."""

from __future__ import annotations

import io
import json
import zipfile

import pytest

from innerbloom.core.deliver.exporters import EXPORTERS
from innerbloom.store.archive import open_archive
from innerbloom.store.files import FileStore
from innerbloom.web.services import services


@pytest.fixture
def grown(shelf, tone_file):
    """A shelf with one recording and an instrument of it; gives its number."""
    recording = shelf.recording(tone_file)
    return shelf.client.post(f"/api/recordings/{recording['id']}/instrument", json={}).json["id"]


def test_the_list_is_that_of_the_core(client):
    listed = client.get("/api/exporters").json["exporters"]
    assert [one["id"] for one in listed] == list(EXPORTERS)
    assert all(one["name"] and one["suffix"] for one in listed)


def test_an_instrument_leaves_with_its_sounds_and_alone(shelf, grown):
    bundle = shelf.client.get(f"/api/exports/instrument/{grown}/bundle")
    assert bundle.status_code == 200
    assert "tone.zip" in bundle.headers["Content-Disposition"]
    with zipfile.ZipFile(io.BytesIO(bundle.data)) as opened:
        assert "instrument.json" in opened.namelist()
    alone = shelf.client.get(f"/api/exports/instrument/{grown}/document")
    assert json.loads(alone.data)["format"] == "inner-bloom/instrument"


def test_what_cannot_leave_so_is_said(shelf, grown):
    answer = shelf.client.get(f"/api/exports/instrument/{grown}/midi")
    assert answer.status_code == 400
    assert "exported as bundle, document, tuning" in answer.json["message"]
    answer = shelf.client.get(f"/api/exports/instrument/{grown}/tuning")
    assert answer.status_code == 400
    assert "no scale of its own" in answer.json["message"]
    assert shelf.client.get("/api/exports/instrument/99/bundle").status_code == 404
    assert shelf.client.get("/api/exports/nonsense/1/bundle").status_code == 404
    assert shelf.client.get("/api/exports/chain/gone/chain").status_code == 400


def test_recipes_wavetables_and_timelines_leave(shelf, tone_file):
    recording = shelf.recording(tone_file)
    recipe = shelf.client.get(f"/api/exports/recipe/{recording['id']}/recipe")
    assert json.loads(recipe.data)["format"] == "inner-bloom/recipe"
    made = shelf.client.post("/api/timelines", json={"name": "Announcement"}).json["id"]
    assert shelf.client.get(f"/api/exports/timeline/{made}/cues").data.startswith(b"scene,lane")
    empty = shelf.client.get(f"/api/exports/timeline/{made}/otio")
    assert (empty.status_code, empty.json["message"]) == (
        400,
        "No lane has a sound: place one first.",
    )


def test_kept_pieces_leave_and_come_back(shelf, grown):
    document = shelf.client.get(f"/api/instruments/{grown}").json["document"]
    modulator = document["modulators"][0]["id"]
    kept = shelf.client.post("/api/movements", json={"instrument": grown, "modulator": modulator})
    piece = json.loads(shelf.client.get(f"/api/exports/movement/{kept.json['id']}/movement").data)
    shelf.client.delete(f"/api/movements/{kept.json['id']}")
    back = shelf.client.post("/api/kept", json={"piece": piece})
    assert back.status_code == 201, back.json
    assert back.json == {"kind": "movement", "name": kept.json["name"]}
    listed = shelf.client.get("/api/movements").json["movements"]
    assert [one["name"] for one in listed] == [kept.json["name"]]
    chain = {"format": "inner-bloom/chain", "version": 1, "name": "Far",
             "effects": [{"id": "e1", "kind": "echo", "settings": {}}]}  # fmt: skip
    assert shelf.client.post("/api/kept", json={"piece": chain}).json["kind"] == "chain"
    assert [one["name"] for one in shelf.client.get("/api/chains").json["chains"]] == ["Far"]
    for wrong in (
        {},
        {"format": "inner-bloom/instrument"},
        {"format": "inner-bloom/movement", "modulator": {}},
    ):
        answer = shelf.client.post("/api/kept", json={"piece": wrong})
        assert answer.status_code == 422
        assert "neither a movement nor a chain" in answer.json["message"]


# -- the whole project -------------------------------------------------------------------


def test_the_project_is_backed_up_and_opens_elsewhere(shelf, grown, tmp_path):
    done = shelf.ended(shelf.client.post("/api/project/archive").json["job"])
    assert done["state"] == "done", done
    answer = shelf.client.get(f"/api/jobs/{done['id']}/file")
    assert "Untitled project.tar" in answer.headers["Content-Disposition"]
    (tmp_path / "p.tar").write_bytes(answer.data)
    assert open_archive(tmp_path / "p.tar", tmp_path / "there").sound
    assert len(list(FileStore(tmp_path / "there").originals.glob("*/*"))) == 1


def test_a_damaged_original_is_not_exported_as_if_it_were_whole(shelf, grown):
    recording = shelf.client.get("/api/recordings").json["recordings"][0]
    with shelf.client.application.app_context():
        original = next(services().files.originals.glob("*/*"))
    data = bytearray(original.read_bytes())
    data[-1] ^= 1
    original.write_bytes(data)
    answer = shelf.client.post("/api/export", json={"recordings": [recording["id"]]})
    done = shelf.ended(answer.json["job"])
    assert done["state"] == "failed"
    assert done["error"].startswith(f"'{recording['name']}': ")
    assert "is damaged on the disk: add it again" in done["error"]


def test_recordings_are_compared_with_their_checksums(shelf, grown):
    def checked():
        done = shelf.ended(shelf.client.post("/api/project/check").json["job"])
        assert done["state"] == "done"
        return done["result"]

    assert checked()["name"] == "1 recordings are whole."
    with shelf.client.application.app_context():
        original = next(services().files.originals.glob("*/*"))
    data = bytearray(original.read_bytes())
    data[-1] ^= 1
    original.write_bytes(data)
    assert "'tone' is not as it was" in checked()["problems"][0]
    original.unlink()
    assert "The file of 'tone' is gone" in checked()["problems"][0]
