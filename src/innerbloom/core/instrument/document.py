"""The instrument document: one JSON shape for the database, files and bundles."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    StringConstraints,
    ValidationError,
    create_model,
)

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import LAYER_SETTINGS, WholeSettings
from innerbloom.core.instrument.parameters import Settings

MAX_LAYERS = 8
MAX_STRETCH_S = 180.0
"""Longest stretch of a recording that one layer holds in memory, in seconds."""

PETALS = ("madder", "ochre", "moss", "lichen", "iris", "heather", "clay", "slate")

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


def _stays_inside(path: str) -> str:
    parts = path.replace("\\", "/").split("/")
    if path.startswith(("/", "\\")) or ".." in parts or ":" in path or not path.isprintable():
        raise ValueError("the path must be relative and stay beside the document")
    return path


RelativePath = Annotated[
    str, StringConstraints(min_length=1, max_length=240), AfterValidator(_stays_inside)
]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Sound(_Model):
    """Which recording a layer plays, and how it is read.

    Attributes
    ----------
    recording : str or None
        SHA-256 of the original file, as the shelf knows it.
    path : str or None
        Where the audio lies relative to the document, for files and bundles.
    start, length : float
        The stretch that is loaded, in seconds; ``length`` None reaches to the end, or
        to :data:`MAX_STRETCH_S`.
    root : float or None
        MIDI note number, with a fraction, at which the sound plays untransposed;
        None for a sound without a clear pitch, which then plays so at C4 (60).
    gain_db : float
        Level trim of this recording, in dB.
    """

    recording: Digest | None = None
    path: RelativePath | None = None
    start: float = Field(default=0.0, ge=0, le=1e6)
    length: float | None = Field(default=None, gt=0.01, le=MAX_STRETCH_S)
    root: float | None = Field(default=None, ge=0, le=135)
    gain_db: float = Field(default=0.0, ge=-60, le=60)


class Layer(_Model):
    """What all kinds of layer share."""

    id: Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{1,16}$")]
    name: Name
    petal: Literal[PETALS] = "madder"  # type: ignore[valid-type]
    sound: Sound = Field(default_factory=Sound)
    kind: str
    settings: Settings


def _layer_model(kind: str) -> type[Layer]:
    settings = LAYER_SETTINGS[kind]
    return create_model(
        f"{kind.title()}Layer",
        __base__=Layer,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


# models made from the registry look like their bases to a type checker
if TYPE_CHECKING:
    CloudLayer = Layer
    WholeModel = Settings
else:
    CloudLayer = _layer_model("cloud")
    WholeModel = WholeSettings


class Instrument(_Model):
    """A whole instrument."""

    format: Literal["inner-bloom/instrument"] = "inner-bloom/instrument"
    version: Literal[1] = 1
    name: Name
    notes: Annotated[str, StringConstraints(max_length=4_000)] = ""
    settings: WholeModel = Field(default_factory=WholeSettings)
    layers: list[CloudLayer] = Field(min_length=1, max_length=MAX_LAYERS)


def parse_instrument(data: Any) -> Instrument:
    """Validate a document.

    Parameters
    ----------
    data : dict, str or bytes
        The document, as plain data or as JSON text.

    Raises
    ------
    DocumentError
        One sentence that names the path of the first thing wrong.
    """
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise DocumentError(f"This is not an instrument document: {error}.") from error
    try:
        document = Instrument.model_validate(data)
    except ValidationError as error:
        raise DocumentError(_first_problem(error)) from error
    ids = [layer.id for layer in document.layers]
    if len(set(ids)) != len(ids):
        raise DocumentError("The instrument cannot be read: layers: two layers share one id.")
    return document


def _first_problem(error: ValidationError) -> str:
    first = error.errors(include_url=False, include_context=False)[0]
    path = ".".join(str(part) for part in first["loc"]) or "document"
    more = error.error_count() - 1
    also = f" ({more} more like it)" if more else ""
    message = first["msg"].rstrip(".")
    return f"The instrument cannot be read: {path}: {message[0].lower()}{message[1:]}{also}."


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the document."""
    schema = Instrument.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Inner Bloom instrument"
    return schema
