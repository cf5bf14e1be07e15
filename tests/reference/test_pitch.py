"""Root detection against signals of known pitch, Praat, and recordings without a pitch."""

from __future__ import annotations

import math

import numpy as np
import parselmouth
import pytest

from innerbloom.core.analysis.examine import examine
from innerbloom.core.pitch_names import hz_to_note, note_name, note_to_hz
from tests.conftest import RATE

T = np.arange(2 * RATE) / RATE


def test_equal_temperament():
    """ISO 16: A4 = 440 Hz; f = 440 * 2^((m-69)/12); MIDI 1.0 note 60 = 261.6256 Hz."""
    assert note_to_hz(69) == 440.0
    assert note_to_hz(60) == pytest.approx(261.6256, abs=5e-5)
    assert hz_to_note(note_to_hz(48.25)) == pytest.approx(48.25)
    # open strings of a guitar, equal temperament
    for hz, name in ((82.41, "E2"), (110.0, "A2"), (146.83, "D3"), (196.0, "G3")):
        found, cents = note_name(hz_to_note(hz))
        assert found == name
        assert abs(cents) < 0.2


def sine(hz, rng):
    return np.sin(2 * np.pi * hz * T)


def bright(hz, rng):
    return sum(
        np.sin(2 * np.pi * k * hz * T + rng.uniform(0, 6)) / k
        for k in range(1, 30)
        if k * hz < 20_000
    )


def decaying(hz, rng):
    return sum(
        np.sin(2 * np.pi * k * hz * T) * np.exp(-1.5 * k * T) / k
        for k in range(1, 12)
        if k * hz < 20_000
    )


def vibrato(hz, rng):
    # five a second, a fifth of a semitone either way
    phase = 2 * np.pi * hz * T + hz * (2 ** (0.2 / 12) - 1) / 5 * np.sin(2 * np.pi * 5 * T)
    return sum(np.sin(k * phase) / k for k in range(1, 10) if k * hz < 18_000)


def in_noise(hz, rng):
    return bright(hz, rng) + 0.1 * rng.standard_normal(len(T))


def without_fundamental(hz, rng):
    return sum(np.sin(2 * np.pi * k * hz * T) / k for k in range(2, 12) if k * hz < 20_000)


NOTES = [sine, bright, decaying, vibrato, in_noise]


def found_root(write_wav, samples):
    samples = 0.3 * samples / np.abs(samples).max()
    return examine(write_wav(samples)).root_hz


def test_roots_of_clean_notes(write_wav):
    """At least 95 % within 10 cents from 50 Hz to 2 kHz, and at most 3 % octave errors."""
    rng = np.random.default_rng(11)
    off = []
    for hz in np.geomspace(50, 2_000, 24):
        for make in NOTES:
            hz_here = hz * 2 ** (rng.uniform(-0.5, 0.5) / 12)
            root = found_root(write_wav, make(hz_here, rng))
            off.append(math.inf if root is None else abs(1200 * math.log2(root / hz_here)))
    off = np.array(off)
    assert np.mean(off <= 10) >= 0.95
    assert np.mean((off > 1_100) & np.isfinite(off)) <= 0.03


@pytest.mark.parametrize("hz", [82.41, 220.0, 392.0])
def test_a_missing_fundamental_is_still_the_root(write_wav, hz):
    root = found_root(write_wav, without_fundamental(hz, np.random.default_rng(1)))
    assert abs(1200 * math.log2(root / hz)) < 10


@pytest.mark.parametrize("hz", [61.7, 123.4, 246.9, 440.0, 587.3])
@pytest.mark.parametrize("make", [bright, decaying, vibrato])
def test_roots_agree_with_praat(write_wav, make, hz):
    """praat-parselmouth: median of the autocorrelation method (Boersma 1993)."""
    samples = make(hz, np.random.default_rng(2))
    pitch = parselmouth.Sound(samples / np.abs(samples).max(), RATE).to_pitch_ac(
        pitch_floor=45.0, pitch_ceiling=1_000.0
    )
    values = pitch.selected_array["frequency"]
    praat = np.median(values[values > 0])
    assert abs(1200 * math.log2(found_root(write_wav, samples) / praat)) < 10


def white(rng, spectrum, hz):
    return spectrum


def pink(rng, spectrum, hz):
    return spectrum / np.sqrt(np.maximum(hz, 1))


def brown(rng, spectrum, hz):
    return spectrum / np.maximum(hz, 1)


def narrow(rng, spectrum, hz):
    centre = rng.uniform(150, 5_000)
    return spectrum * np.exp(-((np.log2(np.maximum(hz, 1) / centre) / 0.4) ** 2))


def test_noises_have_no_root(write_wav):
    """At least 95 % of white, pink, brown and band noises are said to have no clear pitch."""
    rng = np.random.default_rng(21)
    hz = np.fft.rfftfreq(3 * RATE, 1 / RATE)
    claimed = 0
    for colour in [white, pink, brown, narrow] * 15:
        spectrum = np.fft.rfft(rng.standard_normal(3 * RATE))
        claimed += found_root(write_wav, np.fft.irfft(colour(rng, spectrum, hz))) is not None
    assert claimed <= 3


def test_scattered_clicks_and_drops_have_no_root(write_wav):
    rng = np.random.default_rng(4)
    samples = np.zeros(3 * RATE)
    for at in rng.integers(0, len(samples) - 2_000, 90):
        decay = np.exp(-np.arange(2_000) / 250)
        samples[at : at + 2_000] += decay * np.sin(
            2 * np.pi * rng.uniform(400, 5_000) * np.arange(2_000) / RATE
        )
    assert found_root(write_wav, samples) is None


def test_confidence_falls_with_noise(write_wav):
    rng = np.random.default_rng(9)
    tone, noise = bright(220.0, rng), rng.standard_normal(len(T))
    confidence = [
        examine(write_wav(0.1 * (tone + amount * noise))).confidence for amount in (0, 0.2, 0.6)
    ]
    assert confidence[0] > 0.95
    assert confidence[0] > confidence[1] > confidence[2]


def test_tonalness_orders_sounds(write_wav):
    rng = np.random.default_rng(9)
    noise = rng.standard_normal(len(T))
    values = [
        examine(write_wav(0.1 * sound)).tonalness
        for sound in (noise, bright(220.0, rng) + 0.7 * noise, bright(220.0, rng))
    ]
    assert values[0] < 0.15
    assert values[0] < values[1] < values[2]
    assert values[2] > 0.85
