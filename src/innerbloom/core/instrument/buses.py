"""Working on shared buses, and on what is sent to them.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.mixing import MAX_BUSES
from innerbloom.core.instrument.owners import MAIN, free_id
from innerbloom.core.instrument.wiring import without


def add_bus(document: Instrument, name: str) -> Instrument:
    """A shared bus more, without effects.

    Raises
    ------
    DocumentError
        If there are as many as there may be.
    """
    if len(document.buses) >= MAX_BUSES:
        raise DocumentError(f"An instrument has {MAX_BUSES} shared streams at most.")
    plain = document.model_dump(mode="json")
    plain["buses"].append({"id": free_id(plain, "b"), "name": name})
    return parse_instrument(plain)


def remove_bus(document: Instrument, bus: str) -> Instrument:
    """Without a bus, its effects, and all that was sent there; streams go to the main bus."""
    _bus(document, bus)
    return without(document, {bus})


def send(document: Instrument, layer: str, bus: str) -> Instrument:
    """A layer sends to a shared bus; one that does already goes on as it is."""
    _bus(document, bus)
    plain = document.model_dump(mode="json")
    found = next((one for one in plain["layers"] if one["id"] == layer), None)
    if found is None:
        raise DocumentError("This layer is no longer there.")
    if all(one["to"] != bus for one in found["sends"]):
        found["sends"].append({"id": free_id(plain, "s"), "to": bus})
    return parse_instrument(plain)


def remove_send(document: Instrument, id_: str) -> Instrument:
    """A layer sends there no longer."""
    if all(one.id != id_ for layer in document.layers for one in layer.sends):
        raise DocumentError("This send is no longer there.")
    return without(document, {id_})


def set_output(document: Instrument, layer: str, bus: str) -> Instrument:
    """Where a layer goes: a shared bus, or the main one.

    Raises
    ------
    DocumentError
        If it is itself a shared bus, which goes to the main one.
    """
    if any(one.id == layer for one in document.buses):
        raise DocumentError("A shared stream goes to the whole, and not to another one or itself.")
    if bus != MAIN:
        _bus(document, bus)
    plain = document.model_dump(mode="json")
    found = next((one for one in plain["layers"] if one["id"] == layer), None)
    if found is None:
        raise DocumentError("This layer is no longer there.")
    found["output"] = bus
    found["sends"] = [one for one in found["sends"] if one["to"] != bus]
    return parse_instrument(plain)


def _bus(document: Instrument, bus: str) -> None:
    if all(one.id != bus for one in document.buses):
        raise DocumentError("This shared stream is no longer there.")
