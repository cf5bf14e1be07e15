"""What lies below hearing makes no thump: in recordings, and where saturation leans to one side."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from innerbloom.core.deliver.first_note import first_note, grow_file, program_of
from innerbloom.core.performance.events import Event
from innerbloom.core.sound.dc import without_dc
from tests.conftest import RATE, harmonic_tone
from tests.engines import layered, material_of, play
from tests.engines import program_of as prepared
from tests.sounds import db, shaped


def below_db(sound, hz, rate=RATE):
    """Energy below a frequency against all of it."""
    power = np.abs(np.fft.rfft(sound.reshape(len(sound), -1)[:, 0] * np.hanning(len(sound)))) ** 2
    at = np.fft.rfftfreq(len(sound), 1 / rate) < hz
    return 10 * np.log10(power[at].sum() / power.sum())


@given(st.floats(0.01, 0.5), st.sampled_from([8_000, 44_100, 48_000, 96_000]))
def test_an_offset_goes_and_the_sound_stays(offset, rate):
    tone = shaped(harmonic_tone(220.0, 1.0, rate=rate))
    made = without_dc(tone + np.float32(offset), rate)
    assert abs(made.mean()) < 1e-3
    inside = slice(rate // 5, -rate // 5)
    assert np.abs(made - tone)[inside].max() < 2e-3


@pytest.mark.parametrize("hz", [30.0, 60.0, 440.0])
def test_what_has_none_is_given_back_as_it_is(hz):
    tone = shaped(harmonic_tone(hz, 2.0))
    assert without_dc(tone, RATE) is tone


def test_rumble_below_hearing_goes_and_a_low_note_stays():
    t = np.arange(4 * RATE) / RATE
    low = 0.1 * np.sin(2 * np.pi * 41.2 * t)  # E1, the lowest string of a double bass
    made = without_dc(shaped(low + 0.5 * np.sin(2 * np.pi * 3.0 * t)), RATE)
    inside = slice(RATE, 3 * RATE)
    assert below_db(made[inside], 20) < -25
    assert abs(db(np.std(made[inside]) / np.std(low))) < 0.5


@pytest.mark.parametrize("frames", [1, 2, 50, 4_000])
def test_short_and_silent_sounds_pass(frames):
    assert np.isfinite(without_dc(np.full((frames, 2), 0.3, np.float32), RATE)).all()
    silent = np.zeros((frames, 1), np.float32)
    assert without_dc(silent, RATE) is silent


def test_the_first_note_of_a_recording_with_an_offset_does_not_thump(tmp_path):
    """A gong that stands 0.2 off zero: before, all but 0.3 dB of the energy lay below 20 Hz."""
    t = np.arange(3 * RATE) / RATE
    gong = 0.02 * sum(np.exp(-t * k) * np.sin(2 * np.pi * hz * t)
                      for k, hz in ((0.5, 98), (0.8, 163), (1.2, 271)))  # fmt: skip
    path = tmp_path / "gong.wav"
    sf.write(path, gong + 0.2, RATE, subtype="FLOAT")
    document = grow_file(path)
    sound = first_note(program_of(document, path), document, 4.0)
    assert below_db(sound, 20) < -40


def test_saturation_that_leans_leaves_no_offset():
    tone = {"kind": "wave", "shape": "sine", "drive": 24, "asymmetry": 60}
    program = prepared(layered(tone), material_of(np.zeros((RATE, 1), np.float32)))
    sound = play(program, 2.0, [Event("on", 1, 57.0, 1.0)])[RATE:]
    assert abs(sound.mean()) < 1e-3 * np.abs(sound).max()
    assert np.abs(sound).max() > 0.05
