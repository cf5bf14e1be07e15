"""Playing wavetables: clean at every pitch, even while they move, are restarted or bent."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal.windows import kaiser

from innerbloom.core.engine import DELAY, Engine, compile_program
from innerbloom.core.engine.telemetry import arrivals
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.wavetable.prepared import (
    WavetableRequest,
    build_wavetable,
    harmonics_of,
)
from innerbloom.core.performance.events import Event
from tests.engines import RATE, click_db, layered

RNG = np.random.default_rng(6)
K = np.arange(1, 1024)
SAW = -2j / (np.pi * K)[None, :]
EVERY_SECOND_OCTAVE = [12, 30, 48, 66, 84, 102, 120]
"""C0 to C9 in steps of an octave and a half."""


def hz(note: float) -> float:
    """ISO 16."""
    return 440.0 * 2 ** ((note - 69) / 12)


def engine_for(spectra, routes=(), modulators=(), **wave):
    layer = {"kind": "wave", "shape": "table", "sounds": [{"path": "t.wav"}], "level": -12, **wave}
    document = layered(layer, routes=routes, modulators=modulators)
    table = build_wavetable(spectra)
    held = HeldMaterials(answers={WavetableRequest: lambda _: table})
    return Engine(compile_program(document, held))


def note_of(spectra, note, seconds=1.2, **wave):
    engine = engine_for(spectra, **wave)
    sound = engine.render(round(seconds * RATE), [Event("on", 1, float(note), 0.8)])
    return sound[RATE // 5 :, 0].astype(np.float64)


def beside_db(sound, note):
    """The loudest of all that is no harmonic of the note, against the loudest partial."""
    spectrum = np.abs(np.fft.rfft(sound * kaiser(len(sound), 38)))
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    width = 14 * RATE / len(sound)
    near = np.abs(at - hz(note) * np.round(at / hz(note))) < width
    near |= at < width
    assert not near.all()
    return 20 * np.log10(spectrum[~near].max() / spectrum.max())


@pytest.mark.parametrize("note", EVERY_SECOND_OCTAVE)
def test_a_table_of_all_harmonics_alike_aliases_90_db_down(note):
    """The hardest table there is: 1023 harmonics of one level, at any phase."""
    flat = np.exp(2j * np.pi * RNG.random((1, 1023))) / 64
    assert beside_db(note_of(flat, note, seconds=4.2), note) < -90


@pytest.mark.parametrize("note", EVERY_SECOND_OCTAVE)
def test_while_its_position_moves_it_is_the_sum_of_its_partials(note):
    """Against additive synthesis of the same harmonics in double precision."""
    frames = 24
    levels = 0.1 + np.abs(np.sin(np.linspace(0, 7, frames)[:, None] * (0.3 + 0.01 * K)))
    phases = np.exp(2j * np.pi * RNG.random(1023))
    spectra = levels * phases / K / 8
    engine = engine_for(
        spectra, routes=[{"source": "m:m1", "parameter": "frame", "depth": 48.0}],
        modulators=[{"kind": "lfo", "rate": 0.8, "wave": "triangle"}], frame=50,
    )  # fmt: skip
    ticks = RATE // 64
    sound, at = [], []
    for tick in range(ticks):
        sound.append(engine.render(64, [Event("on", 1, float(note), 1.0)] if tick == 0 else ()))
        at.append(arrivals(engine).values[0])
    played = np.concatenate(sound)[DELAY:, 0].astype(np.float64)
    # the place goes straight from tick to tick; the output lags by the limiter's look-ahead
    place = np.interp(np.arange(len(played)) / 64 + 1 / 64, np.arange(ticks) + 1, at) * 0.01 * 23
    held = int(0.5 * RATE / hz(note) * 2 ** (-1 / 3))
    k = K[: max(1, min(held, 400, harmonics_of(0)))]
    wanted = np.zeros(len(played))
    t = np.arange(len(played)) / RATE
    for number in k:
        amount = np.interp(place, np.arange(frames), levels[:, number - 1]) / number / 8
        wanted += amount * np.cos(2 * np.pi * number * hz(note) * t + np.angle(phases[number - 1]))
    # what lies above is either in the table's next level or not: leave it out of both
    top = max(len(k) * hz(note) - 60, 1.5 * hz(note))
    inside = slice(RATE // 4, 3 * RATE // 4)
    window = kaiser(RATE // 2, 30)
    one, other = (np.fft.rfft(x[inside] * window) for x in (played, wanted))
    low = np.fft.rfftfreq(RATE // 2, 1 / RATE) < top
    scale = np.vdot(other[low], one[low]) / np.vdot(other[low], other[low])
    error = np.abs(one[low] - scale * other[low]).max() / np.abs(one[low]).max()
    assert 20 * np.log10(error) < -90
    assert abs(np.angle(scale)) < 1e-3


def test_passing_frames_makes_no_click_and_keeps_the_level():
    """Frames of equal level and one set of phases, each its own harmonic above a common one."""
    spectra = np.zeros((16, 1023), complex)
    for i in range(16):
        spectra[i, [0, 1 + i % 5]] = [-0.6j, -0.3j]
    engine = engine_for(
        spectra, routes=[{"source": "m:m1", "parameter": "frame", "depth": 50.0}],
        modulators=[{"kind": "lfo", "rate": 0.5, "wave": "triangle"}], frame=50,
    )  # fmt: skip
    sound = engine.render(4 * RATE, [Event("on", 1, 45.0, 0.8)])[RATE // 5 :]
    assert click_db(sound) < -75


def test_a_sweep_of_frames_of_equal_level_stays_within_a_db():
    rows = RNG.random((32, 40)) + 0.4
    smooth = np.stack([np.convolve(rows[:, h], np.ones(5) / 5, "same") for h in range(40)], 1)
    spectra = np.zeros((32, 1023), complex)
    spectra[:, :40] = smooth[:, :] * np.exp(2j * np.pi * RNG.random(40)) / (1 + np.arange(40))
    spectra /= np.sqrt((np.abs(spectra) ** 2).sum(axis=1, keepdims=True)) * 3
    engine = engine_for(
        spectra, routes=[{"source": "m:m1", "parameter": "frame", "depth": 50.0}],
        modulators=[{"kind": "lfo", "rate": 0.4, "wave": "triangle"}], frame=50,
    )  # fmt: skip
    sound = engine.render(3 * RATE, [Event("on", 1, 57.0, 0.8)])[RATE // 5 :, 0]
    blocks = sound[: len(sound) // 4_800 * 4_800].reshape(-1, 4_800).astype(np.float64)
    level = 20 * np.log10(np.sqrt((blocks**2).mean(axis=1)))
    assert np.ptp(level) < 1.0


BENT = [{"lean": 60.0}, {"squeeze": -80.0}, {"mirror": 100.0}, {"lean": -100.0, "mirror": 40.0}]


@pytest.mark.parametrize("wave", BENT, ids=str)
@pytest.mark.parametrize("note", [36, 60, 84, 108])
def test_a_bent_phase_aliases_90_db_down(wave, note):
    assert beside_db(note_of(SAW, note, **wave), note) < -90


@pytest.mark.parametrize("detune", [0.0, 730.0, 2_900.0])
@pytest.mark.parametrize("note", [36, 60, 84, 108, 120])
def test_a_restarted_wave_aliases_90_db_down(detune, note):
    wave = {"sync": "with the note", "sync_detune": detune}
    assert beside_db(note_of(SAW, note, **wave), note) < -90


def test_a_restarted_wave_has_the_spectrum_of_its_formula():
    """A sine of r periods cut off by the note's: c_n = (e^(2 pi i r) - 1) / (2 pi i (r - n)) / 2i
    and its conjugate's part (Fourier series, by integration)."""
    ratio = 2 ** (730 / 1200)
    sine = np.zeros((1, 1023), complex)
    sine[0, 0] = -1j
    wave = {"sync": "with the note", "sync_detune": 730.0}
    sound = note_of(sine, 45, seconds=2.2, **wave)
    spectrum = np.abs(np.fft.rfft(sound * kaiser(len(sound), 20)))
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    n = np.arange(1, 40)
    got = [spectrum[np.abs(at - k * hz(45)) < 5].max() for k in n]
    plus = (np.exp(2j * np.pi * ratio) - 1) / (2j * np.pi * (ratio - n))
    minus = (np.exp(-2j * np.pi * ratio) - 1) / (2j * np.pi * (-ratio - n))
    wanted = np.abs((plus - minus) / 2j)
    off = 20 * np.log10(got / wanted)
    # the crossing over of each restart takes a little off the top
    assert np.ptp(off[:20]) < 0.3
    assert np.ptp(off) < 1.0


def test_lean_is_phase_modulation_by_the_period_itself():
    """Bessel functions of the index (Chowning 1973): harmonic n of a sine is J_(n-1) - J_(n+1)…"""
    from scipy.special import jv

    sine = np.zeros((1, 1023), complex)
    sine[0, 0] = -1j
    sound = note_of(sine, 57, seconds=2.2, lean=40.0)
    spectrum = np.abs(np.fft.rfft(sound * kaiser(len(sound), 20)))
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    n = np.arange(1, 7)
    got = np.array([spectrum[np.abs(at - k * hz(57)) < 5].max() for k in n])
    index = 2.5 * 0.4
    # sin(x + I sin x) = sum over m of J_m(I) sin((1 + m) x)
    wanted = np.abs(jv(n - 1, index) - (-1.0) ** (n + 1) * jv(n + 1, index))
    np.testing.assert_allclose(
        20 * np.log10(got / got[0]), 20 * np.log10(wanted / wanted[0]), atol=0.1
    )


@pytest.mark.parametrize("wave", [{}, {"lean": 30.0}])
def test_unison_spreads_pitch_and_place_evenly(wave):
    sine = np.zeros((1, 1023), complex)
    sine[0, 0] = -1j
    engine = engine_for(sine, unison=5, unison_detune=40.0, unison_width=100.0, **wave)
    sound = engine.render(4 * RATE, [Event("on", 1, 81.0, 0.8)])[RATE // 2 :].astype(np.float64)
    window = kaiser(len(sound), 14)
    left, right = (np.abs(np.fft.rfft(sound[:, c] * window, 4 * len(sound))) for c in (0, 1))
    at = np.fft.rfftfreq(4 * len(sound), 1 / RATE)
    found = []
    for cents in (-40, -20, 0, 20, 40):
        near = np.abs(at - 880 * 2 ** (cents / 1200)) < 1.0
        found.append((left[near].max(), right[near].max()))
    found = np.array(found)
    power = (found**2).sum(axis=1)
    np.testing.assert_allclose(power, power[2], rtol=0.02)
    # constant power (Pulkki 1997): tan of the angle from left to right
    angles = np.arctan2(found[:, 1], found[:, 0])
    np.testing.assert_allclose(angles, np.linspace(0, np.pi / 2, 5), atol=0.02)


def test_a_wave_that_goes_on_begins_where_it_was():
    sine = np.zeros((1, 1023), complex)
    sine[0, 0] = -1j
    events = [Event("on", 1, 60.0, 1.0), Event("off", 1, time=RATE // 2),
              Event("on", 2, 60.0, 1.0, RATE)]  # fmt: skip
    starts = {}
    for begins in ("at its phase", "where it was"):
        engine = engine_for(sine, begins=begins, attack=0.5)
        sound = engine.render(RATE + 4_800, events)
        starts[begins] = [sound[at + 64 + 200 : at + 64 + 600, 0] for at in (0, RATE)]
    first, second = starts["at its phase"]
    np.testing.assert_allclose(first, second, atol=1e-4)
    first, second = starts["where it was"]
    assert np.abs(first - second).max() > 0.01
