"""A recording in pieces: where it is split, and what is decided of each piece.

A document of settings and decisions. The pieces themselves follow from it and the recording,
so that decisions stay with a piece as long as it begins where it did.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from innerbloom.core.analysis import onsets as on
from innerbloom.core.declare.model import Model, json_text
from innerbloom.core.declare.parameters import Choice, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import DocumentError

DECLARED: tuple[P | Choice, ...] = (
    P("sensitivity", "sensitivity", "Split", "%", 0, 100, 100 * on.SENSITIVITY,
      "How small a beginning starts a new piece; the line on the picture is what it has to pass."),
    P("gap", "least gap", "Split", "ms", 10, 2_000, 1e3 * on.LEAST_GAP_S,
      "Beginnings closer together than this are one.", "log"),
    P("level", "least level", "Split", "dB", -90, 0, on.LEAST_LEVEL_DB,
      "How far below the loudest a beginning may lie.", "decibel"),
    P("pre", "pre-roll", "Edges", "ms", 0, 500, 0, "Sound kept before each beginning.", "cubic"),
    P("post", "post-roll", "Edges", "ms", 0, 5_000, 0, "Sound kept after each end.", "cubic"),
    P("shortest", "shorter than", "Drop unless kept", "ms", 0, 5_000, 0,
      "Shorter pieces are dropped unless you keep them.", "cubic"),
    P("quietest", "quieter than", "Drop unless kept", "dB", -100, 0, -100,
      "Pieces whose highest level lies below are dropped unless you keep them.", "decibel"),
    Choice("undecided", "undecided", ("keep", "drop"), "keep",
           "What becomes of pieces of which nothing is decided.", "Drop unless kept"),
    Choice("together", "levels", ("each alone", "together"), "each alone",
           "Together, Normalise raises all pieces by the same: dynamics between them stay.", "Edges"),
)  # fmt: skip

Moment = Annotated[float, Field(ge=0, le=86_400)]


class Decision(Model):
    """What is decided of one piece; None leaves it to the settings."""

    kept: bool | None = None
    name: str = Field(default="", max_length=120)


class PiecesDocument(Settings):
    """What is kept beside the settings."""

    format: Literal["inner-bloom/pieces"] = "inner-bloom/pieces"
    version: Literal[1] = 1
    by_hand: list[Moment] = Field(default=[], max_length=2_000)
    removed: list[Moment] = Field(default=[], max_length=2_000)
    decisions: dict[str, Decision] = Field(default={}, max_length=4_000)


Pieces = settings_model("Pieces", DECLARED, base=PiecesDocument)
"""The document: what is declared, and the above."""


def parse_pieces(data: Any) -> PiecesDocument:
    """Validate a document given as plain data or JSON text; raises a DocumentError."""
    data = json_text(data, "These are not pieces", DocumentError)
    return validated(Pieces, data, "list of pieces")


KIND = DocumentKind("pieces", "list of pieces", Pieces, parse_pieces)


@dataclass(frozen=True)
class Piece:
    """One piece: where it lies in seconds, and what becomes of it.

    Attributes
    ----------
    key : str
        Names the piece in the decisions: the moment of its beginning.
    level_db : float
        Its highest level in dBFS.
    usual : bool
        Whether it is kept as long as nothing is decided.
    """

    key: str
    start: float
    end: float
    level_db: float
    usual: bool


def key_of(moment: float) -> str:
    """What the piece that begins there goes by."""
    return f"{moment:.4f}"


def beginnings(document: Any, strength: on.Strength, read: on.Read, rate: int) -> list[float]:
    """Where pieces begin: onsets that were not taken away, and splits by hand, in order."""
    found = on.pick_onsets(
        strength, document.sensitivity / 100.0, 1e-3 * document.gap, document.level
    )
    removed = {key_of(at) for at in document.removed}
    moments = {key_of(at): at for at in on.sharpened(found, read, rate).tolist()}
    moments |= {key_of(at): at for at in document.by_hand}
    return sorted(at for key, at in moments.items() if key not in removed)


def cut_pieces(
    document: Any, starts: Iterable[float], strength: on.Strength, duration_s: float
) -> list[Piece]:
    """Pieces from each beginning to where it has faded, or to the next one."""
    starts = list(starts)
    by_hand = {key_of(at) for at in document.by_hand}
    out: list[Piece] = []
    for start, following in zip(starts, [*starts[1:], duration_s], strict=True):
        end, level_db = _faded_end(strength, start, following)
        if end is None:
            if key_of(start) not in by_hand:
                continue
            end = following
        after = min(following, end + 1e-3 * document.post)
        before = max(out[-1].end if out else 0.0, start - 1e-3 * document.pre)
        usual = (
            document.undecided == "keep"
            and 1e3 * (after - before) >= document.shortest
            and level_db >= document.quietest
        )
        out.append(Piece(key_of(start), before, after, level_db, usual))
    return out


_FADED_DB = -60.0
_LEAST_S = 0.03


def _faded_end(strength: on.Strength, start: float, end: float) -> tuple[float | None, float]:
    """Where a piece falls below the loudest by 60 dB and stays there, and its highest level;
    no end where it is silent or shorter than 30 ms."""
    levels = strength.level_db
    # the last looks before an end hear what begins there already
    first, last = round(start / strength.hop_s), round(end / strength.hop_s) - 2
    inside = levels[first : max(first + 1, last)]
    if not len(inside):
        return None, -120.0
    highest = float(inside.max())
    loud = np.flatnonzero(inside > float(levels.max()) + _FADED_DB)
    if not len(loud):
        return None, highest
    faded = min(end, (first + int(loud[-1]) + 2) * strength.hop_s)
    return (faded if faded - start >= _LEAST_S else None), highest
