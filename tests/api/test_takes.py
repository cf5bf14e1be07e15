"""Takes from the live engine to the shelf: recorded, killed, kept, listened to, played again."""

from __future__ import annotations

import errno
import json
import os
import random
import time
import urllib.error
import urllib.request

import numpy as np
import pytest
import soundfile as sf
from websockets.exceptions import ConnectionClosed

from innerbloom.core.deliver.replay import replay
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_format import header_of, parse_header
from innerbloom.live.take_recording import TakeRecording
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.take_folders import TakeFile, TakeFolders
from innerbloom.store.take_sounds import Rendering, keep_rendering
from tests.api.test_live import Page, opened
from tests.conftest import RATE, harmonic_tone
from tests.core.test_takes import Player
from tests.servers import Server, running
from tests.shell import bloom

BLOCK = 256


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    folder = tmp_path_factory.mktemp("takes")
    sf.write(folder / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    beat = np.zeros(2 * 44_100)
    beat[::4_410] = 0.5
    sf.write(folder / "beat.wav", beat, 44_100, "PCM_24")
    with running(folder / "project") as one:
        one.add(folder / "tone.wav")
        one.add(folder / "beat.wav")
        one.json("POST", "/api/recordings/1/instrument", {})
        yield one


@pytest.fixture
def page(server):
    with opened(server) as connection:
        page = Page(connection)
        page.load(server)
        yield page


def phrase(page: Page) -> np.ndarray:
    """A few gestures, and what they sound like."""
    heard = []
    for blocks, message in [
        (30, {"do": "on", "note": 1, "key": 60, "value": 0.8}),
        (20, {"do": "slide", "note": 1, "value": 0.7}),
        (20, {"do": "on", "note": 2, "key": 67.5, "value": 0.5}),
        (10, {"do": "set", "owner": "l1", "parameter": "density", "value": 30.0}),
        (10, {"do": "pad_across", "value": 0.4}),
        (20, {"do": "off", "note": 1}),
    ]:
        page.say(**message)
        heard.append(page.blocks(blocks))
    return np.concatenate(heard)


def until_recording(page: Page) -> np.ndarray:
    """What is heard until a take has begun: what it is played along to is opened beside the sound."""
    heard = []
    for _ in range(400):
        page.answers.clear()
        heard.append(page.blocks(12))
        looks = [one["taking"]["state"] for one in page.answers if one["is"] == "look"]
        if looks and looks[-1] == "recording":
            return np.concatenate(heard)
    raise AssertionError("no take began")


def recorded(page: Page, **more) -> tuple[str, np.ndarray]:
    page.say(do="record", on=True, instrument=1, name="tone", **more)
    if "backing" in more:
        until_recording(page)
    else:
        page.blocks(1)
    sound = phrase(page)
    page.say(do="record", on=False)
    return page.answer("taken")["take"], sound


def entered(server: Server, take: str) -> int:
    """The take's number in the project, once it has been listened to."""
    found = server.json("POST", "/api/takes/found")
    for job in found["jobs"]:
        assert server.ended(job)["state"] == "done"
    listed = server.json("GET", "/api/takes")["takes"]
    return next(one["id"] for one in listed if one["folder"] == take)


def sound_of(server: Server, take: str) -> np.ndarray:
    return sf.read(TakeFolders(FileStore(server.root)).sound(take), dtype="float32")[0]


def test_a_take_holds_what_was_heard_and_plays_it_again_to_the_bit(page, server):
    take, heard = recorded(page)
    stored = TakeFolders(FileStore(server.root)).read(take)
    sound = sound_of(server, take)
    assert stored.take.frames == len(sound) > len(heard)
    # the limiter that is heard comes after it, and lags by its look-ahead
    lag = 256
    assert np.abs(sound[: len(heard)]).max() > 0.01
    assert np.corrcoef(sound[256 : 256 + len(heard) - lag, 0], heard[lag:, 0])[0, 1] > 0.99
    again = np.concatenate(list(replay(stored.take, DiskMaterials(FileStore(server.root)))))
    assert np.array_equal(again, sound)
    number = entered(server, take)
    job = server.json("POST", f"/api/takes/{number}/again", {"ways": [{}]})["job"]
    assert server.ended(job)["state"] == "done"
    one = server.json("GET", f"/api/takes/{number}/renderings")["renderings"][0]
    assert one["exact"] is True
    assert one["words"] == "the same again"


def test_hands_are_shown_and_the_take_has_a_picture_and_a_name(page, server):
    take, _ = recorded(page)
    number = entered(server, take)
    hands = server.json("GET", f"/api/takes/{number}/hands")
    assert [round(one["key"], 1) for one in hands["notes"]] == [60.0, 67.5]
    names = {one["name"] for one in hands["lanes"]}
    assert {"pad, across", "slide"} <= names
    assert any("density" in one for one in names)
    assert not hands["missing"]
    line = next(one for one in server.json("GET", "/api/takes")["takes"] if one["id"] == number)
    assert line["instrument_name"] == "tone"
    assert line["seconds"] == pytest.approx(hands["seconds"], abs=0.01)


def test_what_was_just_played_can_still_be_kept(page, server):
    phrase(page)
    page.say(do="keep_played", instrument=1, name="tone")
    page.blocks(8)
    take = page.answer("taken")["take"]
    number = entered(server, take)
    assert np.abs(sound_of(server, take)).max() > 0.01
    notes = server.json("GET", f"/api/takes/{number}/hands")["notes"]
    assert len(notes) == 2


def test_nothing_played_is_said(server):
    with opened(server) as connection:
        page = Page(connection)
        page.load(server)
        page.blocks(20)
        page.say(do="keep_played")
        page.blocks(2)
        assert "Nothing has been played" in page.answer("problem")["text"]


def test_a_take_waits_for_the_first_note_and_is_counted_in(page, server):
    page.say(do="record", on=True, wait=True, instrument=1, name="tone")
    page.blocks(40)
    assert page.answer("look")["taking"]["state"] == "waiting"
    page.answers.clear()
    take, _ = _finished(page)
    folders = TakeFolders(FileStore(server.root))
    first = next(one for one in folders.read(take).take.events if getattr(one, "kind", "") == "on")
    assert first.time - folders.read(take).take.lead_in <= BLOCK
    page.say(do="panic")
    page.blocks(100)
    page.say(do="record", on=True, beats=2, tempo=240, click=True, instrument=1, name="tone")
    # two clicks a quarter of a second apart, then the take; nothing of them in it
    counted = page.blocks(120)
    for at in (0, 12_000, 24_000):
        assert np.abs(counted[at : at + 2_000]).max() > 0.05
        assert np.abs(counted[at + 3_000 : at + 11_000]).max() < 1e-3
    page.say(do="record", on=False)
    take = page.answer("taken")["take"]
    assert np.abs(sound_of(server, take)).max() < 1e-3


def _finished(page: Page) -> tuple[str, np.ndarray]:
    heard = phrase(page)
    page.say(do="record", on=False)
    return page.answer("taken")["take"], heard


def test_a_backing_is_heard_in_time_and_not_recorded(page, server):
    """Its clicks lie on the take's own frames, within one sample, though its rate is another."""
    page.blocks(400)
    page.say(do="on", note=3, key=60, value=0.0)
    page.blocks(1)
    page.say(do="panic")
    page.blocks(80)
    digest = server.json("GET", "/api/recordings/2")["digest"]
    page.say(
        do="record", on=True, instrument=1, name="tone", backing={"recording": digest, "gain": 0}
    )
    heard = np.concatenate((until_recording(page), page.blocks(150)))
    page.say(do="record", on=False)
    take = page.answer("taken")["take"]
    assert np.abs(sound_of(server, take)).max() < 1e-6
    # the first click lies where the take began, a block's border, after the limiter's look ahead
    peaks = [round(at) for at in np.arange(1, 8) * 4_800]
    first = int(np.argmax(np.abs(heard[:, 0]) > 0.5 * np.abs(heard).max()))
    begun = round((first - peaks[0] - _limiter_lag()) / BLOCK) * BLOCK
    for at in peaks:
        near = begun + at + _limiter_lag()
        found = int(np.argmax(np.abs(heard[near - 400 : near + 400, 0]))) + near - 400
        assert abs(found - near) <= 1
    stored = TakeFolders(FileStore(server.root)).read(take)
    assert stored.header.backing.recording == digest


def test_a_note_that_comes_while_the_backing_is_opened_begins_the_take(page, server):
    digest = server.json("GET", "/api/recordings/2")["digest"]
    page.say(do="panic")
    page.say(
        do="record", on=True, wait=True, instrument=1, name="tone", backing={"recording": digest}
    )
    page.say(do="on", note=1, key=60, value=0.8)
    until_recording(page)
    page.say(do="record", on=False)
    page.say(do="panic")
    assert page.answer("taken")["seconds"] > 0


def test_another_take_is_a_backing_sample_by_sample(page, server):
    """As a MIDI file is, once an instrument has played it: see below."""
    along, _ = recorded(page)
    entered(server, along)
    wanted = sound_of(server, along)[: 100 * BLOCK]
    page.say(do="panic")
    page.blocks(400)
    backing = {"take": along, "gain": -12}
    page.say(do="record", on=True, instrument=1, name="tone", backing=backing)
    waited = until_recording(page)
    heard = np.concatenate((waited, page.blocks(200)))
    page.say(do="record", on=False)
    take = page.answer("taken")["take"]
    assert np.abs(sound_of(server, take)).max() < 1e-6
    # it begins with the block in which the take does, after the limiter's look ahead
    lags = [at * BLOCK + _limiter_lag() for at in range(len(waited) // BLOCK)]
    inside = slice(480, len(wanted))
    off = [np.abs(heard[lag:][inside] - 10 ** (-12 / 20) * wanted[inside]).max() for lag in lags]
    assert min(off) < 1e-5
    stored = server.json("GET", f"/api/takes/{entered(server, take)}")["document"]
    assert stored["about"]["backing"] == along
    # what is gone is said, and nothing is recorded
    TakeFolders(FileStore(server.root)).sound(along).unlink()
    page.say(do="record", on=True, instrument=1, name="tone", backing={**backing, "name": "Along"})
    assert "'Along', which is played along to, has no sound" in page.answer("problem")["text"]
    assert TakeFolders(FileStore(server.root)).ids()[-1] == take


def test_a_backing_ends_without_a_click(page, server):
    digest = server.json("GET", "/api/recordings/1")["digest"]
    page.say(do="panic")
    page.blocks(100)
    backing = {"recording": digest, "gain": 0}
    page.say(do="record", on=True, instrument=1, name="tone", backing=backing)
    until_recording(page)
    steady = page.blocks(100)[5_000:, 0]
    page.say(do="record", on=False)
    ending = page.blocks(10)[:, 0]
    assert np.abs(steady).max() > 0.05
    assert np.abs(ending[-512:]).max() < 1e-4
    joined = np.concatenate((steady[-512:], ending))
    assert np.abs(np.diff(joined)).max() < 1.2 * np.abs(np.diff(steady)).max()


def _limiter_lag() -> int:
    from innerbloom.core.engine import Limiter

    return Limiter.latency


def test_a_take_tells_what_the_hands_move_while_it_grows(page):
    page.say(do="record", on=True, instrument=1, name="tone")
    page.blocks(4)
    page.answers.clear()
    page.say(do="on", note=1, key=60, value=1)
    for value in (0.25, -0.5):
        page.say(do="bend", note=1, value=value)
    page.say(do="set", owner="l1", parameter="cutoff", value=900)
    page.say(do="mark")
    page.blocks(24)
    looks = [one["taking"] for one in page.answers if one["is"] == "look"]
    moved = {lane["lane"]: lane for look in looks for lane in look["moved"]}
    assert moved["bend"] == {"lane": "bend", "value": -0.5, "low": -0.5, "high": 0.25}
    assert moved["l1.cutoff"]["value"] == 900
    # each movement is told once
    assert sum(lane["lane"] == "bend" for look in looks for lane in look["moved"]) == 1
    assert looks[-1]["marks"] == 1
    page.say(do="record", on=False)
    page.answer("taken")


def test_marks_lead_the_moments_which_are_kept_with_lineage(page, server):
    page.say(do="record", on=True, instrument=1, name="tone")
    page.blocks(1)
    phrase(page)
    page.blocks(300)
    page.say(do="mark")
    page.blocks(60)
    page.say(do="record", on=False)
    take = page.answer("taken")["take"]
    number = entered(server, take)
    shown = server.json("GET", f"/api/takes/{number}/moments")
    assert shown["ready"]
    assert shown["moments"][0]["words"] == "you marked it"
    key = shown["moments"][0]["key"]
    job = server.json("POST", f"/api/takes/{number}/keep", {"keys": [key]})["job"]
    done = server.ended(job)
    assert done["state"] == "done", done
    row = server.json("GET", f"/api/recordings/{done['result']['recordings'][0]}")
    assert row["measured"]["duration_s"] == pytest.approx(
        shown["moments"][0]["end"] - shown["moments"][0]["start"], abs=0.01
    )
    made = server.json("GET", f"/api/recordings/{row['id']}/lineage")["made_from"]
    assert [one["name"] for one in made] == ["tone"]
    kept = server.json("GET", f"/api/takes/{number}/kept")["kept"]
    assert [one["key"] for one in kept] == [key]


def test_another_instrument_chance_and_pace_sound_otherwise(page, server):
    take, _ = recorded(page)
    number = entered(server, take)
    ways = [{"seed": 7}, {"slower": 2.0}, {"instrument": 1}, {"layers": ["l1"]}, {"fine": True}]
    job = server.json("POST", f"/api/takes/{number}/again", {"ways": ways})["job"]
    assert server.ended(job)["state"] == "done"
    made = {one["words"]: one for one in
            server.json("GET", f"/api/takes/{number}/renderings")["renderings"]}  # fmt: skip
    seconds = len(sound_of(server, take)) / RATE
    assert made["2 times as long, same pitch"]["seconds"] == pytest.approx(2 * seconds, abs=0.01)
    sounds = {words: sf.read(server.root / "takes" / take / "again" / f"{one['id']}.wav")[0]
              for words, one in made.items()}  # fmt: skip
    plain = sound_of(server, take)
    assert np.array_equal(sounds["in high quality"], plain)
    other = sounds["other chance, 7"]
    assert len(other) == len(plain)
    assert not np.array_equal(other, plain)
    # the same hands: about as loud
    assert abs(20 * np.log10(other.std() / plain.std())) < 6
    assert all(np.abs(one).max() > 0.01 for one in sounds.values())


def test_stems_are_told_and_a_stream_that_is_not_there_is_refused(page, server):
    take, _ = recorded(page)
    at = f"/api/takes/{entered(server, take)}"
    hands = server.json("GET", f"{at}/hands")
    whole = {"layers": [], "stream": None}
    assert hands["stems"] == [{"layers": ["l1"], "stream": None}, whole]
    assert hands["streams"] == []
    # no layer is driven here: there is nothing to be gained from high quality
    assert not hands["finer"]
    job = server.json("POST", f"{at}/again", {"ways": [{"stream": "main"}]})["job"]
    assert server.ended(job)["state"] == "done"
    (made,) = server.json("GET", f"{at}/renderings")["renderings"]
    assert made["words"] == "without shared streams"
    # nothing goes through shared streams here
    path = server.root / "takes" / take / "again" / f"{made['id']}.wav"
    played = sf.read(path, dtype="float32")[0]
    assert np.array_equal(played, sound_of(server, take))
    with pytest.raises(urllib.error.HTTPError) as refused:
        server.json("POST", f"{at}/again", {"ways": [{"stream": "b7"}]})
    assert "no such shared stream" in json.loads(refused.value.read())["message"]


KILLS = int(os.environ.get("BLOOM_KILLS", "4"))


def test_kills_while_recording_lose_two_seconds_at_most(tmp_path):
    """The engine's process is killed at random moments: each take opens, and says it was cut."""
    sf.write(tmp_path / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    chance = random.Random(5)
    with running(tmp_path / "project") as one:
        one.add(tmp_path / "tone.wav")
        one.json("POST", "/api/recordings/1/instrument", {})
        for _ in range(KILLS):
            played = _play_until_killed(one, chance)
            folders = TakeFolders(FileStore(one.root))
            for path in (one.root / "takes").glob("*/events.jsonl"):
                os.utime(path, (0, 0))
            found = one.json("POST", "/api/takes/found")
            assert len(found["entered"]) == 1, found
            for job in found["jobs"]:
                done = one.ended(job)
                assert done["state"] == "done", done
            about = one.json("GET", f"/api/takes/{found['entered'][0]}")["document"]["about"]
            assert about["cut_short"]
            assert about["seconds"] > played / RATE - 2.0
            take = folders.read(about["folder"]).take
            nothing = np.zeros((0, 2), np.float32)
            again = np.concatenate([nothing, *replay(take, DiskMaterials(FileStore(one.root)))])
            assert np.array_equal(again, sound_of(one, about["folder"]))


def test_a_server_that_is_stopped_ends_what_it_records_and_leaves_nothing_behind(tmp_path):
    sf.write(tmp_path / "tone.wav", harmonic_tone(220.0, 3.0), RATE, "PCM_24")
    root = tmp_path / "project"
    with running(root) as one:
        one.add(tmp_path / "tone.wav")
        one.json("POST", "/api/recordings/1/instrument", {})
        with opened(one) as connection:
            page = Page(connection)
            page.load(one)
            page.say(do="record", on=True, instrument=1, name="tone")
            page.say(do="on", note=1, key=57.0, value=0.8)
            page.blocks(300)
            # the page is still there
            one.stop()
    with running(root) as again:
        found = again.json("POST", "/api/takes/found")
        (number,) = found["entered"]
        again.ended(found["jobs"][0])
        about = again.json("GET", f"/api/takes/{number}")["document"]["about"]
    assert not about["cut_short"]
    assert about["seconds"] == pytest.approx(300 * 256 / RATE, abs=0.1)
    # semaphores, processes, tracebacks
    assert "leaked" not in (tmp_path / "server.log").read_text()
    assert "Traceback" not in (tmp_path / "server.log").read_text()


def _play_until_killed(server: Server, chance: random.Random) -> int:
    """Frames that were heard before the engine died."""
    with opened(server) as connection:
        page = Page(connection)
        page.load(server)
        page.say(do="record", on=True, instrument=1, name="tone")
        played = 0
        for number in range(chance.randint(10, 60)):
            page.say(do="on", note=number, key=chance.randint(48, 72), value=0.8)
            page.say(do="off", note=max(0, number - 3))
            count = chance.randint(3, 30)
            page.blocks(count)
            played += count * BLOCK
        server.kill_engine()
        with pytest.raises((ConnectionClosed, OSError, TimeoutError)):
            page.blocks(50)
    return played


def test_bad_takes_are_said_and_hide_no_others(page, server):
    folders = TakeFolders(FileStore(server.root))
    good, _ = recorded(page)
    for name, header in [("a" * 32, "{"), ("b" * 32, json.dumps({"version": 9}))]:
        folders.folder(name).mkdir(parents=True)
        (folders.folder(name) / "take.json").write_text(header)
    found = server.json("POST", "/api/takes/found")
    assert any("damaged" in one for one in found["problems"])
    assert any("newer version" in one for one in found["problems"])
    assert good in {one["folder"] for one in server.json("GET", "/api/takes")["takes"]}
    for name in ("a" * 32, "b" * 32):
        folders.remove(name)
    with pytest.raises(urllib.error.HTTPError) as refused:
        server.json("GET", "/api/takes/999")
    assert refused.value.code == 404


def test_a_recording_that_is_gone_is_named(page, server, tmp_path):
    take, _ = recorded(page)
    number = entered(server, take)
    store = FileStore(server.root)
    digest = server.json("GET", "/api/recordings/1")["digest"]
    path = store.find(digest)
    path.rename(aside := tmp_path / "aside")
    try:
        assert server.json("GET", f"/api/takes/{number}/hands")["missing"] == ["tone"]
    finally:
        aside.rename(path)


def uploaded(server: Server, path: str, data: bytes, name: str) -> dict:
    request = urllib.request.Request(
        server.url + path, data, {"X-Filename": name, "Content-Type": "application/octet-stream"},
        method="POST",
    )  # fmt: skip
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.loads(answer.read())


def fetched(server: Server, path: str) -> bytes:
    with urllib.request.urlopen(server.url + path, timeout=60) as answer:
        return answer.read()


def test_a_take_leaves_as_a_file_and_comes_back_to_the_bit(page, server, tmp_path):
    take, _ = recorded(page)
    number = entered(server, take)
    data = fetched(server, f"/api/exports/take/{number}/take")
    made = uploaded(server, "/api/takes/file", data, "mine.take")
    assert server.ended(made["job"])["state"] == "done"
    row = server.json("GET", f"/api/takes/{made['take']}")["document"]
    assert row["name"] == "mine"
    job = server.json("POST", f"/api/takes/{made['take']}/again", {"ways": [{}]})["job"]
    assert server.ended(job)["state"] == "done"
    (one,) = server.json("GET", f"/api/takes/{made['take']}/renderings")["renderings"]
    played = sf.read(
        server.root / "takes" / row["about"]["folder"] / "again" / f"{one['id']}.wav",
        dtype="float32",
    )[0]
    assert np.array_equal(played, sound_of(server, take))
    # and in the shell, with the project's recordings
    path = tmp_path / "mine.take"
    path.write_bytes(data)
    said = bloom("take", path, "render", "--sounds", server.root, "--out", tmp_path / "again.wav")
    assert said.exit_code == 0, said.output
    assert "The same to the bit" in said.output
    out = tmp_path / "stream.wav"
    said = bloom("take", path, "render", "--sounds", server.root, "--stream", "main", "--out", out)
    assert said.exit_code == 0, said.output
    said = bloom("take", path, "moments")
    assert said.exit_code == 0, said.output
    said = bloom("take", path, "midi", "--out", tmp_path / "hands.mid")
    assert said.exit_code == 0, said.output
    assert len(events_from_midi((tmp_path / "hands.mid").read_bytes(), 48_000, 2.0)) > 3
    said = bloom("take", path, "render", "--sounds", tmp_path, "--out", tmp_path / "no.wav")
    assert said.exit_code == 1
    assert "--sounds" in said.output


def test_a_midi_file_becomes_hands_on_an_instrument(page, server):
    take, _ = recorded(page)
    number = entered(server, take)
    midi = fetched(server, f"/api/exports/take/{number}/midi")
    made = uploaded(server, "/api/takes/midi?instrument=1", midi, "hands.mid")
    assert server.ended(made["job"])["state"] == "done"
    keys = [one["key"] for one in server.json("GET", f"/api/takes/{made['take']}/hands")["notes"]]
    assert keys == [60, 68]
    with pytest.raises(urllib.error.HTTPError) as refused:
        uploaded(server, "/api/takes/midi?instrument=1", b"no midi", "hands.mid")
    assert "not a MIDI file" in json.loads(refused.value.read())["message"]


def test_passes_over_one_backing_are_put_together(page, server):
    digest = server.json("GET", "/api/recordings/2")["digest"]
    numbers = []
    for _ in range(2):
        take, _ = recorded(page, backing={"recording": digest})
        numbers.append(entered(server, take))
    parts = [{"take": numbers[0], "start": 0.0}, {"take": numbers[1], "start": 0.3}]
    made = server.json("POST", "/api/takes/comp", {"name": "Best", "parts": parts})
    assert server.ended(made["job"])["state"] == "done"
    document = server.json("GET", f"/api/takes/{made['take']}")["document"]
    assert document["about"]["origin"] == "comp"
    comp = sound_of(server, document["about"]["folder"])
    first, second = (
        sound_of(server, server.json("GET", f"/api/takes/{one}")["document"]["about"]["folder"])
        for one in numbers
    )
    joint = round(0.3 * RATE)
    assert np.array_equal(comp[: joint - 1_000], first[: joint - 1_000])
    assert np.array_equal(comp[joint + 1_000 :], second[joint + 1_000 :])
    parts[1]["start"] = 0.0
    with pytest.raises(urllib.error.HTTPError):
        server.json("POST", "/api/takes/comp", {"parts": parts})


def test_a_lane_is_played_over_the_others_and_can_be_taken_back(page, server):
    take, _ = recorded(page)
    number = entered(server, take)
    page.say(do="panic")
    page.blocks(100)
    page.say(do="load", document=server.json("GET", f"/api/takes/{number}/document"))
    assert page.answer("loaded")
    over = {"take": take, "lanes": ["pad"], "at": 0.0}
    page.say(do="record", on=True, over=over)
    heard = np.concatenate((until_recording(page), page.blocks(40)))
    page.say(do="pad_up", value=-0.7)
    page.blocks(20)
    page.say(do="pad_up", value=0.2)
    page.blocks(20)
    page.say(do="record", on=False)
    folder = page.answer("taken")["take"]
    # the keys of the take sounded meanwhile, and are let go with it
    assert np.abs(heard).max() > 0.01
    page.blocks(500)
    assert np.abs(page.blocks(20)).max() < 1e-3
    body = {"revision": 0, "folder": folder, "lanes": ["pad"], "at": 0.0}
    changed = server.json("POST", f"/api/takes/{number}/overdub", body)
    assert changed["undo"] == "Play over pad"
    hands = server.json("GET", f"/api/takes/{number}/hands")
    up = next(one for one in hands["lanes"] if one["id"] == "pad_up")
    assert [round(value, 2) for _, value in up["points"]] == [-0.7, 0.2]
    assert len(hands["notes"]) == 2
    server.json("POST", f"/api/takes/{number}/undo", {"revision": 1})
    lanes = server.json("GET", f"/api/takes/{number}/hands")["lanes"]
    assert "pad_up" not in {one["id"] for one in lanes}
    # what was played for it is used up, and is no take of its own
    assert folder not in {one["folder"] for one in server.json("GET", "/api/takes")["takes"]}


def test_changed_hands_are_heard_once_they_are_played(page, server):
    take, _ = recorded(page)
    number = entered(server, take)
    edit = {"do": "move", "select": {"start": 0, "end": 9, "lanes": ["notes"]}, "semitones": 12}
    patch = [{"op": "add", "path": "/edits/-", "value": edit}]
    server.json("PATCH", f"/api/takes/{number}", {"revision": 0, "label": "Up", "patch": patch})
    body = {"ways": [{}], "adopt": True}
    job = server.json("POST", f"/api/takes/{number}/again", body)["job"]
    assert server.ended(job)["state"] == "done"
    revision = server.json("GET", f"/api/takes/{number}")
    sound = revision["document"]["sound"]
    assert sound
    (one,) = server.json("GET", f"/api/takes/{number}/renderings")["renderings"]
    assert (one["edits"], one["exact"]) == (1, None)
    raised = sf.read(server.root / "takes" / take / "again" / f"{sound}.wav")[0]
    assert not np.array_equal(raised, sound_of(server, take))
    with pytest.raises(urllib.error.HTTPError) as refused:
        server.json("DELETE", f"/api/takes/{number}/renderings/{sound}")
    assert refused.value.code == 409


def test_two_pages_record_at_the_same_time_each_its_own(server):
    with opened(server) as one, opened(server) as other:
        pages = [Page(one), Page(other)]
        for page in pages:
            page.load(server)
            page.say(do="record", on=True, instrument=1, name="tone")
            page.blocks(1)
        for number, page in enumerate(pages, 1):
            page.say(do="on", note=number, key=48 + 12 * number, value=0.8)
            page.blocks(40 * number)
        taken = []
        for page in pages:
            page.say(do="record", on=False)
            taken.append(page.answer("taken")["take"])
    assert len(set(taken)) == 2
    folders = TakeFolders(FileStore(server.root))
    keys = [next(one.key for one in folders.read(take).take.events
                 if getattr(one, "kind", "") == "on") for take in taken]  # fmt: skip
    assert keys == [60, 72]


def test_five_hundred_takes_are_listed(client):
    """The list is light: hands and sounds are read where one is opened."""
    files = client.application.extensions["innerbloom"].files
    folders, take = TakeFolders(files), Take({"settings": {}, "layers": []}, frames=RATE)
    for number in range(500):
        folders.write(header_of(take, name=f"Instrument {number}"), take)
    assert len(client.post("/api/takes/found").json["entered"]) == 500
    listed = client.get("/api/takes").json["takes"]
    assert len(listed) == 500
    assert len({one["name"] for one in listed}) == 500
    assert client.post("/api/takes/found").json["entered"] == []


def test_a_full_disk_stops_the_take_and_keeps_what_there_is(tmp_path, monkeypatch):
    """What cannot be written is said, and what was written before is a take."""
    player = Player()
    folder = tmp_path / ("c" * 32)
    recording = TakeRecording("c" * 32, folder, player.history, {"name": "tone", "tempo": 90.0})
    player.do(("on", 1, 60.0, 0.8))
    player.wait(1)
    for block in range(400):
        recording.sound(player.engine.render(BLOCK))
        if block == 250:
            # something of it is on the disk by now
            while not sf.info(folder / "sound.wav").frames:
                time.sleep(0.01)
            monkeypatch.setattr(TakeFile, "append", _full)
    recording.stop()
    frames = recording.wait()
    assert recording.wrong is not None
    assert recording.wrong.startswith("The disk is full")
    header = parse_header((folder / "take.json").read_text())
    assert header.frames == frames == sf.info(folder / "sound.wav").frames > 0


def _full(*_) -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def test_what_was_played_again_long_ago_is_given_up_and_what_is_heard_stays(client):
    services = client.application.extensions["innerbloom"]
    folders = TakeFolders(services.files)
    take = Take({"settings": {"ceiling": -1.0}, "layers": []}, frames=RATE)
    folder = folders.folder(folders.write(header_of(take), take)) / "again"
    folder.mkdir()
    (number,) = client.post("/api/takes/found").json["entered"]
    names = {name: name * 32 for name in "abc"}
    for name in names.values():
        sf.write(folder / f"{name}.wav", np.zeros((100, 2)), RATE)
        about = Rendering(id=name, words="the same again", start=0, end=1, seconds=1)
        keep_rendering(folder, about)
        os.utime(folder / f"{name}.wav", (0, 0) if name != names["c"] else None)
    patch = [{"op": "replace", "path": "/sound", "value": names["b"]}]
    client.patch(f"/api/takes/{number}", json={"revision": 0, "label": "Use", "patch": patch})
    assert client.post("/api/storage/tidy").json["freed"] > 0
    left = client.get(f"/api/takes/{number}/renderings").json["renderings"]
    assert {one["id"] for one in left} == {names["b"], names["c"]}


def test_a_disk_that_refuses_from_the_start_leaves_no_take_and_is_said(tmp_path):
    player = Player()
    (tmp_path / "file").write_text("")
    recording = TakeRecording("c" * 32, tmp_path / "file" / "c", player.history, {"name": "tone"})
    recording.sound(player.engine.render(BLOCK))
    recording.stop()
    assert recording.wait() == 0
    assert not recording.begun
    assert recording.wrong == "The disk refused: the take could not begin."
