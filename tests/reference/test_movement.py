"""Modulators and routes against closed forms.

Waves and lags follow their definitions; the Ornstein-Uhlenbeck process: Gillespie, Phys. Rev. E
54, 1996 (from memory); mobility of a sine: Hjorth 1970 (from memory); Irwin-Hall moments.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import sawtooth, square
from scipy.stats import kstest

from innerbloom.core.engine import Engine
from innerbloom.core.engine.telemetry import arrivals
from innerbloom.core.performance.events import Event
from tests.engines import (
    RATE,
    layered,
    move,
    play,
    program_of,
    trace,
)

TICK = 64
TICK_S = TICK / RATE
NOTE = [Event("on", 1, 60.0, 1.0)]
WAVE = {"kind": "wave", "shape": "sine"}


def values(seen, which=0, side=0):
    return np.array([one.modulators[which, side] for one in seen])


def lfo(seconds=2.0, events=NOTE, **settings):
    document = layered(WAVE, modulators=[{"kind": "lfo", "rate": 3.0, **settings}])
    return values(trace(document, seconds, events))


def times(count):
    return np.arange(count) * TICK_S


@pytest.mark.parametrize(
    ("wave", "formula"),
    [
        ("sine", lambda x: np.sin(2 * np.pi * x)),
        ("triangle", lambda x: sawtooth(2 * np.pi * (x + 0.25), 0.5)),
        ("ramp", lambda x: sawtooth(2 * np.pi * x)),
        ("pulse", lambda x: square(2 * np.pi * x, 0.3)),
    ],
)
def test_waves_are_those_of_scipy(wave, formula):
    found = lfo(wave=wave, width=30)
    # where the wave jumps, rounding may put a tick on either side
    phase = (3.0 * times(len(found)) + 1e-9) % 1.0
    apart = np.abs(found - formula(phase))
    jumps = (phase < 1e-6) | (np.abs(phase - 0.3) < 1e-6)
    assert apart[~jumps].max() < 1e-6


def test_an_lfo_stays_in_phase_for_ten_minutes():
    document = layered(WAVE, modulators=[{"kind": "lfo", "rate": 0.7, "restart": "never"}])
    engine = Engine(program_of(document))
    engine.render(600 * RATE)
    ticks = 600 * RATE // TICK - 1
    wanted = np.sin(2 * np.pi * (0.7 * ticks * TICK_S % 1.0))
    assert arrivals(engine).modulators[0, 0] == pytest.approx(wanted, abs=1e-6)


def test_beats_follow_the_tempo_to_the_tick():
    document = layered(
        WAVE, modulators=[{"kind": "lfo", "clock": "beats", "beats": 0.5, "wave": "ramp"}], tempo=90
    )
    found = values(trace(document, 4.0, NOTE))
    starts = np.flatnonzero(np.diff(found) < 0) + 1
    # half a beat at 90 bpm is a third of a second, 250 ticks
    np.testing.assert_array_equal(starts, 250 * np.arange(1, len(starts) + 1))
    assert len(starts) >= 11


def test_phase_delay_fade_and_one_cycle():
    found = lfo(wave="ramp", phase=25)
    assert found[0] == pytest.approx(-0.5)
    found = lfo(delay=500, fade=1_000)
    t = times(len(found)) - 0.5
    wanted = np.where(t < -1e-9, 0, np.minimum(t, 1) * np.sin(2 * np.pi * 3 * t))
    np.testing.assert_allclose(found, wanted, atol=1e-6)
    once = lfo(wave="ramp", once="once")
    assert (once[times(len(once)) > 1 / 3 + TICK_S] == 1.0).all()


def test_the_other_side_runs_ahead_and_faster():
    document = layered(
        WAVE, modulators=[{"kind": "lfo", "rate": 2.0, "right_phase": 25, "right_rate": 1}]
    )
    found = values(trace(document, 1.0, NOTE), side=1)
    wanted = np.sin(2 * np.pi * (4.0 * times(len(found)) + 0.25))
    np.testing.assert_allclose(found, wanted, atol=1e-6)


@pytest.mark.parametrize(("amount", "factor"), [(100, 4.0), (50, 2.0), (-100, 0.25)])
def test_the_pace_follows_the_key(amount, factor):
    found = lfo(events=[Event("on", 1, 84.0, 1.0)], rate=1.0, key_rate=amount, wave="ramp")
    slope = np.median(np.diff(found)) / 2 / TICK_S
    assert slope == pytest.approx(factor, rel=1e-6)


def test_restart_with_each_note_with_each_phrase_or_never():
    events = [Event("on", 1, 60.0, 1.0), Event("on", 2, 64.0, 1.0, RATE // 3),
              Event("off", 1, time=RATE // 2), Event("off", 2, time=RATE // 2),
              Event("on", 3, 60.0, 1.0, round(0.75 * RATE))]  # fmt: skip
    start = {}
    for restart in ("with each note", "with each phrase", "never"):
        found = lfo(1.0, events, wave="ramp", rate=0.5, restart=restart)
        start[restart] = [found[round(s / TICK_S) + 2] for s in (0, 1 / 3, 0.75)]
    first = start["never"][0]
    ramp = 2 * 0.5 * np.array([0, 1 / 3, 0.75]) + first
    np.testing.assert_allclose(start["with each note"], first, atol=0.005)
    np.testing.assert_allclose(start["with each phrase"], [ramp[0], ramp[1], first], atol=0.005)
    np.testing.assert_allclose(start["never"], ramp, atol=0.005)


def test_a_drawn_shape_loops_until_release_then_plays_on():
    points = [(0.0, 0.0, 0.0), (0.5, 1.0, 0.0), (1.0, 0.0, 0.0)]
    document = layered(
        {**WAVE, "release": 5_000},
        modulators=[{"kind": "shape", "time": 1_000, "points": points, "loop": "until release",
                     "loop_from": 25, "loop_to": 50}],
    )  # fmt: skip
    found = values(trace(document, 3.0, [*NOTE, Event("off", 1, time=2 * RATE)]))
    t = times(len(found))
    held = np.where(t < 0.5, t, 0.25 + (t - 0.25) % 0.25)
    np.testing.assert_allclose(found[t < 1.99], 2 * held[t < 1.99], atol=0.006)
    # released in the middle of a loop it goes on to its end
    assert found[-1] == 0.0
    assert np.diff(found).min() > -0.51


@pytest.mark.parametrize("bend", [-80.0, 0.0, 60.0])
def test_bends_of_drawn_curves(bend):
    points = [(0.0, 0.0, bend), (1.0, 1.0, 0.0)]
    document = layered(WAVE, modulators=[{"kind": "shape", "time": 1_000, "points": points}])
    found = values(trace(document, 0.999, NOTE))
    x, k = times(len(found)), 6 * bend / 100
    wanted = x if bend == 0 else (1 - np.exp(-k * x)) / (1 - np.exp(-k))
    np.testing.assert_allclose(found, wanted, atol=1e-5)


def test_step_patterns_glide_and_leave_out_by_chance():
    steps = [(-1.0, 1.0), (1.0, 1.0), (0.0, 1.0)]
    plain = {"kind": "steps", "steps": steps, "rate": 10.0}
    found = values(trace(layered(WAVE, modulators=[plain]), 0.9, NOTE))
    number = (np.floor(times(len(found)) * 10 + 1e-9) % 3).astype(int)
    np.testing.assert_array_equal(found, np.array([-1.0, 1.0, 0.0])[number])
    glides = values(trace(layered(WAVE, modulators=[{**plain, "glide": 100}]), 0.9, NOTE))
    t = times(len(glides)) * 10
    at = 1.5 * np.ones(1)
    assert np.interp(at, t, glides)[0] == pytest.approx(0.0, abs=0.02)
    half = {**plain, "steps": [(0.0, 0.5), (1.0, 0.5)], "rate": 40.0}
    jumps = np.abs(np.diff(values(trace(layered(WAVE, modulators=[half]), 20.0, NOTE)))) > 0.5
    # let p be the chance that the step just passed was taken over: p = 1/2 + (1 - p) / 2 = 2/3;
    # the value changes where the next one is taken and differs, p / 2 of the time
    assert jumps.sum() / (20 * 40) == pytest.approx(1 / 3, abs=0.06)


@pytest.mark.parametrize(("spread", "variance"), [("even", 1 / 12), ("bell", 1 / 36)])
def test_random_numbers_stay_with_their_notes(spread, variance):
    document = layered(
        {**WAVE, "release": 1}, modulators=[{"kind": "random", "spread": spread}], mode="poly"
    )
    notes = [Event("on", i, 60.0, 1.0, 640 * i) for i in range(1_500)]
    notes += [Event("off", i, time=640 * i + 500) for i in range(1_500)]
    engine = Engine(program_of(document))
    engine.render(0, notes)
    drawn = []
    for _ in range(1_500):
        engine.render(320)
        first = arrivals(engine).modulators[0, 0]
        engine.render(64)
        assert arrivals(engine).modulators[0, 0] == first
        drawn.append(first)
        engine.render(256)
    # moments of the uniform and of the Irwin-Hall distribution of order three, by its mean
    assert np.mean(drawn) == pytest.approx(0.5, abs=0.02)
    assert np.var(drawn) == pytest.approx(variance, rel=0.12)
    if spread == "even":
        assert kstest(drawn, "uniform").pvalue > 0.001


def test_drift_has_the_spread_and_the_memory_it_should():
    document = layered(
        WAVE,
        modulators=[{"kind": "drift", "pull": 200, "reach": 25, "ease": 0, "restart": "never"}],
    )
    found = values(trace(document, 240.0, (), every=480))
    assert found.std() == pytest.approx(0.25, rel=0.1)
    # autocorrelation of an Ornstein-Uhlenbeck process: e^(-t/T)
    for lag_s in (0.1, 0.2):
        lag = round(lag_s * 100)
        likeness = np.corrcoef(found[:-lag], found[lag:])[0, 1]
        assert likeness == pytest.approx(np.exp(-lag_s / 0.2), abs=0.08)


# -- routes -----------------------------------------------------------------------------


def added(seen, which=0):
    return np.array([one.routes[which] for one in seen])


def test_a_two_sided_depth_swings_exactly_as_far_either_way():
    route = {"source": "m:m1", "parameter": "pan", "depth": 18.0}
    document = layered(
        WAVE, modulators=[{"kind": "lfo", "rate": 750 / 100, "wave": "sine"}], routes=[route]
    )
    seen = trace(document, 2.0, NOTE)
    assert added(seen).max() == pytest.approx(18.0, abs=1e-6)
    assert added(seen).min() == pytest.approx(-18.0, abs=1e-6)
    assert max(one.values[0] for one in seen) == pytest.approx(18.0, abs=1e-6)


@pytest.mark.parametrize(
    ("polarity", "both", "one"),
    [
        ("as is", lambda x: x, lambda x: x),
        ("one-sided", lambda x: (x + 1) / 2, lambda x: x),
        ("two-sided", lambda x: x, lambda x: 2 * x - 1),
        ("inverted", lambda x: -x, lambda x: 1 - x),
        ("mirrored", abs, lambda x: abs(2 * x - 1)),
    ],
)
@pytest.mark.parametrize("value", [0.0, 0.25, 0.6, 1.0])
def test_polarities(polarity, both, one, value):
    route = {"parameter": "pan", "depth": 10.0, "polarity": polarity}
    macro = {"kind": "macro", "value": 100 * value}
    document = layered(
        WAVE,
        modulators=[macro, {"kind": "combine", "a": 2 * value - 1}],
        routes=[{**route, "source": "m:m1"}, {**route, "source": "m:m2"}],
    )
    found = trace(document, 0.01, NOTE)[-1].routes
    np.testing.assert_allclose(found, [10 * one(value), 10 * both(2 * value - 1)], atol=1e-9)


def test_a_range_lands_exactly_at_its_ends_in_real_units():
    # 600 Hz to 4.8 kHz around 1.2 kHz: an octave down, two up
    route = {"source": "wheel", "parameter": "cutoff", "depth": 2.0, "span": (-0.5, 1.0)}
    document = layered({**WAVE, "filter": "12 dB", "cutoff": 1_200}, routes=[route])
    for value, hertz in ((0.0, 600.0), (1.0, 4_800.0), (1 / 3, 1_200.0)):
        seen = trace(document, 0.01, [Event("control", 1, value=value), *NOTE])
        assert seen[-1].values[0] == pytest.approx(hertz, rel=1e-9)


def test_curves_through_breakpoints_and_in_128_free_steps():
    points = [(0.0, 0.2, 0.0), (0.5, 0.8, 50.0), (1.0, 0.0, 0.0)]
    free = list(np.linspace(0, 1, 128) ** 2)
    route = {"source": "wheel", "parameter": "pan", "depth": 1.0}
    document = layered(
        WAVE, routes=[{**route, "curve": {"points": points}}, {**route, "curve": {"free": free}}]
    )
    for x in np.linspace(0, 1, 9):
        found = trace(document, 0.005, [Event("control", 1, value=x), *NOTE])[-1].routes
        s = (x - 0.5) / 0.5
        bent = 0.8 - 0.8 * (1 - np.exp(-3 * s)) / (1 - np.exp(-3))
        wanted = 0.2 + 1.2 * x if x < 0.5 else bent
        assert found[0] == pytest.approx(wanted, abs=1e-5)
        assert found[1] == pytest.approx(np.interp(x, np.linspace(0, 1, 128), free), abs=1e-5)


def test_easing_is_a_one_pole_lag_each_way():
    route = {"source": "wheel", "parameter": "pan", "depth": 1.0, "rise": 40, "fall": 200}
    events = [*NOTE, Event("control", 1, value=1.0, time=4_800),
              Event("control", 1, value=0.0, time=RATE)]  # fmt: skip
    found = added(trace(layered(WAVE, routes=[route]), 2.0, events))
    t = times(len(found))
    # after one time constant 63.2 % of the way is done; a tick is the grid
    assert np.interp(0.1 + 0.040, t, found) == pytest.approx(1 - np.exp(-1), abs=0.025)
    assert np.interp(1.0 + 0.200, t, found) == pytest.approx(np.exp(-1), abs=0.01)


def test_a_second_source_scales_what_arrives():
    route = {"source": "velocity", "parameter": "pan", "depth": 8.0, "by": "wheel"}
    for wheel in (0.0, 0.3, 1.0):
        events = [Event("control", 1, value=wheel), Event("on", 1, 60.0, 0.5)]
        assert added(trace(layered(WAVE, routes=[route]), 0.01, events))[-1] == pytest.approx(
            8.0 * 0.5 * wheel
        )
    route["by"] = "m:m1"
    document = layered(WAVE, modulators=[{"kind": "combine", "a": -0.5}], routes=[route])
    assert added(trace(document, 0.01, NOTE))[-1] == pytest.approx(8.0 * 0.25)


def test_easing_removes_the_staircase_of_a_seven_bit_controller():
    route = {"source": "wheel", "parameter": "level", "depth": 20.0, "rise": 20, "fall": 20}
    document = layered({**WAVE, "level": -20, "tracking": "fixed"}, routes=[route])
    events = [Event("control", 1, value=v / 127, time=RATE + 600 * v) for v in range(128)]
    engine = Engine(program_of(document))
    sound = engine.render(RATE * 3, [*NOTE, *events])[:, 0].astype(np.float64)
    # the level's own course: the analytic envelope of a steady sine
    from scipy.signal import hilbert

    level = 20 * np.log10(np.abs(hilbert(sound))[RATE // 2 : -RATE // 4])
    step_db = 20.0 / 127
    smooth = np.convolve(level, np.ones(184) / 184, "valid")
    assert np.abs(np.diff(smooth)).max() < step_db / 100
    assert smooth[-1] - smooth[0] == pytest.approx(20.0, abs=0.1)


def test_a_choice_of_sound_is_instant_however_it_is_eased():
    route = {"source": "wheel", "depth": 100.0, "rise": 5_000, "fall": 5_000}
    tone = {"path": "a.wav", "root": 69}
    document = layered(
        {"kind": "cloud", "choose": "control", "sounds": [tone, tone]},
        routes=[{**route, "parameter": "choice"}, {**route, "parameter": "position"}],
    )
    from tests.engines import material_of, sine

    one = material_of(sine(440, 1.0))
    events = [*NOTE, Event("control", 1, value=1.0, time=640)]
    seen = trace(document, 0.1, events, materials=(one,))
    assert seen[11].routes[0] == 100.0
    assert seen[11].routes[1] < 1.0


# -- modulators of modulators, followers, helpers, macros ----------------------------------


def test_a_route_moves_the_rate_of_an_lfo_and_the_amount_of_another_route():
    document = layered(
        WAVE,
        modulators=[{"kind": "lfo", "rate": 1.0, "wave": "ramp"}],
        routes=[
            {"source": "wheel", "target": "m1", "parameter": "rate", "depth": 3.0},
            {"source": "velocity", "parameter": "pan", "depth": 10.0, "amount": 100},
            {"source": "wheel", "target": "r1", "parameter": "amount", "depth": -50.0},
        ],
    )
    seen = trace(document, 0.5, [Event("control", 1, value=1.0), *NOTE])
    slope = np.median(np.diff(values(seen))) / 2 / TICK_S
    assert slope == pytest.approx(8.0, rel=1e-6)
    assert added(seen, 1)[-1] == pytest.approx(5.0)


def test_an_lfo_by_itself_and_in_a_ring_is_defined():
    ring = [
        {"source": "m:m1", "target": "m2", "parameter": "rate", "depth": 4.0},
        {"source": "m:m2", "target": "m1", "parameter": "rate", "depth": 4.0},
        {"source": "m:m1", "target": "m1", "parameter": "phase", "depth": 50.0},
        {"source": "m:m1", "parameter": "pan", "depth": 50.0},
    ]
    pair = [{"kind": "lfo", "rate": 3.0}, {"kind": "lfo", "rate": 2.0, "wave": "triangle"}]
    one = values(trace(layered(WAVE, modulators=pair, routes=ring), 2.0, NOTE))
    again = values(trace(layered(WAVE, modulators=pair, routes=ring), 2.0, NOTE))
    np.testing.assert_array_equal(one, again)
    assert np.abs(one).max() <= 1.0
    assert one.std() > 0.3


@pytest.mark.parametrize(
    ("how", "wanted"), [("sum", 0.1), ("product", -0.3), ("least", -0.5), ("greatest", 0.6)]
)
def test_combinations(how, wanted):
    document = layered(WAVE, modulators=[{"kind": "combine", "how": how, "a": 0.6, "b": -0.5}])
    assert values(trace(document, 0.005, NOTE))[-1] == pytest.approx(wanted)


def test_levels_lag_and_sample_and_hold():
    into = [
        {"source": "m:m1", "target": f"m{n}", "parameter": "a", "depth": 1.0} for n in (2, 3, 4)
    ]
    into += [{"source": "m:m5", "target": "m4", "parameter": "trigger", "depth": 1.0}]
    document = layered(
        WAVE,
        modulators=[
            {"kind": "lfo", "rate": 1.0, "wave": "ramp"},
            {"kind": "quantise", "levels": 5},
            {"kind": "lag", "rise": 100, "fall": 100},
            {"kind": "sample"},
            {"kind": "lfo", "rate": 4.0, "wave": "pulse", "phase": 50},
        ],
        routes=into,
    )
    seen = trace(document, 0.99, NOTE)
    ramp = values(seen)
    np.testing.assert_allclose(values(seen, 1), np.floor((ramp + 1) * 2 + 0.5) / 2 - 1, atol=1e-9)
    # a lag behind a ramp trails by its time constant: 0.1 s at 2 a second
    assert (ramp - values(seen, 2))[-1] == pytest.approx(0.2, abs=0.01)
    held = values(seen, 3)
    t = times(len(held))
    taken = [held[np.searchsorted(t, s)] for s in (0.2, 0.45, 0.7, 0.95)]
    np.testing.assert_allclose(taken, [-0.75, -0.25, 0.25, 0.75], atol=0.01)


def test_a_follower_reads_level_in_db_and_the_frequency_of_a_sine():
    base = {"kind": "wave", "shape": "sine", "tracking": "fixed", "level": -6}
    document = layered(
        base,
        modulators=[
            {"kind": "follower", "follows": "l1", "floor": -48, "rise": 0, "fall": 0},
            {"kind": "follower", "measure": "brightness", "rise": 0, "fall": 0},
        ],
    )
    engine = Engine(program_of(document))
    engine.render(RATE // 2, NOTE)
    level = np.mean([arrivals_after(engine)[0] for _ in range(200)])
    # a sine of amplitude 1 leaves its layer at -12 dBFS peak, so at -15 dB in power
    wanted = (-12.0 - 6.0 - 3.0103 + 48) / 48
    assert level == pytest.approx(wanted, abs=0.01)
    bright = np.mean([arrivals_after(engine)[1] for _ in range(200)])
    assert 50 * 2 ** (8 * bright) == pytest.approx(261.63, rel=0.02)


@pytest.mark.parametrize("key", [33.0, 45.0, 60.0, 83.0])
def test_a_follower_of_pitch_reads_the_key_within_ten_cents(key):
    """Equal temperament (ISO 16); pitch reads seven octaves from C1, note 24."""
    document = layered(
        {"kind": "wave", "shape": "saw"},
        {"kind": "wave", "shape": "sine", "pitch": 7, "level": -60},
        modulators=[
            {"kind": "follower", "follows": "l1", "measure": "pitch", "rise": 0, "fall": 0},
            {"kind": "follower", "measure": "pitch", "rise": 0, "fall": 0},
        ],
    )
    engine = Engine(program_of(document))
    engine.render(RATE // 2, [Event("on", 1, key, 0.8)])
    np.testing.assert_allclose(arrivals_after(engine)[:2] * 84 + 24, key, atol=0.1)
    # what was heard last stays when nothing sounds any more
    engine.render(RATE // 2, [Event("off", 1, time=engine.now)])
    np.testing.assert_allclose(arrivals_after(engine)[:2] * 84 + 24, key, atol=0.1)


def test_a_contour_takes_level_brightness_and_pitch_from_a_recording():
    t = np.arange(2 * RATE) / RATE
    # a sine that rises an octave in steps of a tenth of a second, and by 24 dB
    hz = 220 * 2 ** (np.floor(t * 5) / 10)
    gain = 10 ** ((-36 + 12 * t) / 20)
    sound = gain * np.sin(2 * np.pi * np.cumsum(hz) / RATE)
    plain = {"kind": "contour", "sound": {"path": "course.wav"}, "rise": 0, "fall": 0}
    document = layered(
        WAVE,
        modulators=[
            {**plain, "floor": -48},
            {**plain, "measure": "brightness"},
            {**plain, "measure": "pitch"},
            {**plain, "floor": -48, "pace": 1, "once": "once"},
        ],
    )
    seen = trace(document, 1.9, NOTE, course=sound)
    at = times(len(seen))
    # RMS of a sine is 3.0103 dB below its peak
    level = (-36 + 12 * (at) - 3.0103 + 48) / 48
    np.testing.assert_allclose(values(seen)[5:], level[5:], atol=0.004)
    steady = (at * 5) % 1 > 0.4
    steady &= (at * 5) % 1 < 0.6
    wanted = np.log2(220 / 50 * 2 ** (np.floor(at * 5) / 10)) / 8
    np.testing.assert_allclose(values(seen, 1)[steady], wanted[steady], atol=0.003)
    notes = 57 + 12 * np.floor(at * 5) / 10
    np.testing.assert_allclose((values(seen, 2) * 84 + 24)[steady], notes[steady], atol=0.1)
    # twice as fast, and then it stays where it ended
    fast = values(seen, 3)
    half = round(0.9 / TICK_S)
    np.testing.assert_allclose(fast[5:half], level[10 : 2 * half : 2], atol=0.004)
    assert np.ptp(fast[round(1.1 / TICK_S) :]) == 0.0


def arrivals_after(engine):
    engine.render(64)
    return arrivals(engine).modulators[:, 0]


def test_macros_move_many_targets_each_with_its_range_and_morph():
    routes = [
        {"source": "m:m1", "parameter": "pan", "depth": 40.0, "span": (-1.0, 0.5)},
        {"source": "m:m1", "parameter": "cutoff", "depth": -2.0},
    ]
    document = layered(
        {**WAVE, "filter": "12 dB", "cutoff": 4_000},
        modulators=[{"kind": "macro", "value": 50, "other": 100}],
        routes=routes,
    )
    seen = trace(document, 0.005, NOTE)[-1]
    np.testing.assert_allclose(seen.routes, [-10.0, -1.0])
    engine = Engine(program_of(document))
    move(engine, "instrument", "morph", 100.0)
    engine.render(RATE // 2, NOTE)
    np.testing.assert_allclose(arrivals(engine).routes, [20.0, -2.0], atol=1e-6)
    assert arrivals(engine).values[1] == pytest.approx(1_000.0, rel=1e-6)


def test_the_pad_drifts_on_by_friction():
    document = layered(
        WAVE, routes=[{"source": "pad_across", "parameter": "pan", "depth": 100.0}], momentum=500
    )
    # a steady move of 2 a second for a fifth of a second, then let go
    events = [Event("pad_across", value=-0.5 + 2.0 * k * 0.01, time=480 * k) for k in range(21)]
    events += [Event("pad_let_go", time=480 * 20)]
    found = added(trace(document, 3.0, [*NOTE, *events])) / 100
    # x0 + v T (1 - e^(-t/T)): half a second later
    wanted = min(1.0, -0.1 + 2.0 * 0.5 * (1 - np.exp(-1.0)))
    assert found[round(0.7 / TICK_S)] == pytest.approx(wanted, abs=0.03)
    assert found[-1] == pytest.approx(min(1.0, -0.1 + 2.0 * 0.5), abs=0.03)


def test_routes_switched_off_all_at_once_leave_settings_as_they_stand():
    routes = [{"source": "velocity", "parameter": "pan", "depth": 30.0}]
    document = layered(WAVE, routes=routes)
    document.settings.routes = "off"
    assert trace(document, 0.01, NOTE)[-1].values[0] == 0.0
    assert np.abs(play(program_of(document), 0.1, NOTE)).max() > 0.01
