"""Snapshots: named states of an instrument.

A state is what everything that can be moved by hand is set to. The document holds one whole state,
the base, and of each snapshot what differs from it. What has been added to the instrument since
is in no snapshot, and recalling one leaves it as it is.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from innerbloom.core.declare.model import Id, Model, Name, Share, refuse
from innerbloom.core.declare.parameters import Choice, Declared, refusal
from innerbloom.core.instrument.owners import Owner, owners_of

MAX_SNAPSHOTS = 16
MAP = ("map_across", "map_up")
"""Parameters of the instrument: where on the map one stands."""

Value = float | Annotated[str, Field(max_length=40)]
State = dict[Id, dict[Annotated[str, Field(max_length=40)], Value]]
"""Values by the ids of owner and parameter."""


class Snapshot(Model):
    """A named state.

    Attributes
    ----------
    values : dict of owner to dict of parameter to value
        What differs from the base.
    place : (across, up) or None
        Where it lies on the map, each in 0..1.
    """

    id: Id
    name: Name
    values: State = Field(default_factory=dict)
    place: tuple[Share, Share] | None = None


def recallable(owner: Owner) -> tuple[Declared, ...]:
    """What of an owner belongs to a state: all that shapes the sound, and not how one listens or
    how finely it is reckoned."""
    if owner.role == "instrument":
        return tuple(
            one
            for one in owner.declared
            if one.id not in (*MAP, "routes") and (isinstance(one, Choice) or one.movable)
        )
    return tuple(one for one in owner.declared if one.id not in ("solo", "oversampling"))


def state_of(document: Any) -> State:
    """The present state of an instrument, whole."""
    return {
        owner.id: {one.id: owner.value(one.id) for one in recallable(owner)}
        for owner in owners_of(document).values()
    }


def without_defaults(document: Any, state: State) -> State:
    """A state without what is as it was declared; :func:`whole_state` puts it back."""
    owners = owners_of(document)
    return {
        id_: {one.id: values[one.id] for one in recallable(owners[id_])
              if values[one.id] != one.default}
        for id_, values in state.items()
    }  # fmt: skip


def whole_state(document: Any, snapshot: Snapshot | None) -> State:
    """All that a snapshot says of what there is now; of None the base."""
    found: State = {}
    for owner in owners_of(document).values():
        if owner.id not in document.snapshot_base:
            continue
        said = {**document.snapshot_base[owner.id]}
        said |= snapshot.values.get(owner.id, {}) if snapshot is not None else {}
        found[owner.id] = {
            one.id: _kept(one, said.get(one.id, one.default)) for one in recallable(owner)
        }
    return found


def _kept(declared: Declared, value: float | str) -> float | str:
    """A value, or the default where the parameter has another range or other words by now."""
    return value if refusal(declared, value) is None else declared.default


def left_out(document: Any, snapshot: Snapshot) -> int:
    """How many settings of a snapshot are of something that is no longer there."""
    owners = owners_of(document)
    return sum(
        sum(id_ not in owners or owners[id_].parameter(one) is None for one in values)
        for id_, values in snapshot.values.items()
    )


def differing(document: Any, snapshots: list[Snapshot]) -> list[tuple[Owner, Declared]]:
    """What some snapshots do not agree on, in the order of the engine's row."""
    states = [whole_state(document, one) for one in snapshots]
    return [
        (owner, one)
        for owner in owners_of(document).values()
        if owner.id in document.snapshot_base
        for one in recallable(owner)
        if len({state[owner.id][one.id] for state in states}) > 1
    ]


def check_snapshots(document: Any) -> None:
    """See that snapshots can be told apart.

    Raises
    ------
    DocumentError
    """
    ids = [one.id for one in document.snapshots]
    if len(set(ids)) != len(ids):
        raise refuse("snapshots", "two of them share one id")
