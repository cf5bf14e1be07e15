"""Stretching, shifting, retuning and formants against known signals and outside libraries."""

from __future__ import annotations

import librosa
import numpy as np
import parselmouth
import pytest
import scipy.signal

from innerbloom.core.analysis.track import pitch_track
from innerbloom.core.errors import BloomError
from innerbloom.core.process.notes import find_notes, tune_notes
from innerbloom.core.process.retune import nearest_in_scale, retune
from innerbloom.core.process.shift import shift_pitch
from innerbloom.core.process.stft import hann, istft, stft
from innerbloom.core.process.stretch import stretch
from innerbloom.core.process.tone import sound_tone, tone_cycle
from innerbloom.core.process.varispeed import read_at
from innerbloom.demo.recordings import RECORDINGS, synthesise
from tests.sounds import RATE, cents, db, gliding_tone, hz_near, shaped, vowel

# what librosa compiles is spoilt when two processes keep it at once, so one does all of it

RNG = np.random.default_rng(8)
T = np.arange(2 * RATE) / RATE
CHORD = (110 * 2 ** (0.23 / 12), 138.59 * 2 ** (-0.31 / 12), 164.81 * 2 ** (0.18 / 12))


def demo(stem: str, seconds: float = 3.0) -> tuple[np.ndarray, int]:
    found = next(one for one in RECORDINGS if one.stem == stem)
    return synthesise(found).astype(np.float32)[: round(seconds * found.rate)], found.rate


# -- short-time spectra -----------------------------------------------------------------


def test_hann_overlap_add():
    """Allen & Rabiner 1977: periodic Hann sums to 2 at N/4; squared to 1.5 (Griffin & Lim)."""
    window = hann(1024)
    assert np.allclose(window, scipy.signal.get_window("hann", 1024), atol=1e-6)
    for power, wanted in ((1, 2.0), (2, 1.5)):
        total = sum(np.roll(window**power, 256 * k) for k in range(4))
        assert np.allclose(total, wanted, atol=1e-5)


def test_stft_round_trip():
    noise = RNG.standard_normal(20_000).astype(np.float32)
    again = istft(stft(noise, 2048, 512), 2048, 512, len(noise))
    assert db(np.abs(again - noise).max()) < -100


def test_stft_agrees_with_scipy():
    noise = RNG.standard_normal(8_192).astype(np.float32)
    ours = stft(noise, 1024, 256)
    window = scipy.signal.get_window("hann", 1024)
    theirs = scipy.signal.ShortTimeFFT(window, 256, 1.0, phase_shift=None)
    other = theirs.stft(noise, p0=0, p1=20).T
    assert np.allclose(np.abs(ours[2:18]), np.abs(other[2:18]), atol=1e-3)


# -- stretching -------------------------------------------------------------------------


@pytest.mark.parametrize(
    "stem", ["rain-on-glass", "bowed-wire", "kettle-lid", "pebbles-under-water"]
)
def test_a_stretch_by_one_is_transparent(stem):
    samples, rate = demo(stem)
    assert db(np.abs(stretch(samples, rate, 1.0) - samples).max() / np.abs(samples).max()) < -60


@pytest.mark.parametrize("ratio", [0.25, 0.7, 1.5, 3.0, 8.0])
def test_length_and_pitch_of_a_stretched_tone(ratio):
    """librosa's phase vocoder gives round(n / rate) frames; the tone stays within 2 cents."""
    tone = shaped(0.3 * np.sin(2 * np.pi * 333.3 * T))
    out = stretch(tone, RATE, ratio)
    assert len(out) == round(len(tone) * ratio)
    theirs = librosa.effects.time_stretch(tone[:, 0], rate=1 / ratio)
    assert abs(len(out) - len(theirs)) <= 1
    middle = out[len(out) // 5 : -len(out) // 5]
    assert abs(cents(hz_near(middle, 333.3), 333.3)) < 2
    assert db(np.std(middle) / np.std(tone)) == pytest.approx(0, abs=0.3)


def flutter(samples: np.ndarray, rate: int) -> float:
    """Spread of the level in dB between 50 ms stretches."""
    frames = len(samples) // (rate // 20)
    level = np.mean(samples[: frames * (rate // 20), 0].reshape(frames, -1) ** 2, axis=1)
    return float(np.std(10 * np.log10(level[2:-2] + 1e-12)))


def test_a_steady_tone_does_not_flutter_when_stretched():
    tone = shaped(gliding_tone(np.full(len(T), 110.0)))
    for ratio in (2.0, 8.0):
        assert flutter(stretch(tone, RATE, ratio), RATE) < 0.3


def test_noise_stays_noise_and_as_loud():
    """No phasiness: a Gaussian's kurtosis is 3, before and after; the level holds in a dB."""
    noise = shaped(0.1 * RNG.standard_normal(3 * RATE))
    for ratio in (0.5, 2.0, 8.0):
        out = stretch(noise, RATE, ratio)[RATE // 4 : -RATE // 4, 0].astype(float)
        assert abs(db(np.std(out) / 0.1)) < 1.2
        assert np.mean((out / out.std()) ** 4) == pytest.approx(3.0, abs=0.25)
        assert flutter(out[:, None], RATE) < 1.0


def clicks(at: np.ndarray, seconds: float) -> np.ndarray:
    out = 1e-4 * RNG.standard_normal(round(seconds * RATE))
    for moment in at:
        n = round(0.03 * RATE)
        start = round(moment * RATE)
        out[start : start + n] += RNG.standard_normal(n) * np.exp(-np.arange(n) / (0.004 * RATE))
    return shaped(0.3 * out)


def rise_ms(samples: np.ndarray) -> float:
    """Time from a tenth of the way to the peak, of the loudest attack."""
    level = np.sqrt(np.convolve(samples[:, 0].astype(float) ** 2, np.ones(48) / 48, "same"))
    peak = int(level.argmax())
    before = np.flatnonzero(level[:peak] < 0.1 * level[peak])
    return 1e3 * (peak - before[-1]) / RATE


def test_beginnings_stay_sharp():
    struck = clicks(np.array([0.4, 1.0, 1.7]), 2.2)
    sharp, soft = (stretch(struck, RATE, 3.0, sharp=keep) for keep in (True, False))
    assert rise_ms(sharp) < rise_ms(struck) + 6
    assert rise_ms(soft) > 2 * rise_ms(sharp)


# -- shifting ---------------------------------------------------------------------------


@pytest.mark.parametrize("semitones", [-12, -5, 0.37, 7])
def test_shift_lands_on_pitch_and_keeps_the_length(semitones):
    tone = shaped(gliding_tone(np.full(len(T), 220.0)))
    out = shift_pitch(tone, RATE, semitones)
    assert out.shape == tone.shape
    wanted = 220 * 2 ** (semitones / 12)
    assert abs(cents(hz_near(out[RATE // 3 : -RATE // 3], wanted), wanted)) < 2


def formants(samples: np.ndarray) -> np.ndarray:
    """First two formants in Hz by Praat (Burg, five poles up to 5.5 kHz)."""
    found = parselmouth.Sound(samples.reshape(-1).astype(float), RATE).to_formant_burg(
        0.01, 5, 5_500
    )
    times = np.arange(0.4, 1.6, 0.01)
    return np.array([np.nanmedian([found.get_value_at_time(i, t) for t in times]) for i in (1, 2)])


@pytest.mark.parametrize("semitones", [5, -5])
def test_formants_are_kept_within_five_per_cent(semitones):
    """Praat hears the same formants; without keeping them they move along."""
    sung = shaped(vowel(110.0))
    kept = shift_pitch(sung, RATE, semitones, formants="kept")
    assert formants(kept) == pytest.approx(formants(sung), rel=0.05)
    moved = shift_pitch(sung, RATE, semitones)
    assert formants(moved)[0] / formants(sung)[0] == pytest.approx(2 ** (semitones / 12), rel=0.08)


def test_formants_on_their_own():
    sung = shaped(vowel(110.0))
    out = shift_pitch(sung, RATE, 0, formants="on their own", formant_semitones=3)
    assert formants(out) / formants(sung) == pytest.approx(2 ** (3 / 12), rel=0.06)
    before, after = pitch_track(sung, RATE), pitch_track(out, RATE)
    both = before.voiced & after.voiced
    assert both.sum() > 50
    assert abs(np.median(1200 * np.log2(after.hz[both] / before.hz[both]))) < 5


# -- pulling to pitch -------------------------------------------------------------------


def test_pulled_to_the_nearest_note_within_three_cents():
    for hz in (97.3, 228.0, 451.7):
        tone = shaped(gliding_tone(np.full(len(T), hz)))
        wanted = 440 * 2 ** ((round(69 + 12 * np.log2(hz / 440)) - 69) / 12)
        out = retune(tone, RATE)
        assert abs(cents(hz_near(out, wanted), wanted)) < 3


@pytest.mark.parametrize("keep_time", [False, True])
def test_drift_goes_and_vibrato_stays(keep_time):
    seconds = np.arange(4 * RATE) / RATE
    hz = 220 * 2 ** ((0.3 + 0.3 * seconds / 4 + 0.2 * np.sin(2 * np.pi * 5.5 * seconds)) / 12)
    samples = shaped(gliding_tone(hz))
    kept = retune(samples, RATE, keep_time=keep_time)
    flat = retune(samples, RATE, keep_time=keep_time, keep_vibrato=False)
    for out, least, most in ((kept, 10, 15), (flat, 0, 5)):
        notes = pitch_track(out, RATE).notes[25:-25]
        assert np.nanmean(notes) == pytest.approx(57.0, abs=0.03)
        assert least <= 100 * np.nanstd(notes) <= most
        assert abs(np.nanmean(notes[:100]) - np.nanmean(notes[-100:])) < 0.08
    assert (len(kept) == len(samples)) == keep_time


def test_to_a_given_note_and_to_a_scale():
    tone = shaped(gliding_tone(np.full(len(T), 233.1)))  # A sharp
    out = retune(tone, RATE, target="a note", note=60.0)
    assert abs(cents(hz_near(out, 261.63), 261.6256)) < 3
    out = retune(tone, RATE, target="a scale", scale="major pentatonic", note=60.0)
    assert min(abs(cents(hz_near(out, hz), hz)) for hz in (220.0, 261.6256)) < 3


def test_nearest_in_scale():
    notes = np.array([60.4, 61.4, 66.0, 70.6])
    assert nearest_in_scale(notes, "major", 60).tolist() == [60, 62, 65, 71]
    lift = 12 * np.log2(432 / 440)
    assert nearest_in_scale(notes, tuning=432.0) == pytest.approx(np.round(notes - lift) + lift)


def test_noise_cannot_be_pulled():
    with pytest.raises(BloomError, match="no clear pitch"):
        retune(shaped(0.1 * RNG.standard_normal(RATE)), RATE)


# -- notes at once ----------------------------------------------------------------------


def chord() -> np.ndarray:
    t = np.arange(5 * RATE) / RATE
    voices = [sum(np.sin(2 * np.pi * k * hz * t + k) / k for k in range(1, 8)) for hz in CHORD]
    return shaped(0.1 * sum(voices))


def test_notes_of_a_chord_are_found_and_each_tuned():
    samples = chord()
    found = find_notes(samples, RATE)
    assert [one.hz for one in found.notes] == pytest.approx(CHORD, rel=6e-4)
    out = tune_notes(samples, RATE)
    for hz, wanted in zip(CHORD, (110.0, 138.5913, 164.8138), strict=True):
        assert abs(cents(hz_near(out, hz), wanted)) < 3
    half = tune_notes(samples, RATE, amount=0.5)
    assert cents(hz_near(half, CHORD[0]), 110.0) == pytest.approx(11.5, abs=2)


def test_what_cannot_be_separated_is_said():
    for samples in (0.1 * RNG.standard_normal(2 * RATE), np.zeros(RATE)):
        with pytest.raises(BloomError):
            tune_notes(shaped(samples), RATE)


# -- reading and tones ------------------------------------------------------------------


def test_varispeed_is_two_to_the_semitones_over_twelve():
    """Ratio 2**(s/12) (equal temperament); images and aliases below -70 dB."""
    tone = shaped(0.5 * np.sin(2 * np.pi * 1_000 * T))
    speed = 2 ** (3 / 12)
    out = read_at(tone, np.arange(RATE) * speed)
    assert abs(cents(hz_near(out, 1_000 * speed), 1_000 * speed)) < 0.05
    spectrum = np.abs(np.fft.rfft(out[2_000:-2_000, 0] * np.blackman(RATE - 4_000)))
    peak = spectrum.argmax()
    spectrum[peak - 8 : peak + 9] = 0
    assert db(spectrum.max() / np.abs(np.fft.rfft(np.blackman(RATE - 4_000)))[0] / 0.25) < -70


def test_reading_faster_does_not_alias():
    high = shaped(0.5 * np.sin(2 * np.pi * 17_000 * T))
    out = read_at(high, np.arange(RATE // 2) * 2.0)
    # away from where the tone begins and ends
    assert db(np.std(out[100:-100]) / np.std(high)) < -60


@pytest.mark.parametrize("note", [28, 45.37, 60, 79])
@pytest.mark.parametrize("cycles", [1, 3])
def test_a_tone_of_anything_is_in_tune_to_a_cent(note, cycles):
    """f = rate / length: a loop of n cycles repeats at f / n, and its n-th partial is the note."""
    hz = 440 * 2 ** ((note - 69) / 12)
    noise = shaped(0.2 * RNG.standard_normal(RATE))
    turn, length = tone_cycle(noise, RATE, 9_000, hz, cycles)
    assert length == pytest.approx(cycles * RATE / hz)
    samples, loop = sound_tone(turn, length, RATE, 2.0)
    turns = round(loop.end / length)
    assert abs(cents(turns * cycles * RATE / loop.end, hz)) < 0.05
    # the loop goes on without a jump
    steps = np.abs(np.diff(samples[:, 0]))
    assert abs(samples[0, 0] - samples[-1, 0]) <= steps.max()


@pytest.mark.parametrize("ratio", [0.5, 2.0, 4.0])
def test_an_offset_far_above_the_sound_leaves_numbers(ratio):
    """A running sum in single precision loses what lies 140 dB below its beginning."""
    noise = 1e-7 * np.random.default_rng(1).standard_normal(RATE // 2)
    found = stretch((0.9 + noise).astype(np.float32)[:, None], RATE, ratio)
    assert np.isfinite(found).all()
