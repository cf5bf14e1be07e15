"""Working on chains of effects: adding, removing, moving, and lending them sounds.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from typing import Any

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import EFFECT_KINDS
from innerbloom.core.instrument.chain_document import Chain, parse_chain
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.mixing import MAX_EFFECTS
from innerbloom.core.instrument.owners import WHOLE_ID, free_id
from innerbloom.core.instrument.wiring import without

Plain = dict[str, Any]


def add_effect(
    document: Instrument,
    chain: str,
    kind: str,
    *,
    sound: Sound | None = None,
    at: int | None = None,
    settings: dict[str, float | str] | None = None,
) -> Instrument:
    """An effect more, at the end of a chain or at a place in it.

    Parameters
    ----------
    chain : str
        Id of a layer or bus, or that of the instrument for the main bus.

    Raises
    ------
    DocumentError
        If there is no such chain or kind, or the chain is full.
    """
    if kind not in EFFECT_KINDS:
        raise DocumentError(f"An effect is one of {', '.join(EFFECT_KINDS)}, not '{kind}'.")
    plain = document.model_dump(mode="json")
    effects = _chain(plain, chain)
    if len(effects) >= MAX_EFFECTS:
        raise DocumentError(f"A chain has {MAX_EFFECTS} effects at most: remove one first.")
    lent = None if sound is None else sound.model_dump(mode="json")
    made = {"id": free_id(plain, "e"), "kind": kind, "sound": lent, "settings": settings or {}}
    effects.insert(len(effects) if at is None else at, made)
    return parse_instrument(plain)


def remove_effect(document: Instrument, effect: str) -> Instrument:
    """Without an effect and the routes to it."""
    _find(document.model_dump(mode="json"), effect)
    return without(document, {effect})


def move_effect(document: Instrument, effect: str, chain: str, at: int) -> Instrument:
    """An effect at another place of its chain, or in another chain; its routes go along."""
    plain = document.model_dump(mode="json")
    effects, number = _find(plain, effect)
    moved = effects.pop(number)
    _chain(plain, chain).insert(at, moved)
    return parse_instrument(plain)


def lend_sound(document: Instrument, effect: str, sound: Sound) -> Instrument:
    """Another sound for an effect that works with one."""
    plain = document.model_dump(mode="json")
    effects, number = _find(plain, effect)
    effects[number]["sound"] = sound.model_dump(mode="json")
    return parse_instrument(plain)


def body_then_room(document: Instrument, chain: str) -> Instrument:
    """A short body and a long room at the end of a chain: what close recordings lack.

    The body goes in line, mixed to a third, as practice has it.
    """
    body: dict[str, float | str] = {
        "size": 1.6,
        "decay": 90,
        "mix": 35,
        "pre_delay": 0,
        "diffusion": 60,
        "early": -40,
    }
    room: dict[str, float | str] = {"size": 18, "decay": 2_800, "mix": 28}
    for given in (body, room):
        document = add_effect(document, chain, "room", settings=given)
    return document


def take_chain(document: Instrument, chain: str, name: str) -> Chain:
    """The effects of a chain, to be kept under a name."""
    effects = _chain(document.model_dump(mode="json"), chain)
    return parse_chain({"name": name, "effects": effects})


def use_chain(document: Instrument, chain: str, kept: Chain) -> Instrument:
    """A kept chain's effects at the end of a chain, with ids of their own."""
    plain = document.model_dump(mode="json")
    effects = _chain(plain, chain)
    if len(effects) + len(kept.effects) > MAX_EFFECTS:
        raise DocumentError(f"A chain has {MAX_EFFECTS} effects at most: remove some first.")
    for one in kept.model_dump(mode="json")["effects"]:
        effects.append({**one, "id": free_id(plain, "e")})
    return parse_instrument(plain)


def colour(document: Instrument, index: int, sound: Sound | None) -> Instrument:
    """A layer that takes on the outline of a sound, or of none any more."""
    if not 0 <= index < len(document.layers):
        raise DocumentError(f"There is no layer {index + 1}.")
    layer = document.layers[index]
    found = next((one.id for one in layer.effects if one.kind == "colour"), None)
    if sound is None:
        return document if found is None else remove_effect(document, found)
    if found is None:
        return add_effect(document, layer.id, "colour", sound=sound)
    return lend_sound(document, found, sound)


def _chain(plain: Plain, id_: str) -> list[Plain]:
    if id_ == WHOLE_ID:
        effects: list[Plain] = plain["effects"]
        return effects
    for one in (*plain["layers"], *plain["buses"]):
        if one["id"] == id_:
            effects = one["effects"]
            return effects
    raise DocumentError("The layer or bus of this chain is no longer there.")


def _find(plain: Plain, effect: str) -> tuple[list[Plain], int]:
    """The chain that an effect stands in, and its place there."""
    for chain in (
        plain["effects"],
        *(one["effects"] for one in (*plain["layers"], *plain["buses"])),
    ):
        for number, one in enumerate(chain):
            if one["id"] == effect:
                return chain, number
    raise DocumentError("This effect is no longer there.")
