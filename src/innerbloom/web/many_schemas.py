"""What may be asked of several sounds of the shelf at once, and what comes back."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, model_validator

from innerbloom.core.instrument.catalogue import MAX_SOUNDS
from innerbloom.core.instrument.grow import Spread
from innerbloom.web.schemas import RecordingEdit, _In


class RecordingChange(RecordingEdit):
    """What changes of one recording, where several change at once."""

    recording: int


class ManyEdits(_In):
    """Changes of several recordings that are made together."""

    edits: list[RecordingChange] = Field(min_length=1, max_length=2_000)


class RecordingBefore(RecordingChange):
    """What a change has replaced; sent as a change, it leads back."""


class EditsBefore(BaseModel):
    edits: list[RecordingBefore]


class NamesIn(_In):
    """A template for names, such as ``{place} {number}``; numbers count from ``begin``."""

    recordings: list[int] = Field(min_length=1, max_length=2_000)
    template: str = Field(min_length=1, max_length=120)
    begin: int = Field(default=1, ge=0, le=99_999)


class NamesOut(BaseModel):
    names: list[str]


class GrowManyIn(_In):
    """One instrument of several recordings; see :func:`.grow_of_many`."""

    recordings: list[int] = Field(min_length=1, max_length=MAX_SOUNDS)
    spread: Spread = "chance"


class BatchIn(_In):
    recordings: list[int] = Field(min_length=1, max_length=2_000)
    action: Literal["delete", "restore", "tag", "untag"]
    tag: str = Field(default="", max_length=40)

    @model_validator(mode="after")
    def _tag_is_named(self) -> BatchIn:
        if "tag" in self.action and not self.tag.strip():
            raise ValueError("a tag needs a name")
        return self


class BatchOut(BaseModel):
    changed: list[int]
