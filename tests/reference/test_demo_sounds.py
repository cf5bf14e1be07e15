"""The demo's sounds of many small events beside real ones of their kind.

Statistics by which textures are told apart: J. H. McDermott and E. P. Simoncelli, "Sound texture
perception via statistics of the auditory periphery", Neuron 71, 2011 (marginals and spread of
envelopes, evenness of the spectrum). Real ones: the package minetest-data.
"""

from __future__ import annotations

import numpy as np
import pytest
import scipy
import soundfile as sf

from innerbloom.demo.recordings import RECORDINGS, synthesise
from tests.recordings import STEPS

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


@pytest.fixture(scope="module")
def made():
    """The demo's sounds by their stems, and their rates."""
    chosen = [one for one in RECORDINGS if one.stem in ALIKE]
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


@pytest.mark.parametrize("stem", ALIKE)
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
