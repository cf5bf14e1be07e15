"""Windows, pan, envelopes and interpolation against their published forms."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import CubicSpline
from scipy.signal.windows import tukey

from innerbloom.core.dsp.envelope import bent
from innerbloom.core.engine import DELAY, TICK, Engine
from innerbloom.core.layers.cloud.grain import taper_gain
from innerbloom.core.materials.clip import ENGINE_RATE, MIP_LEVELS, OVERSAMPLED, prepare_material
from innerbloom.core.performance.events import Event
from tests.engines import RATE, cloud, material_of, moved, play, program_of

STEADY = material_of(np.full((4 * RATE, 2), 0.25, np.float32))
ON = [Event("on", 1, 69.0, 1.0)]


def test_the_taper_is_a_raised_cosine():
    x = np.linspace(0, 1, 1_001, dtype=np.float32)
    got = [taper_gain(value) for value in x]
    np.testing.assert_allclose(got, 0.5 - 0.5 * np.cos(np.pi * x), atol=3e-6)


@pytest.mark.parametrize("softness", [20, 50, 100])
def test_a_grain_has_tukeys_window(softness):
    """scipy.signal.windows.tukey (Harris 1978) over a steady sound shows the window itself."""
    document = cloud(size=100, density=0.5, softness=softness)
    sound = play(program_of(document, STEADY), 0.2, ON)[DELAY:, 0] / 0.25
    grain = sound[:4_800]
    window = tukey(4_801, softness / 100)[:-1]
    # the attack takes the first millisecond
    np.testing.assert_allclose(grain[100:], window[100:], atol=2e-3)


def test_full_soft_grains_at_half_overlap_add_up_flat():
    """Periodic Hann sums to 1 at hop N/2 (Allen & Rabiner 1977)."""
    document = cloud(size=100, density=20, softness=100, alignment=100)
    sound = play(program_of(document, STEADY), 1.0, ON)[RATE // 4 : RATE // 2, 0]
    assert np.ptp(sound) < 1e-3 * sound.mean()


@pytest.mark.parametrize("pan", [-100, -60, 0, 25, 100])
def test_pan_keeps_power(pan):
    """Pulkki 1997, JAES 45(6): constant power; the middle is 3.0103 dB below a hard side."""
    document = cloud(pan=pan, size=100, density=20, alignment=100)
    sound = play(program_of(document, STEADY), 0.5, ON)[RATE // 4 :]
    left, right = np.abs(sound).mean(axis=0) / 0.25
    angle = (pan / 100 + 1) * np.pi / 4
    assert left**2 + right**2 == pytest.approx(2.0, rel=0.01)
    assert left == pytest.approx(np.sqrt(2) * np.cos(angle), abs=0.01)
    if pan == 0:
        hard = np.sqrt(2)
        assert 20 * np.log10(left / hard) == pytest.approx(-3.0103, abs=0.05)


def test_mono_sits_in_the_middle_3_db_down():
    """Pulkki 1997: each channel of a centred mono source is at -3.0103 dB."""
    mono = material_of(np.full(4 * RATE, 0.25, np.float32))
    sound = play(program_of(cloud(size=100, density=20, alignment=100), mono), 0.5, ON)[RATE // 4 :]
    assert 20 * np.log10(np.abs(sound).mean() / 0.25) == pytest.approx(-3.0103, abs=0.05)


@pytest.mark.parametrize("curve", [-100, -30, 0, 45, 100])
def test_curves_are_normalised_exponentials(curve):
    x = np.linspace(0, 1, 21)
    k = 6 * curve / 100
    expected = x if curve == 0 else np.expm1(-k * x) / np.expm1(-k)
    np.testing.assert_allclose([bent(float(v), float(curve)) for v in x], expected, atol=1e-6)


@pytest.mark.parametrize(
    ("attack", "decay", "sustain"), [(50, 100, 50), (200, 30, 0), (10, 10, 100)]
)
def test_the_envelope_reaches_its_stages_in_time(attack, decay, sustain):
    document = cloud(attack=attack, decay=decay, sustain=sustain, attack_curve=0, decay_curve=0)
    engine = Engine(program_of(document, STEADY))
    tick_s = TICK / ENGINE_RATE
    levels = []
    engine.render(0, ON)
    for _ in range(400):
        engine.render(TICK)
        levels.append(float(engine.section.slots.layers[0]["envelope"]["level"].max()))
    times = (np.arange(400) + 1) * tick_s * 1000
    expected = np.interp(times, [0, attack, attack + decay], [0, 1, sustain / 100])
    np.testing.assert_allclose(levels, expected, atol=2 * tick_s * 1000 / min(attack, decay))


def test_velocity_moves_the_level_in_decibels():
    """A route from velocity upside down: 24 dB at the softest is 12 dB at half."""
    document = moved(cloud(whole={"level": -12}), "velocity", "level", -24, "inverted")
    full = np.abs(play(program_of(document, STEADY), 0.3, ON)).max()
    half = np.abs(play(program_of(document, STEADY), 0.3, [Event("on", 1, 69.0, 0.5)])).max()
    assert 20 * np.log10(half / full) == pytest.approx(-12.0, abs=0.1)


def test_coefficients_interpolate_like_a_cubic_spline():
    """scipy.interpolate.CubicSpline through the same samples (Unser 1999)."""
    rng = np.random.default_rng(2)
    material = prepare_material(rng.normal(0, 0.2, (400, 2)).astype(np.float32), ENGINE_RATE)
    first = material.mip_levels[0]
    base, frames = int(first["offset"]), int(first["frames"])
    c = material.audio[base - 1 : base + frames + 2, 0].astype(np.float64)
    nodes = (c[:-2] + 4 * c[1:-1] + c[2:]) / 6
    spline = CubicSpline(np.arange(len(nodes)), nodes)
    t = 0.37
    weights = [
        (1 - t) ** 3 / 6, (3 * t**3 - 6 * t**2 + 4) / 6,
        (-3 * t**3 + 3 * t**2 + 3 * t + 1) / 6, t**3 / 6,
    ]  # fmt: skip
    middle = np.arange(100, 600)
    read = sum(w * c[middle + i] for i, w in enumerate(weights))
    np.testing.assert_allclose(read, spline(middle + t), atol=1e-5)


def test_copies_halve_what_they_hold():
    """A tone is kept by the mip_levels that may hold it and gone from the others."""
    hz = 5_000.0
    samples = np.sin(2 * np.pi * hz * np.arange(RATE) / RATE).astype(np.float32)[:, None]
    material = prepare_material(samples, RATE)
    for k in range(MIP_LEVELS):
        copy = material.mip_levels[k]
        start, frames = int(copy["offset"]), int(copy["frames"])
        middle = material.audio[start + frames // 4 : start + 3 * frames // 4]
        level = 20 * np.log10(np.abs(middle).max() + 1e-12)
        assert copy["rate"] == OVERSAMPLED[k] * ENGINE_RATE / 2**k
        if hz < 0.9 * 24_000 / 2**k:
            assert level > -4
        elif hz > 1.1 * 24_000 / 2**k:
            assert level < -80
