"""What holds for every kind of effect, whatever it is set to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.dsp.partitioned import partitioned
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS
from innerbloom.core.effects.compressor import LookAhead
from innerbloom.core.engine import Engine
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from tests.engines import click_db, layered, program_of
from tests.streams import Around, noise, through, tone

KINDS = list(EFFECT_KINDS)
RESPONSE = partitioned(noise(0.4, 0.05, seed=3) * np.linspace(1, 0, 19_200)[:, None])
MADE = {
    "embed": RESPONSE, "resonator": np.array([180.0, 320.0, 911.0]), "compressor": LookAhead(70),
}  # fmt: skip
ENDLESS = {"freeze", "hold"}
"""What lets an effect go on for ever: not moved where it has to end."""


def any_setting(one: Parameter | Choice) -> st.SearchStrategy[float | str]:
    if isinstance(one, Choice):
        return st.sampled_from(one.options)
    if one.whole_number:
        return st.integers(int(one.low), int(one.high))
    return st.one_of(
        st.sampled_from([one.low, one.high, one.default]),
        st.floats(one.low, one.high, allow_nan=False),
    )


@st.composite
def any_settings(draw, kind: str) -> dict[str, float | str]:
    declared = list(EFFECT_KINDS[kind].parameters)
    moved = draw(st.lists(st.sampled_from(declared), max_size=6, unique_by=lambda one: one.id))
    return {one.id: draw(any_setting(one)) for one in moved}


SOUND = np.concatenate((noise(0.15, 0.3), np.zeros((2_048, 2), np.float32), tone(110, 0.1, 0.9)))


@pytest.mark.parametrize("kind", KINDS)
@given(data=st.data())
@settings(max_examples=12, deadline=None)
def test_any_settings_give_the_same_finite_bounded_samples_however_time_is_cut(kind, data):
    chosen = data.draw(any_settings(kind))
    cuts = data.draw(st.lists(st.integers(1, 4), min_size=1, max_size=5))
    made = MADE.get(kind)
    whole = through(kind, SOUND, made=made, around=Around(first=5), **chosen)
    assert np.isfinite(whole).all()
    assert np.abs(whole).max() < 300
    np.testing.assert_array_equal(
        through(kind, SOUND, made=made, cuts=cuts, around=Around(first=5), **chosen), whole
    )


@pytest.mark.parametrize("low", [10, 300])
@pytest.mark.parametrize("high", [5, 150])
def test_a_large_room_that_dies_away_at_once_stays_finite(low, high):
    """A pass then takes away thousands of dB; found by the test above."""
    whole = through("room", SOUND, size=60, decay=20, low=low, high=high, mix=100)
    assert np.isfinite(whole).all()
    assert np.abs(whole).max() < 4.0


@pytest.mark.parametrize("kind", KINDS)
@given(data=st.data())
@settings(max_examples=3, deadline=None)
def test_a_copy_goes_on_as_the_effect_itself(kind, data):
    chosen = dict(data.draw(any_settings(kind)).items())
    effect = EFFECT_KINDS[kind].make(MADE.get(kind))
    through(effect, SOUND, of=kind, **chosen)
    other, first = effect.copied(), len(SOUND) // TICK
    one = through(effect, SOUND, of=kind, around=Around(first=first), **chosen)
    np.testing.assert_array_equal(
        through(other, SOUND, of=kind, around=Around(first=first), **chosen), one
    )


@pytest.mark.parametrize("kind", KINDS)
def test_once_it_has_rung_out_an_effect_sleeps_and_silence_stays_silence(kind):
    """Whatever lies below -140 dBFS is given up; nothing is left for a processor to labour at."""
    short = {"room": {"decay": 300}, "echo": {"feedback": 20, "time": 50},
             "resonator": {"decay": 200}, "hold": {"hold": 20}}  # fmt: skip
    effect = EFFECT_KINDS[kind].make(MADE.get(kind))
    sound = noise(0.2, 0.3)
    through(effect, sound, of=kind, **short.get(kind, {}))
    assert effect.ringing() or kind == "colour"
    ticks, silence = len(sound) // TICK, np.zeros((TICK, 2), np.float32)
    for tick in range(30 * RATE // TICK):
        if not effect.ringing():
            break
        last = through(
            effect,
            silence,
            of=kind,
            cuts=(1,),
            around=Around(first=ticks + tick),
            **short.get(kind, {}),
        )
    assert not effect.ringing()
    assert np.abs(last).max() < 1e-6
    after = through(effect, silence, of=kind, cuts=(1,), **short.get(kind, {}))
    assert not after.any()


def test_an_effect_that_sleeps_is_not_called():
    document = with_effect("echo", time=20, feedback=0)
    engine = Engine(program_of(document), limited=False)
    engine.render(RATE, [Event("on", 1, 57.0, 1.0), Event("off", 1, time=4_800)])
    while not engine.silent():
        engine.render(RATE // 4)
    assert engine.now < 12 * RATE
    assert not engine.render(RATE).any()


# -- played by an engine ----------------------------------------------------------------------------


def with_effect(kind: str, where: str = "main", **given: float | str):
    plain = layered({"kind": "wave", "level": -6, "shape": "sine", "attack": 60}).model_dump(
        mode="json"
    )
    effect = {"id": "e1", "kind": kind, "settings": given}
    (plain if where == "main" else plain["layers"][0])["effects"] = [effect]
    return parse_instrument(plain)


BUSY = {"drive", "bitcrush", "shift", "hold", "scatter", "harmonics"}
"""Kinds that make high frequencies of a low tone, by what they are for."""

DRAGGED = [
    (kind, one.id)
    for kind in KINDS
    if kind not in BUSY
    for one in EFFECT_KINDS[kind].declared
    if isinstance(one, Parameter) and one.movable and one.id[-1] not in "245678"
]


@pytest.mark.parametrize(("kind", "parameter"), DRAGGED)
def test_a_parameter_dragged_at_full_speed_does_not_click(kind, parameter):
    """From end to end and back in a third of a second, sixty moves a second, as a mouse does."""
    found = next(one for one in EFFECT_KINDS[kind].declared if one.id == parameter)
    bands = {"shape_1": "low cut", "shape_3": "bell", "gain_3": 12} if kind == "equaliser" else {}
    engine = Engine(program_of(with_effect(kind, **bands)), limited=False)
    events: list[object] = [Event("on", 1, 45.0, 1.0)]
    for number in range(20):
        share = abs((number / 10) % 2 - 1)
        value = found.low + share * (found.high - found.low)
        if found.scale == "log":
            value = found.low * (found.high / found.low) ** share
        value = min(max(round(value) if found.whole_number else value, found.low), found.high)
        events.append(SetParameter("e1", parameter, value, 9_600 + 800 * number))
    sound = engine.render(RATE * 3 // 5, events)
    assert np.isfinite(sound).all()
    assert click_db(sound[4_800:]) < -60


CHOSEN = [
    (kind, one.id, word)
    for kind in KINDS
    if kind not in BUSY
    for one in EFFECT_KINDS[kind].declared
    if isinstance(one, Choice) and one.id[-1] not in "2345678"
    for word in one.options
]


@pytest.mark.parametrize(("kind", "choice", "word"), CHOSEN)
def test_another_word_chosen_does_not_click(kind, choice, word):
    bands = {"shape_1": "low cut", "hz_1": 300} if kind == "equaliser" else {}
    engine = Engine(program_of(with_effect(kind, **bands)), limited=False)
    default = next(one.default for one in EFFECT_KINDS[kind].declared if one.id == choice)
    events = [Event("on", 1, 45.0, 1.0), SetParameter("e1", choice, word, 9_600),
              SetParameter("e1", choice, default, 14_400)]  # fmt: skip
    sound = engine.render(RATE // 2, events)
    assert click_db(sound[4_800:]) < -60


def played_through(*chains: list[dict], every: int = 9_600) -> np.ndarray:
    """A sine whose main chain is edited again and again while it sounds."""
    plain = with_effect("stereo").model_dump(mode="json")

    def program(effects: list[dict]):
        return program_of(parse_instrument({**plain, "effects": effects}))

    engine = Engine(program(chains[0]), limited=False)
    edits = [EditProgram(program(one), n * every) for n, one in enumerate(chains[1:], 1)]
    return engine.render(every * len(chains), [Event("on", 1, 45.0, 1.0), *edits])


@pytest.mark.parametrize("kind", [one for one in KINDS if one not in BUSY])
def test_adding_moving_and_taking_an_effect_away_does_not_click(kind):
    one, other = {"id": "e1", "kind": kind}, {"id": "e2", "kind": "stereo"}
    sound = played_through([other], [one, other], [other, one], [other])
    assert click_db(sound[4_800:]) < -60


@pytest.mark.parametrize("kind", sorted(BUSY))
def test_what_makes_highs_comes_and_goes_without_more_of_them(kind):
    """Against the same effect that stays: what it makes of a low tone is no click."""
    one = [{"id": "e1", "kind": kind}]
    stays = click_db(played_through(one, one, one)[4_800:])
    comes_and_goes = click_db(played_through([], one, [])[4_800:])
    assert comes_and_goes < max(-60.0, stays + 0.5)


@pytest.mark.parametrize("where", ["main", "layer"])
@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_works_in_a_chain_the_same_in_any_cutting(kind, where):
    document = with_effect(kind, where)
    events = [Event("on", 1, 57.0, 0.9), Event("off", 1, time=20_000)]
    whole = Engine(program_of(document), limited=False).render(RATE * 3 // 5, events)
    assert np.isfinite(whole).all()
    engine, parts, left, step = Engine(program_of(document), limited=False), [], RATE * 3 // 5, 0
    while left:
        frames = min(left, (77, 640, 1, 255, 1_024)[step % 5])
        parts.append(engine.render(frames, events if not parts else ()))
        left, step = left - frames, step + 1
    np.testing.assert_array_equal(np.concatenate(parts), whole)


@st.composite
def any_mix(draw) -> dict:
    """Two layers, a shared stream and the whole, with chains of any kinds set anyhow."""
    plain = layered(
        {"kind": "wave", "level": -6}, {"kind": "wave", "level": -9, "octave": -1}
    ).model_dump(mode="json")
    names = iter(f"e{n}" for n in range(40))
    kinds = [one for one in KINDS if EFFECT_KINDS[one].sound == "none"]

    def chain(most: int) -> list[dict]:
        chosen = draw(st.lists(st.sampled_from(kinds), max_size=most))
        return [
            {"id": next(names), "kind": kind, "settings": draw(any_settings(kind))}
            for kind in chosen
        ]

    for layer in plain["layers"]:
        layer["effects"] = chain(2)
        layer["sends"] = [{"id": f"s{layer['id']}", "to": "b1"}]
    plain["buses"] = [{"id": "b1", "name": "Shared", "effects": chain(2)}]
    plain["effects"] = chain(2)
    return plain


@given(plain=any_mix(), cuts=st.lists(st.integers(1, 900), min_size=1, max_size=5))
@settings(max_examples=12, deadline=None)
def test_any_mix_is_finite_and_the_same_in_any_cutting_and_on_two_cores(plain, cuts):
    program = program_of(parse_instrument(plain))
    events = [Event("on", n, 45.0 + 7 * n, 0.8) for n in range(3)]
    whole = Engine(program, limited=False).render(12_000, events)
    assert np.isfinite(whole).all()
    engine, parts, left = Engine(program, limited=False, cores=2), [], 12_000
    while left:
        frames = min(left, cuts[len(parts) % len(cuts)])
        parts.append(engine.render(frames, events if not parts else ()))
        left -= frames
    np.testing.assert_array_equal(np.concatenate(parts), whole)


def test_effects_beside_each_other_take_the_same_and_add_up():
    """Two rooms beside the dry stream: the sum of what each makes of it alone."""
    plain = layered({"kind": "wave", "level": -6}).model_dump(mode="json")

    def heard(*effects: dict) -> np.ndarray:
        plain["effects"] = [
            {"id": f"e{n}", "kind": kind, "settings": {**given}}
            for n, (kind, given) in enumerate(effects)
        ]
        program = program_of(parse_instrument(plain))
        return Engine(program, limited=False).render(RATE // 2, [Event("on", 1, 57.0, 1.0)])

    dry = heard(("stereo", {}))
    near, far = ("room", {"size": 2, "mix": 100}), ("room", {"size": 30, "mix": 100})
    both = heard(("stereo", {}), *((kind, {**given, "beside": 100}) for kind, given in (near, far)))
    np.testing.assert_allclose(both, dry + heard(near) + heard(far), atol=1e-5)


def test_what_is_late_and_stands_beside_comes_in_time():
    plain = layered({"kind": "wave", "level": -6, "shape": "sine", "attack": 60}).model_dump(
        mode="json"
    )
    still = {"drive": 0, "mix": 0}
    plain["effects"] = [{"id": "e1", "kind": "stereo", "settings": {}},
                        {"id": "e2", "kind": "drive", "settings": {**still, "beside": 100}}]  # fmt: skip
    engine = Engine(program_of(parse_instrument(plain)), limited=False)
    both = engine.render(RATE // 2, [Event("on", 1, 57.0, 1.0)])
    plain["effects"] = []
    alone = Engine(program_of(parse_instrument(plain)), limited=False)
    dry = alone.render(RATE // 2, [Event("on", 1, 57.0, 1.0)])
    late = engine.latency
    np.testing.assert_allclose(both[late:], 2 * dry[:-late], atol=1e-3)
