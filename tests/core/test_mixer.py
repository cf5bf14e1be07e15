"""The mixer: outputs, sends, shared buses, chains of effects, and bringing paths together."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.deliver.again import played_again, stems_of
from innerbloom.core.deliver.render import expected_frames
from innerbloom.core.engine import TICK, Engine
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event, Renew, SetParameter
from innerbloom.core.performance.take import EditDocument, Take
from tests.effects import LAG, trial_effects
from tests.engines import RATE, click_db, layered, program_of

NOTE = Event("on", 1, 57.0, 1.0)
HALF = 20 * np.log10(0.5)


@pytest.fixture(autouse=True)
def effects():
    with trial_effects():
        yield


def effect(id_: str, kind: str = "gain", **settings):
    return {"id": id_, "kind": kind, "settings": settings}


def mixed(layers=({},), *, buses=(), effects=(), routes=()):
    """Saws at -12 dB; of each layer its ``effects``, ``output`` and ``sends`` as given."""
    given = [
        {"kind": "wave", "level": -12, **layer.get("settings", {}), "octave": number}
        for number, layer in enumerate(layers)
    ]
    plain = layered(*given).model_dump(mode="json")
    plain["routes"] = [{"id": f"r{number}", **route} for number, route in enumerate(routes)]
    for layer, one in zip(layers, plain["layers"], strict=True):
        one["effects"] = list(layer.get("effects", ()))
        one["output"] = layer.get("output", "main")
        one["sends"] = [
            {"id": f"s{number}", "to": to, "settings": settings}
            for number, (to, settings) in enumerate(layer.get("sends", ()))
        ]
    plain["buses"] = [{"id": id_, "name": id_, "effects": list(fx)} for id_, *fx in buses]
    plain["effects"] = list(effects)
    return parse_instrument(plain)


def heard(document, frames: int = 9_600, events=(NOTE,)) -> np.ndarray:
    return Engine(program_of(document), limited=False).render(frames, events)


PLAIN = mixed()


def test_an_effect_works_among_inserts_on_a_shared_bus_and_on_the_main_bus_alike():
    half = effect("e1", factor=0.5)
    quiet = 0.5 * heard(PLAIN)
    for document in (
        mixed([{"effects": [half]}]),
        mixed([{"output": "b1"}], buses=[("b1", half)]),
        mixed(effects=[half]),
    ):
        np.testing.assert_allclose(heard(document), quiet, atol=1e-7)


def test_effects_come_one_after_another_and_before_the_level_of_their_stream():
    document = mixed([{"effects": [effect("e1", factor=2.0), effect("e2", factor=0.25)]}])
    np.testing.assert_allclose(heard(document), 0.5 * heard(PLAIN), atol=1e-7)


def test_past_all_effects_is_bit_for_bit_what_it_would_be_without_any():
    half = effect("e1", factor=0.5)
    layer = {"settings": {"effects": "past"}, "output": "b1", "sends": [("b1", {"level": 0})]}
    past = heard(mixed([layer], buses=[("b1", half)], effects=[effect("e2", factor=0.1)]))
    np.testing.assert_array_equal(past, heard(PLAIN))


@pytest.mark.parametrize(
    ("tap", "gain"), [("after the level", 0.25), ("before the level", 0.5 * 10 ** (12 / 20))]
)
def test_a_send_takes_a_share_after_or_before_the_level(tap, gain):
    layer = {"sends": [("b1", {"level": HALF, "tap": tap})]}
    # what came straight is silenced on the main bus's side by turning it over and adding it
    both = heard(mixed([layer], buses=[("b1", effect("e1", factor=0.5 if "after" in tap else 1))]))
    plain = heard(PLAIN)
    sent = (both - plain)[RATE // 20 :]
    np.testing.assert_allclose(sent, gain * plain[RATE // 20 :], atol=2e-4)


def test_a_bus_at_its_lowest_level_is_silent():
    document = mixed([{"output": "b1"}], buses=[("b1",)])
    document.buses[0].settings.level = -60
    assert not heard(document).any()


def test_paths_of_unlike_latency_come_together_at_the_output():
    """Two layers, one of them late, sound as both late by as much; so does a late bus."""
    late = effect("e1", "late")
    both = heard(mixed([{}, {}]))
    for document in (
        mixed([{"effects": [late]}, {}]),
        mixed([{}, {"output": "b1"}], buses=[("b1", late), ("b2",)]),
        mixed([{"settings": {"effects": "past"}}, {}], effects=[late]),
    ):
        engine = Engine(program_of(document), limited=False)
        assert engine.latency == LAG
        np.testing.assert_allclose(engine.render(9_600, [NOTE])[LAG:], both[:-LAG], atol=1e-6)


def test_latency_and_tail_count_for_how_long_a_render_takes_and_for_silence():
    document = mixed([{"effects": [effect("e1", "late"), effect("e2", "late")]}])
    program = program_of(document)
    events = [NOTE, Event("off", 1, time=4_800)]
    plain = expected_frames(program_of(PLAIN), events)
    assert expected_frames(program, events) >= plain + 2 * LAG
    engine = Engine(program, limited=False)
    assert engine.tail_s() == pytest.approx(2 * LAG / RATE)
    engine.render(4_800, events)
    while engine.sounding():
        assert not engine.silent()
        engine.render(TICK)
    assert not engine.silent()
    last = engine.render(2 * LAG + TICK)
    assert last.any()
    assert engine.silent()
    assert not engine.render(4_800).any()


def test_an_effect_goes_off_and_on_without_a_click():
    sine = mixed([{"settings": {"shape": "sine"}, "effects": [effect("e1", factor=0.2)]}])
    engine = Engine(program_of(sine), limited=False)
    events = [NOTE, SetParameter("e1", "on", "off", 9_600), SetParameter("e1", "on", "on", 19_200)]
    sound = engine.render(28_800, events)
    assert click_db(sound[2_400:]) < -70
    loud = np.abs(sound).reshape(-1, 960, 2).max(axis=(1, 2))
    assert loud[15] == pytest.approx(5 * loud[8], rel=0.01)
    assert loud[-1] == pytest.approx(loud[8], rel=0.01)


def test_an_effect_that_is_off_when_the_sound_begins_is_never_heard():
    off = mixed([{"effects": [effect("e1", factor=3.0, on="off")]}])
    np.testing.assert_array_equal(heard(off), heard(PLAIN))


@pytest.mark.parametrize(
    "after",
    [
        mixed([{"settings": {"shape": "sine"}}]),
        mixed([{"settings": {"shape": "sine"}, "output": "b1"}], buses=[("b1",)]),
    ],
    ids=["gone", "elsewhere"],
)
def test_an_edit_of_the_mixer_neither_clicks_nor_stops_what_sounds(after):
    sine = mixed([{"settings": {"shape": "sine"}, "effects": [effect("e1", factor=0.5)]}])
    engine = Engine(program_of(sine), limited=False)
    sound = engine.render(19_200, [NOTE, EditProgram(program_of(after), 9_600)])
    assert click_db(sound[2_400:]) < -60
    assert engine.sounding() == 1
    assert np.abs(sound[-4_800:]).max() == pytest.approx(2 * np.abs(sound[4_800:9_600]).max(), 1e-3)


def test_a_bus_that_is_taken_away_fades_out_and_its_layers_go_to_the_main_bus():
    before = mixed([{"settings": {"shape": "sine"}, "output": "b1"}], buses=[("b1",)])
    engine = Engine(program_of(before), limited=False)
    after = program_of(mixed([{"settings": {"shape": "sine"}}]))
    sound = engine.render(19_200, [NOTE, EditProgram(after, 9_600)])
    assert click_db(sound[2_400:]) < -70
    # no dip while one way opens and the other closes
    peaks = np.abs(sound[2_400:]).reshape(-1, 480, 2).max(axis=(1, 2))
    np.testing.assert_allclose(peaks, peaks[0], rtol=0.01)


def test_routes_move_effects_sends_and_buses():
    """The wheel moves each; what they pass follows."""
    routes = [
        {"source": "wheel", "parameter": "factor", "depth": -0.5, "target": "e1"},
        {"source": "wheel", "parameter": "level", "depth": HALF, "target": "b1"},
    ]
    document = mixed([{"effects": [effect("e1")], "output": "b1"}], buses=[("b1",)], routes=routes)
    wheel = Event("control", 1, value=1.0)
    moved = heard(document, events=[wheel, NOTE])
    np.testing.assert_allclose(moved[4_800:], 0.25 * heard(PLAIN)[4_800:], atol=1e-5)


def test_an_effect_that_is_off_lets_the_stream_pass_as_late_as_it_would_come_out():
    """So that it stays in step with streams beside it, and switching makes no jump in time."""
    off = effect("e1", "late", on="off")
    both = heard(mixed([{}, {}]))
    engine = Engine(program_of(mixed([{"effects": [off]}, {}])), limited=False)
    assert engine.latency == LAG
    np.testing.assert_allclose(engine.render(9_600, [NOTE])[LAG:], both[:-LAG], atol=1e-6)
    sine = mixed([{"settings": {"shape": "sine", "attack": 40}, "effects": [effect("e1", "late")]}])
    engine = Engine(program_of(sine), limited=False)
    events = [NOTE, SetParameter("e1", "on", "off", 9_600), SetParameter("e1", "on", "on", 19_200)]
    sound = engine.render(28_800, events)
    assert click_db(sound[4_800:]) < -70


def test_a_stream_that_waits_for_a_slower_one_is_heard_to_its_last_sample():
    """What lies in the delay is not lost when its voices have ended."""
    document = mixed([{"effects": [effect("e1", "late")]}, {}])
    events = [NOTE, Event("off", 1, time=4_800)]
    engine = Engine(program_of(document), limited=False)
    # a tick at a time, so that the last of it waits longer than a call
    made = np.concatenate([engine.render(TICK, events if at == 0 else ()) for at in range(150)])
    plain = heard(mixed([{}, {}]), events=events)
    np.testing.assert_allclose(made[LAG:], plain[:-LAG], atol=1e-6)


def test_an_effect_set_beside_the_one_before_comes_in_without_a_click():
    sine = mixed(effects=[effect("e1", factor=0.2), effect("e2", factor=3.0)])
    sine.layers[0].settings.shape = "sine"
    events = [
        NOTE,
        SetParameter("e2", "beside", 100, 9_600),
        SetParameter("e2", "beside", 0, 19_200),
    ]
    sound = Engine(program_of(sine), limited=False).render(28_800, events)
    assert click_db(sound[2_400:]) < -60
    loud = np.abs(sound).reshape(-1, 960, 2).max(axis=(1, 2))
    # 0.2 and 3 one after another, then added to each other
    assert loud[18] / loud[8] == pytest.approx(3.2 / 0.6, rel=0.02)


HALL = effect("e9", "gain", factor=0.3)
SHARED = (
    [
        {"effects": [effect("e1", factor=0.5)]},
        {"sends": [("hall", {"level": -9, "tap": "before the level"}), ("air", {})]},
        {"output": "air"},
        {"settings": {"effects": "past"}, "output": "hall"},
    ],
    [("hall", HALL), ("air", effect("e8", factor=0.7))],
)


@pytest.mark.parametrize(
    ("layers", "buses"), [SHARED, ([{}, {}], []), ([{"output": "hall"}], [("hall", HALL)])]
)
def test_stems_of_a_take_add_up_to_the_whole(layers, buses):
    """Through an edit, a moved control and a silence after which all begins anew (*common practice*)."""
    plain = mixed(layers, buses=buses).model_dump(mode="json")
    events = (
        NOTE,
        SetParameter("l1", "level", -20.0, 4_800),
        EditDocument(plain | {"name": "edited"}, 9_600),
        Event("panic", 0, 60.0, 0.0, 14_400),
        Renew(5, 28_800),
        Event("on", 2, 64.0, 0.7, 28_800),
    )
    take = Take(plain, events=events, frames=38_400)
    ways = stems_of(plain)
    *stems, whole = (np.concatenate(list(played_again(take, way, HeldMaterials()))) for way in ways)
    assert ways[-1].same
    assert np.abs(whole).max() > 0.01
    assert np.abs(np.sum(stems, axis=0) - whole).max() < 1e-6
    # none is there in vain, before the silence and after it
    assert all(np.abs(part).max() > 1e-4 for one in stems for part in (one[:14_400], one[28_800:]))
