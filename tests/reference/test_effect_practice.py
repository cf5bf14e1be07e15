"""What practitioners do with effects, rendered and measured: common practice of the trade."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.dsp.partitioned import partitioned
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.materials.response import ResponseRequest
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from tests.engines import click_db, layered
from tests.streams import noise

SINE = {"kind": "wave", "shape": "sine", "level": -12, "attack": 5}


def response_of(path: str):
    """A response of its own to each sound: noise that falls, another for each name."""
    falls = np.exp(-6 * np.arange(RATE) / RATE)[:, None]
    return partitioned((noise(1.0, 0.05, seed=sum(path.encode())) * falls).astype(np.float32))


MATERIALS = HeldMaterials(answers={ResponseRequest: lambda asked: response_of(asked.stretch.path)})


def engine_of(document: Instrument) -> Engine:
    return Engine(compile_program(document, MATERIALS), limited=False)


def played(document: Instrument, seconds: float, *events, key: float = 57.0) -> np.ndarray:
    note = Event("on", 1, key, 1.0)
    return engine_of(document).render(round(seconds * RATE), [note, *events])


def with_chain(document: Instrument, *effects: dict, layer: int | None = None) -> Instrument:
    plain = document.model_dump(mode="json")
    (plain if layer is None else plain["layers"][layer])["effects"] = list(effects)
    return parse_instrument(plain)


def effect(id_: str, kind: str, sound: str | None = None, **settings: float | str) -> dict:
    made = {"id": id_, "kind": kind, "settings": settings}
    return made | ({} if sound is None else {"sound": {"path": sound}})


def routed(source: str, target: str, parameter: str, depth: float) -> dict:
    return {"source": source, "target": target, "parameter": parameter, "depth": depth}


def test_a_reverb_only_on_the_tail():
    """The mix of a room is moved by a shape that starts at 0: the strike stays dry, to the bit."""
    shape = {"kind": "shape", "time": 1_000, "points": [[0, 0, 0], [0.3, 0, 0], [1, 1, 0]]}
    plain = layered(SINE, modulators=[shape]).model_dump(mode="json")
    plain["effects"] = [effect("e1", "room", mix=0)]
    plain["routes"] = [{"id": "r1", **routed("m:m1", "e1", "mix", 100)}]
    dry = played(layered(SINE), 2.0)
    wet = played(parse_instrument(plain), 2.0)
    np.testing.assert_allclose(wet[: RATE // 4], dry[: RATE // 4], atol=1e-6)
    assert np.abs(wet[-RATE // 4 :] - dry[-RATE // 4 :]).max() > 0.2 * np.abs(dry).max()


def test_an_echo_that_pressure_brings_from_20_to_80_percent():
    plain = layered({**SINE, "attack": 1, "decay": 30, "sustain": 0}).model_dump(mode="json")
    plain["effects"] = [effect("e1", "echo", time=250, feedback=0, mix=20)]
    plain["routes"] = [{"id": "r1", **routed("pressure", "e1", "mix", 60)}]
    document = parse_instrument(plain)
    soft = played(document, 0.5)
    hard = played(document, 0.5, Event("pressure", 1, value=1.0, time=960))
    first, second = (slice(round(a * RATE), round(b * RATE)) for a, b in ((0.1, 0.24), (0.25, 0.4)))
    # the struck tone has gone: what is there is the echo, four times as much of it
    assert np.abs(soft[first]).max() < 1e-3
    assert np.abs(hard[second]).max() / np.abs(soft[second]).max() == pytest.approx(4.0, rel=0.02)


def test_a_low_sine_that_passes_all_effects_is_bit_equal_in_its_path():
    """A second layer is heard through everything; what is left without it is the sine alone."""
    low, high = {**SINE, "octave": -2, "effects": "past"}, {**SINE, "octave": 1}
    chain = [effect("e1", "embed", "rain.wav", wet=0), effect("e2", "room"), effect("e3", "bands")]
    # what is late in the chain holds the sine back as much: it is brought in step, not changed
    alone = played(layered(low), 1.0)
    muted = with_chain(layered(low, {**high, "mute": "on"}), *chain)
    np.testing.assert_array_equal(played(muted, 1.0), alone)
    both = played(with_chain(layered(low, high), *chain), 1.0)
    others = played(with_chain(layered({**low, "mute": "on"}, high), *chain), 1.0)
    np.testing.assert_allclose(both - others, alone, atol=1e-6)


def test_two_embeddings_and_a_hall_in_parallel_with_the_dry_on_each_layer():
    """Effects beside one another take the same stream: together they are the sum of each alone."""

    def chain(*wet: str) -> list[dict]:
        made = {
            "rain": effect("e1", "embed", "rain.wav", wet=-6, dry=-60),
            "iron": effect("e2", "embed", "iron.wav", wet=-9, dry=-60),
            "hall": effect("e3", "room", mix=100, size=40),
            "dry": effect("e4", "stereo"),
        }
        chosen = [made[name] for name in wet]
        for one in chosen[1:]:
            one["settings"]["beside"] = 100
        return chosen

    names = ("rain", "iron", "hall", "dry")
    for layer in (0, 1):
        document = layered(SINE, {**SINE, "octave": 1, "level": -60})
        whole = played(with_chain(document, *chain(*names), layer=layer), 0.6)
        each = [played(with_chain(document, *chain(name), layer=layer), 0.6) for name in names]
        other = played(document, 0.6)
        if layer == 0:
            np.testing.assert_allclose(whole, sum(each), atol=3e-6)
            assert np.abs(whole - other).max() > 0.05 * np.abs(other).max()
        else:
            # the layer below is heard once in the whole, and once in each
            np.testing.assert_allclose(whole - other, sum(one - other for one in each), atol=1e-5)


def test_another_sound_to_embed_crosses_over_without_a_click():
    plain = layered({**SINE, "attack": 60}).model_dump(mode="json")

    def program(sound: str):
        chain = [effect("e1", "embed", sound, wet=-6)]
        return compile_program(parse_instrument({**plain, "effects": chain}), MATERIALS)

    engine = Engine(program("rain.wav"), limited=False)
    edits = [
        EditProgram(program(name), time)
        for name, time in (("iron.wav", 24_000), ("reed.wav", 31_000))
    ]
    sound = engine.render(RATE, [Event("on", 1, 45.0, 1.0), *edits])
    assert click_db(sound[4_800:]) < -60


def test_of_ten_minutes_ten_seconds_are_embedded_and_less_is_taken_whole():
    request = ResponseRequest(Stretch(path="x.wav"))
    ten_minutes = np.tile(noise(10.0), (60, 1))
    made = request.samples(ten_minutes, RATE)
    assert made is not None
    assert made.shape[0] == 10 * RATE
    assert np.isfinite(made).all()


def test_feedback_above_one_is_bounded_by_the_limiter_of_the_whole():
    document = with_chain(layered(SINE), effect("e1", "echo", time=60, feedback=110, mix=100))
    engine = Engine(compile_program(document, MATERIALS))
    sound = engine.render(12 * RATE, [Event("on", 1, 57.0, 1.0)])
    assert np.isfinite(sound).all()
    # the ceiling of the whole: -1 dBTP
    assert np.abs(sound).max() <= 10 ** (-1 / 20) + 1e-4


def test_an_effect_that_is_gone_takes_what_moves_it_along_and_the_sound_goes_on():
    plain = layered({**SINE, "attack": 60}).model_dump(mode="json")
    plain["effects"] = [effect("e1", "stereo")]
    plain["routes"] = [{"id": "r1", **routed("pressure", "e1", "width", 50)}]
    engine = engine_of(parse_instrument(plain))
    without = {**plain, "effects": [], "routes": []}
    edit = EditProgram(compile_program(parse_instrument(without), MATERIALS), 24_000)
    late = [Event("pressure", 1, value=1.0, time=30_000), SetParameter("e1", "width", 0, 31_000)]
    sound = engine.render(RATE, [Event("on", 1, 45.0, 1.0), edit, *late])
    assert click_db(sound[4_800:]) < -60
    assert np.abs(sound[-4_800:]).max() > 0.05
