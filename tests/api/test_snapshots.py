"""Snapshots over HTTP and in a live session."""

from __future__ import annotations

import pytest
import soundfile as sf

from innerbloom.core.performance.beat import BeatClock
from tests.api.test_live import Page, opened
from tests.conftest import RATE, harmonic_tone
from tests.servers import running


@pytest.fixture
def grown(shelf, tone_file):
    """An instrument, and a way to work on its snapshots."""
    found = shelf.instrument(tone_file)
    url = f"/api/instruments/{found['id']}"
    revision = [found["revision"]]

    def act(**action):
        answer = shelf.client.post(
            f"{url}/snapshots", json={"action": {**action, "revision": revision[0]}}
        )
        if answer.status_code == 200:
            revision[0] = answer.json["revision"]
        return answer

    def edit(path, value):
        patch = [{"op": "replace", "path": path, "value": value}]
        answer = shelf.client.patch(
            url, json={"revision": revision[0], "label": "Edit", "patch": patch}
        )
        revision[0] = answer.json["revision"]

    act.edit, act.told = edit, lambda: shelf.client.get(f"{url}/snapshots").json
    act.step = lambda way: revision.__setitem__(
        0, shelf.client.post(f"{url}/{way}", json={"revision": revision[0]}).json["revision"]
    )
    return act


def test_snapshots_are_taken_recalled_and_undone(grown):
    first = grown(do="take snapshot", name="Dark").json
    assert [one["name"] for one in first["document"]["snapshots"]] == ["Dark"]
    grown.edit("/layers/0/settings/size", 30)
    second = grown(do="take snapshot").json
    assert second["document"]["snapshots"][1]["values"] == {"l1": {"size": 30}}
    back = grown(do="recall", snapshot="s1").json
    assert back["undo"] == "Recall Dark"
    assert back["document"]["layers"][0]["settings"]["size"] != 30
    told = grown.told()
    assert [len(one["changes"]) for one in told["snapshots"]] == [0, 1]
    assert told["blended"] == []
    grown.step("undo")
    assert [len(one["changes"]) for one in grown.told()["snapshots"]] == [1, 0]


def test_the_map_is_stood_on(grown):
    grown(do="take snapshot")
    size = grown(do="recall", snapshot="s1").json["document"]["layers"][0]["settings"]["size"]
    grown.edit("/layers/0/settings/size", 30)
    grown(do="take snapshot")
    grown(do="put on the map", snapshot="s1", place=[0.0, 0.5])
    placed = grown(do="put on the map", snapshot="s2", place="free").json
    where = placed["document"]["snapshots"][1]["place"]
    # whatever is free lies far from what is there
    assert abs(where[0] - 0.0) > 0.5
    grown(do="put on the map", snapshot="s2", place=[1.0, 0.5])
    told = grown.told()["blended"]
    assert [one["parameter"] for one in told] == ["size"]
    assert told[0]["numbers"] == [size, 30]
    there = grown(do="stand", across=0.5, up=0.5).json["document"]
    assert min(size, 30) < there["layers"][0]["settings"]["size"] < max(size, 30)
    assert there["settings"]["map_across"] == 50
    rolled = grown(do="roll", first="s1", second="s2", seed=4).json["document"]["snapshots"]
    assert rolled[2]["name"] == "Between Snapshot 1 and Snapshot 2, 4"
    off = grown(do="put on the map", snapshot="s1", place=None).json["document"]
    assert off["snapshots"][0]["place"] is None


@pytest.mark.parametrize(("action", "words"), [
    ({"do": "recall", "snapshot": "s9"}, "no longer there"),
    ({"do": "put on the map", "snapshot": "s9", "place": "free"}, "no longer there"),
    ({"do": "stand", "across": 2.0, "up": 0.0}, "across"),
    ({"do": "roll", "first": "s1", "second": "s1", "seed": 1}, "alike"),
])  # fmt: skip
def test_what_cannot_be_done_is_said(grown, action, words):
    grown(do="take snapshot")
    answer = grown(**action)
    assert answer.status_code in (400, 422)
    assert words in answer.json["message"]


# -- live ----------------------------------------------------------------------------


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    folder = tmp_path_factory.mktemp("snapshots")
    sf.write(folder / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    with running(folder / "project") as one:
        one.add(folder / "tone.wav")
        made = one.json("POST", "/api/recordings/1/instrument", {})
        url = f"/api/instruments/{made['id']}"

        def act(revision, **action):
            body = {"action": {**action, "revision": revision}}
            return one.json("POST", f"{url}/snapshots", body)["revision"]

        revision = act(made["revision"], do="take snapshot")
        patch = [{"op": "replace", "path": "/settings/level", "value": -40}]
        revision = one.json("PATCH", url, {"revision": revision, "label": "E", "patch": patch})[
            "revision"
        ]
        revision = act(revision, do="take snapshot")
        for which, place in (("s1", [0, 0]), ("s2", [1, 0])):
            revision = act(revision, do="put on the map", snapshot=which, place=place)
        act(revision, do="recall", snapshot="s1")
        yield one


@pytest.fixture
def page(server):
    with opened(server) as connection:
        page = Page(connection)
        page.load(server)
        yield page


def level(sound):
    return float((sound**2).mean() ** 0.5)


def test_a_snapshot_is_heard_at_once_and_said(page):
    page.say(do="on", note=1, key=57.0, value=0.8)
    loud = level(page.blocks(100)[-9_600:])
    page.say(do="recall", snapshot="s2")
    page.blocks(40)
    assert page.answer("recalled")["snapshot"] == "s2"
    assert level(page.blocks(60)) < loud / 10
    page.say(do="recall", snapshot="gone")
    page.blocks(2)
    assert "no longer there" in page.answer("problem")["text"]


def test_on_the_bar_it_waits_and_the_look_says_so(page):
    page.say(do="set", owner="instrument", parameter="tempo", value=120)
    page.blocks(8)
    page.say(do="recall", snapshot="s2", at="bar")
    page.blocks(8)
    page.answers.clear()
    page.blocks(12)
    assert page.answer("look")["due"] == "s2"
    assert not [one for one in page.answers if one["is"] == "recalled"]
    # four beats at 120 are two seconds
    page.blocks(380)
    assert page.answer("recalled")["snapshot"] == "s2"


def test_the_look_tells_where_on_the_map_one_stands_and_a_keyboard_changes_programs(page):
    page.say(do="set", owner="instrument", parameter="map_across", value=50)
    page.say(do="set", owner="instrument", parameter="map_up", value=0)
    page.blocks(8)
    page.answers.clear()
    page.blocks(12)
    seen = page.answer("look")["map"]
    assert seen["place"] == [0.5, 0.0]
    assert seen["weights"] == {"s1": 0.5, "s2": 0.5}
    page.say(do="midi", data=[0xC0, 1])
    page.blocks(4)
    assert page.answer("recalled")["snapshot"] == "s2"
    # a program that is not there is no problem
    page.say(do="midi", data=[0xC0, 99])
    page.blocks(4)
    assert not [one for one in page.answers if one["is"] == "problem"]


# -- beats -----------------------------------------------------------------------------


def test_beats_do_not_drift():
    clock = BeatClock(120.0)
    # a sixteenth at 120 is 6,000 frames; ten minutes are 4,800 of them
    assert [clock.frame_at(n / 4) for n in range(4_801)] == [6_000 * n for n in range(4_801)]


def test_a_beat_goes_on_through_a_change_of_tempo():
    clock = BeatClock(120.0)
    clock.set_tempo(60.0, 36_000)
    # one and a half beats have passed; the second comes half a beat of 60 later
    assert clock.frame_at(2.0) == 36_000 + 24_000
    assert clock.beat_at(60_000) == pytest.approx(2.0)
    assert clock.next_frame(36_001) == 60_000
    assert clock.next_frame(60_000) == 60_000
    assert BeatClock(90.0).next_frame(1, 4) == 4 * 32_000
