"""Spectral: the spectrum of a sound, or of several in turn."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from innerbloom.core.declare.sound import Sound
from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.layers.preparing import even_steps, sounds_of
from innerbloom.core.layers.spectral.level_overlap import level_overlap
from innerbloom.core.layers.spectral.parameters import MOST_ON_PATH, SPECTRAL
from innerbloom.core.layers.spectral.room import SPECTRAL_ROOM, SPECTRAL_STATE
from innerbloom.core.layers.spectral.source import render_spectral
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.materials.spectrum.prepared import Matching, SpectrumRequest, noise_bands


def matching_of(asked: str, sounds: Sequence[Sound]) -> Matching:
    """How the partials of sounds find each other: as ``asked``, or as the sounds suggest."""
    if asked != "by itself":
        return asked  # type: ignore[return-value]
    rooted = all(sound.root is not None for sound in sounds)
    return "by ratio" if rooted else "by frequency"


def _prepare(layer: Any, materials: Materials) -> Prepared:
    sounds, matching = sounds_of(layer), matching_of(layer.settings.matching, layer.sounds)
    spectra = [materials.get(SpectrumRequest.of(one, matching)) for one in sounds]
    # the noise that bands are made of comes last
    return Prepared(
        (*spectra, noise_bands()),
        path=even_steps(layer.path),
        drawn_filter=even_steps(layer.drawn_filter),
        level_overlap=level_overlap(spectra),
    )


KIND = LayerKind(
    "spectral",
    SPECTRAL,
    "The spectrum of a sound, or of several in turn.",
    _prepare,
    render_spectral,
    SPECTRAL_STATE,
    SPECTRAL_ROOM,
    sounds="path",
    most_sounds=MOST_ON_PATH,
    rooted=True,
    handle="position",
)
