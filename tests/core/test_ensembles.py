"""Ensembles: several instruments as one, each as it is alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.deliver.again import Way, played_again
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.engine.ensemble import EnsembleEngine
from innerbloom.core.engine.ensemble_program import compile_ensemble
from innerbloom.core.engine.history import History
from innerbloom.core.ensemble import working
from innerbloom.core.ensemble.document import instrument_of, parse_ensemble
from innerbloom.core.errors import BloomError, DocumentError
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event, OfPlayer, SetParameter
from innerbloom.core.performance.hands import Move, Remove, Select, edited
from innerbloom.core.performance.lanes import notes_of
from innerbloom.core.performance.take import EventWriter, read_events
from tests.engines import RATE, click_db, layered, material_of, sine

MATERIALS = HeldMaterials(material_of(sine(440.0, 1.0)))
BED = layered({"kind": "cloud", "density": 30, "size": 90, "release": 300, "level": -8})
VOICE = layered(
    {"kind": "wave", "shape": "triangle", "release": 80},
    modulators=[{"kind": "lfo", "rate": 5.0}],
    routes=[{"source": "m:m1", "parameter": "pitch", "depth": 0.3}],
)
STRIKE = layered({"kind": "noise", "decay": 60, "sustain": 0, "level": -18, "release": 60})


def trio(**more):
    """A bed below, a voice above, a strike on all keys but only when hit hard."""
    made = working.new_ensemble("Trio")
    for name, document in (("Bed", BED), ("Voice", VOICE), ("Strike", STRIKE)):
        made = working.add_player(made, name, document=document.model_dump(mode="json"))
    return changed(made, p1_key_high=59, p2_key_low=60, p3_velocity_low=100, **more)


def changed(ensemble, **values):
    plain = ensemble.model_dump(mode="json")
    players = {one["id"]: one for one in plain["players"]}
    for name, value in values.items():
        id_, _, parameter = name.partition("_")
        part = plain if id_ == "ensemble" else players[id_]
        part["phrase" if parameter in part.get("phrase", {}) else "settings"][parameter] = value
    return parse_ensemble(plain)


def engine_of(ensemble, **more):
    return EnsembleEngine(compile_ensemble(ensemble, MATERIALS), limited=False, **more)


def alone(ensemble, which):
    document = instrument_of(ensemble, ensemble.players[which])
    return Engine(compile_program(document, MATERIALS), limited=False)


LOW, HIGH = Event("on", 1, 48.0, 0.6), Event("on", 2, 72.0, 0.9)
BOTH = [LOW, HIGH, Event("off", 1, time=20_000), Event("off", 2, time=24_000)]


def test_the_sound_is_the_sum_of_what_each_makes_alone():
    ensemble = trio(p1_level=-4.0, p2_transpose=-5, p3_level=0.0)
    together = engine_of(ensemble).render(RATE, BOTH)
    low, high = [BOTH[0], BOTH[2]], [BOTH[1], BOTH[3]]
    bed = alone(ensemble, 0).render(RATE, low)
    shifted = [Event("on", 2, 67.0, 0.9), BOTH[3]]
    voice, strike = alone(ensemble, 1).render(RATE, shifted), alone(ensemble, 2).render(RATE, high)
    wanted = 10 ** (-4 / 20) * bed + voice + strike
    assert np.abs(strike).max() > 0.01
    assert np.abs(together - wanted).max() < 1e-6


def test_each_has_its_own_seed_and_alone_it_is_bit_for_bit_the_same():
    ensemble = working.new_ensemble("Two beds")
    for _ in range(2):
        ensemble = working.add_player(ensemble, "Bed", document=BED.model_dump(mode="json"))
    assert [one.settings.seed for one in ensemble.players] == [1, 2]
    first, second = (alone(ensemble, n).render(RATE, BOTH) for n in range(2))
    assert not np.array_equal(first, second)
    for mute, sound in (("p2", first), ("p1", second)):
        muted = changed(ensemble, **{f"{mute}_mute": "on"})
        assert np.array_equal(engine_of(muted).render(RATE, BOTH), sound)


@settings(max_examples=12, deadline=None)
@given(
    st.lists(st.integers(1, 4_000), min_size=1, max_size=10),
    st.lists(st.tuples(st.integers(0, 20_000), st.sampled_from(["p1", "p2", "ensemble"]),
                       st.floats(-40, 0)), max_size=5),
    st.booleans(),
)  # fmt: skip
def test_however_time_is_cut_on_one_core_or_two_it_sounds_the_same(cuts, moves, patterned):
    ensemble = trio(p2_pattern="up" if patterned else "off", p2_swing=62.0, p1_chance=50.0)
    events = [*BOTH, *(SetParameter(who, "level", to, at) for at, who, to in moves),
              SetParameter("ensemble", "tempo", 133.0, 9_000)]  # fmt: skip
    events.sort(key=lambda one: one.time)
    whole = engine_of(ensemble).render(30_000, events)
    engine, parts = engine_of(ensemble, cores=2), []
    for cut in cuts:
        parts.append(engine.render(cut, events if not parts else ()))
    parts.append(engine.render(max(0, 30_000 - sum(cuts))))
    assert np.array_equal(np.concatenate(parts)[:30_000], whole[: sum(map(len, parts))])


def test_what_reached_its_players_replays_to_the_same_samples():
    ensemble = trio(p1_pattern="trill", p1_counted="in Hz", p1_rate=14.0, p2_pattern="random",
                    p2_octaves=3)  # fmt: skip
    chord = [Event("on", n, key, 0.7) for n, key in enumerate((40.0, 47.0, 64.0, 67.0), 1)]
    engine, told = engine_of(ensemble), []
    engine.taps.append(lambda event, now: told.append(event))
    live = engine.render(RATE, [*chord, SetParameter("p1", "level", -6.0, 12_000),
                                Event("off", 1, time=30_000), Event("control", 1, value=0.4)])  # fmt: skip
    assert all(isinstance(one, OfPlayer | SetParameter) for one in told)
    assert len([one for one in told if isinstance(one, OfPlayer)]) > 20
    again = engine_of(ensemble).render(RATE, told)
    assert np.array_equal(again, live)


def test_phrases_of_players_go_their_own_ways():
    ensemble = trio(p1_pattern="up", p2_pattern="off")
    engine, told = engine_of(ensemble), []
    engine.taps.append(lambda event, now: told.append(event))
    engine.render(RATE, [Event("on", 1, 40.0, 0.7), Event("on", 2, 47.0, 0.7),
                         Event("on", 3, 64.0, 0.7)])  # fmt: skip
    struck = {who: [one.event.key for one in told if one.player == who and one.event.kind == "on"]
              for who in ("p1", "p2")}  # fmt: skip
    # a sixteenth at 90 lasts a sixth of a second
    assert struck["p1"] == [40.0, 47.0] * 3
    assert struck["p2"] == [64.0]


def test_a_channel_is_heeded_and_what_comes_on_none_is_for_all():
    ensemble = trio(p1_channel=2, p2_channel=3)
    on = [Event("on", 1, 48.0, 0.6, 0, channel=3), Event("on", 2, 72.0, 0.6, 0, channel=3)]
    engine = engine_of(ensemble)
    engine.render(256, on)
    assert [engine.players[one].engine.sounding() for one in ("p1", "p2")] == [0, 1]
    engine.render(256, [Event("on", 3, 48.0, 0.6, engine.now)])
    assert engine.players["p1"].engine.sounding() == 1


# -- while it plays ---------------------------------------------------------------------


def test_players_come_and_go_and_are_muted_without_a_click():
    smooth = layered({"kind": "wave", "shape": "sine", "attack": 30, "release": 200})
    made = working.new_ensemble("Sines")
    for name in ("One", "Two", "Three"):
        made = working.add_player(made, name, document=smooth.model_dump(mode="json"))
    fewer, tempo = working.remove_player(made, "p2"), changed(made, ensemble_tempo=140.0)
    edits = [made, fewer, tempo, changed(made, p1_transpose=7), fewer, made]
    events = [Event("on", 1, 45.0, 0.8)]
    events += [EditProgram(compile_ensemble(one, MATERIALS), 6_000 + 5_003 * n)
               for n, one in enumerate(edits)]  # fmt: skip
    events += [
        SetParameter("p1", "mute", word, at) for word, at in (("on", 8_200), ("off", 20_000))
    ]
    events += [SetParameter("p3", "level", -24.0, 31_000)]
    sound = engine_of(made).render(RATE, sorted(events, key=lambda one: one.time))
    assert click_db(sound[4_000:]) < -60.0
    assert np.abs(sound[40_000:]).max() > 0.05


def test_one_that_comes_in_joins_the_keys_that_are_down():
    made = working.new_ensemble("Late")
    made = working.add_player(made, "Bed", document=BED.model_dump(mode="json"))
    more = working.add_player(made, "Voice", document=VOICE.model_dump(mode="json"))
    engine = engine_of(made)
    engine.render(9_600, [Event("on", 1, 48.0, 0.8)])
    engine.render(9_600, [EditProgram(compile_ensemble(more, MATERIALS), engine.now)])
    assert engine.players["p2"].engine.sounding() == 1
    engine.render(RATE, [Event("off", 1, time=engine.now)])
    assert engine.sounding() == 0
    assert engine.silent()


def test_paths_of_unlike_latency_meet_again():
    # the same note twice, once through an effect that waits: both lie on the same frame
    late = VOICE.model_dump(mode="json")
    late["effects"] = [{"id": "e1", "kind": "drive", "settings": {"mix": 0}}]
    made = working.new_ensemble("Latencies")
    for document in (VOICE.model_dump(mode="json"), late):
        made = working.add_player(made, "Voice", document=document)
    latencies = [one.latency for one in engine_of(made).players.values()]
    assert latencies[1] > latencies[0]
    first, second = (
        engine_of(changed(made, p1_seed=1, p2_seed=1, **{f"{mute}_mute": "on"})).render(
            24_000, BOTH
        )
        for mute in ("p2", "p1")
    )
    # drive at no mix is but the way through its oversampling
    shifts = {shift: np.abs(first[8_000:20_000] - second[8_000 + shift : 20_000 + shift]).max()
              for shift in range(-40, 41)}  # fmt: skip
    assert min(shifts, key=lambda one: shifts[one]) == 0


# -- what is wrong with it ----------------------------------------------------------------


def test_one_whose_instrument_is_gone_is_silent_and_the_others_play():
    made = working.add_player(trio(), "Gone", instrument=99)
    engine = engine_of(made)
    assert np.array_equal(engine.render(9_600, BOTH), engine_of(trio()).render(9_600, BOTH))
    assert engine.players["p4"].engine is None


@pytest.mark.parametrize(("wrong", "words"), [
    ({"name": "x", "players": [{"id": "p1", "name": "a"}] * 2}, "share one id"),
    ({"name": "x", "players": [{"id": "p1", "name": "a", "settings": {"key_low": 80,
                                                                      "key_high": 20}}]},
     "lowest key lies above"),
    ({"name": ""}, "name"),
    ({"name": "x", "players": [{"id": "p1", "name": "a", "phrase": {"step": 0}}]}, "step"),
    ("{", "not JSON|Expecting"),
])  # fmt: skip
def test_a_document_that_makes_no_sense_gets_a_sentence(wrong, words):
    with pytest.raises(DocumentError, match=words):
        parse_ensemble(wrong)


def test_what_cannot_sound_says_whose_it_is():
    document = layered({"kind": "loop"}).model_dump(mode="json")
    document["layers"][0]["sounds"] = []
    made = working.add_player(trio(), "Empty", document=document)
    with pytest.raises(BloomError, match="Empty: "):
        compile_ensemble(made, MATERIALS)


def test_there_are_eight_at_most():
    made = working.new_ensemble("Many")
    for number in range(8):
        made = working.add_player(made, str(number), instrument=number)
    assert len({one.petal for one in made.players}) == 8
    with pytest.raises(DocumentError, match="8 players at most"):
        working.add_player(made, "more", instrument=1)
    swapped = working.replace_player(made, "p3", "other", 44)
    assert swapped.players[2].instrument == 44
    assert swapped.players[2].settings == made.players[2].settings
    with pytest.raises(DocumentError, match="no longer there"):
        working.remove_player(made, "p9")


# -- takes -------------------------------------------------------------------------------------


def taken(ensemble, events, frames=48_000, program=None):
    """A take of an ensemble, and what was heard while it was played."""
    begun = program or compile_ensemble(ensemble, MATERIALS)
    engine = EnsembleEngine(begun, limited=False, cores=2)
    history = History(engine, ensemble.model_dump(mode="json"))
    live = []
    for start in range(0, frames, 256):
        live.append(engine.render(256, [one for one in events if start <= one.time < start + 256]))
    return history.take(0, engine.now), np.concatenate(live)


def replayed(take, way=None):
    return np.concatenate(list(played_again(take, way or Way(), MATERIALS)))


def patterned():
    return trio(p1_pattern="random", p2_pattern="up", p2_octaves=2, ensemble_tempo=140.0)


CHORD = [Event("on", n, key, 0.9) for n, key in enumerate((40.0, 47.0, 64.0, 67.0), 1)]


def test_a_take_of_an_ensemble_replays_to_the_bit_through_its_lines():
    louder = changed(patterned(), p1_level=-3.0, p2_pattern="trill")
    before = compile_ensemble(patterned(), MATERIALS)
    program, plain = compile_ensemble(louder, MATERIALS, before), louder.model_dump(mode="json")
    events = [*CHORD, SetParameter("p3", "level", -9.0, 9_000), EditProgram(program, 20_000, plain),
              Event("control", 1, value=0.6, time=22_000), *(Event("off", n, time=30_000)
                                                             for n in range(1, 5))]  # fmt: skip
    take, live = taken(patterned(), events, program=before)
    assert np.array_equal(replayed(take), live)
    writer = EventWriter(take.document)
    lines = [writer.line(one) for one in take.events]
    again, lost = read_events(lines, take.document)
    assert lost == 0
    read = replace(take, events=tuple(again))
    assert np.array_equal(replayed(read), live)


def test_a_chapter_that_begins_in_silence_replays_to_the_bit():
    first = [*CHORD, *(Event("off", n, time=6_000) for n in range(1, 5))]
    second = [replace(one, time=one.time + 72_000) for one in first]
    ensemble = patterned()
    engine = engine_of(ensemble)
    history, live = History(engine, ensemble.model_dump(mode="json")), []
    for start in range(0, 110_080, 256):
        due = [one for one in (*first, *second) if start <= one.time < start + 256]
        live.append(engine.render(256, due))
        if start == 66_048:
            assert engine.silent()
            history.renew()
    sound = np.concatenate(live)
    take = history.take(70_000, 110_080)
    # no more of the stream than the chapter
    assert take.lead_in < 5_000
    assert np.abs(sound[72_000:90_000]).max() > 0.01
    assert np.array_equal(replayed(take), sound[70_000:110_080])


def test_hands_of_all_players_are_read_and_edited():
    take, _ = taken(patterned(), CHORD)
    notes = notes_of(take)
    assert {one.player for one in notes} == {"p1", "p2", "p3"}
    lower = edited(take, [Move(do="move", select=Select(start=0, end=9, lanes=["notes"]),
                               semitones=-12)])  # fmt: skip
    assert [one.key for one in notes_of(lower)] == [one.key - 12 for one in notes]
    none = edited(take, [Remove(do="remove", select=Select(start=0, end=9, lanes=["notes"]))])
    assert notes_of(none) == []
    assert not replayed(none).any()


def test_again_otherwise_one_player_another_chance_one_instrument_or_an_ensemble():
    take, live = taken(patterned(), CHORD)
    bed = replayed(take, Way(layers=("p1",)))
    rest = replayed(take, Way(layers=("p2", "p3")))
    assert np.abs(bed + rest - live).max() < 1e-6
    assert not np.array_equal(replayed(take, Way(seed=77)), live)
    through = replayed(take, Way(document=BED.model_dump(mode="json")))
    assert np.abs(through).max() > 0.01
    # and what one instrument played is played by all
    solo = Engine(compile_program(BED, MATERIALS), limited=False)
    history = History(solo, BED.model_dump(mode="json"))
    solo.render(24_000, BOTH)
    together = replayed(history.take(0, 24_000), Way(document=trio().model_dump(mode="json")))
    assert np.array_equal(together, engine_of(trio()).render(24_000, BOTH))


@pytest.mark.parametrize(
    ("pan", "left", "right"), [(-100, 1, 0), (-40, 1, 0.6), (0, 1, 1), (100, 0, 1)]
)
def test_pan_lowers_the_other_side(pan, left, right):
    made = working.add_player(working.new_ensemble("Wide"), "Bed",
                              document=BED.model_dump(mode="json"))  # fmt: skip
    middle = engine_of(made).render(9_600, [LOW])
    aside = engine_of(changed(made, p1_pan=pan)).render(9_600, [LOW])
    assert aside == pytest.approx(middle * np.array([left, right], np.float32), abs=1e-7)


def test_players_whose_instrument_is_as_it_was_are_not_edited():
    before = compile_ensemble(trio(), MATERIALS)
    after = compile_ensemble(changed(trio(), p1_level=-9.0, p2_seed=77), MATERIALS, before)
    kept = [new.program is old.program
            for new, old in zip(after.players, before.players, strict=True)]  # fmt: skip
    assert kept == [True, False, True]
