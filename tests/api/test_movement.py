"""Modulators and routes over HTTP: made, read in words, mended, kept for reuse.

A grown instrument has two modulators of its own, m1 and m2; the first that is added is m3.
"""

from __future__ import annotations

import pytest


@pytest.fixture
def instrument(shelf, tone_file):
    """An instrument, and how to act on it."""
    return Acting(shelf.client, shelf.instrument(tone_file)["id"])


class Acting:
    def __init__(self, client, id_):
        self.client, self.url = client, f"/api/instruments/{id_}"
        self.id = id_

    def state(self):
        return self.client.get(self.url).get_json()

    def do(self, do, **more):
        action = {"do": do, "revision": self.state()["revision"], **more}
        return self.client.post(f"{self.url}/movement", json={"action": action})

    def reading(self, **seen):
        return self.client.post(f"{self.url}/movement/reading", json=seen).get_json()


def test_routes_are_made_read_and_undone(instrument):
    assert instrument.do("add modulator", kind="lfo", name="Slow tide").status_code == 200
    answer = instrument.do("say", text="slow tide > size 60 ms to 240 ms, scaled by mod wheel")
    assert answer.status_code == 200
    read = instrument.reading()
    said = read["routes"][-1]
    assert said["source"] == "Slow tide"
    assert said["amount"] == "from 60 ms to 240 ms"
    assert (round(said["low"], 6), round(said["high"], 6)) == (60, 240)
    assert said["more"] == ["scaled by mod wheel"]
    assert {"owner", "parameter", "name", "low", "high"} == set(read["targets"][-1])
    assert "m:m3" in [source["id"] for source in read["sources"]]
    state = instrument.client.post(
        f"{instrument.url}/undo", json={"revision": instrument.state()["revision"]}
    ).get_json()
    assert not [r for r in state["document"]["routes"] if r["source"] == "m:m3"]


def test_a_sentence_that_does_not_parse_says_where_and_changes_nothing(instrument):
    before = instrument.state()
    answer = instrument.do("say", text="blorp > size 3")
    assert answer.status_code == 400
    assert answer.get_json()["message"] == "Nothing here is called 'blorp'."
    assert answer.get_json()["at"] == 0
    assert instrument.state() == before


@pytest.mark.parametrize(
    ("action", "says"),
    [
        ({"do": "add modulator", "kind": "wobble"}, "A modulator is one of"),
        ({"do": "route", "source": "m:zz", "target": "l1", "parameter": "pan"}, "no modulator 'zz'"),
        ({"do": "route", "source": "wheel", "target": "zz", "parameter": "pan"}, "to move"),
        ({"do": "route", "source": "wheel", "target": "l1", "parameter": "size", "low": 1,
          "high": 1e6}, "size goes from"),
        ({"do": "land", "route": "zz", "low": 1, "high": 2}, "no longer there"),
        ({"do": "mirror", "route": "zz", "target": "l1", "parameter": "pan"}, "no longer there"),
        ({"do": "drop", "movement": "gone"}, "no longer kept"),
        ({"do": "drop", "movement": "../secret"}, "no longer kept"),
        ({"do": "remove", "ids": ["l1"]}, "keeps at least one layer"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_one_sentence(instrument, action, says):
    answer = instrument.do(action.pop("do"), **action)
    assert answer.status_code in (400, 404, 409, 422)
    assert says in answer.get_json()["message"]


def test_findings_have_fixes_that_apply(instrument):
    instrument.do("add modulator", kind="lfo")
    found = instrument.reading()["findings"]
    assert [one["text"] for one in found] == ["LFO moves nothing."]
    state = instrument.state()
    body = {"revision": state["revision"], "label": found[0]["fix"], "patch": found[0]["patch"]}
    assert instrument.client.patch(instrument.url, json=body).status_code == 200
    assert instrument.reading()["findings"] == []


def test_what_was_seen_reaches_the_doctor(instrument):
    instrument.do("route", source="wheel", target="l1", parameter="pan", depth=20)
    route = instrument.state()["document"]["routes"][-1]["id"]
    seen = {"looks": 2_000, "ranges": {route: [0, 0]}, "clamped": {"l1.pan": 0.3}}
    texts = [one["text"] for one in instrument.reading(**seen)["findings"]]
    assert any("the source never moves" in text for text in texts)
    assert any("end of its range 30 % of the time" in text for text in texts)


def test_movements_are_kept_listed_dropped_and_forgotten(instrument):
    instrument.do("add modulator", kind="steps", name="Moth steps")
    instrument.do("say", text="moth steps > position 20 %")
    kept = instrument.client.post(
        "/api/movements", json={"instrument": instrument.id, "modulator": "m3"}
    )
    assert kept.status_code == 201
    listed = instrument.client.get("/api/movements").get_json()["movements"]
    assert [(one["name"], one["kind"], one["routes"]) for one in listed] == [
        ("Moth steps", "steps", 1)
    ]
    copy = instrument.client.post(f"{instrument.url}/duplicate").get_json()["id"]
    other = Acting(instrument.client, copy)
    assert other.do("drop", movement=listed[0]["id"]).status_code == 200
    document = other.state()["document"]
    assert document["modulators"][-1]["name"] == "Moth steps 2"
    assert document["routes"][-1]["parameter"] == "position"
    assert instrument.client.delete(f"/api/movements/{listed[0]['id']}").status_code == 204
    assert instrument.client.get("/api/movements").get_json()["movements"] == []


def test_completions(instrument):
    answer = instrument.client.post(
        f"{instrument.url}/movement/complete", json={"text": "veloc > siz"}
    )
    assert answer.get_json()["sentences"][0].startswith("veloc > ")
    assert "size 1 oct" in answer.get_json()["sentences"][0]


def test_a_contour_takes_its_course_from_the_shelf_and_says_so(instrument):
    instrument.do("add modulator", kind="contour", name="Gust")
    instrument.do("say", text="gust > pan 40 %")
    assert any("no recording" in one["text"] for one in instrument.reading()["findings"])
    (recording,) = instrument.client.get("/api/recordings").get_json()["recordings"]
    made = instrument.do("take course", modulator="m3", recording=recording["id"])
    assert made.status_code == 200
    sound = made.get_json()["document"]["modulators"][-1]["sound"]
    assert sound["name"] == recording["name"]
    assert len(sound["recording"]) == 64
    assert not any("no recording" in one["text"] for one in instrument.reading()["findings"])


def test_only_a_contour_takes_a_course(instrument):
    instrument.do("add modulator", kind="lfo")
    (recording,) = instrument.client.get("/api/recordings").get_json()["recordings"]
    refused = instrument.do("take course", modulator="m3", recording=recording["id"])
    assert refused.status_code == 400
    assert refused.get_json()["message"].startswith("Only a contour")
    assert instrument.do("take course", modulator="m3", recording=9_999).status_code == 404
