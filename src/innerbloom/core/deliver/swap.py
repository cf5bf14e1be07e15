"""The same instrument over another recording: stretches and loops found anew, and how far its character holds."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.evolution import evolution, levels
from innerbloom.core.analysis.opening import opening_of
from innerbloom.core.analysis.timbre import likeness, timbre, timbre_distance
from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.deliver.variations import measured
from innerbloom.core.engine import ENGINE_RATE, compile_program
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.grow import evened
from innerbloom.core.instrument.layering import FoundLoop, swap_all
from innerbloom.core.instrument.standing_in import loop_like
from innerbloom.core.materials.protocol import Locate, Materials, Stretch
from innerbloom.core.performance.events import single_note
from innerbloom.core.sound.files import sound_info

MOST = 24
"""Recordings of one sheet."""

SHORTEST_S = 0.25
_VELOCITY = 100 / 127
_MOST_GAIN_DB = 18.0
_ALIKE_DB, _ALIKE_OCTAVES = 12.0, 2.0
"""Mean difference of two envelopes, and of how far two sounds move, at which a likeness falls to 1/e."""

_TIMBRE, _ENVELOPE, _MOVEMENT = 0.6, 0.25, 0.15
"""What each counts of how far a character holds; our own weights."""


@dataclass(frozen=True)
class Candidate:
    """A recording that may take the place of an instrument's own.

    Attributes
    ----------
    digest, name : str
    root : float or None
        MIDI note; None for no clear pitch.
    """

    digest: str
    name: str
    root: float | None


@dataclass(frozen=True)
class Character:
    """How a held note sounds.

    Attributes
    ----------
    sound : ndarray of float32, shape (frames, 2), at 48 kHz
    loudness : float
        LUFS; -inf for silence.
    timbre : list of float
    envelope_db : ndarray
        Levels over 20 ms.
    moves : float
        How far its spectrum lies from that half a second later, dB.
    """

    sound: NDArray[np.float32]
    loudness: float
    timbre: list[float]
    envelope_db: NDArray[np.float64]
    moves: float


@dataclass(frozen=True)
class Holds:
    """How far a character holds: each 0..1, and all together."""

    timbre: float
    envelope: float
    movement: float

    @property
    def together(self) -> float:
        return _TIMBRE * self.timbre + _ENVELOPE * self.envelope + _MOVEMENT * self.movement


def swapped(document: Instrument, candidate: Candidate, locate: Locate) -> Instrument:
    """An instrument with another recording in place of all of its own, every setting kept.

    A stretch is as long as what the layer played before, as far as the recording goes, and lies so that the place which a
    layer plays falls on where the recording is best (:mod:`.opening`); loops are looked for anew.
    Wavetables stay: they are no recordings any more.

    Raises
    ------
    BloomError
        If the recording is too short, or no layer plays one.
    """
    path = locate(Stretch(candidate.digest))
    seconds = sound_info(path).seconds
    if seconds < SHORTEST_S:
        raise BloomError(f"'{candidate.name}' is too short for an instrument: {seconds:.2f} s.")
    if not any(one.cycle is None for layer in document.layers for one in layer.sounds):
        raise BloomError("No layer plays a recording: there is nothing to swap.")
    counts = {layer.kind: len(layer.sounds) for layer in document.layers}
    places = {layer.kind: _place(layer.settings) for layer in document.layers}
    taken: dict[str, int] = {}

    def stand_in(kind: str, old: Sound, loop_ms: float) -> tuple[Sound, FoundLoop | None]:
        if old.cycle is not None:
            return old, None
        number = taken[kind] = taken.get(kind, 0) + 1
        # several sounds of a layer come from as many places
        count = max(1, counts[kind])
        around = 0.0 if count == 1 else seconds * (number % count + 0.5) / count
        length = min(Stretch.of(old).seconds(locate), seconds)
        sound = _stretched(candidate, path, (places[kind], length, around), old)
        loop = loop_like(path, sound, loop_ms) if LAYER_KINDS[kind].loops else None
        return sound, loop

    return parse_instrument(swap_all(document, stand_in).model_dump(mode="json"))


def _place(settings: Any) -> float:
    """Where in its sound a layer plays, 0..1; the middle where it plays all of it."""
    return float(getattr(settings, "position", 50.0)) / 100.0


def _stretched(
    candidate: Candidate, path: Path, where: tuple[float, float, float], old: Sound
) -> Sound:
    """A stretch; ``where`` is the place in it that is played, 0..1, its seconds, and about which to look."""
    place, length, around_s = where
    opening, seconds = opening_of(path, around_s), sound_info(path).seconds
    start = float(np.clip(opening.middle_s - place * length, 0.0, max(0.0, seconds - length)))
    whole = length >= seconds
    sound = Sound(
        recording=candidate.digest, root=candidate.root, name=candidate.name[:120],
        analysis=old.analysis, start=0.0 if whole else round(start, 4),
        length=None if whole else round(length, 4),
    )  # fmt: skip
    return evened(sound, opening)


def character(document: Instrument, materials: Materials, key: float, seconds: float) -> Character:
    """How a note of an instrument sounds while it is held, and after."""
    program = compile_program(document, materials)
    events = single_note(key, seconds, ENGINE_RATE, _VELOCITY)
    frames = round(seconds * ENGINE_RATE)
    whole = np.concatenate(list(render_blocks(program, events)))
    held = whole[:frames]
    loudness, _ = measured(held)
    steps = np.maximum(levels(held, ENGINE_RATE), 1e-6)
    moves = evolution(held, ENGINE_RATE).near if np.isfinite(loudness) and seconds >= 1 else 0.0
    mono = np.ascontiguousarray(held.mean(axis=1))
    return Character(whole, loudness, timbre(mono, ENGINE_RATE), 20.0 * np.log10(steps),
                     0.0 if math.isnan(moves) else moves)  # fmt: skip


def holds(one: Character, other: Character) -> Holds:
    """How far the character of one sound holds in another."""
    if not np.isfinite(other.loudness) or not one.timbre or not other.timbre:
        return Holds(0.0, 0.0, 0.0)
    count = min(len(one.envelope_db), len(other.envelope_db))
    pair = [c.envelope_db[:count] - np.median(c.envelope_db[:count]) for c in (one, other)]
    apart = float(np.mean(np.abs(np.clip(pair[0], -40, 40) - np.clip(pair[1], -40, 40))))
    further = abs(math.log2(max(other.moves, 0.1) / max(one.moves, 0.1)))
    return Holds(
        likeness(timbre_distance(one.timbre, other.timbre)),
        math.exp(-apart / _ALIKE_DB), math.exp(-further / _ALIKE_OCTAVES),
    )  # fmt: skip


def as_loud(document: Instrument, by_db: float) -> Instrument:
    """An instrument whose recordings are raised alike, within bounds."""
    by_db = float(np.clip(by_db, -_MOST_GAIN_DB, _MOST_GAIN_DB))
    plain = document.model_dump(mode="json")
    for layer in plain["layers"]:
        for sound in layer["sounds"]:
            sound["gain_db"] = float(np.clip(sound["gain_db"] + by_db, -60.0, 60.0))
    return parse_instrument(plain)


def tried(
    document: Instrument, candidate: Candidate, locate: Locate,
    materials: Materials, key: float, seconds: float, loudness: float,
) -> tuple[Instrument, Character]:  # fmt: skip
    """An instrument over another recording, about as loud as it was, and how it sounds.

    Parameters
    ----------
    loudness : float
        Of the instrument as it was, in LUFS.
    """
    made = swapped(document, candidate, locate)
    found = character(made, materials, key, seconds)
    if not np.isfinite(found.loudness) or not np.isfinite(loudness):
        return made, found
    if abs(loudness - found.loudness) < 1.0:
        return made, found
    made = as_loud(made, loudness - found.loudness)
    return made, character(made, materials, key, seconds)
