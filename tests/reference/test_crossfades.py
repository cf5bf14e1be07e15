"""Seams of loops: their level, whatever the two sides are, on the Bench and in the loop layer.

M. Fink, M. Holters and U. Zölzer, DAFx-16, 2016: gains over sqrt(a² + b² + 2 r a b) hold the level.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import butter, sosfiltfilt

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.engine import Engine, compile_program
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.clip import prepare_material
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event
from innerbloom.core.process.loop import bake_crossfade
from innerbloom.core.sound.crossfade import crossfaded_inside
from innerbloom.core.sound.fades import rising
from innerbloom.core.sound.loop import Loop
from tests.recordings import effects
from tests.sounds import RATE, db, shaped

RNG = np.random.default_rng(2016)
FADE, AROUND = 6_000, 9_600


def sides(kind, rng):
    """Two stretches that have nothing, something or all but their phases in common."""
    total = FADE + 2 * AROUND
    if kind == "tones":
        t = np.arange(total) / RATE
        return [sum(np.sin(2 * np.pi * hz * t + rng.uniform(0, 6.28)) for hz in (196, 523, 1307, 3100))
                for _ in range(2)]  # fmt: skip
    common = {"noise": 0.0, "alike": 1.0, "halfway": 0.7}[kind]
    shared = rng.standard_normal(total)
    return [common * shared + np.sqrt(1 - common**2) * rng.standard_normal(total) for _ in range(2)]


def level_across(kind, curve, band=None):
    """Level over 50 ms across the seam against that of both sides, in dB; mean of 16 seams."""
    across, beside = np.zeros(FADE), 0.0
    for seed in range(16):
        one, other = sides(kind, np.random.default_rng(seed))
        made = crossfaded_inside(one[:, None], other[:, None], AROUND, FADE, curve)[:, 0]
        heard = np.concatenate((one[:AROUND], made, other[AROUND + FADE :]))
        if band is not None:
            heard, one, other = (sosfiltfilt(band, x) for x in (heard, one, other))
        across += np.convolve(heard**2, np.ones(2_400) / 2_400, "same")[AROUND : AROUND + FADE]
        beside += 0.5 * (np.mean(one**2) + np.mean(other**2))
    return 10 * np.log10(across / beside)


@pytest.mark.parametrize("curve", ["linear", "equal power"])
@pytest.mark.parametrize("kind", ["noise", "halfway", "alike", "tones"])
def test_the_level_holds_across_a_seam(kind, curve):
    assert np.abs(level_across(kind, curve)).max() < 1.0


@pytest.mark.parametrize("hz", [125, 500, 2_000, 8_000])
@pytest.mark.parametrize("kind", ["noise", "halfway"])
def test_the_level_holds_in_thirds_of_an_octave(kind, hz):
    """Bands of IEC 61260; a seam of a narrow band of noise is itself uneven, hence the mean."""
    band = butter(3, [hz * 2 ** (-1 / 6), hz * 2 ** (1 / 6)], "bandpass", fs=RATE, output="sos")
    assert abs(level_across(kind, "linear", band).mean()) < 1.0


@given(st.integers(1, 3_000), st.sampled_from(["linear", "equal power"]))
def test_the_same_sound_on_both_sides_is_left_alone(frames, curve):
    sound = RNG.standard_normal((frames + 400, 2))
    made = crossfaded_inside(sound, sound, 200, frames, curve)
    assert np.allclose(made, sound[200 : 200 + frames], atol=1e-5)


def test_loops_of_real_effects_hold_their_level():
    """Machines, wind, horns: the seam of the best loop lies within the sound's own movement."""
    tried = bad = 0
    for samples, rate in effects()[::2]:
        if len(samples) < rate or np.abs(samples).max() < 0.01:
            continue
        try:
            best = find_loops(samples, rate)[0][0]
        except (BloomError, IndexError):
            continue
        fade = best.crossfade
        if fade < 0.02 * rate:
            continue
        baked = bake_crossfade(samples, Loop(best.start, best.end), fade, best.curve)
        share = rising(fade, best.curve)[:, None] ** 2
        one, other = (samples[at - fade : at] ** 2 for at in (best.end, best.start))
        wanted = np.mean((share[::-1] * one + share * other) / (share + share[::-1]))
        off = db(np.sqrt(np.mean(baked[best.end - fade : best.end] ** 2) / wanted))
        tried += 1
        bad += abs(off) > 1.0
    assert tried >= 12
    assert bad <= 0.05 * tried


@pytest.mark.parametrize("curve", ["linear", "equal power"])
def test_the_loop_layer_holds_the_level_of_noise(curve):
    """The same law: 40 % of the loop is crossfade; linear gains alone dip by 3 dB."""
    noise = shaped(0.1 * RNG.standard_normal(4 * RATE))
    settings = {"attack": 1, "loop": "forward", "loop_start": 40, "loop_length": 500,
                "crossfade": 80, "curve": curve}  # fmt: skip
    layer = {"id": "l1", "name": "n", "kind": "loop", "sounds": [{"path": "a.wav"}],
             "settings": settings}  # fmt: skip
    document = parse_instrument({"version": 4, "name": "n", "layers": [layer]})
    program = compile_program(document, HeldMaterials(prepare_material(noise, RATE)))
    sound = Engine(program).render(8 * RATE, [Event("on", 1, 60.0, 1.0)])[3 * RATE :, 0]
    step = np.sqrt(np.mean(sound[: 100 * 2_400].reshape(100, 2_400) ** 2, axis=1))
    assert db(step.min() / np.median(step)) > -1.0
    assert db(step.max() / np.median(step)) < 1.0


def test_what_changes_is_looped_long_where_there_is_room():
    """Guttman & Julesz 1963: noise that repeats within two seconds is heard to repeat."""
    best = find_loops(shaped(0.1 * RNG.standard_normal(10 * RATE)), RATE)[0][0]
    assert best.end - best.start >= 2 * RATE
