"""One layer speaking in another's voice: its grains follow what the other sounds like."""

from __future__ import annotations

from typing import Any

from innerbloom.core.analysis.segments import QUIETEST_DB
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.owners import free_id, owner_of
from innerbloom.core.instrument.wiring import without

_HEARD: dict[str, dict[str, Any]] = {
    "brightness": {"measure": "brightness", "rise": 10, "fall": 10},
    "loudness": {"measure": "level", "floor": QUIETEST_DB, "rise": 10, "fall": 40},
}


def speaks_as(document: Instrument, index: int) -> list[str]:
    """Ids of the followers that move a cloud's point on the map."""
    followers = {
        f"m:{one.id}": one.id
        for one in document.modulators
        if MODULATOR_KINDS[one.kind].needs == "layer"
    }
    return [
        followers[route.source]
        for route in document.routes
        if route.target == document.layers[index].id
        and route.parameter in ("across", "up")
        and route.source in followers
    ]


def in_its_own_voice(document: Instrument, index: int) -> Instrument:
    """Without the followers that made a cloud speak as another layer; the point comes to the
    middle."""
    layer = document.layers[index]
    made = without(document, set(speaks_as(document, index))).model_dump(mode="json")
    if not _chooses_by_sound(document, layer.id):
        return document
    made["layers"][index]["settings"] |= {"across": 50.0, "up": 50.0}
    return parse_instrument(made)


def _chooses_by_sound(document: Instrument, layer: str) -> bool:
    """Whether a layer can choose its grains by what they sound like."""
    owner = owner_of(document, layer)
    return owner is not None and owner.parameter("gather") is not None


def resemble(document: Instrument, index: int, other: int) -> Instrument:
    """Let a cloud take its grains from where its sounds are as bright and loud as another layer.

    Two followers listen to the other layer and move the point on the map; what moved the point, or
    the place in time, is taken away.

    Raises
    ------
    DocumentError
        If the layer is no cloud, or is to resemble itself.
    """
    if not (0 <= index < len(document.layers) and 0 <= other < len(document.layers)):
        raise DocumentError("There is no such layer.")
    layer, heard = document.layers[index], document.layers[other]
    if not _chooses_by_sound(document, layer.id):
        raise DocumentError(
            f"Only a cloud chooses its grains by their sound; '{layer.name}' is none."
        )
    if layer.id == heard.id:
        raise DocumentError("A layer cannot speak in its own voice: choose another one.")
    document = without(document, set(speaks_as(document, index)))
    plain = document.model_dump(mode="json")
    changed = plain["layers"][index]["settings"]
    changed |= {"gather": "a likeness", "across_is": "brightness", "up_is": "loudness"}
    changed |= {"across": 0.0, "up": 0.0}
    plain["routes"] = [
        route
        for route in plain["routes"]
        if route["target"] != layer.id or route["parameter"] not in ("across", "up", "position")
    ]
    for parameter, what in (("across", "brightness"), ("up", "loudness")):
        made = free_id(plain, "m")
        plain["modulators"].append(
            {
                "id": made,
                "name": f"{heard.name[:90]}, {what}",
                "kind": "follower",
                "follows": heard.id,
                "settings": _HEARD[what],
            }
        )
        plain["routes"].append(
            {
                "id": free_id(plain, "r"),
                "source": f"m:{made}",
                "target": layer.id,
                "parameter": parameter,
                "depth": 100.0,
            }
        )
    return parse_instrument(plain)
