"""Variants: chosen parameters moved at random inside set ranges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import LAYER_KINDS, movable
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.wording import number_words, value_words


@dataclass(frozen=True)
class Range:
    """Between which values one parameter of one layer may vary."""

    layer: str
    parameter: str
    low: float
    high: float


def ranges_around(
    document: Instrument, groups: list[str], amount: float, layers: list[str] | None = None
) -> list[Range]:
    """Ranges about the present values of all parameters in some groups.

    Parameters
    ----------
    groups : list of str
        Headings of the registry, such as "Grain".
    amount : float
        Half the width of each range, 0..1 of the parameter's own: in octaves where its scale
        is logarithmic.
    layers : list of str or None
        Ids of the layers; None for all.
    """
    found = []
    for layer in document.layers:
        if layers is not None and layer.id not in layers:
            continue
        for p in movable(LAYER_KINDS[layer.kind].declared):
            if p.group in groups:
                low, high = _around(p, float(getattr(layer.settings, p.id)), amount)
                found.append(Range(layer.id, p.id, low, high))
    return found


def _around(p: Parameter, value: float, amount: float) -> tuple[float, float]:
    if p.scale == "log":
        factor = (p.high / p.low) ** amount
        return max(p.low, value / factor), min(p.high, value * factor)
    reach = amount * (p.high - p.low)
    return max(p.low, value - reach), min(p.high, value + reach)


def vary(document: Instrument, ranges: list[Range], seed: int) -> Instrument:
    """A variant; the same seed gives the same one.

    Raises
    ------
    DocumentError
        If a range names what is not there or is upside down.
    """
    random = np.random.default_rng(seed)
    plain = document.model_dump(mode="json")
    by_id = {layer["id"]: layer for layer in plain["layers"]}
    for one in ranges:
        layer = by_id.get(one.layer)
        declared = layer and next(
            (p for p in movable(LAYER_KINDS[layer["kind"]].declared) if p.id == one.parameter), None
        )
        if not layer or not declared:
            raise DocumentError(f"There is no '{one.parameter}' in layer '{one.layer}' to vary.")
        if not declared.low <= one.low <= one.high <= declared.high:
            raise DocumentError(
                f"{declared.name} varies between {declared.low:g} and {declared.high:g}, "
                "the lower end first."
            )
        layer["settings"][one.parameter] = _drawn(declared, one, random)
    return parse_instrument(plain)


def _drawn(p: Parameter, one: Range, random: Any) -> float:
    if p.scale == "log":
        return float(np.exp(random.uniform(np.log(one.low), np.log(one.high))))
    return float(random.uniform(one.low, one.high))


def differences(document: Instrument, other: Instrument, most: int = 2) -> list[str]:
    """In words, what of the settings of layers differs most: "Ice density 18 to 31 a second".

    How much is measured along the rules, so that an octave of a cutoff counts as an octave does.
    """
    found = []
    for layer, changed in zip(document.layers, other.layers, strict=True):
        for p in movable(LAYER_KINDS[layer.kind].declared):
            before = float(getattr(layer.settings, p.id))
            after = float(getattr(changed.settings, p.id))
            if before != after and _matters(p, changed.settings):
                said = f"{p.name} {number_words(before)} to {value_words(after, p.unit)}"
                found.append((_distance(p, before, after), layer.name, said))
    found.sort(key=lambda one: -one[0])
    several = len(document.layers) > 1
    return [f"{name}: {said}" if several else said for _, name, said in found[:most]]


def _matters(p: Parameter, settings: Any) -> bool:
    return p.when is None or getattr(settings, p.when[0]) in p.when[1]


def _distance(p: Parameter, before: float, after: float) -> float:
    if p.scale == "log":
        return abs(float(np.log(after / before))) / float(np.log(p.high / p.low))
    return abs(after - before) / (p.high - p.low)
