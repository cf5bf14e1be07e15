"""Owners: whatever in an instrument has settings, found by one mapping under its id."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from innerbloom.core.declare.parameters import Declared, Parameter
from innerbloom.core.declare.registry import DeclaredKind
from innerbloom.core.instrument.catalogue import (
    BUS,
    DEPTH,
    EFFECT_KINDS,
    INSTRUMENT,
    LAYER_KINDS,
    MODULATOR_KINDS,
    ROUTE,
    SEND,
)

WHOLE_ID = "instrument"
"""Id of the instrument itself, as an owner."""

MAIN = "main"
"""Id of the main bus, as an output."""

Role = Literal["instrument", "layer", "modulator", "route", "send", "bus", "effect"]
_WHAT = {
    "instrument": "the instrument",
    "layer": "a {}",
    "modulator": "a {}",
    "route": "a route",
    "send": "a send",
    "bus": "a bus",
    "effect": "a {} effect",
}


@dataclass(frozen=True)
class Owner:
    """One owner.

    Attributes
    ----------
    id : str
    role : str
    kind : str
        Of a layer, modulator or effect; else empty.
    declared : tuple
        Its parameters, in the order of the engine's row.
    part : pydantic model
        Where it stands in the document.
    within : str
        Id of the layer or bus it belongs to; that of the instrument where to none.
    path : str
        JSON pointer (RFC 6901) to where it stands.
    """

    id: str
    role: Role
    kind: str
    declared: tuple[Declared, ...]
    part: Any
    within: str
    path: str

    @property
    def settings(self) -> Any:
        """What holds its values, by the names of its parameters."""
        return self.part if self.role == "route" else self.part.settings

    @property
    def settings_path(self) -> str:
        """JSON pointer to what holds its values."""
        return self.path if self.role == "route" else f"{self.path}/settings"

    @property
    def what(self) -> str:
        """What it is, in words."""
        return _WHAT[self.role].format(self.kind)

    def parameter(self, id_: str) -> Declared | None:
        """A parameter by its id; None if there is none."""
        return next((one for one in self.declared if one.id == id_), None)

    def target(self, id_: str) -> Parameter | None:
        """A parameter that routes may move; None if there is none."""
        found = self.parameter(id_)
        return found if isinstance(found, Parameter) and found.movable else None

    def targets(self) -> tuple[Parameter, ...]:
        """All parameters that routes may move."""
        return tuple(one for one in self.declared if isinstance(one, Parameter) and one.movable)

    def value(self, parameter: str) -> Any:
        """What a parameter is set to."""
        return getattr(self.settings, parameter)


def movable_names() -> list[str]:
    """Ids of all parameters of all kinds of owner that routes may move, in the order of the alphabet."""
    kinds: list[DeclaredKind] = [
        *LAYER_KINDS.values(), *MODULATOR_KINDS.values(), *EFFECT_KINDS.values(),
    ]  # fmt: skip
    declared: list[tuple[Declared, ...]] = [
        INSTRUMENT,
        (DEPTH, *ROUTE),
        SEND,
        BUS,
        *(one.declared for one in kinds),
    ]
    return sorted(
        {one.id for each in declared for one in each if isinstance(one, Parameter) and one.movable}
    )


def owners_of(document: Any) -> dict[str, Owner]:
    """All owners of a document by their ids, in the order of the engine's row."""
    return {one.id: one for one in _all(document)}


def owner_of(document: Any, id_: str) -> Owner | None:
    """The owner of an id; None if there is none."""
    return next((one for one in _all(document) if one.id == id_), None)


def _all(document: Any) -> Iterator[Owner]:
    yield Owner(WHOLE_ID, "instrument", "", INSTRUMENT, document, WHOLE_ID, "")
    for i, layer in enumerate(document.layers):
        declared = LAYER_KINDS[layer.kind].declared
        yield Owner(layer.id, "layer", layer.kind, declared, layer, WHOLE_ID, f"/layers/{i}")
    for i, one in enumerate(document.modulators):
        declared = MODULATOR_KINDS[one.kind].declared
        path = f"/modulators/{i}"
        yield Owner(one.id, "modulator", one.kind, declared, one, WHOLE_ID, path)
    for i, route in enumerate(document.routes):
        yield Owner(route.id, "route", "", (DEPTH, *ROUTE), route, WHOLE_ID, f"/routes/{i}")
    yield from _of_mixer(document)


def _of_mixer(document: Any) -> Iterator[Owner]:
    """What the mixer reads, which no voice does."""
    for i, layer in enumerate(document.layers):
        for j, send in enumerate(layer.sends):
            yield Owner(send.id, "send", "", SEND, send, layer.id, f"/layers/{i}/sends/{j}")
        yield from _effects(layer.effects, layer.id, f"/layers/{i}")
    for i, bus in enumerate(document.buses):
        yield Owner(bus.id, "bus", "", BUS, bus, WHOLE_ID, f"/buses/{i}")
        yield from _effects(bus.effects, bus.id, f"/buses/{i}")
    yield from _effects(document.effects, WHOLE_ID, "")


def _effects(effects: list[Any], within: str, path: str) -> Iterator[Owner]:
    for i, one in enumerate(effects):
        declared = EFFECT_KINDS[one.kind].declared
        yield Owner(one.id, "effect", one.kind, declared, one, within, f"{path}/effects/{i}")


# -- the same in documents given as plain data ----------------------------------------------


def lists_of(plain: dict[str, Any]) -> Iterator[list[dict[str, Any]]]:
    """Every list of owners in a document given as plain data."""
    for part in ("layers", "modulators", "routes", "buses", "effects"):
        yield plain.get(part, [])
    for one in (*plain["layers"], *plain.get("buses", [])):
        yield one.get("sends", [])
        yield one.get("effects", [])


def ids_in(plain: dict[str, Any]) -> list[str]:
    """The ids of all owners, as often as they stand there."""
    return [one["id"] for part in lists_of(plain) for one in part]


def free_id(plain: dict[str, Any], prefix: str) -> str:
    """An id that nothing has in a document given as plain data."""
    # what snapshots remember of something that is gone must not come to mean something new
    taken = {*ids_in(plain), *plain.get("snapshot_base", {})}
    return next(f"{prefix}{n}" for n in range(1, len(taken) + 2) if f"{prefix}{n}" not in taken)
