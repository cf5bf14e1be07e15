"""What capturing and the card send and get, as pydantic models."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from innerbloom.web.schemas import _In


class CaptureIn(_In):
    rate: int = Field(ge=8_000, le=192_000)
    channels: int = Field(default=1, ge=1, le=2)


class CaptureOut(BaseModel):
    id: str
    rate: int
    channels: int
    began: str
    pieces: int
    running: bool = Field(description="Whether a page is sending pieces of it.")
    seconds: float
    most_s: float


class CaptureList(BaseModel):
    captures: list[CaptureOut]


class CaptureEnd(_In):
    name: str = Field(default="", max_length=120)
    notes: str = Field(default="", max_length=2_000)
    markers: list[Annotated[float, Field(ge=0, le=3_600)]] = Field(default=[], max_length=1_000)


class CardFile(BaseModel):
    name: str
    problem: str = ""
    scene: str = ""
    take: str = ""
    note: str = ""
    place: str = ""
    date: str = ""
    recordist: str = ""
    timecode: str = ""
    duration_s: float = 0.0
    rate: int = 0
    channels: int = 0
    markers: int = 0


class Card(BaseModel):
    present: bool
    files: list[CardFile]


class CardImport(_In):
    names: list[str] = Field(min_length=1, max_length=1_000)


class CardImported(BaseModel):
    jobs: list[str]
    problems: list[str]
