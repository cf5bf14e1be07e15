"""Effects, shared streams and sends of an instrument, over HTTP."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.deliver.effect_picture import picture_of
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument import buses, chains
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.mixing import parse_effect
from innerbloom.core.materials.held import CachedMaterials, FileMaterials
from innerbloom.store.chains import chains_of
from innerbloom.store.files import FileStore
from innerbloom.store.recordings import sound_of
from innerbloom.web import mixing_schemas as ms
from innerbloom.web.revised import Revision
from innerbloom.web.routes.instruments import (
    InstrumentRevision,
    found_instrument,
    opened,
    store_change,
)
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import services

bp = APIBlueprint("mixing", __name__, url_prefix="/api")

_PICTURED_BYTES = 64 << 20
"""Most that is kept of the sounds of effects that were drawn."""


@bp.post("/instruments/<int:instrument_id>/mix")
@bp.input(ms.MixActionIn, location="json")
@bp.output(InstrumentRevision)
def act(instrument_id: int, json_data: ms.MixActionIn) -> Revision[Any]:
    """Add, move or remove effects, shared streams and sends, as one revision."""
    action = json_data.action
    row = found_instrument(instrument_id)
    label, changed = _changed(parse_instrument(row.content), action)
    return store_change(row, action.revision, changed, label)


def _changed(document: Instrument, action: ms.MixAction) -> tuple[str, Instrument]:
    """The label of an action, and the changed document."""
    match action:
        case ms.AddEffect():
            lent = None
            if action.recording is not None:
                lent, _ = sound_of(found_recording(action.recording))
            return "Add an effect", chains.add_effect(
                document, action.chain, action.kind, sound=lent, at=action.at
            )
        case ms.RemoveEffect():
            return "Remove an effect", chains.remove_effect(document, action.effect)
        case ms.MoveEffect():
            return "Move an effect", chains.move_effect(
                document, action.effect, action.chain, action.at
            )
        case ms.Lend():
            lent, _ = sound_of(found_recording(action.recording))
            return "Sound of an effect", chains.lend_sound(document, action.effect, lent)
        case ms.BodyThenRoom():
            return "Body, then room", chains.body_then_room(document, action.chain)
        case ms.UseChain():
            kept = parse_chain(chains_of(services().files).taken(action.kept))
            return f"Use {kept.name}"[:120], chains.use_chain(document, action.chain, kept)
        case _:
            return _rerouted(document, action)


def _rerouted(document: Instrument, action: ms.MixAction) -> tuple[str, Instrument]:
    """The same for shared streams and sends."""
    match action:
        case ms.AddBus():
            return "Add a shared stream", buses.add_bus(document, action.name)
        case ms.RemoveBus():
            return "Remove a shared stream", buses.remove_bus(document, action.bus)
        case ms.AddSend():
            return "Send", buses.send(document, action.layer, action.bus)
        case ms.RemoveSend():
            return "Send no longer", buses.remove_send(document, action.send)
        case ms.SetOutput():
            return "Output", buses.set_output(document, action.layer, action.bus)
        case _:
            raise DocumentError("This is nothing that can be done in the mix.")


@bp.post("/effects/picture")
@bp.input(ms.PictureIn, location="json")
@bp.output(ms.EffectPictureOut)
def picture(json_data: ms.PictureIn) -> ms.EffectPictureOut:
    """What an effect does with test sounds, and what it costs, as measured now."""
    effect = parse_effect(json_data.effect)
    found = picture_of(effect, _pictured_materials(services().files))
    return ms.EffectPictureOut.model_validate(found)


@lru_cache(4)
def _pictured_materials(files: FileStore) -> CachedMaterials:
    """What effects of a project were last drawn with: dragging a rule asks again and again."""
    return CachedMaterials(FileMaterials(files.locate), _PICTURED_BYTES)


@bp.get("/chains")
@bp.output(ms.KeptChains)
def kept() -> ms.KeptChains:
    """Chains of effects kept for reuse."""
    found = chains_of(services().files).listed()
    return ms.KeptChains(chains=[ms.KeptChain.model_validate(one) for one in found])


@bp.post("/chains")
@bp.input(ms.KeepChain, location="json")
@bp.output(ms.KeptChain, status_code=201)
def keep(json_data: ms.KeepChain) -> ms.KeptChain:
    """Keep the effects of a chain under a name."""
    chain = chains.take_chain(opened(json_data.instrument), json_data.chain, json_data.name)
    made = chains_of(services().files).keep(chain.model_dump(mode="json"))
    return ms.KeptChain.model_validate(made)


@bp.delete("/chains/<chain_id>")
@bp.output({}, status_code=204)
def forget(chain_id: str) -> tuple[str, int]:
    """Keep it no longer; instruments that use it are not touched."""
    chains_of(services().files).forget(chain_id)
    return "", 204
