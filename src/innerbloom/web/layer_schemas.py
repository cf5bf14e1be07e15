"""What may be asked of an instrument's layers, and what comes back."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.declare.revisions import Patch
from innerbloom.core.deliver.held_note import HeldNote
from innerbloom.core.deliver.portrait import KeyPortrait
from innerbloom.core.effects.kind import Picture
from innerbloom.core.instrument.catalogue import MAX_SOUNDS, Source
from innerbloom.core.instrument.document import MAX_LAYERS, Instrument
from innerbloom.web.schemas import _In

LayerIndex = Annotated[int, Field(ge=0, lt=MAX_LAYERS)]


class LayerKindOut(BaseModel, from_attributes=True):
    """A kind of layer: what screens need to know of it; see :class:`.LayerKind`."""

    id: str
    help: str
    parameters: list[Parameter | Choice]
    sounds: Literal["one", "many", "path"]
    most_sounds: int
    needs_sound: bool
    rooted: bool
    handle: str | None


class ModulatorKindOut(BaseModel, from_attributes=True):
    """A kind of modulator; see :class:`.ModulatorKind`."""

    id: str
    name: str
    help: str
    parameters: list[Parameter | Choice]
    needs: Literal["nothing", "cycle", "shape", "steps", "recording", "layer"]
    sides: int
    shared: bool
    steady: bool


class EffectKindOut(BaseModel, from_attributes=True):
    """A kind of effect; see :class:`.EffectKind`."""

    id: str
    name: str
    help: str
    group: str
    declared: list[Parameter | Choice]
    sound: Literal["none", "one"]
    listens: bool
    shows: list[str]
    picture: Picture


class Catalogue(BaseModel):
    """The registry, as screens need it."""

    whole: list[Parameter | Choice]
    kinds: dict[str, list[Parameter | Choice]]
    layer_kinds: list[LayerKindOut]
    effect_kinds: list[EffectKindOut]
    buses: list[Parameter | Choice]
    sends: list[Parameter | Choice]
    members: list[Parameter]
    entries: list[Parameter]
    sources: list[Source]
    modulator_kinds: list[ModulatorKindOut]
    routes: list[Parameter]
    take: list[Parameter | Choice]
    polarities: list[str]
    envelope_steepness: float
    longest_stretch_s: float
    most_layers: int
    most_members: int
    most_buses: int
    ensemble: list[Parameter | Choice]
    players: list[Parameter | Choice]
    phrase: list[Parameter | Choice]
    variations: list[Parameter | Choice]
    samples: list[Parameter | Choice]
    stems: list[Parameter | Choice]
    clips: list[Parameter | Choice]
    most_players: int
    most_snapshots: int


class _Do(_In):
    revision: int = Field(ge=0)


class AddLayer(_Do):
    do: Literal["add"]
    kind: str = Field(max_length=16)
    recording: int | None = None
    shape: str = Field(default="", max_length=16)


class AddClick(_Do):
    do: Literal["click"]


class AddTuned(_Do):
    do: Literal["tuned wave"]
    layer: LayerIndex
    shape: Literal["sine", "triangle", "saw", "pulse"] = "sine"
    octave: int = Field(default=0, ge=-4, le=4)


class Duplicate(_Do):
    do: Literal["duplicate", "remove"]
    layer: LayerIndex


class MoveLayer(_Do):
    do: Literal["move"]
    layer: LayerIndex
    to: LayerIndex


class SwapSound(_Do):
    do: Literal["swap sound"]
    layer: LayerIndex
    which: int = Field(default=0, ge=0, le=63)
    recording: int


class SwapAll(_Do):
    """Another recording in place of all; stretches lie where they lay in the old ones."""

    do: Literal["swap all"]
    recording: int


class AddPrint(_Do):
    """A recording of a note as a layer that plays it from its beginning to its end."""

    do: Literal["print"]
    recording: int


class AddSounds(_Do):
    do: Literal["add sounds"]
    layer: LayerIndex
    recordings: list[int] = Field(min_length=1, max_length=MAX_SOUNDS)


class RemoveSound(_Do):
    do: Literal["remove sound"]
    layer: LayerIndex
    which: int = Field(ge=0, le=63)


class MoveSound(_Do):
    do: Literal["move sound"]
    layer: LayerIndex
    which: int = Field(ge=0, le=63)
    to: int = Field(ge=0, le=63)


class Colour(_Do):
    do: Literal["colour"]
    layer: LayerIndex
    recording: int | None = None


class Resemble(_Do):
    """Let a cloud speak as another layer, or, without one, as itself again."""

    do: Literal["resemble"]
    layer: LayerIndex
    other: LayerIndex | None = None


class Spread(_Do):
    do: Literal["spread"]
    layer: LayerIndex
    by: Literal["key", "velocity", "control"]


LayerAction = (
    AddLayer
    | AddClick
    | AddTuned
    | Duplicate
    | MoveLayer
    | SwapSound
    | AddSounds
    | SwapAll
    | AddPrint
    | RemoveSound
    | MoveSound
    | Colour
    | Resemble
    | Spread
)


class ActionIn(_In):
    action: LayerAction = Field(discriminator="do")


class VariedRange(_In):
    layer: str = Field(max_length=16)
    parameter: str = Field(max_length=40)
    low: float
    high: float


class VariantsIn(_In):
    groups: list[str] = Field(default_factory=list, max_length=40)
    layers: list[str] | None = Field(default=None, max_length=MAX_LAYERS)
    amount: float = Field(default=0.2, gt=0, le=1)
    ranges: list[VariedRange] = Field(default_factory=list, max_length=500)
    count: int = Field(default=8, ge=1, le=16)
    seed: int = Field(default=1, ge=0, le=2**31)
    key: int = Field(default=48, ge=0, le=127, description="Key that the sketches are of.")


class VariantOut(BaseModel):
    document: Instrument
    patch: Patch
    words: list[str] = Field(description="What differs most.")


class VariantList(BaseModel):
    ranges: list[VariedRange]
    variants: list[VariantOut]
    job: str = Field(description="Makes a sketch of the present state and of each variant.")


class PortraitState(BaseModel):
    job: str | None
    keys: list[KeyPortrait] | None
    held: HeldNote | None = None


class TuningIn(_In):
    revision: int = Field(ge=0)
    scale: str = Field(max_length=200_000)
    mapping: str | None = Field(default=None, max_length=200_000)
