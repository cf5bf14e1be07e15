"""What all parts of the document are made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from innerbloom.core.errors import DocumentError


class Model(BaseModel):
    """A part of a document: no unknown names, no NaN or infinity."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{1,16}$")]
Share = Annotated[float, Field(ge=0, le=1)]
TwoSided = Annotated[float, Field(ge=-1, le=1)]
Bend = Annotated[float, Field(ge=-100, le=100)]
"""Bend of a stretch of a curve, in %."""


def refuse(path: str, why: str) -> DocumentError:
    """The one sentence for a document with something wrong at ``path``."""
    return DocumentError(f"The instrument cannot be read: {path}: {why}.")
