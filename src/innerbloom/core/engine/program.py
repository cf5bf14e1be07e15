"""From a document to what the engine runs: plain arrays that never change."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.segments import QUIETEST_DB
from innerbloom.core.engine.choosing import Picks, picks_of
from innerbloom.core.engine.material import COPY_DTYPE, Material
from innerbloom.core.engine.movement import Movement, compile_movement
from innerbloom.core.engine.spectrum import Matching, PlayedSpectrum, noise_bands
from innerbloom.core.engine.state import PATH_STEPS, SOUND
from innerbloom.core.engine.wavetable import Wavetable
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import KINDS, WHOLE
from innerbloom.core.instrument.document import EntrySettings, Instrument, Layer
from innerbloom.core.instrument.parameters import changes_at_once, settings_record, settings_row
from innerbloom.core.instrument.sound import Sound

UNPITCHED_ROOT = 60.0
"""Key at which a sound without a clear pitch plays as recorded."""

RECORDED_UNIT = 10.0 ** (12.0 / 20.0)
"""Gain from a recording's samples to a layer's signal, where a wave has amplitude 1."""

_PLACES = {kind: {d.id: at for at, d in enumerate(declared)} for kind, declared in KINDS.items()}


class Materials(Protocol):
    """Finds what sounds are made of; any may raise a BloomError."""

    def clip(self, sound: Sound) -> Material: ...

    def noise(self, colour: str, sound: Sound | None) -> Material: ...

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable: ...

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum: ...

    def segments(self, sound: Sound) -> NDArray[np.float64]: ...

    def colour(self, sound: Sound) -> NDArray[np.float32]: ...

    def contour(self, sound: Sound) -> NDArray[np.float64]: ...


Made = Material | Wavetable | PlayedSpectrum
"""What a sound of a layer is made of, by the layer's kind."""


@dataclass(frozen=True)
class LayerProgram:
    """One layer.

    Attributes
    ----------
    row : ndarray of float64
        Its settings, in the order of :data:`KINDS`.
    materials : tuple
        What its sounds are made of; kept alive while the kernels read them by address.
    sounds : ndarray of SOUND; copies : ndarray of COPY_DTYPE, shape (sounds, copies)
    path : ndarray of float64
        PATH_STEPS of the drawn path; after it the drawn filter of a spectral layer in as many,
        or the segments of a cloud.
    picks : Picks
    colour : ndarray of float32, shape (moments, bins), or None
        Spectra of the sound that lends the layer its outline.
    """

    id: str
    kind: str
    row: NDArray[np.float64]
    materials: tuple[Made, ...]
    sounds: NDArray[Any]
    copies: NDArray[Any]
    path: NDArray[np.float64]
    picks: Picks
    colour: NDArray[np.float32] | None = None

    def place_of(self, parameter: str) -> int:
        """Where a setting stands in the row; KeyError if there is none."""
        return _PLACES[self.kind][parameter]

    def setting(self, parameter: str) -> float:
        """One setting as a number, a choice as the place of its word."""
        return float(self.row[self.place_of(parameter)])


@dataclass(frozen=True)
class Program:
    """A whole instrument, ready to run.

    Attributes
    ----------
    whole : record array, shape (1,)
    layers : tuple of LayerProgram
    offsets : ndarray of int64, shape (layers,)
        Where each layer's settings begin in a row of all.
    layers_stepped : ndarray of bool
        Which of the layers' settings change at once.
    movement : Movement
        Modulators and routes, and what the members of the stack add.
    tuning : ndarray of float64, shape (128,)
        Semitones added to each key; NaN for a key that is silent.
    """

    whole: NDArray[Any]
    layers: tuple[LayerProgram, ...]
    offsets: NDArray[np.int64]
    layers_stepped: NDArray[np.bool_]
    movement: Movement
    tuning: NDArray[np.float64]

    @property
    def row(self) -> NDArray[np.float64]:
        """All settings that stand in rows: of layers, modulators, amounts, and the morph."""
        return np.concatenate([*(layer.row for layer in self.layers), self.movement.row])

    @property
    def stepped(self) -> NDArray[np.bool_]:
        """Which of these change at once."""
        return np.concatenate((self.layers_stepped, self.movement.stepped))


def compile_program(document: Instrument, materials: Materials) -> Program:
    """Turn a document into a program.

    Raises
    ------
    BloomError
        If a material cannot be found or a sound is empty.
    """
    layers = tuple(_compile_layer(layer, materials) for layer in document.layers)
    ends = np.cumsum([len(layer.row) for layer in layers])
    offsets = np.concatenate(([0], ends[:-1])).astype(np.int64)
    stepped = [changes_at_once(d) for layer in layers for d in KINDS[layer.kind]]
    return Program(
        settings_record(document.settings, WHOLE),
        layers,
        offsets,
        np.array(stepped),
        compile_movement(document, offsets, int(ends[-1]), materials.contour),
        _tuning(document),
    )


def _tuning(document: Instrument) -> NDArray[np.float64]:
    if document.tuning is None:
        return np.zeros(128)
    return np.array([math.nan if c is None else c / 100.0 for c in document.tuning.cents])


def _compile_layer(layer: Layer, materials: Materials) -> LayerProgram:
    made = _materials_of(layer, materials)
    sounds = np.zeros(len(made), SOUND)
    copies = np.zeros((len(made), len(made[0].copies)), COPY_DTYPE)
    running = 0.0
    entries = [*layer.picks, *(EntrySettings() for _ in range(len(made) - len(layer.picks)))]
    for i, material in enumerate(made):
        copies[i] = material.copies
        sounds[i]["address"] = material.audio.ctypes.data
        sounds[i]["samples"] = material.audio.size
        running += float(entries[i].weight)  # type: ignore[attr-defined]
        sounds[i]["weight"] = running
        sound = layer.sounds[i] if i < len(layer.sounds) else None
        _describe(sounds[i], material, sound, layer)
    steps = _drawn(layer, materials)
    row = settings_row(layer.settings, KINDS[layer.kind])
    picks = picks_of(layer, entries[: max(1, len(layer.sounds))])
    colour = None if layer.colour is None else materials.colour(layer.colour)
    return LayerProgram(layer.id, layer.kind, row, made, sounds, copies, steps, picks, colour)


def _drawn(layer: Layer, materials: Materials) -> NDArray[np.float64]:
    """The drawn path, and what else the layer's kernel reads beside it."""
    path = _even_steps(layer.path)
    if layer.kind == "spectral":
        return np.concatenate((path, _even_steps(layer.drawn_filter)))
    if layer.kind == "cloud" and layer.settings.gather == "a likeness":  # type: ignore[attr-defined]
        return np.concatenate((path, segment_map(layer.sounds, materials.segments).ravel()))
    return path


def segment_map(
    sounds: list[Sound], segments: Callable[[Sound], NDArray[np.float64]]
) -> NDArray[np.float64]:
    """Segments of a layer's sounds as points, shape (points, 2 + len(DESCRIBED)).

    The number of the sound, the place in it in seconds, and what describes it, each 0..1;
    loudness is that of the sound as the layer plays it.
    """
    rows = []
    for number, sound in enumerate(sounds):
        found = segments(sound).copy()
        found[:, 1] = np.clip(1.0 - (found[:, 1] + sound.gain_db) / QUIETEST_DB, 0.0, 1.0)
        rows.append(np.column_stack((np.full(len(found), float(number)), found)))
    return np.concatenate(rows)


def _even_steps(curve: list[tuple[float, float]]) -> NDArray[np.float64]:
    points = np.array(curve)
    return np.asarray(np.interp(np.linspace(0, 1, PATH_STEPS), points[:, 0], points[:, 1]))


def _describe(record: Any, material: Made, sound: Sound | None, layer: Layer) -> None:
    record["root"], record["trim"] = UNPITCHED_ROOT, 1.0
    if isinstance(material, Wavetable):
        record["frames"], record["stride"] = material.frames, material.stride
        record["seconds"] = 1.0
        return
    if material.seconds <= 0:
        raise DocumentError(f"The layer '{layer.name}' has an empty sound: choose another.")
    record["seconds"] = material.seconds
    if isinstance(material, Material):
        record["channels"], record["octaves_up"] = material.audio.shape[1], material.octaves_up
    if sound is not None and layer.kind != "noise":
        record["trim"] = RECORDED_UNIT * 10.0 ** (sound.gain_db / 20.0)
        if sound.root is not None:
            record["root"], record["pitched"] = sound.root, 1.0


def _materials_of(layer: Layer, materials: Materials) -> tuple[Made, ...]:
    sound = layer.sounds[0] if layer.sounds else None
    if layer.kind == "wave":
        return (materials.wavetable(layer.settings.shape, _wanted(layer, "table", sound)),)  # type: ignore[attr-defined]
    if layer.kind == "noise":
        return (materials.noise(layer.settings.colour, _wanted(layer, "recording", sound)),)  # type: ignore[attr-defined]
    if sound is None:
        raise DocumentError(f"The layer '{layer.name}' has no sound yet: choose one.")
    if layer.kind == "spectral":
        way = matching_of(layer)
        # the noise that bands are made of comes last
        return (*(materials.spectrum(one, way) for one in layer.sounds), noise_bands())
    return tuple(materials.clip(one) for one in layer.sounds)


def matching_of(layer: Layer) -> Matching:
    """How the partials of a spectral layer's sounds find each other."""
    asked: str = layer.settings.matching  # type: ignore[attr-defined]
    if asked != "by itself":
        return asked  # type: ignore[return-value]
    rooted = all(sound.root is not None for sound in layer.sounds)
    return "by ratio" if rooted else "by frequency"


def _wanted(layer: Layer, word: str, sound: Sound | None) -> Sound | None:
    """The sound a wave or noise needs, for the one choice that needs it."""
    chosen = getattr(layer.settings, "shape" if layer.kind == "wave" else "colour")
    if chosen != word:
        return None
    if sound is None:
        raise DocumentError(f"The layer '{layer.name}' has no sound yet: choose one.")
    return sound
