"""Swap sheets over HTTP."""

from __future__ import annotations

from pydantic import BaseModel, Field

from innerbloom.core.deliver.swap import MOST
from innerbloom.store.swap_folders import SwapSheet
from innerbloom.web.schemas import _In


class SwapIn(_In):
    """Which recordings an instrument is tried on, and the key that is held, for how many seconds."""

    recordings: list[int] = Field(min_length=1, max_length=MOST)
    key: float = Field(default=60.0, ge=0, le=127)
    seconds: float = Field(default=4.0, ge=1.0, le=20.0)


class SheetOut(BaseModel):
    """A sheet and the folder that it lies in; none where none was made."""

    sheet: str | None
    found: SwapSheet | None
