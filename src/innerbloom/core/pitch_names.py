"""Notes, frequencies and their names. C4 is MIDI note 60, A4 is 69."""

from __future__ import annotations

import math
import re

_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
_STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}


def note_to_hz(note: float, tuning: float = 440.0) -> float:
    """Frequency in Hz of a MIDI note number in equal temperament (ISO 16)."""
    return float(tuning * 2.0 ** ((note - 69.0) / 12.0))


def hz_to_note(hz: float, tuning: float = 440.0) -> float:
    """MIDI note number, with a fraction, of a frequency in Hz; ``hz`` must be above zero."""
    return 69.0 + 12.0 * math.log2(hz / tuning)


def note_name(note: float) -> tuple[str, float]:
    """Name of the nearest key and the distance to it in cents, in -50..50."""
    nearest = round(note)
    return f"{_NAMES[nearest % 12]}{nearest // 12 - 1}", 100.0 * (note - nearest)


def parse_note(text: str) -> float:
    """MIDI note number of a name (``C3``, ``F#2``, ``Bb4``, ``A2 +14``) or of a plain number.

    Raises
    ------
    ValueError
        If the text is neither, or lies outside 0..127.
    """
    match = re.fullmatch(
        r"\s*([A-Ga-g])([#b♯♭]?)(-?\d)\s*(?:([+\-\u2212]\s*\d+(?:\.\d+)?)\s*(?:ct|cents?)?)?\s*",
        text,
    )
    if match:
        letter, accidental, octave, cents = match.groups()
        shift = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[accidental]
        note = 12.0 * (int(octave) + 1) + _STEPS[letter.upper()] + shift
        if cents:
            note += float(cents.replace(" ", "").replace("\u2212", "-")) / 100.0
    else:
        try:
            note = float(text)
        except ValueError:
            raise ValueError(
                f"'{text}' is not a note: write C3, F#2 or a number like 48."
            ) from None
    if not 0 <= note <= 127:
        raise ValueError(f"'{text}' is outside the keys 0 to 127 (C-1 to G9).")
    return note
