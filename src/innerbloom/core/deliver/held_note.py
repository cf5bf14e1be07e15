"""How an instrument holds a note: whether it falls silent, flutters, is wide, and moves."""

from __future__ import annotations

import math
from dataclasses import dataclass

from innerbloom.core.analysis.evolution import evolution
from innerbloom.core.engine import ENGINE_RATE, Engine, Program
from innerbloom.core.performance.events import Event
from innerbloom.core.prepare.words import MINUS, note

SECONDS = 12.0
_BEGUN_S = 1.0
_SILENT = 1e-6


@dataclass(frozen=True)
class HeldNote:
    """What is found; figures as of :class:`.Evolution`, None where there is nothing but silence.

    Attributes
    ----------
    key : int
    words : str
        All that as one line.
    """

    key: int
    lowest_db: float | None
    flutter: float | None
    side_db: float | None
    moves_db: float | None
    words: str


def held_note(program: Program, key: int = 60, velocity: float = 0.8) -> HeldNote:
    """Hold a key for twelve seconds and measure what comes after the first."""
    heard = Engine(program).render(
        round(SECONDS * ENGINE_RATE), [Event("on", 1, float(key), velocity)]
    )[round(_BEGUN_S * ENGINE_RATE) :]
    if abs(heard).max() < _SILENT:
        return HeldNote(key, None, None, None, None, f"{note(key)} held is silent")
    found = evolution(heard, ENGINE_RATE)
    wide = "in mono" if not math.isfinite(found.side_db) else f"sides {found.side_db:.0f} dB"
    words = (
        f"{note(key)} held for {SECONDS:.0f} s: at its quietest {found.lowest_db:.0f} dB, "
        f"flutter {found.flutter:.2f}, {wide}, timbre moves by {found.far:.1f} dB"
    ).replace("-", MINUS)
    side = round(found.side_db, 2) if math.isfinite(found.side_db) else None
    return HeldNote(
        key, round(found.lowest_db, 2), round(found.flutter, 3), side, round(found.far, 2), words
    )
