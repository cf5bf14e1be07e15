"""Takes: what was played, kept as a stream, is played again to the very same samples."""

from __future__ import annotations

import hashlib
import multiprocessing
import os
import subprocess
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from innerbloom.core.analysis.moments import find_moments
from innerbloom.core.deliver import again
from innerbloom.core.deliver.again import Way, can_be_finer
from innerbloom.core.deliver.replay import limited, replay
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.engine.history import History
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from innerbloom.core.performance.take import (
    EventWriter,
    Mark,
    Take,
    read_events,
    starting_at,
    stretch_of,
    until,
)
from innerbloom.store.take_sounds import features_of, look_at_sound, peaks_of
from tests.core.test_stream import EDITS, MATERIALS, edited, start
from tests.engines import layered

BLOCK = 256
WAYS = [one for one in EDITS if one != "undo"]
BLOCKS = st.integers(1, 40)
GESTURES = st.one_of(
    st.tuples(st.just("on"), st.integers(1, 6), st.floats(36, 84), st.floats(0.1, 1.0)),
    st.tuples(st.just("off"), st.integers(1, 6), st.just(60.0), st.just(0.0)),
    st.tuples(st.sampled_from(["pressure", "slide"]), st.integers(1, 6), st.just(60.0),
              st.floats(0, 1)),
    st.tuples(st.just("bend"), st.integers(1, 6), st.just(60.0), st.floats(-12, 12)),
    st.tuples(st.sampled_from(["hold", "sostenuto"]), st.just(0), st.just(60.0),
              st.sampled_from([0.0, 1.0])),
    st.tuples(st.just("control"), st.sampled_from([1, 11, 20]), st.just(60.0), st.floats(0, 1)),
    st.tuples(st.sampled_from(["pad_across", "pad_up"]), st.just(0), st.just(60.0),
              st.floats(-1, 1)),
    st.tuples(st.just("pad_let_go"), st.just(0), st.just(60.0), st.just(0.0)),
    st.tuples(st.just("panic"), st.just(0), st.just(60.0), st.just(0.0)),
)  # fmt: skip
MOVES = st.one_of(
    st.tuples(st.just("set"), st.just("l1"), st.just("cutoff"), st.floats(100, 9_000)),
    st.tuples(st.just("set"), st.just("instrument"), st.just("seed"), st.integers(0, 9)),
    st.tuples(st.just("set"), st.just("r1"), st.just("depth"), st.floats(-60, 60)),
)
PLAYING = st.lists(
    st.tuples(BLOCKS, st.one_of(GESTURES, MOVES, st.tuples(st.just("edit"), st.sampled_from(WAYS),
                                                           st.integers(0, 3)))),
    min_size=1, max_size=14,
)  # fmt: skip


def plain_of(document):
    return document.model_dump(mode="json")


class Player:
    """A session in small: an engine that is played, its history, and what it sounded like."""

    def __init__(self, document=None, most_events: int = 10_000) -> None:
        self.document = document or start()
        self.engine = Engine(compile_program(self.document, MATERIALS), limited=False)
        self.history = History(self.engine, plain_of(self.document), most_events)
        self.sound: list[np.ndarray] = []

    def do(self, what) -> None:
        now = self.engine.now
        match what:
            case ("set", owner, parameter, value):
                event = SetParameter(owner, parameter, float(value), now)
            case ("edit", change, which):
                self.document = edited(self.document, change, which)
                program = compile_program(self.document, MATERIALS)
                event = EditProgram(program, now, plain_of(self.document))
            case (kind, note, key, value):
                event = Event(kind, note, key, value, now)
        self.engine.render(0, [event])

    def wait(self, blocks: int) -> None:
        for _ in range(blocks):
            self.sound.append(self.engine.render(BLOCK))
            # looking in changes nothing
            self.engine.look()
            self.engine.notes()
            self.history.renew()

    def heard(self, start: int = 0) -> np.ndarray:
        return np.concatenate(self.sound)[start:]


def played_again(take: Take) -> np.ndarray:
    return np.concatenate([np.zeros((0, 2), np.float32), *replay(take, MATERIALS)])


def through_json(take: Take) -> Take:
    writer = EventWriter(take.document)
    lines = [writer.line(one) for one in take.events]
    events, lost = read_events(lines, take.document)
    assert lost == 0
    return Take(**{**take.__dict__, "events": tuple(events)})


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(PLAYING, PLAYING, st.integers(0, 80))
def test_what_was_played_is_played_again_to_the_very_same_samples(before, after, silence):
    """From the beginning and from any moment on, through edits, moves, silences and JSON."""
    player = Player()
    for blocks, what in before:
        player.do(what)
        player.wait(blocks)
    player.do(("panic", 0, 60.0, 0.0))
    player.wait(silence)
    begun = player.engine.now
    for blocks, what in after:
        player.do(what)
        player.wait(blocks)
    take = through_json(player.history.take(begun, player.engine.now))
    assert take.exact
    assert take.frames == len(player.heard(begun))
    assert np.array_equal(played_again(take), player.heard(begun))
    some = take.frames // 3
    assert np.array_equal(played_again(starting_at(take, some)), player.heard(begun + some))
    assert np.array_equal(played_again(until(take, some)), player.heard(begun)[:some])


@settings(
    max_examples=1, deadline=None, suppress_health_check=list(HealthCheck), phases=[Phase.generate]
)
@given(st.data())
def test_ten_minutes_are_played_again_from_any_moment_on_in_another_process(data):
    """Random playing, editing and moving; what is played again starts from the take as lines of JSON."""
    player = Player()
    # as a recording does: the history itself keeps no more than the last minutes
    opening, events = player.history.excerpt(0, 0).take(), []
    player.history.listeners.append(events.append)
    while player.engine.now < 600 * 48_000:
        for blocks, what in data.draw(PLAYING):
            player.do(what)
            player.wait(8 * blocks)
    heard = player.heard()
    whole = replace(opening, events=(*opening.events, *events), frames=len(heard))
    take = through_json(whole)
    assert take.exact
    some = data.draw(st.integers(0, take.frames - 1))
    # a new interpreter, which knows nothing of this one
    with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn")) as elsewhere:
        digest = elsewhere.submit(_digest_again, starting_at(take, some)).result()
    assert digest == hashlib.sha256(heard[some:].tobytes()).hexdigest()


def _digest_again(take: Take) -> str:
    return hashlib.sha256(played_again(take).tobytes()).hexdigest()


def test_a_silence_begins_a_chapter_so_that_little_leads_to_what_comes_after():
    player = Player()
    player.do(("on", 1, 60.0, 0.8))
    player.wait(100)
    player.do(("off", 1, 60.0, 0.0))
    player.wait(200)
    begun = player.engine.now
    player.do(("on", 2, 67.0, 0.8))
    player.wait(50)
    take = player.history.take(begun, player.engine.now)
    assert take.lead_in < 200 * BLOCK
    assert np.array_equal(played_again(take), player.heard(begun))
    # chance goes on: the same note after a silence is not the same sound
    assert take.serial > 0


def test_the_last_minutes_are_always_there():
    player = Player()
    assert player.history.last() is None
    player.wait(30)
    player.do(("on", 1, 60.0, 0.8))
    player.wait(60)
    take = player.history.last()
    assert take.frames == 60 * BLOCK
    assert np.array_equal(played_again(take), player.heard(30 * BLOCK))
    later = player.history.last(seconds=20 * BLOCK / 48_000)
    assert later.frames == 20 * BLOCK
    assert np.array_equal(played_again(later), player.heard(70 * BLOCK))


def test_too_much_without_a_silence_is_said_not_to_be_exact():
    player = Player(most_events=20)
    player.do(("on", 1, 60.0, 0.8))
    for number in range(30):
        player.do(("slide", 1, 60.0, number / 30))
        player.wait(1)
    take = player.history.last()
    assert not take.exact
    again = played_again(take)
    assert len(again) == take.frames
    assert np.abs(again).max() > 0.01


def test_another_process_makes_the_same_samples(tmp_path):
    """The heart of a take: an engine elsewhere, started anew, gives the same bits."""
    player = Player()
    for blocks, what in [(20, ("on", 1, 57.0, 0.7)), (9, ("set", "l1", "cutoff", 900.0)),
                         (30, ("edit", "mute", 1)), (40, ("on", 2, 64.0, 0.9))]:  # fmt: skip
        player.do(what)
        player.wait(blocks)
    script = tmp_path / "again.py"
    script.write_text(
        "import hashlib, numpy as np\n"
        "from tests.core.test_takes import Player, played_again\n"
        "player = Player()\n"
        "for blocks, what in [(20, ('on', 1, 57.0, 0.7)), (9, ('set', 'l1', 'cutoff', 900.0)),\n"
        "                     (30, ('edit', 'mute', 1)), (40, ('on', 2, 64.0, 0.9))]:\n"
        "    player.do(what)\n"
        "    player.wait(blocks)\n"
        "take = player.history.take(0, player.engine.now)\n"
        "print(hashlib.sha256(played_again(take).tobytes()).hexdigest())\n"
    )
    said = subprocess.run(
        [sys.executable, str(script)], capture_output=True, text=True, check=True, env=_paths()
    )
    assert said.stdout.strip() == hashlib.sha256(player.heard().tobytes()).hexdigest()


def _paths() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": os.pathsep.join(p or "." for p in sys.path)}


def test_marks_are_moments_of_the_sound():
    player = Player()
    player.do(("on", 1, 60.0, 0.8))
    player.wait(100)
    player.history.mark()
    player.wait(50)
    take = player.history.take(40 * BLOCK, player.engine.now)
    assert take.marks() == [pytest.approx(60 * BLOCK / 48_000)]
    assert any(isinstance(one, Mark) for one in through_json(take).events)
    cut = stretch_of(take, 0.1, 0.3)
    assert cut.frames == 9_600
    assert np.array_equal(played_again(cut), player.heard(40 * BLOCK)[4_800:14_400])


def test_an_empty_sound_is_looked_at_like_any_other(tmp_path):
    """A take that was cut short at once: no frames, no moments, and no error."""
    path = tmp_path / "sound.wav"
    sf.SoundFile(path, "w", 48_000, 2, "FLOAT", format="WAV").close()
    frames, digest = look_at_sound(path, lambda _: True, 0.0, 1.0)
    assert frames == 0
    assert digest == hashlib.sha256(b"").hexdigest()
    assert len(peaks_of(path)) == 0
    features = features_of(path)
    assert features is not None
    assert find_moments(features) == []


def test_lines_that_say_nothing_known_are_left_out_and_counted():
    lines = ['{"at":0,"do":"on","note":1,"key":60.0,"value":0.8}', '{"at":5,"do":"fly"}', "",
             '{"at":9,"do":"edit","patch":[{"op":"replace","path":"/no/where","value":1}]}',
             '{"at":12,"do":"of']  # fmt: skip
    events, lost = read_events(lines, {})
    assert [one.kind for one in events] == ["on"]
    assert lost == 3


@pytest.mark.parametrize("cuts", [[4_096, 4_096, 1_000], [1], [63, 64, 65, 5_000], [0, 10]])
def test_a_take_is_limited_in_place(cuts):
    """Nothing comes later or is lost, and true peaks stay below the ceiling."""
    rng = np.random.default_rng(3)
    sound = (2.0 * rng.standard_normal((sum(cuts), 2))).astype(np.float32)
    pieces = np.split(sound, np.cumsum(cuts)[:-1])
    out = np.concatenate(list(limited(iter(pieces), -1.0)))
    assert len(out) == len(sound)
    assert np.abs(out).max() <= 10 ** (-1.0 / 20) + 1e-6
    quiet = [0.1 * one for one in pieces]
    kept = np.concatenate(list(limited(iter([0.01 * one for one in quiet]), -1.0)))
    assert np.allclose(kept, 0.01 * np.concatenate(quiet), atol=1e-6)


def test_in_high_quality_layers_are_driven_at_four_times_the_rate():
    def driven(oversampling):
        return {"kind": "wave", "drive": 30, "oversampling": oversampling}

    player = Player(layered(driven("2x")))
    player.do(("on", 1, 90.0, 1.0))
    player.wait(20)
    player.engine.render(0, [SetParameter("l1", "oversampling", "2x", player.engine.now)])
    player.wait(60)
    take = player.history.take(0, player.engine.now)
    assert can_be_finer(take)
    fine = np.concatenate(list(again.played_again(take, Way(fine=True), MATERIALS)))
    finer = Player(layered(driven("4x")))
    finer.do(("on", 1, 90.0, 1.0))
    finer.wait(80)
    np.testing.assert_array_equal(fine, finer.heard())
    assert not np.array_equal(fine, player.heard())


@pytest.mark.parametrize(
    ("layer", "events", "finer"),
    [
        ({"kind": "wave"}, [], False),
        ({"kind": "wave", "drive": 6}, [], True),
        ({"kind": "wave", "drive": 6, "oversampling": "4x"}, [], False),
        ({"kind": "wave"}, [("set", "l1", "drive", 20.0)], True),
    ],
)
def test_high_quality_is_offered_where_it_is_heard(layer, events, finer):
    player = Player(layered(layer))
    for one in events:
        player.do(one)
    player.wait(4)
    assert can_be_finer(player.history.take(0, player.engine.now)) == finer
