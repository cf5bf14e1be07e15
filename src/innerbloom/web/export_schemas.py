"""Exporters over HTTP."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from innerbloom.web.schemas import _In


class ExporterOut(BaseModel):
    """One way out: of what, what it is called, and the suffix of its file."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    of: str
    name: str
    suffix: str


class ExporterList(BaseModel):
    exporters: list[ExporterOut]


class PieceIn(_In):
    """A movement or a chain, as its file holds it."""

    piece: dict[str, Any]


class PieceTakenIn(BaseModel):
    kind: Literal["movement", "chain"]
    name: str
