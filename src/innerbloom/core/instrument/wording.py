"""Amounts and routes in words: one way of saying them for screens, sentences and the shell."""

from __future__ import annotations

from dataclasses import dataclass, field

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, ENVELOPE_NAMES
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import Route, reading_of
from innerbloom.core.instrument.owners import WHOLE_ID, Owner, owner_of, owners_of
from innerbloom.core.instrument.reach import band_of, both_ways

_UNITS = {"oct": ("octave", "octaves"), "st": ("semitone", "semitones"), "ct": ("cent", "cents")}


def number_words(value: float) -> str:
    """A number to three figures, with a proper minus."""
    text = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return text.replace("-", "\N{MINUS SIGN}")


def value_words(value: float, unit: str) -> str:
    """A value with its unit, as "4.8 kHz" or "2 s"."""
    if unit == "Hz" and abs(value) >= 1000:
        return f"{number_words(value / 1000)} kHz"
    if unit == "ms" and abs(value) >= 1000:
        return f"{number_words(value / 1000)} s"
    if unit in _UNITS:
        one, many = _UNITS[unit]
        return f"{number_words(value)} {one if abs(value) == 1 else many}"
    if unit.startswith("/"):
        return f"{number_words(value)} a second" if unit == "/s" else number_words(value)
    return f"{number_words(value)} {unit}".strip()


def _owner(document: Instrument, id_: str) -> Owner:
    found = owner_of(document, id_)
    if found is None:
        raise KeyError(id_)
    return found


def owner_name(document: Instrument, target: str) -> str:
    """What is moved, by name: a route after its source and target, an effect after its stream."""
    owner = _owner(document, target)
    if owner.role == "instrument":
        return "Instrument"
    if owner.role == "route":
        source = reading_of(document, owner.part.source).name
        return f"{source} to {target_name(document, owner.part.target, owner.part.parameter)}"
    if owner.role == "effect":
        kind = EFFECT_KINDS[owner.kind].name
        if owner.within == WHOLE_ID:
            return kind
        return f"{owner_name(document, owner.within)} {kind.lower()}{_number_of(document, owner)}"
    if owner.role == "send":
        return f"{owner_name(document, owner.within)} to {owner_name(document, owner.part.to)}"
    return str(owner.part.name)


def _number_of(document: Instrument, effect: Owner) -> str:
    """The number of an effect in a chain that has several of its kind."""
    alike = [
        one.id
        for one in owners_of(document).values()
        if (one.role, one.kind, one.within) == (effect.role, effect.kind, effect.within)
    ]
    return f" {alike.index(effect.id) + 1}" if len(alike) > 1 else ""


def target_name(document: Instrument, target: str, parameter: str) -> str:
    """A target by name, as "Bowed fence wire \N{MIDDLE DOT} cutoff"."""
    owner = _owner(document, target)
    declared = owner.target(parameter)
    assert declared is not None
    return f"{owner_name(document, target)} \N{MIDDLE DOT} {parameter_name(owner, declared)}"


def parameter_name(owner: Owner, declared: Parameter) -> str:
    """A parameter's name; with its heading where its owner has another of that name."""
    if owner.role == "route":
        return declared.name
    alike = [one for one in owner.targets() if one.name == declared.name]
    plain = declared.name in ("a", "one", "other", "in", "shape")
    if len(alike) > 1 or plain:
        return f"{declared.group.lower()} {declared.name}"
    return declared.name


@dataclass(frozen=True)
class Sentence:
    """A route in words.

    Attributes
    ----------
    source, owner, parameter, amount : str
        "Slow tide" moves "Ice" "position" "by \N{PLUS-MINUS SIGN}18 %".
    more : list of str
        Scaling, easing and the like.
    petal : str
        Of the layer that is moved; empty for a modulator or a route.
    """

    source: str
    owner: str
    parameter: str
    amount: str
    more: list[str] = field(default_factory=list)
    petal: str = ""

    def text(self) -> str:
        """The whole sentence."""
        said = f"{self.source} moves {self.owner} \N{MIDDLE DOT} {self.parameter} {self.amount}"
        return ", ".join([said, *self.more])


def sentence_of(document: Instrument, route: Route) -> Sentence:
    """A route as a sentence."""
    owner = _owner(document, route.target)
    declared = owner.target(route.parameter)
    assert declared is not None
    return Sentence(
        source_name(document, route.source),
        owner_name(document, route.target),
        parameter_name(owner, declared),
        amount_words(document, route, declared),
        _more(document, route),
        _petal(document, owner),
    )


def _petal(document: Instrument, owner: Owner) -> str:
    """Of the layer that is meant, or that an effect or send belongs to; empty for none."""
    layer = owner if owner.role == "layer" else owner_of(document, owner.within)
    return str(getattr(layer.part, "petal", "")) if layer is not None else ""


def source_name(document: Instrument, source: str) -> str:
    """A source by name; an envelope is that of the layer a route moves."""
    return ENVELOPE_NAMES.get(source) or reading_of(document, source).name


def amount_words(document: Instrument, route: Route, declared: Parameter) -> str:
    """How far a route reaches."""
    if route.span is not None:
        low, high = band_of(document, route)
        return f"from {value_words(low, declared.unit)} to {value_words(high, declared.unit)}"
    swings = both_ways(document, route)
    size = value_words(abs(route.depth), declared.moved_in)
    if swings and reading_of(document, route.source).reach > 1:
        sign = "" if route.depth >= 0 else "\N{MINUS SIGN}"
        return f"by {sign}{size} an octave"
    if swings:
        return f"by \N{PLUS-MINUS SIGN}{size}" + (", the other way" if route.depth < 0 else "")
    return f"by {'+' if route.depth >= 0 else chr(0x2212)}{size}"


def _more(document: Instrument, route: Route) -> list[str]:
    said = []
    if route.polarity in ("inverted", "mirrored"):
        said.append({"inverted": "upside down", "mirrored": "mirrored"}[route.polarity])
    if route.curve is not None:
        said.append("along a curve")
    if route.by is not None:
        said.append(f"scaled by {source_name(document, route.by)}")
    rise, fall = float(route.rise), float(route.fall)  # type: ignore[attr-defined]
    if rise and rise == fall:
        said.append(f"eased {value_words(rise, 'ms')}")
    elif rise or fall:
        said.append(f"eased {value_words(rise, 'ms')} up, {value_words(fall, 'ms')} down")
    if float(route.amount) != 100:  # type: ignore[attr-defined]
        said.append(f"at {value_words(float(route.amount), '%')}")  # type: ignore[attr-defined]
    return said
