"""What the picture of an effect shows of what passes it: the chain's tap, its spectrum and noise floors."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.engine import BLOCK, TICK, Engine
from innerbloom.core.performance.events import EditProgram, Event, Renew
from innerbloom.live.effect_watch import EffectWatch
from innerbloom.live.messages import Watch
from innerbloom.live.mixing import SessionMixing
from innerbloom.live.running_spectrum import HIGHEST_HZ, LOWEST_HZ, RunningSpectrum
from tests.core.test_mixer import NOTE, effect, mixed
from tests.effects import trial_effects
from tests.engines import RATE, program_of
from tests.streams import noise, tone


@pytest.fixture(autouse=True)
def effects():
    with trial_effects():
        yield


class Kept:
    """A tap that keeps what it was shown."""

    def __init__(self):
        self.before: list[np.ndarray] = []
        self.after: list[np.ndarray] = []

    def __call__(self, before, after):
        self.before.append(before.copy())
        self.after.append(after.copy())


def watched(document, which: str, blocks: int = 20, events=(NOTE,), at=None):
    """What a tap was shown, block after block, and what was heard; ``at`` is done half-way."""
    engine, tap, sound = Engine(program_of(document), limited=False), Kept(), []
    for number in range(blocks):
        given = list(events) if number == 0 else []
        if number == blocks // 2 and at is not None:
            given.append(at(engine))
        engine.section.watch(which, tap)
        sound.append(engine.render(4 * TICK, given))
    return np.concatenate(tap.before), np.concatenate(tap.after), np.concatenate(sound)


@pytest.mark.parametrize("place", ["layer", "bus", "whole"])
def test_a_tap_is_shown_what_goes_in_and_what_comes_out_wherever_an_effect_stands(place):
    one = effect("e1", factor=0.5)
    document = {
        "layer": mixed([{"effects": [one]}]),
        "bus": mixed([{"output": "b1"}], buses=[("b1", one)]),
        "whole": mixed(effects=[one]),
    }[place]
    before, after, _ = watched(document, "e1")
    assert np.abs(before).max() > 0.01
    np.testing.assert_allclose(after, 0.5 * before, atol=1e-7)


def test_watching_changes_nothing_and_is_of_one_effect_only():
    document = mixed([{"effects": [effect("e1", factor=0.5), effect("e2", factor=0.25)]}])
    before, after, sound = watched(document, "e2")
    np.testing.assert_allclose(after, 0.25 * before, atol=1e-7)
    plain = Engine(program_of(document), limited=False)
    alone = np.concatenate([plain.render(4 * TICK, [NOTE] if n == 0 else []) for n in range(20)])
    np.testing.assert_array_equal(sound, alone)


def test_a_tap_lasts_through_an_edit_and_is_never_shown_what_fades_out_too():
    """The effect is replaced by another; the block in which that happens may be missed."""
    of = lambda kind: mixed([{"effects": [effect("e1", kind)]}])  # noqa: E731
    edit = lambda engine: EditProgram(program_of(of("late")), engine.now)  # noqa: E731
    before, _, sound = watched(of("gain"), "e1", at=edit)
    assert len(sound) - 4 * TICK <= len(before) <= len(sound)


def test_a_tap_lasts_through_a_silence_in_which_all_begins_anew():
    document = mixed([{"effects": [effect("e1", factor=0.5)]}])
    renew = lambda engine: Renew(engine.serial, engine.now)  # noqa: E731
    events = [NOTE, Event("off", 1, time=2 * TICK)]
    engine, tap = Engine(program_of(document), limited=False), Kept()
    for number in range(80):
        engine.section.watch("e1", tap)
        given = events if number == 0 else []
        if number == 60:
            assert engine.silent()
            given = [renew(engine), Event("on", 2, 57.0, 1.0, engine.now)]
        engine.render(4 * TICK, given)
    assert np.abs(tap.after[-1]).max() > 0.01


def test_nothing_is_shown_any_more_once_nothing_is_watched():
    engine, tap = Engine(program_of(mixed(effects=[effect("e1")])), limited=False), Kept()
    engine.section.watch("e1", tap)
    engine.render(4 * TICK, [NOTE])
    shown = len(tap.before)
    engine.section.watch(None, None)
    engine.render(4 * TICK)
    assert len(tap.before) == shown > 0


@pytest.mark.parametrize("place", ["plain", "with effects", "bus"])
def test_a_stream_is_shown_as_it_leaves_at_its_level_and_watching_changes_nothing(place):
    """One stream alone is what is heard, ahead of the limiter; a plain layer takes a shorter way."""
    one = effect("e1", factor=0.5)
    stream, document = {
        "plain": ("l1", mixed([{"settings": {"level": -9}}])),
        "with effects": ("l1", mixed([{"effects": [one]}])),
        "bus": ("b1", mixed([{"output": "b1"}], buses=[("b1", one)])),
    }[place]
    if place == "bus":
        document.buses[0].settings.level = -4
    engine, pieces, sound = Engine(program_of(document), limited=False), [], []
    for number in range(20):
        engine.section.watch_stream(stream, lambda piece: pieces.append(piece.copy()))
        sound.append(engine.render(4 * TICK, [NOTE] if number == 0 else []))
    heard = np.concatenate(sound)
    np.testing.assert_allclose(np.concatenate(pieces), heard, atol=1e-4)
    plain = Engine(program_of(document), limited=False)
    alone = [plain.render(4 * TICK, [NOTE] if number == 0 else []) for number in range(20)]
    np.testing.assert_array_equal(heard, np.concatenate(alone))


def test_only_the_stream_that_is_asked_for_is_shown_and_a_mute_silences_it():
    document = mixed([{}, {"settings": {"mute": "on"}}])
    shown = {}
    for stream in ("l1", "l2"):
        engine, pieces = Engine(program_of(document), limited=False), [np.zeros((1, 2))]
        for number in range(10):
            engine.section.watch_stream(stream, lambda piece, to=pieces: to.append(piece.copy()))
            engine.render(4 * TICK, [NOTE] if number == 0 else [])
        shown[stream] = np.abs(np.concatenate(pieces)).max()
    assert shown["l1"] > 0.01
    assert shown["l2"] == 0.0


def test_meters_of_a_stream_are_those_of_the_whole_that_it_alone_makes():
    engine = Engine(program_of(mixed([{}])), limited=False)
    mixing = SessionMixing()
    mixing.watch(Watch(do="watch", on=False, mix=True, stream="l1", effect=None))
    for number in range(800):
        mixing.begin_block(engine)
        mixing.end_block(engine.render(BLOCK, [NOTE] if number == 0 else []))
    seen = mixing.look(engine, None)
    for name, value in seen["meters"].items():
        assert seen["stream"]["meters"][name] == pytest.approx(value, abs=0.11), name
    assert seen["meters"]["integrated"] > -40
    assert seen["watched"] is None
    # what leaves nothing is silent, and what is no longer watched is not told
    mixing.watch(Watch(do="watch", on=False, mix=True, stream="l9"))
    for _ in range(10):
        mixing.begin_block(engine)
        mixing.end_block(engine.render(BLOCK))
    assert mixing.look(engine, None)["stream"]["meters"]["short_term"] < -90
    mixing.watch(Watch(do="watch", on=True))
    assert mixing.look(engine, None) is None


def blocks(sound: np.ndarray, by: float = 1.0, into: EffectWatch | None = None) -> EffectWatch:
    """A watch of an effect that changes the level alone."""
    watch = into or EffectWatch("e1")
    for at in range(0, len(sound) - 255, 256):
        piece = np.ascontiguousarray(sound[at : at + 256], np.float32)
        watch(piece, np.float32(by) * piece)
        watch.block(256)
    return watch


def test_the_floor_is_the_level_exceeded_nine_tenths_of_the_time():
    """ISO 1996-1, L90; of noise at -60 dBFS under strikes for a tenth of the time, in closed form."""
    floor = noise(8.0, 0.001)
    floor *= 10 ** (-60 / 20) / np.sqrt(np.mean(floor**2))
    struck = floor.copy()
    for second in range(8):
        struck[second * RATE : second * RATE + RATE // 10] += noise(0.1, 0.3)
    into, out = blocks(struck, by=10 ** (12 / 20)).look()["floors"]
    assert into == pytest.approx(-60, abs=0.5)
    assert out == pytest.approx(into + 12, abs=0.2)


def test_silence_has_no_floor_and_a_closed_gate_a_very_low_one():
    assert blocks(np.zeros((3 * RATE, 2))).look()["floors"] is None
    assert blocks(noise(0.5, 0.1)).look()["floors"] is None
    assert blocks(noise(3.0, 0.1), by=0.0).look()["floors"][1] == -120.0


def test_a_sine_stands_in_its_band_at_its_level_and_is_gone_when_nothing_comes():
    watch = blocks(tone(1_000.0, 1.0, 0.5))
    found = watch.look()
    strongest = int(np.argmax(found["spectrum"]))
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, len(found["spectrum"]) + 1)
    assert edges[strongest - 1] < 1_000 < edges[strongest + 2]
    # an RMS of 0.35, spread by the window over neighbours
    assert max(found["spectrum"]) == pytest.approx(20 * np.log10(0.5 / np.sqrt(2)), abs=1.5)
    for _ in range(40):
        watch.block(256)
    assert set(watch.look()["spectrum"]) == {-96}


def test_a_piece_longer_than_the_window_counts_by_its_end():
    spectrum, same = RunningSpectrum(), RunningSpectrum()
    sound = noise(1.0, 0.1).astype(np.float32)
    spectrum.take_in(sound)
    for at in range(0, len(sound), 100):
        same.take_in(sound[at : at + 100])
    assert spectrum.bands() == same.bands()
