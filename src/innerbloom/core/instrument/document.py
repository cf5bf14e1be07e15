"""The instrument document: one JSON shape for the database, files and bundles."""

from __future__ import annotations

import json
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, StringConstraints, ValidationError, create_model

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import (
    ENTRY,
    LAYER_KINDS,
    LAYER_SETTINGS,
    MAX_SOUNDS,
    MEMBER,
    WholeSettings,
)
from innerbloom.core.instrument.model import Id, Model, Name, Share, refuse
from innerbloom.core.instrument.movement import (
    MAX_MODULATORS,
    MAX_ROUTES,
    AnyModulator,
    Route,
    check_movement,
)
from innerbloom.core.instrument.parameters import Settings, settings_model
from innerbloom.core.instrument.sound import Sound
from innerbloom.core.instrument.upgrade import upgraded

MAX_LAYERS = 8
MAX_MEMBERS = 8
MAX_PATH_POINTS = 32
PETALS = ("madder", "ochre", "moss", "lichen", "iris", "heather", "clay", "slate")

EntrySettings: type[Settings] = settings_model("EntrySettings", ENTRY)
MemberSettings: type[Settings] = settings_model("MemberSettings", MEMBER)

if TYPE_CHECKING:
    EntryModel: TypeAlias = Settings
    MemberModel: TypeAlias = Settings
else:
    EntryModel, MemberModel = EntrySettings, MemberSettings

LayerSounds = Annotated[list[Sound], Field(max_length=MAX_SOUNDS)]


class Layer(Model):
    """What all kinds of layer share.

    Attributes
    ----------
    sounds : list of Sound
        What the layer plays; how many depends on its kind.
    picks : list of settings
        When each sound is picked, one entry a sound; short lists are filled with defaults.
    path : list of (time, place)
        The drawn path, both in 0..1, time rising.
    colour : Sound or None
        A sound that lends the layer its outline, and is not heard itself.
    drawn_filter : list of (place, level)
        The filter of a spectral layer, both in 0..1: from 20 Hz to 20 kHz by octaves, and from
        -60 dB to 0 dB; places rising.
    """

    id: Id
    name: Name
    petal: Literal[PETALS] = "madder"  # type: ignore[valid-type]
    sounds: LayerSounds = Field(default_factory=list)
    picks: list[EntryModel] = Field(default_factory=list, max_length=MAX_SOUNDS)
    path: list[tuple[Share, Share]] = Field(
        default=[(0.0, 0.0), (1.0, 1.0)], min_length=2, max_length=MAX_PATH_POINTS
    )
    drawn_filter: list[tuple[Share, Share]] = Field(
        default=[(0.0, 1.0), (1.0, 1.0)], min_length=2, max_length=MAX_PATH_POINTS
    )
    colour: Sound | None = None
    kind: str
    settings: Settings

    @property
    def sound(self) -> Sound:
        """The first sound; raises a DocumentError if there is none."""
        if not self.sounds:
            raise DocumentError(f"The layer '{self.name}' has no sound: choose one.")
        return self.sounds[0]


def _layer_model(kind: str) -> type[Layer]:
    settings = LAYER_SETTINGS[kind]
    return create_model(
        f"{kind.title()}Layer",
        __base__=Layer,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


LAYER_MODELS: dict[str, type[Layer]] = {kind: _layer_model(kind) for kind in LAYER_KINDS}

# models made from the registry look like their bases to a type checker
if TYPE_CHECKING:
    AnyLayer = Layer
    WholeModel = Settings
else:
    AnyLayer = Annotated[reduce(or_, LAYER_MODELS.values()), Field(discriminator="kind")]
    WholeModel = WholeSettings


class Scala(Model):
    """A tuning read from Scala files.

    Attributes
    ----------
    name : str
    cents : list of float
        Offset of each MIDI note 0..127 from equal temperament, in cents; None is silent.
    """

    name: Name
    cents: list[Annotated[float, Field(ge=-20_000, le=20_000)] | None] = Field(
        min_length=128, max_length=128
    )


class Instrument(Model):
    """A whole instrument.

    Attributes
    ----------
    stack : list of settings
        What sets each member of a note's stack apart; its length is the size of the stack.
    """

    format: Literal["inner-bloom/instrument"] = "inner-bloom/instrument"
    version: Literal[3] = 3
    name: Name
    notes: Annotated[str, StringConstraints(max_length=4_000)] = ""
    settings: WholeModel = Field(default_factory=WholeSettings)
    tuning: Scala | None = None
    stack: list[MemberModel] = Field(
        default_factory=lambda: [MemberSettings()], min_length=1, max_length=MAX_MEMBERS
    )
    layers: list[AnyLayer] = Field(min_length=1, max_length=MAX_LAYERS)
    modulators: list[AnyModulator] = Field(default_factory=list, max_length=MAX_MODULATORS)
    routes: list[Route] = Field(default_factory=list, max_length=MAX_ROUTES)


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
        document = Instrument.model_validate(upgraded(data))
    except ValidationError as error:
        raise DocumentError(_first_problem(error)) from error
    owners: list[Any] = [*document.layers, *document.modulators, *document.routes]
    if len({one.id for one in owners}) != len(owners):
        raise refuse("document", "two layers, modulators or routes share one id")
    for number, layer in enumerate(document.layers):
        _check_layer(number, layer)
    check_movement(document)
    return document


_RANGES = (("key_low", "key_high", "key"), ("velocity_low", "velocity_high", "velocity"))


def _check_layer(number: int, layer: Layer) -> None:
    at = f"layers.{number}"
    most = LAYER_KINDS[layer.kind].most_sounds
    if len(layer.sounds) > most:
        raise refuse(f"{at}.sounds", f"a {layer.kind} layer holds {most} at most")
    if len(layer.picks) > len(layer.sounds):
        raise refuse(f"{at}.picks", "there are more picks than sounds")
    ranged = [(f"{at}.settings", layer.settings)]
    ranged += [(f"{at}.picks.{i}", pick) for i, pick in enumerate(layer.picks)]
    for path, settings in ranged:
        for low, high, what in _RANGES:
            if getattr(settings, low) > getattr(settings, high):
                raise refuse(f"{path}.{low}", f"the lowest {what} lies above the highest")
    for curve, what in (("path", "times"), ("drawn_filter", "places")):
        along = [place for place, _ in getattr(layer, curve)]
        if along != sorted(along):
            raise refuse(f"{at}.{curve}", f"its {what} have to rise")


def _first_problem(error: ValidationError) -> str:
    first = error.errors(include_url=False, include_context=False)[0]
    # pydantic names the kind it chose between a layer's number and the rest: leave it out
    parts = [
        str(part)
        for at, part in enumerate(first["loc"])
        if not (at == 2 and first["loc"][0] == "layers" and part in LAYER_KINDS)
    ]
    path = ".".join(parts) or "document"
    if first["type"].startswith("union_tag"):
        kinds = ", ".join(LAYER_KINDS)
        return f"The instrument cannot be read: {path}.kind: a layer is one of {kinds}."
    more = error.error_count() - 1
    also = f" ({more} more like it)" if more else ""
    message = first["msg"].rstrip(".")
    return f"The instrument cannot be read: {path}: {message[0].lower()}{message[1:]}{also}."


def sounds_of(document: Instrument) -> list[Sound]:
    """Every sound of every layer, contour and colouring."""
    of_layers = [sound for layer in document.layers for sound in layer.sounds]
    of_layers += [layer.colour for layer in document.layers if layer.colour is not None]
    return of_layers + [one.sound for one in document.modulators if one.sound is not None]


def recordings_in(document: dict[str, Any]) -> list[str]:
    """Hashes of all recordings that a document, as plain data, plays; each once."""
    sounds = [sound for layer in document["layers"] for sound in layer["sounds"]]
    sounds += [layer["colour"] for layer in document["layers"] if layer.get("colour")]
    sounds += [one["sound"] for one in document["modulators"] if one.get("sound")]
    return list(dict.fromkeys(one["recording"] for one in sounds if one["recording"]))


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the document."""
    schema = Instrument.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Inner Bloom instrument"
    return schema
