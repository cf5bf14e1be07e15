"""The pitch track against known glides and against librosa's probabilistic YIN."""

from __future__ import annotations

import librosa
import numpy as np
import pytest

from innerbloom.core.analysis.track import pitch_track, root_of, stability_cents, steadiest
from tests.sounds import RATE, gliding_tone, shaped

# what librosa compiles is spoilt when two processes keep it at once, so one does all of it

T = np.arange(3 * RATE) / RATE
RNG = np.random.default_rng(5)


def curve(kind: str, hz: float) -> np.ndarray:
    octaves = {
        "steady": 0 * T,
        "vibrato": 0.3 / 12 * np.sin(2 * np.pi * 5.5 * T),
        "glide": T / 3 * 4 / 12,
        "drift": 0.2 / 12 * np.sin(2 * np.pi * 0.4 * T),
    }[kind]
    return hz * 2**octaves


def errors(track, hz: np.ndarray) -> np.ndarray:
    """Cents off at voiced moments away from the ends."""
    inside = track.voiced & (track.times > 0.15) & (track.times < 2.85)
    return 1200 * np.log2(track.hz[inside] / np.interp(track.times[inside], T, hz))


@pytest.mark.parametrize("kind", ["steady", "vibrato", "glide", "drift"])
@pytest.mark.parametrize("hz", [62.0, 147.0, 331.0, 880.0])
def test_track_follows_known_curves(kind, hz):
    wanted = curve(kind, hz)
    samples = gliding_tone(wanted) + 0.002 * RNG.standard_normal(len(T))
    track = pitch_track(shaped(samples), RATE)
    off = errors(track, wanted)
    assert len(off) > 200
    assert np.median(np.abs(off)) < (8 if kind == "vibrato" and hz < 80 else 4)
    assert np.mean(np.abs(off) > 50) < 0.02


def test_at_least_as_accurate_as_librosa_pyin():
    """librosa.pyin on the same files (its grid is 10 cents), told the octaves: median and gross errors."""
    ours, theirs = [], []
    for kind in ("vibrato", "glide"):
        wanted = curve(kind, 220.0)
        samples = gliding_tone(wanted) + 0.01 * RNG.standard_normal(len(T))
        ours.append(errors(pitch_track(shaped(samples), RATE), wanted))
        found, _, _ = librosa.pyin(
            samples, fmin=110, fmax=440, sr=RATE, frame_length=4_096, hop_length=480
        )
        times = librosa.times_like(found, sr=RATE, hop_length=480)
        inside = np.isfinite(found) & (times > 0.15) & (times < 2.85)
        theirs.append(1200 * np.log2(found[inside] / np.interp(times[inside], T, wanted)))
    mine, other = np.abs(np.concatenate(ours)), np.abs(np.concatenate(theirs))
    assert np.median(mine) <= np.median(other)
    assert np.mean(mine > 50) <= np.mean(other > 50) + 1e-9


def test_stability_agrees_with_the_curve_and_with_librosa():
    """Standard deviation of a vibrato of depth d is d / sqrt(2); pYIN sees the same."""
    wanted = curve("vibrato", 330.0)
    samples = gliding_tone(wanted)
    found = stability_cents(pitch_track(shaped(samples), RATE))
    assert found == pytest.approx(30 / np.sqrt(2), rel=0.12)
    pyin, _, _ = librosa.pyin(samples, fmin=100, fmax=1_000, sr=RATE, frame_length=4_096)
    notes = 69 + 12 * np.log2(pyin[np.isfinite(pyin)] / 440)
    assert found == pytest.approx(100 * np.std(notes), abs=6)


def test_steadiest_stretch_is_where_nothing_moves():
    """A glide, then a held note: the root comes from the held part."""
    hz = np.where(T < 1.5, 220 * 2 ** ((T - 1.5) * 3 / 12), 220.0)
    best = steadiest(pitch_track(shaped(gliding_tone(hz)), RATE))
    assert best is not None
    assert best.start_s == pytest.approx(1.45, abs=0.15)
    assert best.note == pytest.approx(57.0, abs=0.03)
    assert best.spread_cents < 5


@pytest.mark.parametrize("colour", ["white", "red", "band"])
def test_noise_has_no_root(colour):
    noise = RNG.standard_normal(2 * RATE)
    if colour == "red":
        noise = np.cumsum(noise)
    if colour == "band":
        spectrum = np.fft.rfft(noise)
        hz = np.fft.rfftfreq(len(noise), 1 / RATE)
        noise = np.fft.irfft(spectrum * ((hz > 300) & (hz < 600)))
    noise = 0.3 * noise / np.abs(noise).max()
    assert root_of(pitch_track(shaped(noise), RATE))[0] is None


def test_silence_and_a_single_sample():
    for samples in (np.zeros(RATE), np.ones(1)):
        track = pitch_track(shaped(samples), RATE)
        assert not track.voiced.any()
        assert steadiest(track) is None
        assert stability_cents(track) is None
        assert root_of(track) == (None, 0.0)
