"""The engine through its door: determinism, voices, clicks, aliasing, levels."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.engine import DELAY, TICK, Engine
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.performance.events import Event
from tests.engines import (
    RATE,
    click_db,
    cloud,
    edit,
    material_of,
    move,
    play,
    program_of,
    sine,
    strongest_hz,
)

TONE = material_of(sine(440.0, 4.0))
NOISE = material_of(np.random.default_rng(3).normal(0, 0.1, (2 * RATE, 2)))


def lively(**more: float):
    """A program in which every kind of chance is at work."""
    settings = {
        "position_scatter": 20, "pitch_scatter": 300, "stereo_scatter": 80, "level_scatter": 9,
        "regularity": 10, "direction": 40, "size": 60, "density": 60, "attack": 20, "release": 80,
        "drift": 0.7, **more,
    }  # fmt: skip
    return program_of(cloud(**settings), NOISE)


EVENTS = [
    Event("on", 1, 60.0, 0.9, 0),
    Event("on", 2, 67.0, 0.5, 1_111),
    Event("bend", 1, value=1.5, time=2_000),
    Event("slide", 2, value=0.7, time=3_500),
    Event("off", 1, time=5_000),
    Event("pressure", 2, value=0.4, time=6_000),
]


@given(st.lists(st.integers(0, 1_500), min_size=1, max_size=25))
def test_samples_do_not_depend_on_how_calls_are_cut(cuts):
    whole = Engine(lively()).render(sum(cuts), EVENTS)
    engine = Engine(lively())
    parts = []
    at = 0
    for cut in cuts:
        due = [event for event in EVENTS if at <= event.time < at + cut]
        parts.append(engine.render(cut, due))
        at += cut
    np.testing.assert_array_equal(np.concatenate(parts), whole)


def test_same_seed_gives_same_samples_and_another_seed_others():
    first = play(lively(), 0.3, EVENTS)
    np.testing.assert_array_equal(first, play(lively(), 0.3, EVENTS))
    document = cloud(position_scatter=20, whole={"seed": 2})
    other = play(program_of(document, NOISE), 0.3, EVENTS)
    assert np.abs(first - other).max() > 1e-3


def test_every_note_rolls_its_own_dice():
    one = play(lively(), 0.3, [Event("on", 1, 60.0, 0.9, 0)])
    engine = Engine(lively())
    engine.render(RATE, [Event("on", 1, 60.0, 0.9, 0), Event("panic", time=TICK)])
    again = engine.render(round(0.3 * RATE), [Event("on", 2, 60.0, 0.9, engine.now)])
    assert np.abs(one - again).max() > 1e-3


def test_events_land_on_the_next_tick():
    program = program_of(cloud(attack=1), TONE)
    on_tick = play(program, 0.1, [Event("on", 1, 69.0, 1.0, TICK)])
    between = play(program, 0.1, [Event("on", 1, 69.0, 1.0, 1)])
    np.testing.assert_array_equal(on_tick, between)
    assert not on_tick[: TICK + DELAY].any()


def test_zero_frames_and_silence():
    engine = Engine(program_of(cloud(), TONE))
    assert engine.render(0).shape == (0, 2)
    assert not engine.render(1_000).any()
    assert engine.silent()


@pytest.mark.parametrize("key", [57.0, 69.0, 74.5])
def test_a_cloud_sounds_at_the_key_over_its_root(key):
    program = program_of(cloud(size=2_000, density=1), TONE)
    sound = play(program, 2.0, [Event("on", 1, key, 1.0)])
    expected = 440.0 * 2 ** ((key - 69.0) / 12)
    cents = 1200 * np.log2(strongest_hz(sound[9_600:, 0]) / expected)
    assert abs(cents) < 3


def test_the_reference_pitch_moves_every_key():
    document = cloud(size=2_000, density=1, whole={"tuning": 432})
    sound = play(program_of(document, TONE), 2.0, [Event("on", 1, 69.0, 1.0)])
    assert strongest_hz(sound[9_600:, 0]) == pytest.approx(432.0, abs=0.7)


def test_the_reference_pitch_is_heard_while_it_is_dragged():
    engine = Engine(program_of(cloud(size=2_000, density=1), TONE))
    engine.render(4_800, [Event("on", 1, 69.0, 1.0)])
    move(engine, "instrument", "tuning", 415.0)
    assert strongest_hz(engine.render(RATE)[:, 0]) == pytest.approx(415.0, abs=1.5)


def test_a_sound_without_root_plays_as_recorded_at_c4():
    program = program_of(cloud(root=None, size=2_000, density=1), TONE)
    sound = play(program, 2.0, [Event("on", 1, 60.0, 1.0)])
    assert strongest_hz(sound[9_600:, 0]) == pytest.approx(440.0, abs=0.7)


def test_bend_moves_a_sounding_grain():
    program = program_of(cloud(size=2_000, density=0.5), TONE)
    events = [Event("on", 1, 69.0, 1.0), Event("bend", 1, value=12.0, time=RATE // 2)]
    sound = play(program, 1.0, events)
    assert strongest_hz(sound[5_000 : RATE // 2, 0]) == pytest.approx(440, abs=4)
    assert strongest_hz(sound[RATE // 2 + 500 :, 0]) == pytest.approx(880, abs=4)


@pytest.mark.parametrize("hz", [700.0, 1_000.0, 2_500.0, 5_000.0, 11_000.0])
@pytest.mark.parametrize("semitones", [36.0, 35.0, 31.3])
def test_pitching_up_three_octaves_does_not_alias(hz, semitones):
    """What belongs above 24 kHz must vanish, and nothing may fold back within 60 dB.

    Measured against a rendering at the recording's own pitch, whose level the tone keeps.
    """
    material = material_of(sine(hz, 4.0))
    plain = program_of(cloud(size=2_000, density=0.5, pitch=0), material)
    raised = program_of(cloud(size=2_000, density=0.5), material)
    tone_power = _power(play(plain, 1.0, [Event("on", 1, 69.0, 1.0)])).max()
    events = [Event("on", 1, 69.0, 1.0), Event("bend", 1, value=semitones, time=0)]
    # four seconds of recording last half a second at eight times its speed
    power = _power(play(raised, 0.4, events))
    target = hz * 2 ** (semitones / 12)
    bins = np.fft.rfftfreq(2 * (len(power) - 1), 1 / RATE)
    elsewhere = np.abs(bins - target) > 400
    assert power[elsewhere].max() < tone_power * 1e-6


def _power(sound: np.ndarray) -> np.ndarray:
    """Power spectrum of the middle of a sound; a window with side lobes below -90 dB."""
    middle = sound[len(sound) // 5 : len(sound) * 4 // 5, 0]
    return np.abs(np.fft.rfft(middle * np.blackman(len(middle)) ** 2) / len(middle)) ** 2


def test_pitch_down_of_a_96_khz_recording_brings_its_top_octave_down():
    material = material_of(sine(30_000.0, 2.0, rate=96_000), rate=96_000)
    sound = play(
        program_of(cloud(size=1_000, density=1), material), 1.0, [Event("on", 1, 57.0, 1.0)]
    )
    assert strongest_hz(sound[9_600:, 0]) == pytest.approx(15_000, abs=5)
    assert np.abs(sound[9_600:]).max() > 0.1


LOW = material_of(sine(110.0, 4.0))
INAUDIBLE_DB = -60.0


def low_cloud(**settings: float):
    return program_of(cloud(root=45.0, whole={"level": -12}, **settings), LOW)


def test_the_measure_of_clicks_hears_one():
    sound = np.repeat(sine(110.0, 1.0)[:, None], 2, axis=1)
    assert click_db(sound) < -90
    sound[20_100:] *= 0.9
    assert click_db(sound) > INAUDIBLE_DB + 10


def test_no_click_at_start_release_or_grain_edge():
    events = [Event("on", 1, 45.0, 1.0), Event("off", 1, time=RATE)]
    sound = play(low_cloud(size=80, density=30, attack=10, release=20), 1.5, events)
    assert click_db(sound) < INAUDIBLE_DB


def test_grain_edges_do_not_click_even_without_softness():
    program = low_cloud(size=50, density=8, softness=0, attack=10)
    assert click_db(play(program, 1.0, [Event("on", 1, 45.0, 1.0)])) < -45


def test_no_click_when_a_voice_is_stolen_or_silenced():
    document = cloud(root=45.0, size=400, density=8, attack=10, whole={"voices": 1, "level": -12})
    events = [Event("on", i, 45.0, 1.0, i * 9_600) for i in range(1, 5)]
    sound = play(program_of(document, LOW), 1.2, [*events, Event("panic", time=50_000)])
    assert click_db(sound) < INAUDIBLE_DB
    assert np.abs(sound[50_000 + 1_000 :]).max() == 0.0


@pytest.mark.parametrize(
    "parameter", ["level", "pan", "density", "size", "position", "softness", "pitch", "drift"]
)
def test_no_click_while_a_rule_is_dragged(parameter):
    declared = next(p for p in LAYER_KINDS["cloud"].declared if p.id == parameter)
    low, high = {"level": (-24, 0), "pitch": (-12, 12), "size": (60, 2_000)}.get(
        parameter, (declared.low, declared.high)
    )
    engine = Engine(low_cloud(size=120, density=25, attack=20))
    engine.render(RATE // 2, [Event("on", 1, 45.0, 1.0)])
    dragged = []
    for share in np.concatenate([np.linspace(0.1, 0.9, 40), np.linspace(0.9, 0.1, 40)]):
        move(engine, "l1", parameter, low + share * (high - low))
        dragged.append(engine.render(512))
    assert click_db(np.concatenate(dragged)) < INAUDIBLE_DB


def test_a_chord_of_24_stays_below_the_ceiling_and_says_so():
    loud = material_of(sine(440.0, 4.0, level=1.0))
    engine = Engine(program_of(cloud(size=500, density=20, whole={"level": 6}), loud))
    sound = engine.render(RATE, [Event("on", i, 50.0 + i, 1.0) for i in range(24)])
    assert engine.sounding() == 24
    assert np.abs(sound).max() <= 10 ** (-1 / 20)
    assert engine.held_down_db() < -3
    assert np.abs(sound[RATE // 2 :]).max() > 0.5


def test_a_quiet_note_passes_the_ceiling_untouched():
    engine = Engine(program_of(cloud(size=2_000, density=0.5, attack=1), TONE))
    engine.render(RATE // 2, [Event("on", 1, 69.0, 1.0)])
    assert engine.held_down_db() == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize("limit", [1, 4, 24])
def test_the_oldest_note_gives_way(limit):
    engine = Engine(program_of(cloud(whole={"voices": limit}), TONE))
    engine.render(RATE // 4, [Event("on", i, 60.0, 1.0, i * 64) for i in range(limit + 3)])
    assert engine.sounding() == limit
    living = engine.section.voices.records["note"][engine.section.voices.records["state"] == 1]
    assert sorted(living) == list(range(3, limit + 3))


def test_lowering_the_voices_lets_the_oldest_go():
    engine = Engine(program_of(cloud(), TONE))
    engine.render(RATE // 4, [Event("on", i, 60.0, 1.0, i * 64) for i in range(10)])
    move(engine, "instrument", "voices", 3)
    engine.render(RATE // 10)
    assert engine.sounding() == 3


def test_hold_keeps_released_notes_until_it_is_let_go():
    engine = Engine(program_of(cloud(release=30), TONE))
    engine.render(4_800, [Event("on", 1, 60.0, 1.0), Event("hold", value=1, time=64)])
    engine.render(RATE, [Event("off", 1, time=engine.now)])
    assert engine.sounding() == 1
    engine.render(RATE // 2, [Event("hold", value=0, time=engine.now)])
    assert engine.sounding() == 0


def test_an_off_for_an_unknown_note_does_nothing():
    engine = Engine(program_of(cloud(), TONE))
    engine.render(1_000, [Event("on", 1, 60.0, 1.0), Event("off", 99, time=64)])
    assert engine.sounding() == 1


def test_more_notes_than_slots_within_one_fade():
    engine = Engine(program_of(cloud(whole={"voices": 64}), TONE))
    sound = engine.render(RATE // 10, [Event("on", i, 60.0, 1.0, 0) for i in range(400)])
    assert engine.sounding() == 64
    assert np.isfinite(sound).all()


def test_settings_are_adopted_while_notes_sound_and_sounds_are_not():
    engine = Engine(program_of(cloud(), TONE))
    engine.render(4_800, [Event("on", 1, 60.0, 1.0)])
    edit(engine, program_of(cloud(level=-20), TONE))
    assert engine.sounding() == 1
    engine.render(RATE // 4)
    assert np.abs(engine.render(RATE // 10)).max() < 0.1
    edit(engine, program_of(cloud(attack=1), NOISE))
    assert engine.sounding() == 1
    swapped = engine.render(RATE // 2)[RATE // 4 :, 0]
    # noise holds no single strongest tone
    assert np.abs(np.fft.rfft(swapped)).max() < 0.1 * np.abs(np.fft.rfft(swapped)).sum()


def test_a_look_shows_where_grains_are():
    engine = Engine(program_of(cloud(position=75, size=200, density=40), TONE))
    engine.render(RATE // 2, [Event("on", 1, 69.0, 1.0)])
    look = engine.look()[0]
    assert look["heads"] == [[pytest.approx(0.75), 0, pytest.approx(1.0)]]
    assert 4 <= len(look["grains"]) <= 12
    for place, age, pan, level, _ in look["grains"]:
        assert place == pytest.approx(0.75, abs=0.06)
        assert 0 <= age <= 1
        assert pan == pytest.approx(0, abs=1e-6)
        assert 0 < level <= 1
