"""Effects, shared streams, sends and kept chains over HTTP."""

from __future__ import annotations

import pytest

from innerbloom.core.effects import EFFECT_KINDS


@pytest.fixture
def mixing(shelf, tone_file):
    """An instrument, and how to work on its mix."""
    return Mixing(shelf.client, shelf.instrument(tone_file)["id"])


class Mixing:
    def __init__(self, client, id_):
        self.client, self.id, self.url = client, id_, f"/api/instruments/{id_}"

    def state(self):
        return self.client.get(self.url).get_json()

    @property
    def document(self):
        return self.state()["document"]

    @property
    def layer(self):
        return self.document["layers"][0]

    def do(self, do, **more):
        action = {"do": do, "revision": self.state()["revision"], **more}
        return self.client.post(f"{self.url}/mix", json={"action": action})

    def step(self, way):
        return self.client.post(f"{self.url}/{way}", json={"revision": self.state()["revision"]})


def test_effects_are_added_moved_across_and_along_and_taken_away_and_undone(mixing):
    layer = mixing.layer["id"]
    for kind in ("drive", "room", "equaliser"):
        assert mixing.do("add effect", chain=layer, kind=kind).status_code == 200
    assert [one["kind"] for one in mixing.layer["effects"]] == ["drive", "room", "equaliser"]
    room = mixing.layer["effects"][1]["id"]
    mixing.do("move effect", effect=room, chain=layer, at=0)
    assert [one["kind"] for one in mixing.layer["effects"]] == ["room", "drive", "equaliser"]
    mixing.do("move effect", effect=room, chain="instrument", at=0)
    assert mixing.document["effects"][0]["id"] == room
    mixing.do("remove effect", effect=room)
    assert mixing.document["effects"] == []
    assert mixing.step("undo").get_json()["document"]["effects"][0]["id"] == room


def test_an_effect_takes_its_routes_along_and_away(mixing):
    layer = mixing.layer["id"]
    mixing.do("add effect", chain=layer, kind="room")
    room = mixing.layer["effects"][0]["id"]
    route = {"do": "route", "source": "pressure", "target": room, "parameter": "mix", "depth": 60,
             "revision": mixing.state()["revision"]}  # fmt: skip
    answer = mixing.client.post(f"{mixing.url}/movement", json={"action": route})
    assert answer.status_code == 200, answer.get_json()
    mixing.do("move effect", effect=room, chain="instrument", at=0)
    assert [one["target"] for one in mixing.document["routes"]].count(room) == 1
    mixing.do("remove effect", effect=room)
    assert room not in [one["target"] for one in mixing.document["routes"]]


def test_shared_streams_are_sent_to_gone_to_and_taken_away(mixing):
    layer = mixing.layer["id"]
    mixing.do("add bus", name="Glasshouse")
    bus = mixing.document["buses"][0]["id"]
    mixing.do("send", layer=layer, bus=bus)
    mixing.do("send", layer=layer, bus=bus)
    assert [one["to"] for one in mixing.layer["sends"]] == [bus]
    mixing.do("remove send", send=mixing.layer["sends"][0]["id"])
    assert mixing.layer["sends"] == []
    mixing.do("send", layer=layer, bus=bus)
    mixing.do("output", layer=layer, bus=bus)
    assert (mixing.layer["output"], mixing.layer["sends"]) == (bus, [])
    mixing.do("remove bus", bus=bus)
    assert (mixing.layer["output"], mixing.document["buses"]) == ("main", [])


@pytest.mark.parametrize(
    ("action", "sentence"),
    [
        ({"do": "add effect", "chain": "l1", "kind": "toaster"}, "An effect is one of"),
        ({"do": "add effect", "chain": "x9", "kind": "room"}, "no longer there"),
        ({"do": "remove effect", "effect": "e9"}, "no longer there"),
        ({"do": "send", "layer": "l1", "bus": "b9"}, "no longer there"),
        ({"do": "remove send", "send": "s9"}, "no longer there"),
        ({"do": "use chain", "chain": "l1", "kept": "0123456789ab"}, "no longer kept"),
    ],
)
def test_what_cannot_be_done_is_said_in_a_sentence_and_changes_nothing(mixing, action, sentence):
    before = mixing.document
    answer = mixing.do(**action)
    assert answer.status_code in (400, 404)
    assert sentence in answer.get_json()["message"]
    assert mixing.document == before


def test_a_shared_stream_goes_to_the_whole_and_never_to_itself(mixing):
    mixing.do("add bus", name="Glasshouse")
    bus = mixing.document["buses"][0]["id"]
    for do in ("send", "output"):
        answer = mixing.do(do, layer=bus, bus=bus)
        assert answer.status_code == 400
    assert "goes to the whole" in answer.get_json()["message"]


def test_there_are_four_shared_streams_and_sixteen_effects_at_most(mixing):
    for number in range(4):
        assert mixing.do("add bus", name=f"Shared {number}").status_code == 200
    assert "4 shared streams at most" in mixing.do("add bus", name="Five").get_json()["message"]
    layer = mixing.layer["id"]
    for _ in range(15):
        assert mixing.do("add effect", chain=layer, kind="stereo").status_code == 200
    answer = mixing.do("body then room", chain=layer)
    assert "16 effects at most" in answer.get_json()["message"]
    assert len(mixing.layer["effects"]) == 15


def test_body_then_room_is_one_step(mixing):
    layer = mixing.layer["id"]
    mixing.do("body then room", chain=layer)
    sizes = [one["settings"]["size"] for one in mixing.layer["effects"]]
    assert sizes[0] < 3 < 10 < sizes[1]
    mixing.step("undo")
    assert mixing.layer["effects"] == []


def test_a_chain_is_kept_used_on_another_instrument_and_forgotten(mixing):
    layer = mixing.layer["id"]
    mixing.do("add effect", chain=layer, kind="compressor")
    mixing.do("add effect", chain=layer, kind="echo")
    body = {"instrument": mixing.id, "chain": layer, "name": "Far shore"}
    kept = mixing.client.post("/api/chains", json=body)
    assert kept.status_code == 201
    assert kept.get_json()["kinds"] == ["compressor", "echo"]
    copy = mixing.client.post(f"{mixing.url}/duplicate").get_json()
    other = Mixing(mixing.client, copy["id"])
    other.do("use chain", chain="instrument", kept=kept.get_json()["id"])
    other.do("use chain", chain="instrument", kept=kept.get_json()["id"])
    effects = other.document["effects"]
    assert [one["kind"] for one in effects] == ["compressor", "echo"] * 2
    assert len({one["id"] for one in effects}) == 4
    mixing.client.delete(f"/api/chains/{kept.get_json()['id']}")
    assert mixing.client.get("/api/chains").get_json() == {"chains": []}
    assert len(other.document["effects"]) == 4


def test_an_effect_listens_to_a_layer_until_that_is_gone(mixing):
    copy = {"do": "duplicate", "layer": 0, "revision": mixing.state()["revision"]}
    mixing.client.post(f"{mixing.url}/layers", json={"action": copy})
    first, second = mixing.document["layers"]
    mixing.do("add effect", chain=first["id"], kind="compressor")
    patch = [
        {"op": "replace", "path": "/layers/0/effects/0/listens_to", "value": second["id"]},
        {"op": "replace", "path": "/layers/0/effects/0/settings/listens", "value": "a layer"},
    ]
    edit = {"revision": mixing.state()["revision"], "label": "listens", "patch": patch}
    answer = mixing.client.patch(mixing.url, json=edit)
    assert answer.status_code == 200, answer.get_json()
    gone = {"do": "remove", "layer": 1, "revision": mixing.state()["revision"]}
    mixing.client.post(f"{mixing.url}/layers", json={"action": gone})
    assert mixing.layer["effects"][0]["listens_to"] is None


@pytest.mark.parametrize(
    "kind", [one for one in EFFECT_KINDS if EFFECT_KINDS[one].picture != "none"]
)
def test_every_kind_has_a_picture_and_a_cost(client, kind):
    answer = client.post("/api/effects/picture", json={"effect": {"id": "e1", "kind": kind}})
    found = answer.get_json()
    assert answer.status_code == 200, found
    assert len(found["points"]) > 2
    assert 0 < found["cost"] < 5
    assert found["latency_ms"] >= 0


def test_a_picture_says_what_is_set(client):
    def points(**settings):
        body = {"effect": {"id": "e1", "kind": "compressor", "settings": settings}}
        return dict(map(tuple, client.post("/api/effects/picture", json=body).get_json()["points"]))

    still = {"make_up": "by hand", "knee": 0}
    assert points(threshold=-20, ratio=4, **still)[0] == pytest.approx(-15, abs=1)
    assert points(threshold=-40, ratio=100, **still)[0] == pytest.approx(-40, abs=1.5)
    answer = client.post("/api/effects/picture", json={"effect": {"id": "e1", "kind": "toaster"}})
    assert answer.status_code == 400
    assert "an effect is one of equaliser" in answer.get_json()["message"]


def test_embedding_uses_a_sound_of_the_shelf(mixing, shelf, tone_file):
    layer = mixing.layer["id"]
    recording = mixing.client.get("/api/recordings").get_json()["recordings"][0]
    mixing.do("add effect", chain=layer, kind="embed", recording=recording["id"])
    effect = mixing.layer["effects"][0]
    assert effect["sound"]["recording"] == recording["digest"]
    with_it = mixing.client.post("/api/effects/picture", json={"effect": effect}).get_json()
    without = mixing.client.post(
        "/api/effects/picture", json={"effect": {**effect, "sound": None}}
    ).get_json()
    assert max(x for x, _ in with_it["points"]) > 2 * max(x for x, _ in without["points"])
    gone = {**effect, "sound": {**effect["sound"], "recording": "0" * 64}}
    answer = mixing.client.post("/api/effects/picture", json={"effect": gone})
    assert answer.status_code in (400, 404)
    assert answer.get_json()["message"]
