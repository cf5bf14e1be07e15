"""A demo ensemble: a bed below, a voice above it, and a strike on hard keys only."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.ensemble import working
from innerbloom.core.ensemble.document import Ensemble, parse_ensemble

_PLAYERS: tuple[tuple[str, dict[str, Any], dict[str, Any]], ...] = (
    ("Four depths", {"level": -9, "key_high": 59}, {}),
    (
        "Wire choir",
        {"level": -9, "key_low": 55, "transpose": 0},
        {"pattern": "up and down", "step": 0.5, "gate": 120, "octaves": 2, "chance": 85},
    ),
    ("Lid rain", {"level": -14, "velocity_low": 96, "transpose": 12}, {}),
)


def glasshouse_at_dawn(number_of: Callable[[str], int]) -> Ensemble:
    """Three instruments of the project over one keyboard; a phrase wanders above the bed.

    Parameters
    ----------
    number_of : callable
        Gives the number of an instrument by its name.
    """
    made = working.new_ensemble("Glasshouse at dawn")
    for name, _, _ in _PLAYERS:
        made = working.add_player(made, name, number_of(name))
    plain = made.model_dump(mode="json")
    plain["settings"]["tempo"] = 72
    for player, (_, settings, phrase) in zip(plain["players"], _PLAYERS, strict=True):
        player["settings"] |= settings
        player["phrase"] |= phrase
    return parse_ensemble(plain)
