"""From a recipe to a wavetable."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.materials.wavetable import document as d
from innerbloom.core.materials.wavetable.build import build
from innerbloom.core.materials.wavetable.extract import extract
from innerbloom.core.materials.wavetable.retrace import Retraced, retrace, swept_sound
from innerbloom.core.materials.wavetable.shape import from_cycles, one_wave, shaped
from innerbloom.core.materials.wavetable.table import Table

Read = Callable[[Sound], tuple[NDArray[np.float32], int]]
"""Samples of shape (frames, channels) of a sound, and its rate; may raise a BloomError."""


_SHORTEST_SWEEP_S = 0.05


@dataclass(frozen=True)
class Raw:
    """A table before any step, and what is known of where it comes from.

    Attributes
    ----------
    table : Table
    by : str
        The way frames were taken from a recording; else the kind of the source.
    retraced : Retraced or None
        How well it retraces its recording, where frames are taken along one.
    swept : (samples of shape (frames, 1), rate) or None
        The table swept as its recording went, to listen to both.
    """

    table: Table
    by: str
    retraced: Retraced | None = None
    swept: tuple[NDArray[np.float32], float] | None = None


def make_raw(document: d.TableDocument, read: Read, tuning: float = 440.0) -> Raw:
    """Take, build or read the frames; the slow part.

    Raises
    ------
    BloomError
        If a sound cannot be read, or nothing comes of it.
    """
    source = document.source
    if isinstance(source, d.FromRecording):
        samples, rate = read(source.sound)
        found = extract(samples, rate, source, tuning)
        seconds = found.table.seconds
        if seconds is None or np.ptp(seconds) < _SHORTEST_SWEEP_S:
            return Raw(found.table, found.by)
        heard = swept_sound(found.table, found.pace, found.levels)
        return Raw(found.table, found.by, retrace(samples, found), (heard, rate))
    if isinstance(source, d.FromWaves):
        return Raw(build(source, lambda sound: _first_cycle(sound, read)), "waves")
    return Raw(from_cycles([(read(one)[0], one.cycle) for one in source.sounds]), "cycles at hand")


def _first_cycle(sound: Sound, read: Read) -> NDArray[np.float64]:
    samples, _ = read(sound)
    size = sound.cycle or len(samples)
    return one_wave(from_cycles([(samples[:size], size)]))


def make_table(document: d.TableDocument, read: Read, tuning: float = 440.0) -> Table:
    """The whole recipe: :func:`make_raw`, then its steps."""
    return shaped(make_raw(document, read, tuning).table, document.steps)
