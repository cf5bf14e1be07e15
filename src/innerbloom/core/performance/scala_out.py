"""A tuning as Scala files: a scale of one step a key, and a mapping that says which keys are silent.

What :mod:`.scala` reads: cents above the first key that sounds, and the frequency of that key.
"""

from __future__ import annotations

from collections.abc import Sequence

from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import note_to_hz

Offsets = Sequence[float | None]
"""Cents of each key 0..127 off equal temperament at A4 = 440 Hz; None for silence."""


def scale_text(name: str, offsets: Offsets) -> str:
    """The scale (.scl) of all keys that sound, the lowest its first step.

    Raises
    ------
    BloomError
        If fewer than two keys sound.
    """
    first, *rest = _sounding(offsets)
    base = _cents(offsets, first)
    steps = [f"{_cents(offsets, key) - base:.6f}" for key in rest]
    title = " ".join(name.split()) or "Tuning"
    return "\n".join((title, f" {len(steps)}", *(f" {step}" for step in steps))) + "\n"


def mapping_text(offsets: Offsets) -> str:
    """The mapping (.kbm) that goes with it; raises as :func:`scale_text` does."""
    sounding = _sounding(offsets)
    first, last = sounding[0], sounding[-1]
    hz = note_to_hz(first + (offsets[first] or 0.0) / 100.0)
    step_of = {key: step for step, key in enumerate(sounding)}
    keys = [str(step_of[key]) if key in step_of else "x" for key in range(first, last + 1)]
    head = (len(keys), first, last, first, first, f"{hz:.9f}", len(sounding) - 1)
    return "\n".join([*(str(one) for one in head), *keys]) + "\n"


def _sounding(offsets: Offsets) -> list[int]:
    found = [key for key, cents in enumerate(offsets) if cents is not None]
    if len(found) < 2:
        raise BloomError("A scale with fewer than two keys cannot be written.")
    return found


def _cents(offsets: Offsets, key: int) -> float:
    return 100.0 * key + (offsets[key] or 0.0)
