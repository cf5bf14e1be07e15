"""What may stand in for a root that is not clear: one partial that lasts and holds much."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.analysis.examine import examine
from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.partial import lasting_partial
from innerbloom.core.analysis.pitch import FRAME, RATE
from tests.recordings import ALSA

RNG = np.random.default_rng(553)
FREE_BAR = (1.0, 2.756, 5.404, 8.933)
"""Partials of a bar that is free at both ends (N. H. Fletcher and T. D. Rossing, "The Physics of
Musical Instruments", from memory)."""


def frames_of(mono):
    padded = np.pad(np.asarray(mono, np.float32), (0, max(0, FRAME - len(mono))))
    return np.lib.stride_tricks.sliding_window_view(padded, FRAME)[:: FRAME // 2].copy()


def struck(hz, ratios, decay_s=0.8, strike=0.02, seconds=1.5, rate=RATE):
    """Inharmonic partials after a short burst of noise."""
    t = np.arange(round(seconds * rate)) / rate
    tone = sum(np.exp(-t * (1 + k) / decay_s) * np.sin(2 * np.pi * hz * r * t) / (1 + k) ** 2
               for k, r in enumerate(ratios))  # fmt: skip
    return tone + strike * RNG.standard_normal(len(t)) * np.exp(-t / 0.01)


@pytest.mark.parametrize("hz", [67.0, 190.0, 553.0, 1_234.0])
def test_a_bar_offers_its_strongest_partial(hz):
    found = lasting_partial(frames_of(struck(hz, FREE_BAR)))
    assert abs(1200 * np.log2(found.hz / hz)) < 10
    assert 0.25 <= found.share <= 1.0


@given(st.floats(60, 3_000), st.floats(0.05, 0.9))
def test_the_share_is_that_of_the_energy(hz, level):
    """By definition: a sine of amplitude a in noise of deviation s holds a²/2 of a²/2 + s²."""
    t = np.arange(2 * RATE) / RATE
    deviation = 0.1 * level
    sound = level * np.sin(2 * np.pi * hz * t) + deviation * RNG.standard_normal(len(t))
    wanted = level**2 / 2 / (level**2 / 2 + deviation**2)
    assert lasting_partial(frames_of(sound)).share == pytest.approx(wanted, abs=0.03)


@pytest.mark.parametrize("colour", [0, 1, 2])
def test_noise_offers_none(colour):
    spectrum = np.fft.rfft(RNG.standard_normal(4 * RATE))
    hz = np.maximum(np.fft.rfftfreq(4 * RATE, 1 / RATE), 20.0)
    noise = np.fft.irfft(spectrum / hz ** (colour / 2))
    assert lasting_partial(frames_of(noise)) is None


def test_silence_and_nothing_offer_none():
    assert lasting_partial(np.zeros((4, FRAME), np.float32)) is None
    assert lasting_partial(np.zeros((0, FRAME), np.float32)) is None


def test_real_noise_offers_none():
    if not (ALSA / "Noise.wav").is_file():
        pytest.skip("the package alsa-utils is not installed")
    samples, rate = sf.read(ALSA / "Noise.wav", dtype="float32", always_2d=True)
    assert lasting_partial(frames_of(mono_at(samples, rate, RATE))) is None


def test_a_clear_root_needs_no_other(tmp_path):
    t = np.arange(48_000) / 48_000
    sf.write(tmp_path / "tone.wav", 0.3 * np.sin(2 * np.pi * 220 * t), 48_000)
    told = examine(tmp_path / "tone.wav").summary()
    assert told["root_hz"] == pytest.approx(220, abs=0.2)
    assert told["partial_hz"] is None


def test_a_drum_has_a_root_or_a_partial(tmp_path):
    """A membrane's modes (Fletcher & Rossing, from memory) after a stroke that hisses."""
    drum = struck(67.0, (1.0, 1.594, 2.136, 2.296), decay_s=0.25, strike=1.0, rate=48_000)
    sf.write(tmp_path / "drum.wav", 0.4 * drum, 48_000, subtype="FLOAT")
    found = examine(tmp_path / "drum.wav")
    hz = found.root_hz or found.summary()["partial_hz"]
    assert abs(1200 * np.log2(hz / 67.0)) < 35
