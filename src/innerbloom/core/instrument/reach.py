"""How far routes carry a target: bands in real units."""

from __future__ import annotations

import math
from typing import Any

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import Route, reading_of
from innerbloom.core.instrument.owners import owner_of


def set_value(document: Instrument, target: str, parameter: str) -> float:
    """What a target is set to before anything moves it."""
    owner = owner_of(document, target)
    if owner is None:
        raise KeyError(target)
    return float(owner.value(parameter))


def declared_of(document: Instrument, target: str, parameter: str) -> Parameter:
    """The declaration of a target.

    Raises
    ------
    DocumentError
        If there is no such target.
    """
    owner = owner_of(document, target)
    declared = owner.target(parameter) if owner is not None else None
    if declared is None:
        raise DocumentError(f"There is nothing called '{target}, {parameter}' to move.")
    return declared


def both_ways(document: Instrument, route: Route) -> bool:
    """Whether what arrives swings to either side."""
    if route.polarity in ("one-sided", "mirrored"):
        return False
    return route.polarity == "two-sided" or reading_of(document, route.source).two_sided


def extent(document: Instrument, route: Route) -> tuple[float, float]:
    """Least and most that a route adds, in the target's own scale; its amount is left out."""
    if route.span is not None:
        ends = sorted((route.depth * route.span[0], route.depth * route.span[1]))
        return ends[0], ends[1]
    reading, both = reading_of(document, route.source), both_ways(document, route)
    far = route.depth * (reading.reach if reading.two_sided and both else 1.0)
    return (-abs(far), abs(far)) if both else (min(far, 0.0), max(far, 0.0))


def moved_by(declared: Parameter, value: float, added: float) -> float:
    """A value with something added in its own scale, held inside its range."""
    moved = value * 2.0 ** min(max(added, -60), 60) if declared.scale == "log" else value + added
    return min(max(moved, declared.low), declared.high)


def away(declared: Parameter, value: float, to: float) -> float:
    """What has to be added to a value, in its own scale, to reach another."""
    return math.log2(to / value) if declared.scale == "log" else to - value


def band_of(document: Instrument, route: Route) -> tuple[float, float]:
    """Lowest and highest value of the target that one route alone brings, in real units."""
    declared = declared_of(document, route.target, route.parameter)
    value = set_value(document, route.target, route.parameter)
    low, high = extent(document, route)
    return moved_by(declared, value, low), moved_by(declared, value, high)


def band_of_all(document: Instrument, target: str, parameter: str) -> tuple[float, float]:
    """Lowest and highest value that all routes to a target together may bring."""
    declared = declared_of(document, target, parameter)
    value = set_value(document, target, parameter)
    ends = [
        extent(document, route)
        for route in document.routes
        if route.on and (route.target, route.parameter) == (target, parameter)
    ]
    low, high = sum(end[0] for end in ends), sum(end[1] for end in ends)
    return moved_by(declared, value, low), moved_by(declared, value, high)


def depth_for(
    document: Instrument, source: str, target: str, parameter: str, low: float, high: float
) -> dict[str, Any]:
    """Depth and span of a route that lands exactly on ``low`` and ``high``, in real units.

    ``low`` is where the source is least; it may lie above ``high``.

    Raises
    ------
    DocumentError
        If either end lies outside the target's range.
    """
    declared = declared_of(document, target, parameter)
    for end in (low, high):
        if not declared.low <= end <= declared.high:
            raise DocumentError(
                f"{declared.name} goes from {declared.low:g} to {declared.high:g} {declared.unit}."
            )
    value = set_value(document, target, parameter)
    first, last = away(declared, value, low), away(declared, value, high)
    depth = max(abs(first), abs(last))
    if depth == 0.0:
        return {"depth": 0.0, "span": None}
    if reading_of(document, source).reach == 1.0:
        two_sided = reading_of(document, source).two_sided
        if (two_sided and abs(first + last) < 1e-12) or (not two_sided and first == 0.0):
            return {"depth": last, "span": None}
    return {"depth": depth, "span": [first / depth, last / depth]}


def usual_depth(declared: Parameter) -> float:
    """A depth to begin with: an octave, or a fifth of the range."""
    if declared.scale == "log":
        return 1.0
    if declared.unit == "dB":
        return 6.0
    return float(f"{(declared.high - declared.low) / 5:.2g}")
