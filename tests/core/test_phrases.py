"""Phrases: chords that are held become patterns, which land where the beats are."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.engine import Engine
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.phrase import Phrase
from innerbloom.core.performance.phrase_settings import PhraseSettings
from tests.engines import RATE, layered, program_of

CHORD = [60.0, 64.0, 67.0]
SIXTEENTH = 6_000
"""Frames at 120 beats a minute: 48,000 * 60 / 120 / 4."""


def held(keys=CHORD, at=0):
    return [Event("on", n, key, 0.8, at) for n, key in enumerate(keys, 1)]


def played(phrase, events, seconds=2.0):
    return phrase.play(events, round(seconds * RATE))


def struck(made):
    return [(one.time, one.key) for one in made if one.kind == "on"]


def keys_of(pattern, keys=CHORD, seconds=2.0, **more):
    made = played(Phrase(PhraseSettings(pattern=pattern, **more), 120.0), held(keys), seconds)
    return [key for _, key in struck(made)]


# -- where notes land ------------------------------------------------------------------


def test_sixteenths_at_120_are_6000_frames_apart_for_ten_minutes():
    made = played(Phrase(PhraseSettings(pattern="up"), 120.0), held(), 600.0)
    assert [time for time, _ in struck(made)] == [SIXTEENTH * n for n in range(4_800)]


def test_in_the_engine_each_note_begins_on_the_tick_at_or_after_it():
    phrase = Phrase(PhraseSettings(pattern="up", gate=50), 97.0)
    engine, seen = Engine(program_of(layered({"kind": "wave"}))), []
    engine.taps.append(lambda event, now: seen.append((event, now)))
    for _ in range(200):
        events = phrase.play(held() if engine.now == 0 else (), engine.now + 256)
        engine.render(256, events)
    for event, now in seen:
        assert now == -(-event.time // 64) * 64
    assert len([one for one, _ in seen if one.kind == "on"]) > 5


@pytest.mark.parametrize("swing", [50.0, 60.0, 66.0, 75.0])
def test_swing_moves_every_second_step_within_its_pair(swing):
    made = played(Phrase(PhraseSettings(pattern="up", swing=swing), 120.0), held())
    times = np.array([time for time, _ in struck(made)])
    assert np.array_equal(times[::2], 2 * SIXTEENTH * np.arange(len(times[::2])))
    assert np.array_equal(times[1::2] - times[::2], [round(2 * SIXTEENTH * swing / 100)] * 8)


@pytest.mark.parametrize("gate", [1.0, 50.0, 100.0, 180.0])
def test_the_gate_is_a_share_of_the_step(gate):
    made = played(Phrase(PhraseSettings(pattern="up", gate=gate), 120.0), held())
    on = {one.note: one.time for one in made if one.kind == "on"}
    lengths = {one.time - on[one.note] for one in made if one.kind == "off"}
    assert lengths == {round(SIXTEENTH * gate / 100)}


def test_a_rate_in_hz_heeds_no_tempo():
    settings_ = PhraseSettings(pattern="trill", counted="in Hz", rate=25.0)
    made = played(Phrase(settings_, 77.0), held(CHORD[:2]))
    assert [time for time, _ in struck(made)] == [1_920 * n for n in range(50)]


def test_a_tempo_that_changes_moves_what_comes_and_not_what_was():
    phrase = Phrase(PhraseSettings(pattern="up"), 120.0)
    made = phrase.play(held(), 2 * SIXTEENTH + 3_000)
    phrase.set_tempo(60.0, 2 * SIXTEENTH + 3_000)
    made += phrase.play([], 10 * SIXTEENTH)
    times = [time for time, _ in struck(made)]
    # half of a step is left, which now lasts as long again
    assert times[:5] == [0, 6_000, 12_000, 21_000, 33_000]


def test_on_the_beat_the_pattern_waits():
    phrase = Phrase(PhraseSettings(pattern="up", begins="on the beat"), 120.0)
    assert struck(played(phrase, held(at=1_000)))[0][0] == 24_000


@settings(max_examples=40, deadline=None)
@given(st.lists(st.integers(1, 9_000), min_size=1, max_size=30), st.integers(0, 9),
       st.sampled_from(["up", "random", "trill", "as played"]))  # fmt: skip
def test_however_time_is_cut_the_notes_are_the_same(cuts, seed, pattern):
    events = [*held(), Event("on", 9, 72.0, 0.5, 20_000), Event("off", 1, time=31_000)]
    setting = PhraseSettings(pattern=pattern, chance=70, gate=130, octaves=2)
    end = sum(cuts)
    whole = Phrase(setting, 133.0, seed=seed).play([e for e in events if e.time < end], end)
    phrase, made, now = Phrase(setting, 133.0, seed=seed), [], 0
    for cut in cuts:
        due = [one for one in events if now <= one.time < now + cut]
        made += phrase.play(due, now + cut)
        now += cut
    assert made == whole
    assert [one.time for one in made] == sorted(one.time for one in made)


# -- in which order ----------------------------------------------------------------------


def test_patterns_go_through_the_keys_in_their_order():
    mixed = [64.0, 60.0, 67.0]
    assert keys_of("up", mixed)[:6] == [60.0, 64.0, 67.0] * 2
    assert keys_of("down", mixed)[:6] == [67.0, 64.0, 60.0] * 2
    assert keys_of("up and down", mixed)[:8] == [60.0, 64.0, 67.0, 64.0] * 2
    assert keys_of("as played", mixed)[:6] == mixed * 2
    assert keys_of("trill", mixed)[:8] == [64.0, 60.0, 64.0, 67.0] * 2
    assert keys_of("up", [60.0], octaves=3)[:6] == [60.0, 72.0, 84.0] * 2
    assert keys_of("down", [60.0, 61.0], octaves=2)[:4] == [73.0, 72.0, 61.0, 60.0]
    # no key beyond the keyboard
    assert max(keys_of("up", [120.0], octaves=4)) == 120.0


def test_random_repeats_no_key_and_comes_to_all_alike():
    keys = keys_of("random", seconds=300.0)
    assert all(a != b for a, b in itertools.pairwise(keys))
    counts = np.array([keys.count(key) for key in CHORD])
    # a thinned chi-square: 2,400 draws of three
    assert np.abs(counts - len(keys) / 3).max() < 4 * np.sqrt(len(keys) * 2 / 9)


@pytest.mark.parametrize("chance", [0.0, 25.0, 60.0, 100.0])
def test_chance_is_how_many_steps_sound_and_is_seeded(chance):
    def once(seed):
        setting = PhraseSettings(pattern="up", chance=chance)
        return struck(played(Phrase(setting, 120.0, seed=seed), held(), 300.0))

    wanted = 2_400 * chance / 100
    assert abs(len(once(1)) - wanted) <= 4 * np.sqrt(2_400 * chance / 100 * (1 - chance / 100))
    assert once(1) == once(1)
    if 0 < chance < 100:
        assert once(1) != once(2)


def test_sixty_four_keys_are_a_pattern_too():
    keys = [float(key) for key in range(30, 94)]
    assert keys_of("up", keys, 8.0)[:64] == keys


# -- hands -------------------------------------------------------------------------------


def test_letting_all_go_ends_it_and_every_note_that_began_ends():
    events = [*held(), *(Event("off", n, time=20_000) for n in (1, 2, 3))]
    made = played(Phrase(PhraseSettings(pattern="up", gate=200), 120.0), events)
    assert {one.note for one in made if one.kind == "on"} == {
        one.note for one in made if one.kind == "off"
    }
    assert max(one.time for one in made) == 20_000


def test_held_by_the_pedal_it_goes_on_until_another_chord_comes():
    events = [Event("hold", value=1.0), *held(), *(Event("off", n, time=9_000) for n in (1, 2, 3)),
              Event("on", 8, 40.0, 0.8, 30_500), Event("hold", value=0.0, time=60_000),
              Event("off", 8, time=61_000)]  # fmt: skip
    times_and_keys = struck(played(Phrase(PhraseSettings(pattern="up"), 120.0), events))
    assert [key for time, key in times_and_keys if time < 30_500] == [60.0, 64.0, 67.0] * 2
    assert {key for time, key in times_and_keys if time > 30_500} == {40.0}
    assert times_and_keys[-1][0] == 60_000


def test_what_a_finger_does_on_a_key_is_done_to_its_notes():
    phrase = Phrase(PhraseSettings(pattern="up", gate=100), 120.0)
    made = played(phrase, [*held(), Event("pressure", 2, value=0.7, time=7_000)])
    note = next(one.note for one in made if one.kind == "on" and one.time == 6_000)
    touched = [one for one in made if one.kind == "pressure"]
    assert [(one.note, one.value) for one in touched] == [(note, 0.7)]


def test_off_lets_everything_pass_and_switching_off_ends_what_sounds():
    events = [*held(), Event("control", 1, value=0.5, time=100), Event("off", 1, time=200)]
    assert played(Phrase(), events) == events
    phrase = Phrase(PhraseSettings(pattern="up"), 120.0)
    made = phrase.play(held(), 1_000)
    ended = phrase.configure(PhraseSettings(), 1_000)
    assert [one.note for one in ended] == [one.note for one in made]
    assert phrase.play([], 48_000) == []


def test_a_new_pace_goes_on_from_where_the_pattern_is():
    phrase = Phrase(PhraseSettings(pattern="up"), 120.0)
    made = phrase.play(held(), 13_000)
    phrase.configure(PhraseSettings(pattern="up", step=0.5), 13_000)
    made += phrase.play([], 60_000)
    assert struck(made)[2:5] == [(12_000, 67.0), (25_000, 60.0), (37_000, 64.0)]


def test_panic_is_silence():
    made = played(Phrase(PhraseSettings(pattern="up"), 120.0),
                  [*held(), Event("panic", time=14_000)])  # fmt: skip
    assert max(one.time for one in made) == 14_000
    assert "panic" in {one.kind for one in made}


def test_a_fast_trill_keeps_its_level():
    document = layered({"kind": "wave", "shape": "triangle", "attack": 4, "release": 60})
    phrase = Phrase(PhraseSettings(pattern="trill", counted="in Hz", rate=25.0, gate=90), 120.0)
    events = phrase.play(held([57.0, 60.0]), 4 * RATE)
    sound = Engine(program_of(document)).render(4 * RATE, events)[RATE // 2 :]
    # over a whole turn of the trill at a time
    power = np.mean(sound.astype(float) ** 2, axis=1)[: len(sound) // 3_840 * 3_840]
    levels = 10 * np.log10(power.reshape(-1, 3_840).mean(axis=1))
    assert np.ptp(levels) < 0.5
