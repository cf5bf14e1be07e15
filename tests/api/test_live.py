"""Live sessions over the real socket of the real engine process, and kills at bad moments."""

from __future__ import annotations

import json
import sqlite3
import time
from contextlib import ExitStack
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect

from innerbloom.store.files import FileStore
from tests.conftest import RATE, harmonic_tone
from tests.engines import strongest_hz
from tests.servers import Server, running


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    folder = tmp_path_factory.mktemp("live")
    sf.write(folder / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    with running(folder / "project") as one:
        one.add(folder / "tone.wav")
        one.json("POST", "/api/recordings/1/instrument", {})
        yield one


def opened(
    server: Server, origin: str | None = None, ticket: str | None = None
) -> ClientConnection:
    given = server.json("POST", "/api/live")
    url = f"ws://127.0.0.1:{given['port']}/?ticket={ticket if ticket is not None else given['ticket']}"
    connection = connect(url, origin=origin or server.url, compression=None)  # type: ignore[arg-type]
    connection.given = given  # type: ignore[attr-defined]
    return connection


ANSWERED_S = 60.0
"""On a machine that has just been set up the first instrument takes its time."""


class Page:
    """The part of a page that speaks with the engine."""

    def __init__(self, connection: ClientConnection) -> None:
        self.connection = connection
        self.answers: list[dict] = []

    def say(self, **message) -> None:
        self.connection.send(json.dumps(message))

    def blocks(self, count: int) -> np.ndarray:
        """Ask for blocks and wait for them; other answers are kept aside."""
        asked, got = 0, []
        while len(got) < count:
            while asked - len(got) < 6 and asked < count:
                self.say(do="credit", blocks=1)
                asked += 1
            data = self.connection.recv(ANSWERED_S)
            if isinstance(data, bytes):
                got.append(np.frombuffer(data, "<f4").reshape(-1, 2))
            else:
                self.answers.append(json.loads(data))
        return np.concatenate(got)

    def answer(self, kind: str) -> dict:
        until = time.monotonic() + ANSWERED_S
        while time.monotonic() < until:
            for answer in self.answers:
                if answer["is"] == kind:
                    self.answers.remove(answer)
                    return answer
            data = self.connection.recv(ANSWERED_S)
            if isinstance(data, str):
                self.answers.append(json.loads(data))
        raise AssertionError(f"no {kind}")

    def load(self, server: Server) -> None:
        self.say(do="load", document=server.json("GET", "/api/instruments/1")["document"])
        assert self.answer("loaded")


@pytest.fixture
def page(server):
    with opened(server) as connection:
        page = Page(connection)
        page.load(server)
        yield page


def test_a_note_is_heard_at_its_pitch_and_dies_away(page):
    page.say(do="on", note=1, key=69, value=0.9)
    sound = page.blocks(200)
    assert sound.shape == (200 * 256, 2)
    assert strongest_hz(sound[20_000:, 0]) == pytest.approx(440, rel=0.02)
    page.say(do="off", note=1)
    page.blocks(400)
    assert np.abs(page.blocks(10)).max() == 0


def test_the_engine_tells_work_in_the_background_that_it_sounds_and_was_late(page, server):
    sounding = FileStore(server.root).sounding
    page.say(do="on", note=1, key=60, value=0.9)
    page.blocks(60)
    assert sounding.share() == pytest.approx(0.5)
    page.say(do="late")
    page.blocks(20)
    assert sounding.share() < 0.2


def test_a_look_tells_what_sounds(page):
    page.answers.clear()
    for i in range(3):
        page.say(do="on", note=i, key=60 + i, value=0.9)
    page.blocks(60)
    page.answers = [answer for answer in page.answers if answer["is"] == "look"][-1:]
    look = page.answer("look")
    assert look["voices"] == 3
    assert len(look["layers"][0]["heads"]) == 3
    assert look["layers"][0]["grains"]
    assert 0 < look["peaks"][0] <= 1
    assert look["load"] > 0


def test_a_moved_control_is_heard_at_once(page):
    page.say(do="on", note=1, key=57, value=1)
    before = np.abs(page.blocks(120)[20_000:]).max()
    page.say(do="set", owner="l1", parameter="level", value=-60)
    page.blocks(30)
    assert np.abs(page.blocks(20)).max() < before / 50


def test_another_document_takes_over_held_notes_without_a_gap_in_the_stream(page, server):
    page.say(do="on", note=1, key=57, value=1)
    page.blocks(80)
    document = server.json("GET", "/api/instruments/1")["document"]
    document["layers"][0]["sounds"][0]["length"] = 1.0
    page.say(do="load", document=document)
    page.answers.clear()
    # preparing the new stretch takes as long as the machine wants
    until = time.monotonic() + 60
    while not any(answer["is"] == "loaded" for answer in page.answers):
        assert time.monotonic() < until
        page.blocks(50)
    sound = page.blocks(100)
    assert np.abs(sound[-5_000:]).max() > 0.005


def heard(page, number: int):
    """Play on until the engine says that it has taken up a request to listen; what was heard meanwhile."""
    sound = []
    for _ in range(200):
        page.answers.clear()
        sound.append(page.blocks(12))
        if any(answer.get("heard") == number for answer in page.answers):
            return np.concatenate(sound)
    raise AssertionError("the request was not taken up")


def from_first(sound):
    """Without the silence that it begins with."""
    return sound[np.flatnonzero(np.abs(sound).max(axis=1) > 1e-5)[0] :]


def test_listening_to_a_recording_from_a_point(page, server):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    page.say(do="listen", id=1, recording=digest, at=1.0)
    sound = from_first(np.concatenate((heard(page, 1), page.blocks(40))))
    assert strongest_hz(sound[1_000:, 0]) == pytest.approx(220, abs=1)
    page.answers = [answer for answer in page.answers if answer["is"] == "look"][-1:]
    told = page.answer("look")["listening"]
    assert told == pytest.approx(1.0 + len(sound) / RATE, abs=0.1)
    page.say(do="hush")
    page.blocks(4)
    assert np.abs(page.blocks(4)).max() == 0


def test_listening_stops_where_it_is_told_and_as_loud(page, server):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    page.say(do="listen", id=1, recording=digest, at=1.0, until=1.1, gain=-20)
    sound = from_first(np.concatenate((heard(page, 1), page.blocks(40))))
    loud = np.abs(sound[:, 0]) > 1e-4
    assert np.flatnonzero(loud)[-1] / RATE == pytest.approx(0.1, abs=0.01)
    page.say(do="listen", id=2, recording=digest, at=1.0)
    louder = from_first(np.concatenate((heard(page, 2), page.blocks(20))))
    ratio = np.std(louder[1_000:4_000]) / np.std(sound[1_000:4_000])
    assert 20 * np.log10(ratio) == pytest.approx(20, abs=0.3)


def test_a_loop_goes_on_without_a_seam(page, server):
    """Ten periods of 220 Hz: the loop is a steady tone with nothing beside its partials."""
    digest = server.json("GET", "/api/recordings/1")["digest"]
    loop = {"start": 1.0, "end": 1.0 + 22 / 220, "crossfade": 10, "curve": "linear"}
    page.say(do="listen", id=5, recording=digest, at=1.0, loop=loop)
    heard(page, 5)
    sound = page.blocks(200)[:, 0]
    assert strongest_hz(sound[:24_000]) == pytest.approx(220, abs=0.5)
    steps = np.abs(np.diff(sound[2_000:]))
    assert steps.max() < 3 * np.percentile(steps, 99)
    assert np.std(sound[2_000:12_000]) == pytest.approx(np.std(sound[-12_000:]), rel=0.05)


def test_a_tone_of_a_few_cycles_and_a_reference_tone(page, server):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    cycle = {"place": 1.0, "hz": 333.0, "cycles": 1}
    page.say(do="listen", id=7, recording=digest, at=1.0, cycle=cycle)
    heard(page, 7)
    assert strongest_hz(page.blocks(100)[2_000:, 0]) == pytest.approx(333.0, abs=0.3)
    page.say(do="listen", id=8, tone=512.0)
    heard(page, 8)
    page.blocks(10)
    sound = page.blocks(100)[:, 0]
    assert strongest_hz(sound) == pytest.approx(512.0, abs=0.3)
    assert 0.02 < np.abs(sound).max() < 0.15


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ({"loop": {"start": 1.0, "end": 1.00001}}, "2 samples"),
        ({"loop": {"start": 1.0, "end": 1.1, "crossfade": 500}}, "longer"),
        ({"cycle": {"place": 90.0, "hz": 20.0, "cycles": 64}}, "needed"),
    ],
)
def test_what_cannot_be_heard_is_said(page, server, how, words):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    page.say(do="listen", id=11, recording=digest, at=0, **how)
    for _ in range(200):
        page.blocks(6)
        problems = [answer["text"] for answer in page.answers if answer["is"] == "problem"]
        if problems:
            break
    assert words in problems[0]


def test_listening_ends_with_the_recording(page, server):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    page.say(do="listen", id=3, recording=digest, at=2.9)
    heard(page, 3)
    page.blocks(40)
    page.answers.clear()
    page.blocks(12)
    assert page.answer("look")["listening"] is None


@pytest.mark.parametrize(
    "text",
    [
        "", "{", "[]", "null", '{"do": "fly"}', '{"do": "on", "note": 1, "key": 999, "value": 1}',
        '{"do": "on", "note": 1, "key": NaN, "value": 1}', '{"do": "credit", "blocks": 1e9}',
        '{"do": "set", "owner": "l1", "parameter": "size", "value": 1e9}',
        '{"do": "set", "owner": "l8", "parameter": "size", "value": 10}',
        '{"do": "set", "owner": "l1", "parameter": "__class__", "value": 1}',
        '{"do": "load", "document": {"name": "x"}}',
        '{"do": "listen", "recording": "' + "0" * 64 + '", "at": 0}', "[" * 5_000,
    ],
)  # fmt: skip
def test_a_message_that_makes_no_sense_gets_a_sentence_and_the_rest_goes_on(page, text):
    page.connection.send(text)
    problem = page.answer("problem")
    assert problem["text"].endswith(".")
    page.say(do="on", note=1, key=57, value=1)
    assert np.abs(page.blocks(80)).max() > 0.001


def test_bytes_are_not_a_message(page):
    page.connection.send(b"\x00\x01")
    assert "text" in page.answer("problem")["text"]


def test_a_ticket_works_once_from_its_own_origin_only(server):
    with opened(server) as connection:
        used = connection.given["ticket"]
        for ticket in (used, "", "guess"):
            with pytest.raises(InvalidStatus) as caught:
                opened(server, ticket=ticket)
            assert caught.value.response.status_code == 403
    with pytest.raises(InvalidStatus):
        opened(server, origin="http://evil.example")


def test_sessions_are_bounded_and_free_again(server):
    with ExitStack() as six:
        for _ in range(6):
            six.enter_context(opened(server))
        with opened(server) as connection:
            one_too_many = Page(connection)
            assert "pages are playing" in one_too_many.answer("problem")["text"]
            with pytest.raises(ConnectionClosed):
                connection.recv(5)
    assert any(is_free(server) for _ in range(100))


def is_free(server: Server) -> bool:
    """Whether a page more can play; one that is refused is told so, and closed."""
    with opened(server) as connection:
        try:
            Page(connection).load(server)
        except ConnectionClosed:
            return False
    return True


def test_two_pages_do_not_hear_each_other(server, page):
    with opened(server) as second:
        other = Page(second)
        other.load(server)
        page.say(do="on", note=1, key=57, value=1)
        assert np.abs(page.blocks(80)).max() > 0.001
        assert np.abs(other.blocks(20)).max() == 0


def test_a_flood_is_cut_off_and_others_play_on(server, page):
    with opened(server) as second:
        other = Page(second)
        with pytest.raises(ConnectionClosed):
            for _ in range(60_000):
                second.send('{"do": "hold", "value": 0}')
            other.answer("nothing")
    page.say(do="on", note=1, key=57, value=1)
    assert np.abs(page.blocks(80)).max() > 0.001


def test_a_huge_message_is_cut_off(server, page):
    with opened(server) as second, pytest.raises(ConnectionClosed):
        second.send("x" * (2 << 20))
        for _ in range(5):
            second.recv(5)
    assert page.blocks(2).shape == (512, 2)


def test_an_engine_that_dies_is_started_again(tmp_path, tone_file):
    with running(tmp_path / "project") as server:
        first = server.json("POST", "/api/live")
        assert len(server.engine_pids()) == 1
        server.kill_engine()
        time.sleep(0.3)
        second = server.json("POST", "/api/live")
        assert second["port"] == first["port"]
        with opened(server):
            pass
    # and none is left once the server has stopped
    for _ in range(50):
        if not server.engine_pids():
            break
        time.sleep(0.1)
    assert server.engine_pids() == []


def assert_sound_project(root: Path) -> None:
    """The database opens and is whole, and there are no half files."""
    with sqlite3.connect(root / "project.sqlite3") as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    for path in (root / "recordings").rglob("*.*"):
        assert sf.info(path).frames > 0
        assert not path.name.startswith(".")


def test_a_kill_during_an_import_loses_nothing(tmp_path):
    big = tmp_path / "big.wav"
    sf.write(big, np.random.default_rng(1).normal(0, 0.1, (40 * 96_000, 2)), 96_000, "PCM_24")
    server = Server(tmp_path / "project")
    server.json("POST", "/api/recordings?name=big.wav", data=big.read_bytes())
    time.sleep(0.4)
    server.kill()
    assert_sound_project(tmp_path / "project")
    with running(tmp_path / "project") as again:
        job = again.json("GET", "/api/jobs")["jobs"][0]
        assert again.ended(job["id"])["state"] == "done"
        assert len(again.json("GET", "/api/recordings")["recordings"]) == 1
        assert list((tmp_path / "project" / "incoming").iterdir()) == []


def test_a_kill_during_a_render_leaves_no_half_file(tmp_path, tone_file):
    server = Server(tmp_path / "project")
    server.add(tone_file)
    server.json("POST", "/api/recordings/1/instrument", {})
    job = server.json("POST", "/api/instruments/1/render", {"seconds": 3_000})["job"]
    for _ in range(200):
        if server.json("GET", f"/api/jobs/{job}")["progress"] > 0:
            break
        time.sleep(0.1)
    server.kill()
    assert_sound_project(tmp_path / "project")
    with running(tmp_path / "project") as again:
        state = again.json("GET", f"/api/jobs/{job}")
        assert state["state"] == "failed"
        assert "stopped while this was running" in state["error"]
        assert list((tmp_path / "project" / "renders").iterdir()) == []
        assert again.json("GET", "/api/instruments/1")["revision"] == 0


def test_the_mix_is_shown_to_who_watches_it_and_only_the_difference_heard(server):
    document = server.json("GET", "/api/instruments/1")["document"]
    layer = document["layers"][0]
    layer["settings"] |= {"attack": 1, "level": 0}
    layer["effects"] = [
        {"id": "e1", "kind": "compressor", "settings": {"threshold": -50, "ratio": 100}},
        {"id": "e2", "kind": "stereo", "settings": {}},
    ]
    with opened(server) as connection:
        page = Page(connection)
        page.say(do="load", document=document)
        page.answer("loaded")
        page.say(do="watch", on=False, mix=True)
        # in silence too, everything is a number
        page.blocks(30)
        assert all(
            np.isfinite(one["mix"]["meters"]["momentary"]) for one in page.answers if one.get("mix")
        )
        page.say(do="on", note=1, key=57.0, value=0.9)
        page.blocks(200)
        mix = [one["mix"] for one in page.answers if one["is"] == "look" and one["mix"]][-1]
        assert mix["effects"]["e1"][0] < -3
        assert mix["effects"]["e2"] == []
        assert mix["streams"][layer["id"]] > -60
        assert len(mix["spectrum"]) == 72
        assert max(mix["spectrum"]) > -60
        assert -70 < mix["meters"]["momentary"] < 0
        # what does nothing changes nothing
        page.say(do="difference", effect="e2")
        page.blocks(60)
        assert np.abs(page.blocks(20)).max() < 1e-6
        page.say(do="difference", effect="e1")
        page.blocks(60)
        assert np.abs(page.blocks(20)).max() > 1e-4
        page.say(do="difference", effect=None)
        page.answers.clear()
        page.blocks(60)
        assert [one["mix"] for one in page.answers if one["is"] == "look"][-1]["alone"] is None
        page.say(do="watch", on=False)
        page.blocks(30)
        page.answers.clear()
        page.blocks(60)
        assert all(one["mix"] is None for one in page.answers if one["is"] == "look")
