"""Spectra of two channels: what stood to the left and right stands there when it is played.

Against closed forms of panned tones and of noise with a known correlation, and real recordings.
"""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
import soxr

from innerbloom.core.engine import DELAY
from innerbloom.core.materials.spectrum.files import read_spectrum, write_spectrum
from innerbloom.core.materials.spectrum.model import Spectrum, SpectrumError
from innerbloom.core.materials.spectrum.parts import part_sounds
from innerbloom.core.performance.events import Event
from tests.recordings import KITS
from tests.sounds import RATE, db
from tests.spectra import UNIT, engine_of, key_of, taken

T = np.arange(2 * RATE) / RATE


def played(*spectra: Spectrum, seconds: float = 1.6, **settings: object) -> np.ndarray:
    """Both channels of a note, as loud as the recording, shape (frames, 2)."""
    engine = engine_of(*spectra, **settings)
    return (
        engine.render(round(seconds * RATE), [Event("on", 1, key_of(spectra[0]), 1.0)])[DELAY:]
        / UNIT
    )


def side_over_mid(sound: np.ndarray) -> float:
    """Power of the side over that of the mid, dB."""
    return float(db(np.std(sound[:, 0] - sound[:, 1]) / np.std(sound[:, 0] + sound[:, 1])))


def level_at(sound: np.ndarray, hz: float) -> np.ndarray:
    """Amplitude of a tone in each channel, by its Fourier coefficient under a Hann window."""
    inside = sound[RATE // 4 : RATE // 4 + RATE]
    turning = np.hanning(len(inside)) * np.exp(-2j * np.pi * hz * np.arange(len(inside)) / RATE)
    return 4 * np.abs(turning @ inside) / len(inside)


def tone(hz: float, left: float, right: float) -> np.ndarray:
    return np.outer(np.sin(2 * np.pi * hz * T), [left, right]).astype(np.float32)


def noise(correlation: float, level: float = 0.1) -> np.ndarray:
    """Noise in two channels that are as alike as ``correlation`` says, -1..1."""
    one, other = np.random.default_rng(11).standard_normal((2, len(T)))
    mid, side = np.sqrt(0.5 * (1 + correlation)) * one, np.sqrt(0.5 * (1 - correlation)) * other
    return (level * np.stack([mid + side, mid - side], axis=1)).astype(np.float32)


def test_panned_tones_stand_where_they_stood():
    sound = tone(440, 0.2, 0.1) + tone(1_000, 0.02, 0.15) + tone(2_500, 0.1, 0.1)
    again = played(taken(sound, None))
    for hz, wanted in ((440, (0.2, 0.1)), (1_000, (0.02, 0.15)), (2_500, (0.1, 0.1))):
        assert np.abs(np.log10(level_at(again, hz) / wanted)).max() < 0.5 / 20


def test_a_tone_on_the_left_alone_is_silent_on_the_right():
    again = played(taken(tone(440, 0.2, 0.0), None))
    left, right = level_at(again, 440)
    assert db(left / 0.2) == pytest.approx(0, abs=0.5)
    assert db(right / left) < -30


@pytest.mark.parametrize("correlation", [0.9, 0.5, 0.0, -0.5])
def test_noise_is_as_wide_as_it_was(correlation):
    """Side over mid is (1 - r) / (1 + r)."""
    sound = noise(correlation)
    again = played(taken(sound, None))
    wanted = 10 * np.log10((1 - correlation) / (1 + correlation))
    assert side_over_mid(again) == pytest.approx(wanted, abs=1.5)
    assert db(np.std(again) / np.std(sound)) == pytest.approx(0, abs=1.0)


def test_noise_on_one_side_stays_there():
    sound = noise(0.0) * np.float32([1.0, 0.25])
    again = played(taken(sound, None))
    levels = np.std(again, axis=0) / np.std(sound, axis=0)
    assert np.abs(20 * np.log10(levels)).max() < 1.0


def test_a_pair_of_distant_microphones_keeps_its_width():
    """Harmonics that differ in phase rather than in level, a millisecond apart."""
    wave = sum(np.sin(2 * np.pi * 220 * k * T + k) / k for k in range(1, 25))
    late = np.roll(wave, 48)
    sound = 0.1 * np.stack([wave, late], axis=1).astype(np.float32)
    again = played(taken(sound, 220.0))
    assert side_over_mid(again) == pytest.approx(side_over_mid(sound), abs=2)
    # and neither channel is the louder
    assert np.abs(db(np.std(again[:, 0]) / np.std(again[:, 1]))) < 2


def test_a_strike_on_one_side_stays_there():
    sound = tone(330, 0.05, 0.05)
    sound[RATE : RATE + 200, 0] += 0.5 * np.random.default_rng(3).standard_normal(200)
    again = played(taken(sound, None), seconds=1.2)
    peaks = np.abs(again[RATE - 100 : RATE + 600]).max(axis=0)
    assert db(peaks[0] / peaks[1]) > 10


def test_one_channel_twice_is_in_the_middle_and_has_nothing_to_be_placed():
    sound = tone(440, 0.2, 0.2) + np.repeat(noise(1.0)[:, :1], 2, axis=1)
    spectrum = taken(sound, None)
    assert spectrum.side_noise is None
    again = played(spectrum)
    np.testing.assert_array_equal(again[:, 0], again[:, 1])
    np.testing.assert_array_equal(again, played(spectrum, placed=0))


def test_what_is_not_placed_goes_by_spread_and_width_and_is_as_loud():
    spectrum = taken(tone(440, 0.2, 0.05) + noise(0.2), None)
    middle, placed = played(spectrum, placed=0), played(spectrum)
    np.testing.assert_array_equal(middle[:, 0], middle[:, 1])
    assert db(np.std(middle) / np.std(placed)) == pytest.approx(0, abs=0.5)
    assert side_over_mid(played(spectrum, placed=0, width=100)) > -6


def test_a_morph_leads_from_one_side_to_the_other():
    left, right = taken(tone(440, 0.2, 0.02), 440.0), taken(tone(440, 0.02, 0.2), 440.0)
    half = level_at(played(left, right, morph=50), 440)
    assert db(half[0] / half[1]) == pytest.approx(0, abs=1.5)
    for morph, wanted in ((0, 20), (100, -20)):
        there = level_at(played(left, right, morph=morph), 440)
        assert db(there[0] / there[1]) == pytest.approx(wanted, abs=1.5)


def test_parts_are_heard_in_two_channels():
    sound = tone(440, 0.2, 0.05) + noise(0.2, 0.02)
    parts = part_sounds(taken(sound, None))
    assert parts["together"].shape == sound.shape
    assert side_over_mid(parts["together"]) == pytest.approx(side_over_mid(sound), abs=1)
    np.testing.assert_allclose(
        parts["together"], parts["partials"] + parts["strikes"] + parts["noise"], atol=1e-6
    )


def test_a_file_keeps_the_side(tmp_path):
    sound = tone(440, 0.2, 0.05) + noise(0.2, 0.001)
    sound[: RATE // 2] = 0.0
    sound[RATE // 2 : RATE // 2 + 200, 0] += 0.5 * np.random.default_rng(3).standard_normal(200)
    spectrum = taken(sound, None)
    assert spectrum.strikes
    write_spectrum(tmp_path / "a.spectrum", spectrum)
    again = read_spectrum(tmp_path / "a.spectrum")
    for name in ("level", "correlation"):
        one, other = (getattr(found.side_noise, name) for found in (again, spectrum))
        np.testing.assert_array_equal(one, other)
    for one, other in zip(again.tracks, spectrum.tracks, strict=True):
        np.testing.assert_array_equal(one.side, other.side)
    for one, other in zip(again.strikes, spectrum.strikes, strict=True):
        np.testing.assert_array_equal(one.side, other.side)


def test_a_file_whose_side_is_damaged_is_refused(tmp_path):
    spectrum = taken(tone(440, 0.2, 0.05), None)
    for track in spectrum.tracks:
        track.side[:] = np.nan
    write_spectrum(tmp_path / "a.spectrum", spectrum)
    with pytest.raises(SpectrumError, match="damaged"):
        read_spectrum(tmp_path / "a.spectrum")


def stereo_recordings() -> list[np.ndarray]:
    """Every ninth drum, cymbal or bell in two channels, at RATE, four seconds at most."""
    if not KITS.is_dir():
        pytest.skip("no package of drum kits is installed")
    found = []
    for path in sorted(KITS.glob("*/*.wav")) + sorted(KITS.glob("*/*.flac")):
        about = sf.info(path)
        if about.channels != 2 or about.duration < 0.3:
            continue
        sound, rate = sf.read(path, dtype="float32", stop=4 * about.samplerate)
        if np.std(sound) > 1e-4 and side_over_mid(sound) > -40:
            found.append(sound if rate == RATE else soxr.resample(sound, rate, RATE))
    return found[::9]


def test_real_recordings_are_as_wide_as_they_were():
    off = []
    for sound in stereo_recordings():
        again = played(taken(sound, None), seconds=len(sound) / RATE)
        off.append(side_over_mid(again) - side_over_mid(sound[: len(again)]))
    assert len(off) >= 15
    assert np.mean(np.abs(off) < 2) >= 0.9
    assert np.abs(np.median(off)) < 1
