"""The demo's sounds of many small events beside real ones of their kind.

Statistics by which textures are told apart: J. H. McDermott and E. P. Simoncelli, "Sound texture
perception via statistics of the auditory periphery", Neuron 71, 2011 (marginals and spread of
envelopes, evenness of the spectrum). Real ones: the packages minetest-data and lugaru-data (a minute
of wind).
"""

from __future__ import annotations

import numpy as np
import pytest
import scipy
import soundfile as sf

from innerbloom.core.analysis.evolution import flutter, levels
from innerbloom.demo.recordings import RECORDINGS, synthesise
from tests.recordings import STEPS, WIND

ALIKE = {
    "rain-on-glass": ("gravel", "cool_lava"),
    "ice-on-the-pond": ("ice",),
    "pebbles-under-water": ("gravel", "water"),
}
"""Names of what is most alike among the real ones: grains and hiss, ice, stones and water."""


def statistics(sound: np.ndarray, rate: int) -> np.ndarray:
    """Spread of levels over 2 ms (dB), kurtosis of samples, spread of thirds of an octave (dB)."""
    mono = sound.mean(axis=1)
    frames = int(0.002 * rate)
    pieces = mono[: len(mono) // frames * frames].reshape(-1, frames)
    levels = 20 * np.log10(np.sqrt(np.mean(pieces**2, axis=1)) + 1e-9)
    low, high = np.percentile(levels, (5, 95))
    hz, power = scipy.signal.welch(mono, rate, nperseg=min(len(mono), 8_192))
    centres = 100.0 * 2 ** (np.arange(21) / 3)
    thirds = [
        10 * np.log10(power[(hz >= one * 2 ** (-1 / 6)) & (hz < one * 2 ** (1 / 6))].mean())
        for one in centres
    ]
    return np.array([high - low, scipy.stats.kurtosis(mono, fisher=False), np.std(thirds)])


GUST = "reed-stems"


@pytest.fixture(scope="module")
def made():
    """The demo's sounds by their stems, and their rates."""
    chosen = [one for one in RECORDINGS if one.stem in (*ALIKE, GUST)]
    return {one.stem: (synthesise(one), one.rate) for one in chosen}


@pytest.mark.parametrize("stem", ALIKE)
def test_a_texture_lies_within_the_range_of_real_ones(made, stem):
    if not STEPS.is_dir():
        pytest.skip("the package minetest-data is not installed")
    paths = [path for word in ALIKE[stem] for path in STEPS.glob(f"default_{word}_*.ogg")]
    paths += [path for word in ALIKE[stem] for path in STEPS.glob(f"default_{word}.*ogg")]
    assert len(paths) >= 6
    real = [statistics(*sf.read(path, always_2d=True)) for path in paths]
    found = statistics(*made[stem])
    least, most = np.min(real, axis=0), np.max(real, axis=0)
    # what lasts has no end that dies away: its levels may be spread less, if not by much
    assert (found >= least * [0.8, 1, 1]).all(), (found, least)
    assert (found <= most * [1, 1.1, 1.05]).all(), (found, most)


def of_wind(sound: np.ndarray, rate: int) -> np.ndarray:
    """Of every eight seconds: spread of levels over 2 and 20 ms (dB), kurtosis, flutter, and spread
    of thirds of an octave (dB)."""
    found = []
    for first in range(0, len(sound) - 8 * rate + 1, 8 * rate):
        piece = sound[first : first + 8 * rate].astype(np.float32)
        spread, kurtosis, thirds = statistics(piece, rate)
        low, high = np.percentile(20 * np.log10(levels(piece, rate)), (5, 95))
        found.append([spread, high - low, kurtosis, flutter(piece, rate), thirds])
    return np.array(found)


def test_a_gust_through_stems_is_as_real_wind_is(made):
    """Its spectrum lies between that of wind alone, which is dark, and of grass that is trodden."""
    if not (WIND.is_file() and STEPS.is_dir()):
        pytest.skip("the packages lugaru-data and minetest-data are not both installed")
    real = of_wind(*sf.read(WIND, always_2d=True))
    grass = [statistics(*sf.read(one, always_2d=True)) for one in STEPS.glob("*grass_footstep*")]
    assert len(real) >= 6
    assert len(grass) >= 3
    found = of_wind(*made[GUST])
    least, most = real.min(axis=0), real.max(axis=0)
    assert (found[:, :4] >= 0.9 * least[:4]).all(), (found, least)
    assert (found[:, :4] <= 1.1 * most[:4]).all(), (found, most)
    assert max(thirds for *_, thirds in grass) < found[:, 4].min() < least[4]


@pytest.mark.parametrize("stem", [*ALIKE, GUST])
def test_nothing_is_empty_and_no_two_moments_are_the_same(made, stem):
    """No digital silence; the loudest moments are unlike one another, as waves."""
    sound, rate = made[stem]
    assert sound.shape[1] == 2
    frames = int(0.02 * rate)
    inner = sound[frames * 4 : -frames * 4]
    pieces = inner[: len(inner) // frames * frames].reshape(-1, frames, 2)
    assert 10 * np.log10((pieces**2).mean(axis=(1, 2)).min()) > -85
    mono = inner.mean(axis=1)
    strongest = np.argsort(pieces.std(axis=(1, 2)))[::-1][:12]
    windows = [mono[at * frames : (at + 4) * frames] for at in strongest]
    for number, one in enumerate(windows):
        for other in windows[number + 1 :]:
            if np.shares_memory(one, other):
                continue
            likeness = scipy.signal.correlate(one, other)
            assert np.abs(likeness).max() < 0.95 * np.sqrt((one**2).sum() * (other**2).sum())
