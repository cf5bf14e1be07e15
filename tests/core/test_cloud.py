"""What each setting of a cloud does to the sound."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.engine import Engine
from innerbloom.core.performance.events import Event
from tests.engines import RATE, cloud, material_of, moved, play, program_of, sine

# four seconds in which every place has its own pitch: 200 Hz rising to 3400 Hz
_T = np.arange(4 * RATE) / RATE
SWEEP = material_of(0.5 * np.sin(2 * np.pi * (200 * _T + 400 * _T**2)))
FLAT = material_of(np.full((4 * RATE, 2), 0.25, np.float32))
ON = [Event("on", 1, 69.0, 1.0)]


def centroid(sound: np.ndarray) -> float:
    """Mean frequency in Hz, weighted by power."""
    power = np.abs(np.fft.rfft(sound[:, 0] * np.hanning(len(sound)))) ** 2
    return float((np.fft.rfftfreq(len(sound), 1 / RATE) * power).sum() / power.sum())


def rms(sound: np.ndarray) -> float:
    return float(np.sqrt(np.mean(sound.astype(np.float64) ** 2)))


@pytest.mark.parametrize(("position", "hz"), [(10, 520), (50, 1_800), (90, 3_080)])
def test_position_chooses_the_place(position, hz):
    sound = play(program_of(cloud(position=position, size=60, density=40), SWEEP), 0.5, ON)
    assert centroid(sound[4_800:]) == pytest.approx(hz, rel=0.06)


def test_scatter_widens_the_place():
    narrow, wide = (
        Engine(program_of(cloud(position_scatter=width, density=100, size=20), SWEEP))
        for width in (0, 25)
    )
    spread = []
    for engine in (narrow, wide):
        places = []
        engine.render(4_800, ON)
        for _ in range(40):
            engine.render(960)
            places += [grain[0] for grain in engine.look()[0]["grains"]]
        spread.append(np.ptp(places))
    assert spread[0] < 0.02
    assert 0.4 < spread[1] <= 0.52


def test_drift_travels_at_the_recordings_own_pace():
    engine = Engine(program_of(cloud(position=10, motion="speed", drift=1.0), SWEEP))
    engine.render(RATE, ON)
    assert engine.look()[0]["heads"][0][0] == pytest.approx(0.35, abs=0.01)
    back = Engine(program_of(cloud(position=10, motion="speed", drift=-1.0), SWEEP))
    back.render(RATE, ON)
    # it comes round again at the other end
    assert back.look()[0]["heads"][0][0] == pytest.approx(0.85, abs=0.01)


def test_slide_moves_the_position():
    engine = Engine(program_of(moved(cloud(position=40), "slide", "position", 30), SWEEP))
    engine.render(4_800, [*ON, Event("slide", 1, value=1.0, time=64)])
    assert engine.look()[0]["heads"][0][0] == pytest.approx(0.7, abs=0.01)


@pytest.mark.parametrize("density", [2, 10, 50])
def test_density_is_grains_started_a_second(density):
    engine = Engine(program_of(cloud(density=density, size=10, regularity=0), SWEEP))
    engine.render(20 * RATE, ON)
    started = int(engine.section.layers[0].own["counter"].max())
    # a Poisson count of 20 * density: four standard deviations
    assert abs(started - 20 * density) < 4 * np.sqrt(20 * density) + 1


def test_full_regularity_is_even():
    sound = play(program_of(cloud(density=10, size=20, regularity=100), FLAT), 2.0, ON)
    level = np.abs(sound[:, 0])
    starts = np.flatnonzero((level[1:] > 1e-4) & (level[:-1] <= 1e-4))
    gaps = np.diff(starts[1:])
    assert np.ptp(gaps) <= 3
    assert gaps.mean() == pytest.approx(RATE / 10, abs=2)


@pytest.mark.parametrize("size", [10, 100])
def test_size_is_the_length_of_a_grain(size):
    sound = play(program_of(cloud(density=2, size=size, softness=20), FLAT), 0.4, ON)
    sounding = np.flatnonzero(np.abs(sound[:, 0]) > 1e-5)
    assert (sounding[-1] - sounding[0]) / RATE * 1000 == pytest.approx(size, rel=0.06)


def test_backward_grains_fall_where_forward_ones_rise():
    def slope(direction):
        program = program_of(cloud(direction=direction, size=800, density=0.5), SWEEP)
        sound = play(program, 0.8, ON)
        return centroid(sound[19_000:30_000]) - centroid(sound[6_000:17_000])

    assert slope(0) > 150
    assert slope(100) < -150


def test_pitch_and_fine_add_up():
    tone = material_of(sine(440.0, 4.0))
    sound = play(program_of(cloud(pitch=-12, fine=50, size=2_000, density=0.5), tone), 1.5, ON)
    assert centroid(sound[9_600:50_000]) == pytest.approx(220 * 2 ** (0.5 / 12), rel=0.01)


def test_density_hardly_changes_loudness():
    """More grains at once add in power, which the layer makes up for."""
    noise = material_of(np.random.default_rng(1).normal(0, 0.1, (4 * RATE, 2)))
    levels = [
        rms(play(program_of(cloud(position_scatter=40, density=density, size=100, regularity=0),
                            noise), 4.0, ON)[RATE // 2 :])
        for density in (30, 60, 120, 200)
    ]  # fmt: skip
    assert 20 * np.log10(max(levels) / min(levels)) < 1.5


def test_stereo_scatter_keeps_power():
    noise = material_of(np.random.default_rng(1).normal(0, 0.1, (4 * RATE, 1)))
    levels = [
        rms(play(program_of(cloud(position_scatter=40, density=80, stereo_scatter=width), noise),
                 4.0, ON)[RATE // 2 :])
        for width in (0, 50, 100)
    ]  # fmt: skip
    assert 20 * np.log10(max(levels) / min(levels)) < 0.7


def test_level_scatter_only_lowers():
    plain = rms(play(program_of(cloud(level_scatter=0), SWEEP), 1.0, ON))
    scattered = rms(play(program_of(cloud(level_scatter=24), SWEEP), 1.0, ON))
    assert 0.2 * plain < scattered < 0.8 * plain


def test_velocity_and_pressure_move_the_level():
    def level(velocity, pressure=0.0, depth=0.0, pressed=0.0):
        events = [Event("on", 1, 69.0, velocity), Event("pressure", 1, value=pressure)]
        document = cloud(whole={"level": -18})
        moved(document, "velocity", "level", -depth, "inverted")
        moved(document, "pressure", "level", pressed)
        return rms(play(program_of(document, SWEEP), 1.0, events)[RATE // 2 :])

    assert level(0.3) == pytest.approx(level(1.0))
    softer = level(0.5, depth=24) / level(1.0, depth=24)
    assert 20 * np.log10(softer) == pytest.approx(-12.0, abs=0.1)
    raised = level(1.0, pressure=1.0, pressed=6)
    assert 20 * np.log10(raised / level(1.0)) == pytest.approx(6.0, abs=0.1)


def test_a_grain_longer_than_the_sound_is_cut_to_it():
    short = material_of(sine(440.0, 0.05))
    sound = play(program_of(cloud(size=2_000, density=5), short), 1.0, ON)
    assert np.isfinite(sound).all()
    assert np.abs(sound).max() > 0.05


@pytest.mark.parametrize("semitones", [-48.0, 48.0, 96.0])
def test_extreme_bends_stay_finite(semitones):
    events = [*ON, Event("bend", 1, value=semitones, time=640)]
    sound = play(program_of(cloud(position_scatter=50, pitch=36), SWEEP), 0.5, events)
    assert np.isfinite(sound).all()
