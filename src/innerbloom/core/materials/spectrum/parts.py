"""The parts of a spectrum as sounds, each alone or all together, as they were."""

from __future__ import annotations

from typing import Literal

import numpy as np

from innerbloom.core.materials.spectrum.model import RATE, Floats, Spectrum
from innerbloom.core.materials.spectrum.noise import noise_sound, side_sound
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.stereo import as_channels
from innerbloom.core.materials.spectrum.strikes import strikes_alone

Part = Literal["together", "partials", "strikes", "noise"]
PARTS: tuple[Part, ...] = ("together", "partials", "strikes", "noise")


def part_sounds(spectrum: Spectrum) -> dict[Part, Floats]:
    """Every part at RATE, of shape (frames,), or (frames, 2) where the sound has a side."""
    frames = round(spectrum.seconds * RATE)
    strikes, noise = strikes_alone(spectrum.strikes, frames), noise_sound(spectrum)
    if spectrum.side_noise is None:
        partials = sound_of(spectrum.tracks, frames)
    else:
        channels = as_channels(spectrum.tracks)
        partials = np.stack([sound_of(channel, frames) for channel in channels], axis=1)
        strikes = _left_and_right(strikes, strikes_alone(spectrum.strikes, frames, side=True))
        noise = _left_and_right(noise, side_sound(spectrum))
    return {
        "together": partials + strikes + noise,
        "partials": partials,
        "strikes": strikes,
        "noise": noise,
    }


def _left_and_right(mid: Floats, side: Floats) -> Floats:
    return np.stack([mid + side, mid - side], axis=1)
