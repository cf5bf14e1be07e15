"""Compressor, gate and three bands: against the closed forms of what they are made after."""

from __future__ import annotations

import numpy as np
import pytest
import soxr

from innerbloom.core.dsp.rates import RATE
from innerbloom.core.effects import EFFECT_KINDS
from innerbloom.core.effects.compressor import LookAhead
from innerbloom.core.engine import Engine
from innerbloom.core.sound.levels import loudness
from tests.core.test_mixer import NOTE, mixed
from tests.engines import click_db, edit, program_of
from tests.recordings import effects
from tests.streams import Around, noise, through, tone


def static_gain(level: float, threshold: float, ratio: float, knee: float) -> float:
    """Output minus input in dB: Giannoulis, Massberg and Reiss 2012, eq. 4."""
    slope = 1 / ratio - 1
    if 2 * (level - threshold) < -knee:
        return 0.0
    if 2 * abs(level - threshold) <= knee:
        return slope * (level - threshold + knee / 2) ** 2 / (2 * knee)
    return slope * (level - threshold)


STILL = {"make_up": "by hand", "attack": 0.1, "release": 5, "mix": 100}


@pytest.mark.parametrize(
    ("threshold", "ratio", "knee"), [(-24, 4, 6), (-40, 2, 12), (-12, 20, 0.5)]
)
def test_the_static_curve_is_that_of_the_paper(threshold, ratio, knee):
    for level in np.arange(-60, 1, 4.0):
        steady = np.full((RATE // 4, 2), 10 ** (level / 20), np.float32)
        made = through("compressor", steady, threshold=threshold, ratio=ratio, knee=knee, **STILL)
        gain = 20 * np.log10(made[-1, 0] / steady[-1, 0])
        assert gain == pytest.approx(static_gain(level, threshold, ratio, knee), abs=0.05)


def test_an_infinite_ratio_holds_the_level():
    for level in (-18.0, -6.0, 0.0):
        steady = np.full((RATE // 4, 2), 10 ** (level / 20), np.float32)
        made = through("compressor", steady, threshold=-24, ratio=100, knee=0, **STILL)
        assert 20 * np.log10(made[-1, 0]) == pytest.approx(-24, abs=0.05)


@pytest.mark.parametrize(("attack", "release"), [(10, 200), (50, 800)])
def test_times_are_those_of_one_pole_smoothing(attack, release):
    """The decoupled detector (eq. 17): a step is answered as 1 - exp(-t / attack)."""
    still = {**STILL, "threshold": -20, "ratio": 2, "knee": 0}
    step = np.full((RATE, 2), 1.0, np.float32)
    step[RATE // 2 :] = 1e-3
    made = through("compressor", step, **{**still, "attack": attack, "release": release})
    taken = -20 * np.log10(made[:, 0] / step[:, 0])
    at = round(0.001 * attack * RATE)
    assert taken[at] == pytest.approx(10 * (1 - np.exp(-1)), abs=0.15)
    # both poles one after another, as the paper's figure shows
    t = np.arange(RATE // 2) / RATE * 1000
    back = 10 * (release * np.exp(-t / release) - attack * np.exp(-t / attack)) / (release - attack)
    np.testing.assert_allclose(taken[RATE // 2 :], back, atol=0.3)


@pytest.mark.parametrize("ahead_ms", [1.0, 5.0, 10.0])
def test_looking_ahead_has_taken_away_before_what_is_loud_is_there(ahead_ms):
    """The closed form of the attack (eq. 17), begun so much earlier: 1 - exp(-ahead / attack)."""
    settings = {**STILL, "threshold": -20, "ratio": 2, "knee": 0, "attack": 4, "release": 500}
    step = np.full((RATE // 2, 2), 1e-3, np.float32)
    step[RATE // 4 :] = 1.0
    ahead = round(0.001 * ahead_ms * RATE)
    made = through("compressor", step, made=LookAhead(ahead), **settings)[:, 0]
    arrives = RATE // 4 + ahead
    # to the sample: before it nothing is loud, and with it comes what is left of it
    assert np.abs(made[:arrives]).max() < 1.1e-3
    taken = -20 * np.log10(made[arrives])
    assert taken == pytest.approx(10 * (1 - np.exp(-ahead_ms / 4)), abs=0.2)


def test_looking_ahead_delays_what_is_quiet_by_so_much_and_changes_nothing_else():
    quiet = noise(0.2, 0.001)
    made = through("compressor", quiet, made=LookAhead(100), cuts=(1, 3, 8), **STILL, threshold=-20)
    np.testing.assert_array_equal(made[100:], quiet[: len(made) - 100].astype(np.float32))
    assert not made[:100].any()


def test_a_compressor_in_a_document_is_as_late_as_it_looks_ahead_and_moves_there_without_a_click():
    def looking(ms):
        return mixed([{"effects": [
            {"id": "e1", "kind": "compressor", "settings": {"look_ahead": ms, "threshold": -40}}
        ]}])  # fmt: skip

    engine = Engine(program_of(looking(0)), limited=False)
    assert engine.latency == 0
    sound = [engine.render(RATE // 2, [NOTE])]
    for ms in (5, 0.5, 0):
        edit(engine, program_of(looking(ms)))
        sound.append(engine.render(RATE // 4))
        assert engine.latency == round(0.001 * ms * RATE)
    assert click_db(np.concatenate(sound)[RATE // 4 :]) < -60


def test_times_by_itself_are_shorter_for_spiky_sounds():
    """Giannoulis and others 2013: times shrink with the square of the crest factor."""
    spikes = np.zeros((RATE, 2), np.float32)
    spikes[:: RATE // 8] = 0.9
    still = {"threshold": -40, "attack": 30, "release": 900, "make_up": "by hand"}
    kept = {}
    for timing in ("as set", "by itself"):
        for name, sound in (("spikes", spikes), ("sine", tone(400, 1.0, 0.9))):
            made = through("compressor", sound, timing=timing, **still)[RATE // 2 :]
            kept[name, timing] = 20 * np.log10(np.abs(made).max() / 0.9)
    # a spike is answered within itself, a steady sound as before
    assert kept["spikes", "by itself"] < kept["spikes", "as set"] - 3
    assert kept["sine", "by itself"] == pytest.approx(kept["sine", "as set"], abs=2)


def test_a_layer_that_is_listened_to_ducks_the_stream_and_keys_do_too():
    sound, other = np.full((RATE, 2), 0.25, np.float32), np.zeros((RATE, 2), np.float32)
    other[RATE // 4 : RATE // 2] = 0.8
    settings = {"threshold": -30, "ratio": 10, "release": 50, **{k: STILL[k] for k in ("make_up",)}}
    made = through("compressor", sound, around=Around(heard=other), listens="a layer", **settings)[
        :, 0
    ]
    assert made[RATE // 8] == pytest.approx(0.25, rel=1e-3)
    assert 20 * np.log10(made[RATE // 2 - 100] / 0.25) < -20
    assert made[-1] == pytest.approx(0.25, rel=1e-2)
    played = through(
        "compressor", sound, around=Around(keys=(60.0,)), listens="the keys", **settings
    )[-1, 0]
    assert 20 * np.log10(played / 0.25) == pytest.approx(-27, abs=0.5)


def test_a_gate_opens_at_its_threshold_and_shuts_below_what_it_stays_open_for():
    """Common practice: threshold, hysteresis, hold and range."""
    levels = (-60, -45, -39, -44, -47, -60)
    sound = np.concatenate([np.full((RATE, 2), 10 ** (db / 20), np.float32) for db in levels])
    made = through("gate", sound, threshold=-40, hysteresis=6, hold=10, release=20, range=40)
    gains = [
        round(20 * np.log10(made[(n + 1) * RATE - 10, 0] / sound[(n + 1) * RATE - 10, 0]))
        for n in range(len(levels))
    ]
    assert gains == [-40, -40, 0, 0, -40, -40]


def test_a_gate_at_its_widest_range_is_silent_and_holds_as_long_as_it_is_set():
    sound = np.concatenate([np.full((RATE // 2, 2), db, np.float32) for db in (0.5, 1e-4)])
    made = through("gate", sound, threshold=-20, range=90, hold=200, release=5)[:, 0]
    assert made[-1] == 0.0
    shut = np.flatnonzero(made[RATE // 2 :] < 0.5e-4)[0] / RATE
    assert 0.2 < shut < 0.45


def test_an_expander_takes_away_in_proportion():
    steady = np.full((RATE, 2), 10 ** (-50 / 20), np.float32)
    made = through("gate", steady, threshold=-40, ratio=2, range=60)
    assert 20 * np.log10(made[-1, 0] / steady[-1, 0]) == pytest.approx(-10, abs=0.2)


def test_three_bands_bring_unlike_sounds_near_in_loudness():
    """needs.md, E2, from practice: short-term loudness within 3 LU of wildly different sounds."""
    sounds = [noise(3.0, 0.25), noise(3.0, 0.02), tone(80, 3.0, 0.5), tone(4_000, 3.0, 0.05)]
    real = [(one, rate) for one, rate in effects() if len(one) > 1.5 * rate]
    sounds += [soxr.resample(one[:, [0, -1]], rate, RATE)[: 6 * RATE] for one, rate in real[:6]]
    settings = {"mix": 100, "release": 90}
    for band, lowest in (("low", -40), ("middle", -42), ("high", -46)):
        settings |= {f"{band}_threshold": lowest, f"{band}_ratio": 20, f"{band}_lift": 24,
                     f"{band}_floor": lowest + 6}  # fmt: skip
    before = [loudness(sound, RATE) for sound in sounds]
    after = [loudness(through("bands", sound, **settings), RATE) for sound in sounds]
    assert max(before) - min(before) > 15
    assert max(after) - min(after) < 0.5 * (max(before) - min(before))


def test_what_is_taken_away_is_shown():
    effect = EFFECT_KINDS["compressor"].make(None)
    through(
        effect, np.full((RATE // 2, 2), 1.0, np.float32), of="compressor", threshold=-20, knee=0
    )
    shown = dict(zip(EFFECT_KINDS["compressor"].shows, effect.shown(), strict=True))
    assert shown["taken away"] == pytest.approx(-15, abs=0.1)
    assert shown["level"] == pytest.approx(0, abs=0.1)
