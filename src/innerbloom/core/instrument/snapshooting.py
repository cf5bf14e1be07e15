"""Working on snapshots: taking them, going back to them, standing between them.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from innerbloom.core.declare.parameters import (
    Choice,
    Declared,
    changes_at_once,
    engine_value,
    from_share,
    to_share,
)
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.owners import Owner, owners_of
from innerbloom.core.instrument.snapshot_map import map_of
from innerbloom.core.instrument.snapshots import (
    MAP,
    MAX_SNAPSHOTS,
    Snapshot,
    State,
    differing,
    state_of,
    whole_state,
    without_defaults,
)
from innerbloom.core.instrument.snapshots import (
    left_out as left_out,
)
from innerbloom.core.instrument.wording import owner_name, parameter_name, value_words

Plain = dict[str, Any]
Place = tuple[float, float]

_NEAR, _FAR = 0.12, 0.88
_SEATS: tuple[Place, ...] = (
    (_NEAR, _FAR), (_FAR, _NEAR), (_FAR, _FAR), (_NEAR, _NEAR), (0.5, _FAR), (0.5, _NEAR),
    (_NEAR, 0.5), (_FAR, 0.5), (0.5, 0.5), (0.3, 0.7), (0.7, 0.3), (0.7, 0.7), (0.3, 0.3),
    (0.5, 0.7), (0.5, 0.3), (0.3, 0.5),
)  # fmt: skip


def _room(seat: Place, others: list[Place]) -> float:
    """The square of how far a place lies from the nearest of others."""
    squares = ((seat[0] - x) ** 2 + (seat[1] - y) ** 2 for x, y in others)
    return min(squares, default=1.0)


@dataclass(frozen=True)
class Recalled:
    """An instrument in the state of a snapshot.

    Attributes
    ----------
    document : Instrument
    left_out : int
        Settings of the snapshot that belong to something that is no longer there.
    """

    document: Instrument
    left_out: int


def find_snapshot(document: Instrument, snapshot: str) -> Snapshot:
    """A snapshot by its id.

    Raises
    ------
    DocumentError
        If there is none.
    """
    found = next((one for one in document.snapshots if one.id == snapshot), None)
    if found is None:
        raise DocumentError("This snapshot is no longer there.")
    return found


def take_snapshot(document: Instrument, name: str = "") -> Instrument:
    """Keep the present state as a snapshot more.

    Raises
    ------
    DocumentError
        If there are as many as there may be.
    """
    return _with_state(document, state_of(document), name)


def _with_state(document: Instrument, state: State, name: str) -> Instrument:
    if len(document.snapshots) >= MAX_SNAPSHOTS:
        raise DocumentError(
            f"An instrument has {MAX_SNAPSHOTS} snapshots at most: remove one first."
        )
    plain = _with_base(document)
    taken = {one["id"] for one in plain["snapshots"]}
    id_ = next(f"s{n}" for n in range(1, MAX_SNAPSHOTS + 2) if f"s{n}" not in taken)
    known = {one["name"] for one in plain["snapshots"]}
    names = (f"Snapshot {n}" for n in range(1, MAX_SNAPSHOTS + 2))
    name = name or next(one for one in names if one not in known)
    values = _against(parse_instrument(plain), state)
    plain["snapshots"].append({"id": id_, "name": name, "values": values, "place": None})
    return parse_instrument(plain)


def replace_snapshot(document: Instrument, snapshot: str) -> Instrument:
    """Let a snapshot be the present state instead."""
    find_snapshot(document, snapshot)
    plain = _with_base(document)
    kept = next(one for one in plain["snapshots"] if one["id"] == snapshot)
    kept["values"] = _against(parse_instrument(plain), state_of(document))
    return parse_instrument(plain)


def remove_snapshot(document: Instrument, snapshot: str) -> Instrument:
    """Without a snapshot; the last one takes the base along."""
    find_snapshot(document, snapshot)
    plain = document.model_dump(mode="json")
    plain["snapshots"] = [one for one in plain["snapshots"] if one["id"] != snapshot]
    if not plain["snapshots"]:
        plain["snapshot_base"] = {}
    return parse_instrument(plain)


def put_on_map(
    document: Instrument, snapshot: str, place: Place | Literal["free"] | None
) -> Instrument:
    """A snapshot at a place of the map, each way in 0..1.

    ``free`` is the corner or side that lies farthest from the others; None takes it off the map.
    """
    find_snapshot(document, snapshot)
    others = [one.place for one in document.snapshots if one.place and one.id != snapshot]
    free = max(_SEATS, key=lambda seat: _room(seat, others))
    plain = document.model_dump(mode="json")
    for one in plain["snapshots"]:
        if one["id"] == snapshot:
            one["place"] = free if place == "free" else place
    return parse_instrument(plain)


def recall(document: Instrument, snapshot: str) -> Recalled:
    """The instrument as a snapshot has it; one that lies on the map is gone to there."""
    found = find_snapshot(document, snapshot)
    plain = _set_to(document, whole_state(document, found))
    if found.place is not None:
        _stand(plain, found.place)
    return Recalled(parse_instrument(plain), left_out(document, found))


def stand_at(document: Instrument, place: Place) -> Instrument:
    """The instrument as it is at a place of the map, each way in 0..1."""
    found = map_of(document)
    plain = document.model_dump(mode="json")
    if found is not None:
        values: State = {}
        at = found.at(place)
        for (owner, id_), one, value in zip(found.keys, found.declared, at, strict=True):
            values.setdefault(owner, {})[id_] = _plain_value(one, float(value))
        plain = _set_to(document, values)
    _stand(plain, place)
    return parse_instrument(plain)


def say_of_all(document: Instrument, snapshot: str) -> Instrument:
    """What is set otherwise than in a snapshot, said of every snapshot and of the base."""
    found = find_snapshot(document, snapshot)
    plain = _with_base(document)
    for owner, one in changed_since(document, found):
        plain["snapshot_base"].setdefault(owner.id, {})[one.id] = owner.value(one.id)
        for each in plain["snapshots"]:
            each["values"].get(owner.id, {}).pop(one.id, None)
    for each in plain["snapshots"]:
        each["values"] = {id_: values for id_, values in each["values"].items() if values}
    return parse_instrument(plain)


def changed_since(document: Instrument, snapshot: Snapshot) -> list[tuple[Owner, Declared]]:
    """What is set otherwise now than a snapshot has it."""
    state = whole_state(document, snapshot)
    return [
        (owner, owner.parameter(id_))  # type: ignore[misc]
        for owner in owners_of(document).values()
        for id_, value in state.get(owner.id, {}).items()
        if owner.value(id_) != value
    ]


def change_words(document: Instrument, snapshot: Snapshot) -> list[str]:
    """The same in words: whose it is, from what to what."""
    state = whole_state(document, snapshot)
    return [
        f"{_name_of(document, owner, one)}: "
        f"{_words(one, state[owner.id][one.id])} to {_words(one, owner.value(one.id))}"
        for owner, one in changed_since(document, snapshot)
    ]


@dataclass(frozen=True)
class Blended:
    """A setting that the map moves, and what each snapshot on it has: in words, and as the engine
    holds it."""

    owner: str
    parameter: str
    name: str
    values: tuple[str, ...]
    numbers: tuple[float, ...]


def blended_words(document: Instrument) -> list[Blended]:
    """What the map moves; values are in the order of the snapshots that lie on it."""
    placed = [one for one in document.snapshots if one.place is not None]
    states = [whole_state(document, one) for one in placed]
    return [
        Blended(
            owner.id,
            one.id,
            _name_of(document, owner, one),
            tuple(_words(one, state[owner.id][one.id]) for state in states),
            tuple(engine_value(one, state[owner.id][one.id]) for state in states),
        )
        for owner, one in differing(document, placed)
    ]


def _name_of(document: Instrument, owner: Owner, declared: Declared) -> str:
    name = declared.name if isinstance(declared, Choice) else parameter_name(owner, declared)
    return f"{owner_name(document, owner.id)} · {name}"


def _words(declared: Declared, value: float | str) -> str:
    return value if isinstance(value, str) else value_words(value, getattr(declared, "unit", ""))


def roll_between(document: Instrument, first: str, second: str, seed: int) -> Instrument:
    """A snapshot more, whose every setting lies somewhere between those of two others.

    Each setting is drawn by itself, on its own scale; the same seed gives the same snapshot.

    Raises
    ------
    DocumentError
        If a snapshot is not there, or the two are alike.
    """
    ends = [find_snapshot(document, first), find_snapshot(document, second)]
    differences = differing(document, ends)
    if not differences:
        raise DocumentError("These two snapshots are alike: nothing lies between them.")
    random = np.random.default_rng(seed)
    one_state, other = (whole_state(document, end) for end in ends)
    for owner, one in differences:
        a, b = one_state[owner.id][one.id], other[owner.id][one.id]
        share = float(random.random())
        if isinstance(one, Choice):
            drawn: float | str = a if share < 0.5 else b
        elif changes_at_once(one):
            drawn = round(float(a) + share * (float(b) - float(a)))
        else:
            low, high = sorted((float(a), float(b)))
            ends_at = to_share(one.scale, one.low, one.high, [float(a), float(b)])
            at = ends_at[0] + share * (ends_at[1] - ends_at[0])
            drawn = min(max(float(from_share(one.scale, one.low, one.high, at)), low), high)
        one_state[owner.id][one.id] = drawn
    name = f"Between {ends[0].name} and {ends[1].name}, {seed}"[:120]
    return _with_state(document, one_state, name)


def _with_base(document: Instrument) -> Plain:
    """A document whose base covers all that is there: what is new enters it as it is now."""
    plain = document.model_dump(mode="json")
    state = without_defaults(document, state_of(document))
    plain["snapshot_base"] = {**state, **plain["snapshot_base"]}
    return plain


def _against(document: Instrument, state: State) -> State:
    """What of a state differs from the base."""
    base = whole_state(document, None)
    found = {
        id_: {one: value for one, value in values.items() if value != base[id_][one]}
        for id_, values in state.items()
    }
    return {id_: values for id_, values in found.items() if values}


def _set_to(document: Instrument, state: State) -> Plain:
    """A document with some settings elsewhere."""
    plain = document.model_dump(mode="json")
    for id_, owner in owners_of(document).items():
        at: Any = plain
        for part in owner.settings_path.split("/")[1:]:
            at = at[int(part)] if isinstance(at, list) else at[part]
        at.update(state.get(id_, {}))
    return plain


def _stand(plain: Plain, place: Place) -> None:
    for id_, share in zip(MAP, place, strict=True):
        plain["settings"][id_] = 100.0 * share


def _plain_value(declared: Declared, value: float) -> float | str:
    if isinstance(declared, Choice):
        return declared.options[int(value)]
    return int(value) if declared.whole_number else value
