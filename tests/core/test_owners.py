"""Owners: all that has settings is found in one way, and all of it can be moved and routed to."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.engine import Engine
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.owners import owner_of, owners_of
from innerbloom.core.performance.events import Event, SetParameter
from tests.engines import RATE, layered, program_of, strongest_hz

WHEEL = Event("control", 1, value=1.0)


def everything():
    """A document with an owner of every role."""
    plain = layered(
        {"kind": "wave"}, {"kind": "noise"}, modulators=[{"kind": "lfo"}],
        routes=[{"source": "m:m1", "parameter": "pan", "depth": 10.0}],
    ).model_dump(mode="json")  # fmt: skip
    plain["buses"] = [{"id": "b1", "name": "Bus", "effects": [{"id": "e2", "kind": "colour"}]}]
    plain["layers"][0]["sends"] = [{"id": "s1", "to": "b1"}]
    plain["layers"][1]["effects"] = [{"id": "e1", "kind": "colour"}]
    plain["effects"] = [{"id": "e3", "kind": "colour"}]
    return parse_instrument(plain)


def test_every_role_is_found_under_its_id_with_a_path_into_the_document():
    document = everything()
    plain, found = document.model_dump(mode="json"), owners_of(document)
    roles = {one.id: one.role for one in found.values()}
    assert roles == {
        "instrument": "instrument", "l1": "layer", "l2": "layer", "m1": "modulator", "r0": "route",
        "s1": "send", "b1": "bus", "e1": "effect", "e2": "effect", "e3": "effect",
    }  # fmt: skip
    assert {one.id: one.within for one in found.values() if one.role == "effect"} == {
        "e1": "l2", "e2": "b1", "e3": "instrument",
    }  # fmt: skip
    for owner in found.values():
        at = plain
        for part in owner.settings_path.split("/")[1:]:
            at = at[int(part)] if isinstance(at, list) else at[part]
        for declared in owner.declared:
            assert at[declared.id] == owner.value(declared.id)
    assert owner_of(document, "nobody") is None


def test_each_parameter_of_each_owner_is_set_by_one_event():
    document = everything()
    engine = Engine(program_of(document))
    events = []
    for owner in owners_of(document).values():
        for declared in owner.declared:
            options = getattr(declared, "options", None)
            other = options[-1] if options else declared.high
            if declared.id == "routes":
                # with these off, what depths are set to is kept, and none of it counts
                other = "on"
            events.append(SetParameter(owner.id, declared.id, other))
    engine.render(RATE // 4, events)
    for event in events:
        declared = owner_of(document, event.owner).parameter(event.parameter)
        options = getattr(declared, "options", None)
        expected = options.index(event.value) if options else event.value
        assert engine.section.setting(event.owner, event.parameter) == expected


def heard(document, events, frames=RATE):
    return Engine(program_of(document), limited=False).render(frames, events)


def routed(parameter: str, depth: float, *layers, **whole):
    route = {"source": "wheel", "target": "instrument", "parameter": parameter, "depth": depth}
    return layered(*(layers or ({"kind": "wave"},)), routes=[route], **whole)


def test_a_route_moves_the_level_of_the_instrument():
    document = routed("level", -12.0)
    loud = heard(document, [Event("on", 1, 57.0, 1.0)])[RATE // 2 :]
    quiet = heard(document, [Event("on", 1, 57.0, 1.0), WHEEL])[RATE // 2 :]
    assert np.abs(quiet).max() / np.abs(loud).max() == pytest.approx(10 ** (-12 / 20), rel=1e-3)


def test_a_route_moves_the_reference_pitch():
    document = routed("tuning", 30.0)
    sound = heard(document, [Event("on", 1, 69.0, 1.0), WHEEL], 2 * RATE)
    assert strongest_hz(sound[RATE // 2 :, 0]) == pytest.approx(470.0, abs=1.0)


def test_a_route_moves_the_time_of_a_glide_that_begins_then():
    """From A3 to A4 in 20 ms, or in 820: half a second on, one has come and one has not."""
    document = routed(
        "glide_time", np.log2(41), glide="by time", glide_when="always", glide_time=20
    )
    events = [Event("on", 1, 57.0, 1.0), Event("off", 1, time=4_800), Event("on", 2, 69.0, 1.0, 9_600)]  # fmt: skip
    half = (slice(9_600 + RATE // 2, 9_600 + RATE // 2 + 4_800), 0)
    assert strongest_hz(heard(document, events)[half]) == pytest.approx(440, abs=4)
    slow = strongest_hz(heard(document, [WHEEL, *events])[half])
    assert 290 < slow < 400


def test_a_route_moves_the_tempo_of_what_counts_in_beats():
    """An LFO of a beat at 60, and at 120 beats a minute: twice as many turns."""
    route = {"source": "wheel", "target": "instrument", "parameter": "tempo", "depth": 60.0}
    swing = {"source": "m:m1", "target": "l1", "parameter": "level", "depth": 20.0}
    lfo = {"kind": "lfo", "wave": "pulse", "clock": "beats", "beats": 1}
    document = layered({"kind": "wave"}, modulators=[lfo], routes=[route, swing], tempo=60)
    turns = [
        _turns(heard(document, [Event("on", 1, 57.0, 1.0), *more], 8 * RATE))
        for more in ((), (WHEEL,))
    ]
    assert turns[1] == pytest.approx(2 * turns[0], abs=1)


def _turns(sound: np.ndarray) -> int:
    """How often it goes from quiet to loud."""
    level = np.abs(sound[:, 0]).reshape(-1, 960).max(axis=1)
    loud = level > np.sqrt(level.max() * level[level > 0].min())
    return int((loud[1:] & ~loud[:-1]).sum())
