"""The instrument document: one JSON shape for the database, files and bundles."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, StringConstraints, create_model

from innerbloom.core.declare.model import Id, Model, Name, Share, json_text, published, refuse
from innerbloom.core.declare.parameters import Settings, settings_model
from innerbloom.core.declare.registry import ByKind, settings_of
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.sound import Sound, recordings_in
from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import (
    ENTRY,
    LAYER_KINDS,
    MAX_SOUNDS,
    MEMBER,
    InstrumentSettings,
)
from innerbloom.core.instrument.mixing import MAX_BUSES, Bus, Effects, Send, check_mixing
from innerbloom.core.instrument.modulation import (
    MAX_MODULATORS,
    MAX_ROUTES,
    AnyModulator,
    Route,
    check_movement,
)
from innerbloom.core.instrument.owners import MAIN, WHOLE_ID, ids_in, owners_of
from innerbloom.core.instrument.snapshots import (
    MAX_SNAPSHOTS,
    Snapshot,
    State,
    check_snapshots,
)
from innerbloom.core.instrument.upgrade import VERSION, upgraded

MAX_LAYERS = 8
MAX_MEMBERS = 8
MAX_PATH_POINTS = 32
PETALS = ("madder", "ochre", "moss", "lichen", "iris", "heather", "clay", "slate")

EntrySettings: type[Settings] = settings_model("EntrySettings", ENTRY)
MemberSettings: type[Settings] = settings_model("MemberSettings", MEMBER)

if TYPE_CHECKING:
    EntryModel: TypeAlias = Settings
    MemberModel: TypeAlias = Settings
    InstrumentModel: TypeAlias = Settings
else:
    EntryModel, MemberModel = EntrySettings, MemberSettings
    InstrumentModel = InstrumentSettings

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
    effects : list of Effect
        What all its voices together pass, in this order, ahead of its level.
    output : str
        Id of the bus it goes to; ``main`` for the main bus.
    sends : list of Send
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
    effects: Effects = Field(default_factory=list)
    output: Id = MAIN
    sends: list[Send] = Field(default_factory=list, max_length=MAX_BUSES)
    kind: str
    settings: Settings

    @property
    def sound(self) -> Sound:
        """The first sound; raises a DocumentError if there is none."""
        if not self.sounds:
            raise DocumentError(f"The layer '{self.name}' has no sound: choose one.")
        return self.sounds[0]


@cache
def layer_model(kind: str) -> type[Layer]:
    """The model of one kind of layer."""
    settings = settings_of(LAYER_KINDS[kind])
    return create_model(
        f"{kind.title()}Layer",
        __base__=Layer,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


AnyLayer = Annotated[Layer, ByKind(LAYER_KINDS, layer_model, "a layer")]


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
    buses : list of Bus
        Shared by the layers that go or send there.
    effects : list of Effect
        What the main bus passes, ahead of its level and the limiter.
    snapshots : list of Snapshot
    snapshot_base : dict of owner to dict of parameter to value
        The state that snapshots tell their differences from, without what is at its default.
    """

    format: Literal["inner-bloom/instrument"] = "inner-bloom/instrument"
    version: Literal[VERSION] = VERSION  # type: ignore[valid-type]
    name: Name
    notes: Annotated[str, StringConstraints(max_length=4_000)] = ""
    settings: InstrumentModel = Field(default_factory=InstrumentSettings)
    tuning: Scala | None = None
    stack: list[MemberModel] = Field(
        default_factory=lambda: [MemberSettings()], min_length=1, max_length=MAX_MEMBERS
    )
    layers: list[AnyLayer] = Field(min_length=1, max_length=MAX_LAYERS)
    modulators: list[AnyModulator] = Field(default_factory=list, max_length=MAX_MODULATORS)
    routes: list[Route] = Field(default_factory=list, max_length=MAX_ROUTES)
    buses: list[Bus] = Field(default_factory=list, max_length=MAX_BUSES)
    effects: Effects = Field(default_factory=list)
    snapshots: list[Snapshot] = Field(default_factory=list, max_length=MAX_SNAPSHOTS)
    snapshot_base: State = Field(default_factory=dict)


_WITH_OWNERS = {"layers", "modulators", "routes", "buses", "effects"}


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
    data = json_text(data, "This is not an instrument document", DocumentError)
    document = validated(Instrument, upgraded(data), "instrument")
    ids = ids_in(document.model_dump(include=_WITH_OWNERS))
    if len(set(ids)) != len(ids):
        raise refuse("document", "two layers, modulators, routes, buses or effects share one id")
    if {WHOLE_ID, MAIN} & set(ids):
        raise refuse("document", f"'{WHOLE_ID}' and '{MAIN}' are no ids to give away")
    for number, layer in enumerate(document.layers):
        _check_layer(number, layer)
    check_mixing(document)
    check_movement(document)
    check_snapshots(document)
    return document


def _summary(document: dict[str, Any]) -> dict[str, Any]:
    petals = [layer["petal"] for layer in document["layers"]]
    return {"petals": petals, "recordings": recordings_in(document)}


KIND = DocumentKind("instrument", "instrument", Instrument, parse_instrument, summary=_summary)

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


def sounds_of(document: Instrument) -> list[Sound]:
    """Every sound of every layer, effect and contour."""
    of_layers = [sound for layer in document.layers for sound in layer.sounds]
    parts = [one.part for one in owners_of(document).values()]
    alone = [one.sound for one in parts if not isinstance(one, Layer) and hasattr(one, "sound")]
    return of_layers + [sound for sound in alone if sound is not None]


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the document."""
    return published(Instrument, "Inner Bloom instrument")
