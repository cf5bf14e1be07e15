"""What all parts of the document are made of."""

from __future__ import annotations

import json
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from innerbloom.core.errors import BloomError, DocumentError


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


def json_text(data: Any, sentence: str, refusal: type[BloomError]) -> Any:
    """Plain data as it is, JSON text read; what cannot be read is refused with a sentence."""
    if not isinstance(data, str | bytes):
        return data
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as error:
        raise refusal(f"{sentence}: {error}.") from error


def published(model: type[BaseModel], title: str) -> dict[str, Any]:
    """The JSON Schema of a document as it is published."""
    schema = model.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = title
    return schema
