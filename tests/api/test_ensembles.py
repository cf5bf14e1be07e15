"""Ensembles over HTTP, in files, in the shell and in a live session."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf

from innerbloom.core.deliver.opening import open_playable
from tests.api.test_live import Page, opened
from tests.conftest import RATE, harmonic_tone
from tests.servers import running
from tests.shell import bloom


class Ensembles:
    def __init__(self, shelf, tone_file):
        self.client = shelf.client
        self.shelf = shelf
        self.instruments = [shelf.instrument(tone_file)["id"]]
        again = self.client.post(f"/api/instruments/{self.instruments[0]}/duplicate")
        self.instruments.append(again.json["id"])
        made = self.client.post(
            "/api/ensembles", json={"name": "Two waters", "instruments": self.instruments}
        )
        self.url = f"/api/ensembles/{made.json['id']}"

    @property
    def state(self):
        return self.client.get(self.url).json

    @property
    def players(self):
        return self.state["document"]["players"]

    def act(self, **action):
        body = {"action": {**action, "revision": self.state["revision"]}}
        return self.client.post(f"{self.url}/players", json=body)

    def step(self, way):
        return self.client.post(f"{self.url}/{way}", json={"revision": self.state["revision"]})


@pytest.fixture
def two(shelf, tone_file):
    return Ensembles(shelf, tone_file)


def test_an_ensemble_is_made_listed_changed_and_undone(two):
    assert [one["settings"]["seed"] for one in two.players] == [1, 2]
    listed = two.client.get("/api/ensembles").json["ensembles"]
    assert [(one["name"], one["players"]) for one in listed] == [
        ("Two waters", ["madder", "ochre"])
    ]
    two.act(do="add player", instrument=two.instruments[0])
    assert len(two.players) == 3
    two.act(do="replace player", player="p1", instrument=two.instruments[1])
    assert two.players[0]["instrument"] == two.instruments[1]
    two.act(do="remove player", player="p3")
    two.step("undo")
    assert [one["id"] for one in two.players] == ["p1", "p2", "p3"]
    patch = [{"op": "replace", "path": "/players/0/settings/key_high", "value": 50}]
    body = {"revision": two.state["revision"], "label": "Keys", "patch": patch}
    assert two.client.patch(two.url, json=body).json["document"]["players"][0]["settings"][
        "key_high"
    ] == 50  # fmt: skip
    assert two.client.patch(two.url, json=body).status_code == 409


def test_it_is_heard_with_its_instruments_as_they_are_now(two):
    heard = two.client.get(f"{two.url}/heard").json
    assert heard["gone"] == []
    assert heard["document"]["players"][0]["document"]["layers"]
    two.client.delete(f"/api/instruments/{two.instruments[0]}")
    heard = two.client.get(f"{two.url}/heard").json
    assert heard["gone"] == ["p1"]
    assert heard["document"]["players"][0]["document"] is None
    assert heard["document"]["players"][0]["name"]


def test_it_is_duplicated_deleted_and_restored(two):
    copy = two.client.post(f"{two.url}/duplicate").json
    assert copy["document"]["name"] == "Two waters copy"
    assert two.client.delete(two.url).status_code == 204
    assert two.client.get(two.url).status_code == 404
    assert two.client.post(f"{two.url}/restore").json["document"]["name"] == "Two waters"


@pytest.mark.parametrize(("path", "body", "words"), [
    ("", {"name": "x", "instruments": [999]}, "does not exist"),
    ("/players", {"action": {"do": "remove player", "player": "p9", "revision": 0}},
     "no longer there"),
    ("/players", {"action": {"do": "add player", "instrument": 999, "revision": 0}},
     "does not exist"),
])  # fmt: skip
def test_what_cannot_be_done_is_said(two, path, body, words):
    answer = two.client.post(f"{two.url}{path}" if path else "/api/ensembles", json=body)
    assert answer.status_code in (400, 404, 422)
    assert words in answer.json["message"]


def test_it_is_rendered_bundled_played_in_the_shell_and_taken_in_elsewhere(two, tmp_path):
    job = two.client.post(f"{two.url}/render", json={"key": 57, "seconds": 0.4, "title": "Both"})
    done = two.shelf.ended(job.json["job"])
    assert done["result"]["ensemble"] == two.state["id"]
    bundle = tmp_path / "two.zip"
    number = two.state["id"]
    bundle.write_bytes(two.client.get(f"/api/exports/ensemble/{number}/bundle").data)
    with open_playable(bundle) as (document, _):
        assert [one.instrument for one in document.players] == [None, None]
        assert len(document.players[0].document["layers"]) == 1
    out = tmp_path / "out.wav"
    result = bloom("render", bundle, "--note", "A3", "--seconds", 0.4, "--out", out, "--float")
    assert result.exit_code == 0, result.output
    sound, rate = sf.read(out)
    assert rate == 48_000
    assert np.abs(sound).max() > 0.01
    other = tmp_path / "other.wav"
    bloom("render", bundle, "--note", "A3", "--seconds", 0.4, "--out", other, "--float",
          "--seed", 9)  # fmt: skip
    assert not np.array_equal(sf.read(other)[0], sound)
    # the same document beside its recordings
    job = two.client.post("/api/bundles?name=two.zip", data=bundle.read_bytes())
    done = two.shelf.ended(job.json["job"])
    taken = two.client.get(f"/api/ensembles/{done['result']['ensemble']}").json["document"]
    assert taken["name"] != "Two waters"
    assert len({one["instrument"] for one in taken["players"]} - set(two.instruments)) == 2


def test_a_document_without_its_instruments_renders_silence_and_one_that_is_wrong_is_said(
    two, tmp_path
):
    path = tmp_path / "ensemble.json"
    path.write_text(json.dumps(two.state["document"]))
    result = bloom("render", path, "--out", tmp_path / "x.wav")
    assert result.exit_code == 0
    assert not np.abs(sf.read(tmp_path / "x.wav")[0]).any()
    path.write_text(json.dumps({"format": "inner-bloom/ensemble", "name": ""}))
    result = bloom("render", path, "--out", tmp_path / "y.wav")
    assert result.exit_code != 0
    assert "The ensemble cannot be read: name" in result.output


# -- live ----------------------------------------------------------------------------


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    folder = tmp_path_factory.mktemp("ensembles")
    sf.write(folder / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    with running(folder / "project") as one:
        one.add(folder / "tone.wav")
        first = one.json("POST", "/api/recordings/1/instrument", {})["id"]
        body = {"name": "Both", "instruments": [first, first]}
        one.ensemble = one.json("POST", "/api/ensembles", body)["id"]
        one.first = first
        yield one


@pytest.fixture
def page(server):
    with opened(server) as connection:
        yield Page(connection)


def heard(server, **settings):
    document = server.json("GET", f"/api/ensembles/{server.ensemble}/heard")["document"]
    for name, value in settings.items():
        player, _, parameter = name.partition("_")
        one = document["players"][int(player[1:]) - 1]
        one["phrase" if parameter in one["phrase"] else "settings"][parameter] = value
    return document


def load(page, document):
    page.say(do="load", document=document)
    assert page.answer("loaded")


def test_players_sound_where_they_are_meant_to_and_are_seen(page, server):
    load(page, heard(server, p1_key_high=59, p2_key_low=60))
    page.say(do="on", note=1, key=50.0, value=0.8)
    assert np.abs(page.blocks(60)).max() > 0.01
    page.answers.clear()
    page.blocks(8)
    players = page.answer("look")["players"]
    assert players["p1"]["voices"] > 0
    assert players["p1"]["keys"] == [50.0]
    assert players["p1"]["load"] > 0
    assert players["p2"]["voices"] == 0
    page.say(do="set", owner="p1", parameter="mute", value="on")
    page.blocks(30)
    assert np.abs(page.blocks(20)).max() < 1e-4
    page.say(do="set", owner="p9", parameter="mute", value="on")
    page.blocks(2)
    assert "no longer there" in page.answer("problem")["text"]


def test_from_an_instrument_to_an_ensemble_and_back_held_keys_go_on(page, server):
    instrument = server.json("GET", f"/api/instruments/{server.first}")["document"]
    load(page, instrument)
    page.say(do="on", note=1, key=57.0, value=0.8)
    sounds = [page.blocks(60)]
    for document in (heard(server), instrument, heard(server)):
        load(page, document)
        sounds.append(page.blocks(60))
    assert all(np.abs(sound[-2_000:]).max() > 0.005 for sound in sounds)
    together = np.concatenate(sounds)
    assert np.abs(np.diff(together, axis=0)).max() < 0.1


def test_a_take_of_an_ensemble_replays_to_the_bit(page, server):
    load(page, heard(server, p1_pattern="random", p1_key_high=59, p2_key_low=60))
    page.blocks(8)
    page.say(do="record", on=True, name="Both")
    for note, key in enumerate((40.0, 47.0, 62.0), 1):
        page.say(do="on", note=note, key=key, value=0.8)
    page.blocks(150)
    for note in (1, 2, 3):
        page.say(do="off", note=note)
    page.blocks(60)
    page.say(do="record", on=False)
    page.blocks(4)
    assert page.answer("taken")
    server.json("POST", "/api/takes/found")
    take = server.json("GET", "/api/takes")["takes"][0]
    assert take["instrument"] is None
    hands = server.json("GET", f"/api/takes/{take['id']}/hands")
    assert len(hands["notes"]) > 5
    assert [one["name"] for one in hands["layers"]] == ["tone", "tone"]
    ways = {"ways": [{}, {"layers": ["p2"]}]}
    job = server.json("POST", f"/api/takes/{take['id']}/again", ways)["job"]
    assert server.ended(job)["state"] == "done"
    made = server.json("GET", f"/api/takes/{take['id']}/renderings")["renderings"]
    assert {one["words"]: one["exact"] for one in made} == {
        "the same again": True, "only tone": None,
    }  # fmt: skip
    ways = {"ways": [{"ensemble": server.ensemble}, {"instrument": server.first}]}
    job = server.json("POST", f"/api/takes/{take['id']}/again", ways)["job"]
    assert server.ended(job)["state"] == "done"


def test_a_phrase_of_the_strip_makes_notes_of_a_chord(page, server):
    load(page, server.json("GET", f"/api/instruments/{server.first}")["document"])
    page.say(do="phrase", settings={"pattern": "up", "step": 0.125, "gate": 50})
    page.say(do="on", note=1, key=48.0, value=0.8)
    page.say(do="on", note=2, key=55.0, value=0.8)
    keys = set()
    for _ in range(12):
        page.answers.clear()
        page.blocks(12)
        keys |= {round(key) for _, key, _, _ in page.answer("look")["notes"]}
    assert keys == {48, 55}
    page.say(do="phrase", settings={"pattern": "off"})
    page.blocks(60)
    page.say(do="phrase", settings={"pattern": "sideways"})
    page.blocks(2)
    assert "The phrase cannot be read" in page.answer("problem")["text"]


def test_a_phrase_goes_on_with_the_keys_that_are_down_after_another_kind_was_opened(page, server):
    load(page, server.json("GET", f"/api/instruments/{server.first}")["document"])
    page.say(do="phrase", settings={"pattern": "up", "step": 0.125, "gate": 50})
    page.say(do="on", note=1, key=48.0, value=0.8)
    page.blocks(400)
    load(page, heard(server))
    page.blocks(20)
    load(page, server.json("GET", f"/api/instruments/{server.first}")["document"])
    # the old engine has faded: what sounds now is the pattern
    page.blocks(40)
    assert np.abs(page.blocks(60)).max() > 0.003
    page.say(do="off", note=1)
