"""Recordings in pieces over HTTP: settings and decisions with revisions, and the pieces."""

from __future__ import annotations

from typing import Any

import numpy as np
from apiflask import APIBlueprint
from numpy.typing import NDArray

from innerbloom.core.analysis import onsets as on
from innerbloom.core.prepare.pieces import KIND, Pieces, beginnings, cut_pieces, parse_pieces
from innerbloom.core.prepare.source import FileSource
from innerbloom.store import documents
from innerbloom.store.models import Document
from innerbloom.web import bench_schemas as b
from innerbloom.web.revised import add_revisions
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services

bp = APIBlueprint("pieces", __name__, url_prefix="/api/recordings/<int:recording_id>/pieces")

_MOST_POINTS = 2_000


def _found(recording_id: int) -> Document:
    """The pieces of a sound, begun with splits at the markers in its file."""
    row = found_recording(recording_id)
    return documents.of_recording(
        database(), KIND, row, lambda: Pieces(by_hand=row.measured.get("markers") or [])
    )


add_revisions(bp, "", KIND, _found)


@bp.get("/found")
@bp.output(b.PiecesFound)
def found(recording_id: int) -> b.PiecesFound:
    """The pieces as they follow from the newest revision, and the curve they were split by."""
    row = _found(recording_id)
    document: Any = parse_pieces(row.content)
    recording = found_recording(recording_id)
    source = FileSource(services().files.readable(recording.digest))
    values, level = services().files.picture(recording.digest, "onsets")
    strength = on.Strength(np.asarray(values), np.asarray(level), on.HOP / on.RATE)
    starts = beginnings(document, strength, source.read, source.rate)
    pieces = cut_pieces(document, starts, strength, source.frames / source.rate)
    by = max(1, -(-len(strength.values) // _MOST_POINTS))
    bar = on.threshold(strength, document.sensitivity / 100.0)
    return b.PiecesFound(
        revision=row.revision,
        pieces=[b.PieceFound.model_validate(piece, from_attributes=True) for piece in pieces],
        hop=strength.hop_s * by, strength=_maxima(strength.values, by), threshold=_maxima(bar, by),
    )  # fmt: skip


def _maxima(values: NDArray[np.float32], by: int) -> list[float]:
    if not len(values):
        return []
    highest = np.maximum.reduceat(values, np.arange(0, len(values), by))
    return [round(float(v), 4) for v in highest]
