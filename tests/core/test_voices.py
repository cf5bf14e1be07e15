"""Voices: modes, priority, glide, stacks, pedals, and what picks which sound."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.engine import TICK, Engine
from innerbloom.core.engine.voices import playable_notes
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.performance.events import Event
from tests.engines import (
    RATE,
    edit,
    layered,
    material_of,
    move,
    program_of,
    sine,
)

TONE = material_of(sine(440.0, 2.0))
LOW, HIGH, THIRD = (material_of(sine(hz, 2.0)) for hz in (200.0, 400.0, 800.0))
WAVE = {"kind": "wave"}


def engine_of(*layers, **more):
    return Engine(program_of(layered(*(layers or (WAVE,)), **more), TONE))


def living(engine, field="key"):
    engine.sounding()
    return sorted(engine.section.voices.records[field][engine.section.voices.living()].tolist())


def pitch(engine) -> float:
    return float(engine.section.voices.records["pitch"][engine.section.voices.living()][0])


@pytest.mark.parametrize("members", [1, 2, 3, 4])
def test_24_voices_leave_24_12_8_6_notes(members):
    """Common practice: 24 voices are 12 notes of 2, 8 of 3, 6 of 4."""
    assert playable_notes(24, members) == {1: 24, 2: 12, 3: 8, 4: 6}[members]
    engine = engine_of(stack=members, voices=24)
    engine.render(RATE // 10, [Event("on", i, 30.0 + i, 1.0, i * TICK) for i in range(30)])
    assert len(set(living(engine))) == playable_notes(24, members)
    assert engine.sounding() == 24


@pytest.mark.parametrize(
    ("priority", "keys"), [("last", [60, 55, 64]), ("low", [60, 55, 55]), ("high", [60, 60, 64])]
)
def test_one_key_sounds_by_priority(priority, keys):
    engine = engine_of(mode="mono", priority=priority)
    heard = []
    for number, key in enumerate((60.0, 55.0, 64.0)):
        engine.render(4 * TICK, [Event("on", number, key, 1.0, engine.now)])
        heard.append(living(engine)[0])
    assert heard == keys
    assert engine.sounding() == 1


def test_letting_a_key_go_returns_to_one_still_down():
    engine = engine_of(mode="legato")
    for number, key in enumerate((60.0, 64.0, 67.0)):
        engine.render(TICK, [Event("on", number, key, 1.0, engine.now)])
    for number, expected in ((2, 64.0), (1, 60.0)):
        engine.render(TICK, [Event("off", number, time=engine.now)])
        assert living(engine) == [expected]
    engine.render(RATE // 2, [Event("off", 0, time=engine.now)])
    assert engine.sounding() == 0


@pytest.mark.parametrize(("mode", "restarts"), [("legato", False), ("mono", True)])
def test_envelopes_restart_only_when_all_keys_were_up_in_legato(mode, restarts):
    engine = engine_of({**WAVE, "attack": 400, "attack_curve": 0, "release": 300}, mode=mode)
    engine.render(RATE // 5, [Event("on", 1, 60.0, 1.0)])
    before = float(engine.section.slots.layers[0]["envelope"]["level"].max())
    assert before == pytest.approx(0.5, abs=0.02)
    engine.render(TICK, [Event("on", 2, 64.0, 1.0, engine.now)])
    shape = engine.section.slots.layers[0]["envelope"]
    progress = float(shape["progress"].max())
    # a fresh attack begins from where the level is, so it is never a step
    assert (progress < 0.05) == restarts
    assert float(shape["level"].max()) == pytest.approx(before, abs=0.03)
    engine.render(RATE // 10, [Event("off", n, time=engine.now) for n in (1, 2)])
    engine.render(TICK, [Event("on", 3, 62.0, 1.0, engine.now)])
    assert float(engine.section.slots.layers[0]["envelope"]["progress"].max()) < 0.05


@pytest.mark.parametrize("milliseconds", [10, 120, 1_000])
def test_a_glide_by_time_lasts_as_long_as_set(milliseconds):
    """Within a tick, whatever the interval."""
    for interval in (1.0, 24.0):
        engine = engine_of(mode="legato", glide="by time", glide_time=milliseconds)
        engine.render(TICK, [Event("on", 1, 48.0, 1.0)])
        engine.render(0, [Event("on", 2, 48.0 + interval, 1.0, engine.now)])
        ticks = 0
        while pitch(engine) != 48.0 + interval or ticks == 0:
            engine.render(TICK)
            ticks += 1
        assert ticks * TICK / RATE * 1000 == pytest.approx(milliseconds, abs=1000 * TICK / RATE)


def test_a_glide_by_rate_moves_at_its_rate():
    engine = engine_of(glide="by rate", glide_rate=24, glide_when="always", voices=1)
    engine.render(RATE // 10, [Event("on", 1, 48.0, 1.0), Event("off", 1, time=TICK)])
    engine.render(RATE // 2, [Event("on", 2, 72.0, 1.0, engine.now)])
    assert pitch(engine) == pytest.approx(60.0, abs=24 * 2 * TICK / RATE)


def test_glides_only_when_legato_if_so_set():
    engine = engine_of(glide="by time", glide_when="when legato")
    engine.render(RATE // 10, [Event("on", 1, 48.0, 1.0), Event("off", 1, time=TICK)])
    engine.render(TICK, [Event("on", 2, 72.0, 1.0, engine.now)])
    assert 72.0 in living(engine, "pitch")


def test_sostenuto_keeps_only_the_keys_that_were_down():
    engine = engine_of()
    engine.render(TICK, [Event("on", 1, 60.0, 1.0)])
    engine.render(TICK, [Event("sostenuto", value=1.0, time=engine.now)])
    engine.render(TICK, [Event("on", 2, 64.0, 1.0, engine.now)])
    engine.render(RATE // 4, [Event("off", n, time=engine.now) for n in (1, 2)])
    assert living(engine) == [60.0]
    engine.render(RATE // 4, [Event("sostenuto", value=0.0, time=engine.now)])
    assert engine.sounding() == 0


def test_members_differ_as_they_are_told():
    stack = [{}, {"pitch": 12, "attack": 1, "pan": -100}]
    engine = engine_of(
        {**WAVE, "attack": 100, "attack_curve": 0}, stack=stack, unison_detune=0, unison_spread=0
    )
    engine.render(RATE // 20, [Event("on", 1, 57.0, 1.0)])
    levels = engine.section.slots.layers[0]["envelope"]["level"][engine.section.voices.living()]
    assert levels == pytest.approx([0.5, 0.25], abs=0.03)
    sound = engine.render(RATE)
    left, right = (np.abs(np.fft.rfft(sound[:, side])) for side in (0, 1))
    # the octave is in the left channel alone
    assert left[440] > 100 * right[440]
    assert right[220] > 0.5 * left[220]


# -- choosing --------------------------------------------------------------------


def many(**settings):
    sounds = [{"path": f"{n}.wav", "root": 60} for n in range(3)]
    picks = settings.pop("picks", [])
    document = layered(
        {"kind": "loop", "loop": "off", "sounds": sounds, "picks": picks, **settings}
    )
    return Engine(program_of(document, LOW, HIGH, THIRD))


def picked(engine, key=60.0, velocity=1.0):
    engine.render(TICK, [Event("on", engine.now + 1, key, velocity, engine.now)])
    newest = int(engine.section.voices.records["serial"].argmax())
    return int(engine.section.slots.zones[0, newest]["first"])


def test_in_turn_goes_round():
    engine = many(choose="in turn")
    assert [picked(engine) for _ in range(7)] == [0, 1, 2, 0, 1, 2, 0]


def test_chance_never_repeats_at_once_and_keeps_its_weights():
    engine = many(choose="chance", picks=[{"weight": 1}, {"weight": 1}, {"weight": 6}])
    found = [picked(engine) for _ in range(400)]
    assert all(one != other for one, other in pairwise(found))
    assert set(found) == {0, 1, 2}
    # without repeats the heavy one can have at most every other note; it comes close
    assert 0.40 < found.count(2) / len(found) <= 0.5


def test_ranges_pick_by_key_and_by_velocity():
    by_key = [{"key_high": 50}, {"key_low": 51, "key_high": 70}, {"key_low": 71}]
    engine = many(picks=by_key)
    assert [picked(engine, key) for key in (30.0, 51.0, 90.0)] == [0, 1, 2]
    by_velocity = [{"velocity_high": 40}, {"velocity_low": 41, "velocity_high": 90},
                   {"velocity_low": 91}]  # fmt: skip
    engine = many(picks=by_velocity)
    assert [picked(engine, 60.0, v / 127) for v in (10, 60, 120)] == [0, 1, 2]


def test_crossfaded_borders_blend_at_equal_power():
    picks = [{"key_high": 69}, {"key_low": 60}, {"key_low": 127}]
    engine = many(picks=picks, borders="crossfaded")
    levels = []
    for key in (55.0, 60.0, 64.0, 69.0, 75.0):
        engine = many(picks=picks, borders="crossfaded", tracking="fixed")
        sound = engine.render(RATE, [Event("on", 1, key, 1.0)])[RATE // 2 :, 0]
        spectrum = np.abs(np.fft.rfft(sound)) / len(sound)
        levels.append((spectrum[100], spectrum[200]))
    low, high = np.array(levels).T
    assert (np.diff(low) <= 1e-6).all()
    assert (np.diff(high) >= -1e-6).all()
    power = low**2 + high**2
    assert power.max() / power.min() < 1.02


def test_a_control_moves_between_sounds_while_they_sound():
    """Slide picks: low, middle, high, as on an expressive pad."""
    sounds = [{"path": f"{n}.wav", "root": 60} for n in range(3)]
    document = layered(
        {"kind": "loop", "sounds": sounds, "choose": "control", "borders": "crossfaded",
         "loop_start": 0, "loop_length": 500, "tracking": "fixed"},
        routes=[{"source": "slide", "parameter": "choice", "depth": 100}],
    )  # fmt: skip
    engine = Engine(program_of(document, LOW, HIGH, THIRD))
    engine.render(RATE // 4, [Event("on", 1, 60.0, 1.0)])
    for slide, hz in ((0.0, 200), (0.5, 400), (1.0, 800), (0.0, 200)):
        engine.render(RATE // 4, [Event("slide", 1, value=slide, time=engine.now)])
        spectrum = np.abs(np.fft.rfft(engine.render(RATE)[:, 0]))
        assert int(spectrum.argmax()) == hz


def test_every_grain_may_pick_anew():
    sounds = [{"path": f"{n}.wav", "root": 60} for n in range(3)]
    document = layered({"kind": "cloud", "sounds": sounds, "choose": "chance",
                        "pick": "each grain", "density": 40, "size": 100})  # fmt: skip
    engine = Engine(program_of(document, LOW, HIGH, THIRD))
    engine.render(RATE // 2, [Event("on", 1, 60.0, 1.0)])
    assert {row[4] for row in engine.look()[0]["grains"]} == {0.0, 1.0, 2.0}


def test_ranges_of_layers_decide_which_sound():
    engine = engine_of({**WAVE, "key_high": 59}, {**WAVE, "key_low": 60, "velocity_low": 64})
    engine.render(TICK, [Event("on", 1, 40.0, 1.0)])
    assert [len(layer["heads"]) for layer in engine.look()] == [1, 0]
    engine.render(TICK, [Event("on", 2, 70.0, 1.0, engine.now)])
    assert [len(layer["heads"]) for layer in engine.look()] == [1, 1]
    engine.render(TICK, [Event("on", 3, 70.0, 0.2, engine.now)])
    assert [len(layer["heads"]) for layer in engine.look()] == [1, 1]


# -- layers coming and going --------------------------------------------------------


def test_a_layer_removed_while_it_sounds_fades_and_the_others_go_on():
    from tests.engines import click_db

    two = layered({**WAVE, "octave": -2, "attack": 20}, {**WAVE, "octave": -1, "attack": 20})
    engine = Engine(program_of(two, TONE))
    before = engine.render(RATE // 2, [Event("on", 1, 69.0, 1.0)])
    one = two.model_copy(deep=True)
    del one.layers[0]
    edit(engine, program_of(one, TONE))
    after = engine.render(RATE // 2)
    assert click_db(np.concatenate((before, after))[4_800:]) < -60
    spectrum = np.abs(np.fft.rfft(after[RATE // 10 :, 0]))
    at = np.fft.rfftfreq(len(after) - RATE // 10, 1 / RATE)
    assert at[spectrum.argmax()] == pytest.approx(220.0, abs=2)
    assert spectrum[np.abs(at - 110) < 4].max() < 1e-3 * spectrum.max()


def test_a_layer_added_joins_the_keys_that_are_down():
    one = layered({**WAVE, "octave": -2})
    engine = Engine(program_of(one, TONE))
    engine.render(RATE // 4, [Event("on", 1, 69.0, 1.0)])
    edit(engine, program_of(layered({**WAVE, "octave": -2}, {**WAVE, "octave": 0}), TONE))
    engine.render(RATE // 10)
    assert [len(layer["heads"]) for layer in engine.look()] == [1, 1]


def test_an_edit_leaves_eased_routes_where_they_are():
    """A finger held still must not be heard again each time a rule is let go."""
    eased = {"source": "slide", "parameter": "position", "depth": 60, "rise": 400, "fall": 400}
    more = {"source": "wheel", "parameter": "pan", "depth": 10}
    layer = {"kind": "cloud", "position": 20}
    engine = Engine(program_of(layered(layer, routes=[eased]), TONE))
    engine.render(3 * RATE, [Event("on", 1, 60.0, 1.0), Event("slide", 1, value=1.0)])
    assert engine.look()[0]["heads"][0][0] == pytest.approx(0.8, abs=0.01)
    for routes in ([eased], [eased, more]):
        edit(engine, program_of(layered(layer, routes=routes), TONE))
        engine.render(TICK)
        assert engine.look()[0]["heads"][0][0] == pytest.approx(0.8, abs=0.01)


def test_mute_and_solo_fade_and_a_muted_layer_still_moves_the_next():
    document = layered(WAVE, {**WAVE, "link": "phase", "link_amount": 2.0, "mute": "on"})
    engine = Engine(program_of(document, TONE))
    sound = engine.render(RATE, [Event("on", 1, 69.0, 1.0)])[RATE // 2 :, 0]
    spectrum = np.abs(np.fft.rfft(sound))
    assert spectrum[440] > 0.1 * spectrum.max()
    move(engine, "l1", "mute", "on")
    engine.render(RATE // 4)
    assert np.abs(engine.render(RATE // 10)).max() < 1e-4
    move(engine, "l1", "solo", "on")
    engine.render(RATE // 4)
    assert np.abs(engine.render(RATE // 10)).max() > 0.1


# -- one engine, however it is cut ----------------------------------------------------

EVERYTHING = (
    {"kind": "wave", "shape": "saw", "filter": "24 dB", "drive": 12, "loudness_hold": "on"},
    {"kind": "loop", "link": "phase", "link_amount": 1.5, "loop_length": 30, "bits": 9},
    {"kind": "cloud", "link": "rate", "link_amount": 0.3, "motion": "path", "filter": "12 dB"},
    {"kind": "noise", "link": "phase", "link_amount": 0.5, "colour": "pink"},
)
ROUTES = [
    {"source": "slide", "target": "l2", "parameter": "loop_length", "depth": 2.0, "rise": 30},
    {"source": "tone_envelope", "target": "l1", "parameter": "cutoff", "depth": 3.0},
    {"source": "random", "target": "l3", "parameter": "position", "depth": 40.0},
    {"source": "wheel", "target": "l1", "parameter": "pan", "depth": 100.0, "fall": 50},
]


def everything():
    return program_of(
        layered(*EVERYTHING, routes=ROUTES, stack=2, glide="by time", glide_when="always"), TONE
    )


def performance():
    events = [Event("on", i, 40.0 + 7 * i, 0.3 + 0.1 * i, 700 * i) for i in range(6)]
    events += [Event("slide", 2, value=v / 20, time=2_000 + 90 * v) for v in range(20)]
    events += [Event("control", 1, value=0.7, time=5_000), Event("hold", value=1, time=6_000)]
    return [*events, *(Event("off", i, time=7_000 + 100 * i) for i in range(6))]


WHOLE = Engine(everything()).render(12_000, performance())


@settings(max_examples=8, deadline=None)
@given(st.lists(st.integers(0, 3_000), min_size=1, max_size=12), st.sampled_from([1, 2]))
def test_samples_are_the_same_in_any_grouping_on_one_core_or_two(cuts, cores):
    engine = Engine(everything(), cores=cores)
    engine.render(0, performance())
    parts = [engine.render(cut) for cut in cuts]
    parts.append(engine.render(max(0, 12_000 - sum(cuts))))
    np.testing.assert_array_equal(np.concatenate(parts)[:12_000], WHOLE)
    assert np.isfinite(WHOLE).all()
    assert np.abs(WHOLE).max() > 0.05


def test_128_notes_at_once_stay_finite_and_below_the_ceiling():
    engine = Engine(everything())
    sound = engine.render(RATE // 4, [Event("on", i, float(i), 1.0) for i in range(128)])
    assert np.isfinite(sound).all()
    assert np.abs(sound).max() <= 10 ** (-1 / 20)
    assert engine.sounding() == 24


@pytest.mark.parametrize("parameter", ["loop_start", "loop_length", "start"])
@pytest.mark.parametrize("value", ["low", "high"])
def test_loops_beyond_the_end_are_held_inside(parameter, value):
    declared = next(one for one in LAYER_KINDS["loop"].declared if one.id == parameter)
    document = layered({"kind": "loop", "loop_start": 100, parameter: getattr(declared, value)})
    sound = Engine(program_of(document, TONE)).render(RATE // 2, [Event("on", 1, 100.0, 1.0)])
    assert np.isfinite(sound).all()
