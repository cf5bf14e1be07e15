"""Voices stretched and shifted: they stay voices. Ten of them, eight spoken, two made up."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import parselmouth
import pytest
import soxr
from scipy.signal import welch

from innerbloom.core.materials.spectrum.analyse import analyse, partials_alone
from innerbloom.core.process.pitch_synchronous import pitch_marks
from innerbloom.core.process.shift import shift_pitch
from innerbloom.core.process.stretch import stretch
from innerbloom.core.process.warp import pitch_warp
from tests.recordings import ALSA, folder
from tests.sounds import RATE, gliding_tone, shaped, vowel


def voices():
    """Spoken names without the noise that lies beside them, and two vowels."""
    return [*spoken(), *((shaped(vowel(f0, 1.5)), RATE) for f0 in (110.0, 190.0))]


def spoken():
    return [one for one in folder(ALSA, "alsa-utils") if hnr_db(*one) > 5]


def hnr_db(samples, rate, floor_hz=75.0):
    """Harmonics-to-noise ratio (Boersma 1993), median over what has a pitch, by praat-parselmouth."""
    sound = parselmouth.Sound(samples.reshape(-1).astype(float), rate)
    found = sound.to_harmonicity_cc(minimum_pitch=floor_hz).values
    return float(np.median(found[found > 0])) if np.any(found > 0) else 0.0


def pitches(samples, rate):
    sound = parselmouth.Sound(samples.reshape(-1).astype(float), rate)
    return sound.to_pitch_ac(time_step=0.01, pitch_floor=40, pitch_ceiling=900).selected_array[
        "frequency"
    ]


def bands_db(samples, rate):
    """Long-term spectrum in bands of 600 Hz, wider than harmonics lie apart, to 5 kHz."""
    hz, power = welch(samples.reshape(-1), rate, nperseg=2_048)
    edges = np.arange(200, 5_300, 600.0)
    found = [power[(hz >= a) & (hz < b)].mean() for a, b in pairwise(edges)]
    level = 10 * np.log10(np.array(found) + 1e-15)
    return level - level.mean()


@pytest.mark.parametrize(("ratio", "most"), [(1.25, 3), (2, 3), (4, 4)])
def test_stretched_voices_keep_their_harmonics(ratio, most):
    """Lost before harmonics were followed: 5 to 9, 7 to 17, 8 to 17 dB."""
    lost = [hnr_db(x, rate) - hnr_db(stretch(x, rate, ratio), rate) for x, rate in voices()]
    assert len(lost) >= 10
    assert max(lost) < most


def test_voices_taken_apart_are_partials():
    """Of what has a pitch (Boersma 1993, by praat-parselmouth), partials hold three fifths.

    Before the pitch was followed, 0 to 63 % of the spoken ones.
    """
    for samples, rate in voices():
        x = soxr.resample(samples, rate, RATE) if rate != RATE else samples
        mono = x[:, 0] - x.mean()
        left = mono - partials_alone(analyse(x, RATE, None))
        there = np.repeat(pitches(x, RATE) > 0, RATE // 100)[: len(mono)]
        there = np.pad(there, (0, len(mono) - len(there)))
        assert np.sum(left[there] ** 2) < 0.4 * np.sum(mono[there] ** 2)


@pytest.mark.parametrize(
    ("semitones", "floor_hz"), [(-12, 45.0), (-5, 45.0), (5, 75.0), (12, 150.0)]
)
def test_voices_shifted_with_formants_kept(semitones, floor_hz):
    """Pitch within 10 cents, spectrum within 5 dB in all but one, at most 4 dB of HNR lost; the
    shortest window that still sees the pitch is used, before and after."""
    lost, off, bands = [], [], []
    for x, rate in spoken():
        made = shift_pitch(x, rate, semitones, formants="kept")
        assert made.shape == x.shape
        lost.append(hnr_db(x, rate, min(floor_hz, 75.0)) - hnr_db(made, rate, floor_hz))
        one, other = pitches(x, rate), pitches(made, rate)
        both = min(len(one), len(other))
        voiced = (one[:both] > 0) & (other[:both] > 0)
        cents = 1200 * np.log2(other[:both][voiced] / one[:both][voiced])
        off.append(np.median(cents) - 100 * semitones)
        bands.append(np.abs(bands_db(made, rate) - bands_db(x, rate)).max())
    assert np.abs(off).max() < 10
    assert np.median(lost) < 3
    assert max(lost) < 4
    assert np.mean(np.array(bands) < 5) >= 0.8
    assert max(bands) < 7


@pytest.mark.parametrize("semitones", [-12, -5, 5, 12])
def test_a_shifted_vowel_is_the_vowel_at_that_pitch(semitones):
    """Against the same vowel made at the new pitch: one that moves is less regular the lower."""
    made = shift_pitch(shaped(vowel(190.0, 1.5)), RATE, semitones, formants="kept")
    wanted = shaped(vowel(190.0 * 2 ** (semitones / 12), 1.5))
    assert hnr_db(made, RATE, 45.0) > hnr_db(wanted, RATE, 45.0) - 4
    assert np.abs(bands_db(made, RATE) - bands_db(wanted, RATE)).max() < 5


def test_formants_move_alone():
    """The first two formants of a vowel go up by 4 semitones while its pitch goes down by 5."""
    sound = shaped(vowel(150.0, 1.5))
    made = shift_pitch(sound, RATE, -5, formants="on their own", formant_semitones=4)
    assert np.median(pitches(made, RATE)) == pytest.approx(150 * 2 ** (-5 / 12), rel=0.02)
    found = []
    for one in (sound, made):
        track = parselmouth.Sound(one.reshape(-1).astype(float), RATE).to_formant_burg(
            max_number_of_formants=5, maximum_formant=6_500
        )
        found.append([np.nanmedian([track.get_value_at_time(n, t) for t in np.arange(0.3, 1.2, 0.02)])
                      for n in (1, 2)])  # fmt: skip
    moved = 12 * np.log2(np.array(found[1]) / np.array(found[0]))
    assert moved == pytest.approx(4, abs=1.2)


def test_a_glide_stands_still_once_it_is_warped():
    hz = 200 * 2 ** (np.linspace(0, 1, 2 * RATE))
    sound = shaped(gliding_tone(hz))
    warp = pitch_warp(sound, RATE)
    flat = warp.apply(sound)
    found = pitches(flat, RATE)
    inside = found[found > 0][10:-10]
    assert 1200 * np.log2(np.percentile(inside, 95) / np.percentile(inside, 5)) < 25
    assert np.all(np.diff(warp.warped) >= np.diff(warp.frames) - 1e-6)


def test_marks_lie_a_period_apart():
    hz = 150 * 2 ** (0.3 * np.sin(np.linspace(0, 6, 2 * RATE)))
    sound = shaped(gliding_tone(hz))
    marks = next(pitch_marks(sound, pitch_warp(sound, RATE), RATE))
    wanted = RATE / hz[np.clip(marks.at.astype(int), 0, len(hz) - 1)]
    away = marks.periods[5:-5] / wanted[5:-5]
    assert np.abs(1200 * np.log2(away)).max() < 60
    assert len(marks.at) > 0.9 * hz.sum() / RATE


def test_noise_and_chords_are_not_warped():
    rng = np.random.default_rng(3)
    assert pitch_warp(shaped(0.1 * rng.standard_normal(RATE)), RATE) is None
    assert pitch_warp(np.zeros((RATE, 1), np.float32), RATE) is None
