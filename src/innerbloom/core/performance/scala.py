"""Tunings from Scala files: scales (.scl) and keyboard mappings (.kbm).

The formats are those the Scala program's documentation describes (M. Op de Coul, from memory).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from fractions import Fraction

from innerbloom.core.errors import BloomError

KEYS = 128
_MOST_NOTES = 1_024
_LOWEST_HZ, _HIGHEST_HZ = 0.01, 1e5
_MOST_CENTS = 120_000.0
_PITCH = re.compile(r"-?\d{0,9}\.\d{0,12}|\d{1,9}(/\d{1,9})?", re.ASCII)
_WHOLE = re.compile(r"-?\d{1,6}", re.ASCII)
_MIDDLE_C, _MIDDLE_HZ = 60, 440.0 * 2.0 ** (-9.0 / 12.0)


class TuningError(BloomError):
    """A tuning file that cannot be read."""


@dataclass(frozen=True)
class Scale:
    """A scale: its name and the cents of each step above the first, the octave last."""

    name: str
    cents: tuple[float, ...]


@dataclass(frozen=True)
class Mapping:
    """Which key sounds which step.

    Attributes
    ----------
    first, last : int
        Keys outside stay silent.
    middle : int
        Key of the scale's first step.
    reference, hz : int, float
        A key and its frequency.
    degree : int
        Step that counts as the octave of the mapping; 0 for the scale's own.
    steps : tuple of int or None
        Step of each key from the middle on; None for a silent key; empty for one after another.
    """

    first: int = 0
    last: int = KEYS - 1
    middle: int = _MIDDLE_C
    reference: int = _MIDDLE_C
    hz: float = _MIDDLE_HZ
    degree: int = 0
    steps: tuple[int | None, ...] = ()


def read_scale(text: str) -> Scale:
    """A scale from the text of an .scl file.

    Raises
    ------
    TuningError
        One sentence that names the line.
    """
    lines = [(n, line) for n, line in enumerate(text.splitlines(), 1) if not line.startswith("!")]
    if len(lines) < 2:
        raise TuningError("This is not a Scala scale: it ends before the number of notes.")
    name, count = lines[0][1].strip(), _whole(*lines[1])
    if not 1 <= count <= _MOST_NOTES:
        raise TuningError(f"The scale has {count} notes; it needs 1 to {_MOST_NOTES}.")
    if len(lines) < 2 + count:
        raise TuningError(f"The scale promises {count} notes and has {len(lines) - 2}.")
    return Scale(name or "Scale", tuple(_cents(*line) for line in lines[2 : 2 + count]))


def _cents(number: int, line: str) -> float:
    word = line.split()[0] if line.split() else ""
    wrong = TuningError(f"Line {number} of the scale is not a pitch: '{line.strip()[:60]}'.")
    # bounded before it is read: an exponent or a long number would hold everything up
    if not _PITCH.fullmatch(word):
        raise wrong
    try:
        cents = float(word) if "." in word else 1200.0 * math.log2(Fraction(word))
    except (ValueError, ZeroDivisionError) as error:
        raise wrong from error
    if abs(cents) > _MOST_CENTS:
        raise wrong
    return cents


def _whole(number: int, line: str) -> int:
    words = line.split()
    if not words or not _WHOLE.fullmatch(words[0]):
        raise TuningError(f"Line {number} is not a whole number: '{line.strip()[:60]}'.")
    return int(words[0])


def read_mapping(text: str) -> Mapping:
    """A keyboard mapping from the text of a .kbm file.

    Raises
    ------
    TuningError
        One sentence that names the line.
    """
    lines = [
        (n, line)
        for n, line in enumerate(text.splitlines(), 1)
        if line.strip() and not line.startswith("!")
    ]
    if len(lines) < 7:
        raise TuningError("This is not a Scala keyboard mapping: it has fewer than seven values.")
    size, first, last, middle, reference = (_whole(*line) for line in lines[:5])
    if not 0 <= size <= _MOST_NOTES:
        raise TuningError(f"The mapping has {size} keys; it may have up to {_MOST_NOTES}.")
    try:
        hz = float(lines[5][1].split()[0])
    except ValueError as error:
        raise TuningError(f"Line {lines[5][0]} is not a frequency: '{lines[5][1]}'.") from error
    if not _LOWEST_HZ <= hz <= _HIGHEST_HZ:
        raise TuningError(f"Line {lines[5][0]}: a frequency lies between 0.01 and 100,000 Hz.")
    steps = tuple(
        None if line.split()[0].lower() == "x" else _whole(number, line)
        for number, line in lines[7 : 7 + size]
    )
    missing = (None,) * (size - len(steps))
    return Mapping(first, last, middle, reference, hz, _whole(*lines[6]), steps + missing)


def key_offsets(scale: Scale, mapping: Mapping | None = None) -> list[float | None]:
    """Cents that each key 0..127 lies off equal temperament at A4 = 440 Hz; None for silence.

    Raises
    ------
    TuningError
        If the mapping's reference key is silent.
    """
    mapping = mapping or Mapping()
    reference = _above_middle(scale, mapping, mapping.reference)
    if reference is None:
        raise TuningError("The mapping's reference key is one that it leaves silent.")
    base = 1200.0 * math.log2(mapping.hz / _MIDDLE_HZ) - reference
    offsets: list[float | None] = []
    for key in range(KEYS):
        inside = mapping.first <= key <= mapping.last
        cents = _above_middle(scale, mapping, key) if inside else None
        offsets.append(
            None if cents is None else round(base + cents - 100.0 * (key - _MIDDLE_C), 6)
        )
    return offsets


def _above_middle(scale: Scale, mapping: Mapping, key: int) -> float | None:
    """Cents of a key above the middle key; None where it is silent."""
    away = key - mapping.middle
    if not mapping.steps:
        return _of_step(scale, away)
    turns, place = divmod(away, len(mapping.steps))
    step = mapping.steps[place]
    if step is None:
        return None
    octave = _of_step(scale, mapping.degree or len(scale.cents))
    return turns * octave + _of_step(scale, step)


def _of_step(scale: Scale, step: int) -> float:
    octaves, place = divmod(step, len(scale.cents))
    return octaves * scale.cents[-1] + (scale.cents[place - 1] if place else 0.0)
