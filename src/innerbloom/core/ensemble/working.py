"""Working on ensembles: adding, replacing and removing members.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from typing import Any

from innerbloom.core.ensemble.document import MAX_PLAYERS, Ensemble, parse_ensemble
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import PETALS


def new_ensemble(name: str) -> Ensemble:
    """An ensemble that nobody plays in yet."""
    return parse_ensemble({"name": name})


def add_player(ensemble: Ensemble, name: str, instrument: int | None = None,
               document: dict[str, Any] | None = None) -> Ensemble:  # fmt: skip
    """An instrument more, on all keys, with a seed and a petal of its own.

    Raises
    ------
    DocumentError
        If there are as many as there may be.
    """
    if len(ensemble.players) >= MAX_PLAYERS:
        raise DocumentError(f"An ensemble has {MAX_PLAYERS} players at most: remove one first.")
    plain = ensemble.model_dump(mode="json")
    ids = {one["id"] for one in plain["players"]}
    used = {one["petal"] for one in plain["players"]}
    seeds = {one["settings"]["seed"] for one in plain["players"]}
    numbers = range(1, MAX_PLAYERS + 2)
    plain["players"].append({
        "id": next(f"p{n}" for n in numbers if f"p{n}" not in ids),
        "name": name, "instrument": instrument, "document": document,
        "petal": next(petal for petal in (*PETALS, PETALS[0]) if petal not in used),
        "settings": {"seed": next(n for n in numbers if n not in seeds)},
    })  # fmt: skip
    return parse_ensemble(plain)


def replace_player(ensemble: Ensemble, player: str, name: str, instrument: int) -> Ensemble:
    """Another instrument in a member's place, every setting kept."""
    _find(ensemble, player)
    plain = ensemble.model_dump(mode="json")
    for one in plain["players"]:
        if one["id"] == player:
            one |= {"name": name, "instrument": instrument, "document": None}
    return parse_ensemble(plain)


def remove_player(ensemble: Ensemble, player: str) -> Ensemble:
    """Without a member."""
    _find(ensemble, player)
    plain = ensemble.model_dump(mode="json")
    plain["players"] = [one for one in plain["players"] if one["id"] != player]
    return parse_ensemble(plain)


def _find(ensemble: Ensemble, player: str) -> None:
    if all(one.id != player for one in ensemble.players):
        raise DocumentError("This player is no longer there.")
