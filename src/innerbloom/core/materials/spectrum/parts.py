"""The parts of a spectrum as sounds, each alone or all together, as they were."""

from __future__ import annotations

from typing import Literal

from innerbloom.core.materials.spectrum.model import RATE, Floats, Spectrum
from innerbloom.core.materials.spectrum.noise import noise_sound
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.strikes import strikes_alone

Part = Literal["together", "partials", "strikes", "noise"]
PARTS: tuple[Part, ...] = ("together", "partials", "strikes", "noise")


def part_sounds(spectrum: Spectrum) -> dict[Part, Floats]:
    """Every part, each of shape (frames,), at RATE."""
    frames = round(spectrum.seconds * RATE)
    partials = sound_of(spectrum.tracks, frames)
    strikes = strikes_alone(spectrum.strikes, frames)
    noise = noise_sound(spectrum)
    return {
        "together": partials + strikes + noise,
        "partials": partials,
        "strikes": strikes,
        "noise": noise,
    }
