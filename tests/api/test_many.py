"""One thing done to several sounds of the shelf at once."""

from __future__ import annotations

import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import BloomError, DocumentError
from innerbloom.core.instrument.grow import grow_of_many
from innerbloom.core.names import by_template
from tests.conftest import RATE, harmonic_tone


@pytest.fixture
def three(shelf, tmp_path):
    ids = []
    for name, hz in (("high", 440.0), ("low", 110.0), ("middle", 220.0)):
        sf.write(tmp_path / f"{name}.wav", harmonic_tone(hz, 1.0), RATE, "PCM_24")
        ids.append(shelf.recording(tmp_path / f"{name}.wav")["id"])
    return ids


def grown(client, ids, spread="chance"):
    return client.post("/api/recordings/instrument", json={"recordings": ids, "spread": spread})


def test_one_instrument_of_several_that_picks_at_random(client, three):
    answer = grown(client, three)
    assert answer.status_code == 201
    (layer,) = answer.json["document"]["layers"]
    assert [one["name"] for one in layer["sounds"]] == ["high", "low", "middle"]
    assert layer["settings"]["choose"] == "chance"
    assert answer.json["document"]["name"] == "high and 2 more"


def test_along_the_keys_they_lie_by_their_roots_and_leave_no_key_out(client, three):
    (layer,) = grown(client, three, "key").json["document"]["layers"]
    assert [one["name"] for one in layer["sounds"]] == ["low", "middle", "high"]
    covered = [key for pick in layer["picks"] for key in range(pick["key_low"], pick["key_high"] + 1)]  # fmt: skip
    assert covered == list(range(128))


def test_the_wheel_goes_through_them_all(client, three):
    document = grown(client, three, "control").json["document"]
    assert document["layers"][0]["settings"]["choose"] == "control"
    (route,) = [route for route in document["routes"] if route["parameter"] == "choice"]
    assert (route["source"], route["depth"]) == ("wheel", 100)


def test_what_cannot_be_grown_says_why(client, three):
    with pytest.raises(DocumentError, match="pick fewer"):
        grow_of_many("x", [Sound(path="a.wav")] * 65, "chance")
    assert grown(client, []).status_code == 422
    assert grown(client, [999]).status_code == 404
    assert grown(client, three, "taste").status_code == 422


def test_sounds_are_added_to_a_layer_in_one_step(client, three):
    first = client.post(f"/api/recordings/{three[0]}/instrument", json={}).json
    url = f"/api/instruments/{first['id']}"
    action = {"do": "add sounds", "layer": 0, "recordings": three[1:], "revision": first["revision"]}  # fmt: skip
    made = client.post(f"{url}/layers", json={"action": action}).json
    assert [one["name"] for one in made["document"]["layers"][0]["sounds"]] == ["high", "low", "middle"]  # fmt: skip
    back = client.post(f"{url}/undo", json={"revision": made["revision"]}).json
    assert back["document"]["layers"][0]["sounds"] == first["document"]["layers"][0]["sounds"]


def test_what_is_said_of_all_can_be_taken_back_as_it_was(client, three):
    client.patch(f"/api/recordings/{three[0]}", json={"place": "Cellar"})
    edits = [{"recording": one, "place": "North pool", "licence": "CC0"} for one in three]
    before = client.patch("/api/recordings", json={"edits": edits}).json["edits"]
    now = [client.get(f"/api/recordings/{one}").json for one in three]
    assert {(one["place"], one["licence"]) for one in now} == {("North pool", "CC0")}
    assert client.patch("/api/recordings", json={"edits": before}).status_code == 200
    places = [client.get(f"/api/recordings/{one}").json["place"] for one in three]
    assert places == ["Cellar", "", ""]


def test_one_recording_that_is_gone_changes_none(client, three):
    edits = [{"recording": one, "place": "Here"} for one in (three[0], 999)]
    assert client.patch("/api/recordings", json={"edits": edits}).status_code == 404
    assert client.get(f"/api/recordings/{three[0]}").json["place"] == ""


def test_names_by_a_template_are_seen_before_they_are_given(client, three):
    def names(template, begin=1):
        body = {"recordings": three, "template": template, "begin": begin}
        return client.post("/api/recordings/names", json=body)

    assert names("GH {number} {root}", 7).json["names"] == ["GH 007 A4", "GH 008 A2", "GH 009 A3"]
    assert names("same").json["names"] == ["same", "same 2", "same 3"]
    assert "{wind}" in names("{wind}").json["message"]
    assert "Nothing is left" in names("{take}").json["message"]
    assert client.get(f"/api/recordings/{three[0]}").json["name"] == "high"


@given(st.text(st.characters(exclude_characters="{}"), max_size=30), st.text(max_size=10))
def test_a_template_keeps_all_that_is_no_field(text, value):
    assert by_template(text, {}) == text
    assert by_template(f"{text}{{name}}", {"name": value}) == text + value


def test_a_field_that_there_is_not_is_named():
    with pytest.raises(BloomError, match=r"There is no \{mood\} for names: \{name\} can be used"):
        by_template("{mood}", {"name": "x"})
