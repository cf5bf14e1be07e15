"""What a kind of layer is, and the bundles that its kernel is given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Declared, option
from innerbloom.core.layers.common import LAYER
from innerbloom.core.materials.clip import Material
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.materials.spectrum.prepared import PlayedSpectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable

LINK_PHASE, LINK_RATE = option(LAYER, "link", "phase"), option(LAYER, "link", "rate")
"""How the layer below modulates this one; 0 is not at all."""


def no_curve() -> NDArray[np.float64]:
    """What a layer reads where nothing is drawn for it."""
    return np.zeros(0)


class Span(NamedTuple):
    """Which voices are rendered, and what all of them share.

    first, step : int
        Every ``step``-th voice from the ``first`` on.
    seed : uint64
        Of all chance.
    reference : float64 array, shape (SPAN,)
        Semitones of the reference pitch above A4 = 440 Hz at each tick.
    """

    first: int
    step: int
    seed: np.uint64
    reference: NDArray[np.float64]


class Voices(NamedTuple):
    """All voices.

    records : VOICE array, shape (slots,)
    pitches : float64 array, shape (slots, SPAN)
        Note numbers, glides and bends included.
    """

    records: NDArray[Any]
    pitches: NDArray[np.float64]


class LayerNow(NamedTuple):
    """One layer of all voices.

    number : int
        Its place, which keys its chance.
    voices : LAYER_VOICE array, shape (slots,)
    zones : ZONE array, shape (slots,)
        What each note has picked.
    own : array of the kind's state, shape (slots,)
    settings : record array, shape (slots, SPAN)
        Its settings at each tick, with all movement in them.
    """

    number: int
    voices: NDArray[Any]
    zones: NDArray[Any]
    own: NDArray[Any]
    settings: NDArray[Any]


class Played(NamedTuple):
    """What a layer plays and what is drawn for it; see :class:`Prepared`.

    sounds : SOUND array; levels : MIP_LEVEL array, shape (sounds, levels)
    path, drawn_filter : float64 arrays, shape (PATH_STEPS,) or none
    segments : float64 array
        Rows of a segment map one after another.
    level_overlap : float64 array
        How far each two sounds of a morph are loud at the same time.
    """

    sounds: NDArray[Any]
    levels: NDArray[Any]
    path: NDArray[np.float64]
    drawn_filter: NDArray[np.float64]
    segments: NDArray[np.float64]
    level_overlap: NDArray[np.float64]


class Signals(NamedTuple):
    """What goes in and out of a layer's source.

    out : float32 array, shape (slots, 2 * BLOCK)
        Filled for the ticks of each voice, interleaved stereo.
    unmodulated : float32 array of that shape
        Filled likewise with the signal as it is without ``modulation``, where ``hold``.
    modulation : float64 array, shape (slots, BLOCK)
        What the layer below sends.
    link : int
        0 for none, LINK_PHASE (radians of the period) or LINK_RATE (shares of the rate).
    hold : bool
        Whether loudness is held against the modulation.
    """

    out: NDArray[np.float32]
    unmodulated: NDArray[np.float32]
    modulation: NDArray[np.float64]
    link: int
    hold: bool


Made = Material | Wavetable | PlayedSpectrum
"""What a sound of a layer is made of, by the layer's kind."""


@dataclass(frozen=True)
class Prepared:
    """What a layer's kernel reads beside its settings.

    Attributes
    ----------
    materials : tuple
        What its sounds are made of, one or more; kept alive while kernels read them by address.
    path, drawn_filter : ndarray of float64
        Drawn curves at PATH_STEPS even steps, or nothing.
    segments : ndarray of float64
        Rows of a segment map one after another, or nothing.
    level_overlap : ndarray of float64
        How far each two sounds of a morph are loud at the same time, or nothing.
    """

    materials: tuple[Made, ...]
    path: NDArray[np.float64] = field(default_factory=no_curve)
    drawn_filter: NDArray[np.float64] = field(default_factory=no_curve)
    segments: NDArray[np.float64] = field(default_factory=no_curve)
    level_overlap: NDArray[np.float64] = field(default_factory=no_curve)


@dataclass(frozen=True)
class LayerKind:
    """One kind of layer: all that the rest of the product knows of it.

    Attributes
    ----------
    id : str
        Its name, on screen too.
    parameters : tuple
        What its source declares; those of every layer come before them in records.
    help : str
    prepare : callable
        ``prepare(layer, materials)`` finds what a layer of a document plays, as
        :class:`Prepared`; it may raise a BloomError.
    render : kernel
        ``render(span, voices, layer, played, signals, scratch)``, given a :class:`Span`, a
        :class:`Voices`, a :class:`LayerNow`, a :class:`Played`, a :class:`Signals`, and a
        record for each group of voices, that of ``span.first`` used.
    state, scratch : dtype
        What it remembers of one voice, and room for what it reckons within a tick.
    sounds : {"one", "many", "path"}
        Whether it plays without a sound or with one, chooses among many, or leads through them.
    most_sounds : int
        How many it may hold.
    alike : bool
        Whether voices with equal settings make equal signals, which add up in amplitude.
    rooted : bool
        Whether its sounds play from their root, at their own level.
    handle : str or None
        The parameter that says where in its sound it reads.
    slide : float or None
        How far a finger's slide moves the handle in a fresh layer, in the handle's unit.
    loops : bool
        Whether it takes over a loop that comes with its sound.
    with_sound : tuple of (choice, word)
        What it is set to when it is given a sound that it can do without.
    """

    id: str
    parameters: tuple[Declared, ...]
    help: str
    prepare: Callable[[Any, Materials], Prepared]
    render: Callable[..., None]
    state: np.dtype[Any]
    scratch: np.dtype[Any]
    sounds: Literal["one", "many", "path"] = "one"
    most_sounds: int = 1
    alike: bool = False
    rooted: bool = False
    handle: str | None = None
    slide: float | None = None
    loops: bool = False
    with_sound: tuple[tuple[str, str], ...] = ()

    @property
    def needs_sound(self) -> bool:
        """Whether there is nothing to play without one."""
        return self.sounds != "one"

    @property
    def declared(self) -> tuple[Declared, ...]:
        """All its parameters, in the order of the engine's records."""
        return LAYER + self.parameters

    @property
    def settings_name(self) -> str:
        """Under which its settings are published."""
        return f"{self.id.title()}Settings"
