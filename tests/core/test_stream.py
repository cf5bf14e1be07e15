"""One stream: gestures, moved controls and edits give the same samples however time is cut."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.declare.sound import Sound
from innerbloom.core.engine import TICK, Engine, compile_program
from innerbloom.core.instrument import chains, layering
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from tests.engines import RATE, click_db, layered, material_of, program_of, sine

TONE, OTHER = material_of(sine(440.0, 1.0)), material_of(sine(300.0, 1.0))
MATERIALS = HeldMaterials(TONE, OTHER)
FRAMES = 24_000
MOVED = {"kind": "lfo", "rate": 3.0, "restart": "never"}
ROUTES = [
    {"source": "m:m1", "parameter": "pan", "depth": 60.0},
    {"source": "slide", "parameter": "level", "depth": -9.0, "target": "l2"},
    {"source": "wheel", "parameter": "tuning", "depth": 20.0, "target": "instrument"},
]


def start():
    return layered(
        {"kind": "wave", "shape": "saw", "filter": "12 dB", "release": 60},
        {"kind": "loop", "loop_length": 200, "link": "phase", "release": 60},
        {"kind": "noise", "level": -20, "release": 60},
        modulators=[MOVED],
        routes=ROUTES,
    )


def edited(document, what: str, which: int):
    """One edit of a document, of a layer by its number."""
    count = len(document.layers)
    index = which % count
    match what:
        case "add":
            full = count >= 6
            return document if full else layering.add_layer(document, "wave", name="More")
        case "remove":
            return document if count < 2 else layering.remove_layer(document, index)
        case "reorder":
            return layering.move_layer(document, index, (index + 1) % count)
        case "swap":
            if not document.layers[index].sounds:
                return document
            sound = Sound(path=f"sound {which}.wav", root=60.0)
            return layering.swap_sound(document, index, 0, sound)
        case "colour":
            lent = None if which % 2 else Sound(path="vowel.wav")
            return chains.colour(document, index, lent)
    plain = document.model_dump(mode="json")
    layer = plain["layers"][index]
    match what:
        case "bus":
            plain["buses"] = plain["buses"] or [{"id": "b1", "name": "Bus"}]
            layer["output"] = "main" if layer["output"] == "b1" else "b1"
        case "send":
            plain["buses"] = plain["buses"] or [{"id": "b1", "name": "Bus"}]
            layer["sends"] = [] if layer["sends"] else [{"id": f"s{layer['id']}", "to": "b1"}]
        case "past":
            state = layer["settings"]
            state["effects"] = "through" if state["effects"] == "past" else "past"
        case _:
            state = layer["settings"]
            state[what] = "off" if state[what] == "on" else "on"
    return parse_instrument(plain)


EDITS = [
    "add",
    "remove",
    "reorder",
    "swap",
    "solo",
    "mute",
    "colour",
    "bus",
    "send",
    "past",
    "undo",
]
AT = st.integers(0, FRAMES)


def events_of(edits, notes, moves):
    """A stream: edits one after another, notes, and moved controls."""
    document, past, events = start(), [], []
    for time, what, which in sorted(edits):
        if what == "undo":
            document = past.pop() if past else document
        else:
            past.append(document)
            document = edited(document, what, which)
        events.append(EditProgram(compile_program(document, MATERIALS), time))
    for number, (time, key, length) in enumerate(notes, 1):
        events.append(Event("on", number, float(key), 0.8, time))
        events.append(Event("off", number, time=time + length))
    events += [SetParameter("l1", "cutoff", value, time) for time, value in moves]
    events += [SetParameter("l2", "level", -value / 1_000, time) for time, value in moves]
    return sorted(events, key=lambda event: event.time)


@settings(max_examples=60)
@given(
    st.lists(st.tuples(AT, st.sampled_from(EDITS), st.integers(0, 7)), min_size=1, max_size=6),
    st.lists(st.tuples(AT, st.integers(40, 80), st.integers(0, FRAMES)), min_size=1, max_size=5),
    st.lists(st.tuples(AT, st.floats(100, 9_000)), max_size=3),
    st.lists(st.integers(0, 1_500), min_size=1, max_size=30),
)
def test_random_edits_give_the_same_samples_in_any_cutting_on_one_core_or_two(
    edits, notes, moves, cuts
):
    events = events_of(edits, notes, moves)
    program = compile_program(start(), MATERIALS)
    whole = Engine(program).render(FRAMES, events)
    other, pieces, at = Engine(program, cores=2), [], 0
    for cut in [*cuts, FRAMES]:
        count = min(cut, FRAMES - at)
        due = [one for one in events if at <= one.time < at + count]
        pieces.append(other.render(count, due))
        at += count
    np.testing.assert_array_equal(np.concatenate(pieces), whole)
    assert np.isfinite(whole).all()


def test_deleting_a_soloed_layer_brings_the_others_back_in_step():
    """What leaves used to step the presence of what stays a second time."""
    layers = [{"kind": "wave"}, {"kind": "wave", "octave": 1, "solo": "on"}]
    both = layered(*layers)
    only = program_of(layering.remove_layer(both, 1))
    events = [Event("on", 1, 57.0, 1.0), EditProgram(only, 4_800)]
    whole = Engine(program_of(both)).render(9_600, events)
    single = Engine(program_of(both))
    single.render(0, events)
    ticks = np.concatenate([single.render(TICK) for _ in range(9_600 // TICK)])
    np.testing.assert_array_equal(ticks, whole)
    # the one that stays comes back a step a tick, with a time constant of 8 ms
    level = np.abs(whole[:, 0]).reshape(-1, 1_200).max(axis=1)
    assert level[-1] == pytest.approx(10 ** (-12 / 20), rel=0.02)


def test_a_voice_that_has_ended_stays_ended_after_an_edit():
    """It used to be rendered once more, with the settings of nobody: not a number."""
    events = [Event("on", 1, 40.0, 0.8, 40), Event("off", 1, time=5_505)]
    events += [Event("on", 2, 40.0, 0.8, 2_943), Event("off", 2, time=8_577)]
    more = compile_program(edited(start(), "add", 0), MATERIALS)
    engine = Engine(compile_program(start(), MATERIALS))
    sound = engine.render(FRAMES, [*events, EditProgram(more, 8_762)])
    assert np.isfinite(sound).all()
    assert not sound[-4_800:].any()


def test_moved_controls_and_edits_are_events_with_a_time():
    """They take effect at the next tick, and not before."""
    program = program_of(layered({"kind": "wave"}))
    plain = Engine(program).render(9_600, [Event("on", 1, 57.0, 1.0)])
    quiet = SetParameter("l1", "level", -20.0, 4_801)
    heard = Engine(program).render(9_600, [Event("on", 1, 57.0, 1.0), quiet])
    first = 4_864 + Engine(program).latency
    np.testing.assert_array_equal(heard[:first], plain[:first])
    assert np.abs(heard[-1_200:]).max() == pytest.approx(
        0.1 * np.abs(plain[-1_200:]).max(), rel=0.02
    )


def test_a_control_of_what_is_gone_moves_nothing():
    program = program_of(layered({"kind": "wave"}))
    events = [Event("on", 1, 57.0, 1.0), SetParameter("l9", "level", -60.0, 64),
              SetParameter("l1", "nothing", 1.0, 64)]  # fmt: skip
    plain = Engine(program).render(4_800, events[:1])
    np.testing.assert_array_equal(Engine(program).render(4_800, events), plain)


@pytest.mark.parametrize("cores", [1, 2])
def test_a_stream_recorded_in_the_middle_of_a_session_replays_from_zero(cores):
    engine = Engine(compile_program(start(), MATERIALS), cores=cores)
    engine.render(9_000, [Event("on", 1, 50.0, 0.9), Event("off", 1, time=2_000)])
    engine.render(100, [SetParameter("l1", "cutoff", 700.0, engine.now)])
    engine.render(RATE)
    engine.render(0, [Event("control", 1, value=0.5, time=engine.now)])
    engine.render(64)
    assert engine.silent()
    recording = engine.record()
    begun = engine.now
    more = edited(start(), "add", 0)
    sound = engine.render(
        20_000,
        [
            Event("on", 2, 57.0, 0.8, begun + 64),
            SetParameter("l2", "pan", 80.0, begun + 3_200),
            EditProgram(compile_program(more, MATERIALS), begun + 6_400),
            Event("off", 2, time=begun + 12_800),
        ],
    )
    stream = recording.stop()
    assert stream.exact
    assert stream.frames == engine.now - begun
    again = Engine(stream.program).render(stream.frames, stream.events)
    count = min(len(again), len(sound)) - TICK
    offset = _offset(sound, again)
    assert offset < TICK
    np.testing.assert_array_equal(again[: count - offset], sound[offset:count])
    assert np.abs(again).max() > 0.05


def _offset(sound: np.ndarray, again: np.ndarray) -> int:
    """Frames that were left over of the tick before the recording began."""
    first = [int(np.flatnonzero(np.abs(one).max(axis=1) > 0)[0]) for one in (sound, again)]
    return first[0] - first[1]


def test_a_stream_begun_while_something_sounds_strikes_what_is_held_again():
    engine = Engine(program_of(layered({"kind": "wave", "release": 5})))
    engine.render(4_800, [Event("on", 7, 57.0, 0.8)])
    recording = engine.record()
    engine.render(4_800, [Event("off", 7, time=engine.now + 2_400)])
    stream = recording.stop()
    assert not stream.exact
    again = Engine(stream.program).render(stream.frames, stream.events)
    assert np.abs(again[1_000:2_000]).max() > 0.1
    assert np.abs(again[-600:]).max() == 0.0


def test_an_edit_while_voices_sound_neither_clicks_nor_stops_them():
    before = layered(
        {"kind": "wave", "shape": "sine", "release": 50}, {"kind": "wave", "octave": -1}
    )
    engine = Engine(program_of(before))
    engine.render(RATE // 4, [Event("on", 1, 57.0, 1.0)])
    shuffled = layering.move_layer(before, 0, 1)
    sound = engine.render(RATE // 4, [EditProgram(program_of(shuffled), engine.now + 999)])
    assert click_db(sound) < -60
    assert engine.sounding() == 1


def test_looking_in_frees_no_voices_and_changes_nothing():
    """What meters ask is no part of the stream: the same voices, the same samples."""
    looked, plain = (Engine(compile_program(start(), MATERIALS), limited=False) for _ in range(2))
    for note in range(30):
        events = [Event("on", note, 40.0 + note, 0.8), Event("off", note - 2)]
        heard = []
        for engine in (looked, plain):
            heard.append(engine.render(3_000, events))
        assert np.array_equal(*heard)
        looked.silent()
        looked.look()
        looked.notes()
        states = [one.section.voices.records["state"] for one in (looked, plain)]
        assert np.array_equal(*states)


@pytest.mark.parametrize("cut", [65, 128, 256, 100])
def test_a_layer_that_leaves_through_an_effect_that_waits_sounds_the_same_however_time_is_cut(cut):
    events = events_of([(0, "colour", 0), (1, "remove", 0)], [(0, 40, 1)], [])
    program = compile_program(start(), MATERIALS)
    whole = Engine(program).render(4_096, events)
    engine = Engine(program)
    parts = [engine.render(cut, events), engine.render(4_096 - cut)]
    np.testing.assert_array_equal(np.concatenate(parts), whole)


def test_what_rings_in_the_effects_of_a_layer_that_leaves_does_not_click():
    document = layered({"kind": "wave", "shape": "sine"}, {"kind": "wave", "shape": "sine"})
    plain = document.model_dump(mode="json")
    plain["layers"][1]["effects"] = [{"id": "e1", "kind": "echo", "settings": {"mix": 100}}]
    before = parse_instrument(plain)
    after = compile_program(layering.remove_layer(before, 1), MATERIALS)
    events = [Event("on", 1, 40.0, 0.8), EditProgram(after, 40_001)]
    sound = Engine(compile_program(before, MATERIALS)).render(RATE, events)
    assert click_db(sound[36_000:]) < -60.0
