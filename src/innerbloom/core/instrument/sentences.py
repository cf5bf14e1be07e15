"""Routes typed as sentences: "slow tide > ice position 18 %".

The order is source, ``>`` (or "moves"), target, amount, and then, each after a comma or not,
"scaled by" a source, "eased" times, and a polarity. Names may be shortened to the beginnings
of their words as long as only one thing is meant.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.catalogue import ENVELOPE_NAMES, MODULATOR_KINDS, SOURCES
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import reading_of
from innerbloom.core.instrument.owners import owners_of
from innerbloom.core.instrument.reach import usual_depth
from innerbloom.core.instrument.wiring import add_route
from innerbloom.core.instrument.wording import number_words, owner_name, parameter_name


class SentenceError(BloomError):
    """A sentence that cannot be understood; ``at`` is where, in characters from its start."""

    def __init__(self, text: str, at: int) -> None:
        super().__init__(text)
        self.at = at


@dataclass(frozen=True)
class Meant:
    """Something a sentence may name: what to call it, and what it is."""

    name: str
    words: tuple[str, ...]
    value: Any
    also: tuple[tuple[str, ...], ...] = ()
    """Other words that mean it as well."""
    near: int = 0
    """Where several fit as well, the one that is nearer is meant."""


_ARROW = re.compile(r">|\bmoves\b", re.IGNORECASE)
_NUMBER = r"[+\-\u2212]?\d+(?:[.,]\d+)?"
_UNIT = (
    r"%|dB|kHz|Hz|ms|s\b|semitones?|st\b|octaves?|oct\b|cents?|ct\b|beats?|bpm|x\b"
    r"|a second|/s|radians?"
)
_RANGE = re.compile(
    rf"\s*(?:from\s+)?({_NUMBER})\s*({_UNIT})?\s*(?:to|\.\.)\s*({_NUMBER})\s*({_UNIT})?",
    re.IGNORECASE,
)
_AMOUNT = re.compile(rf"\s*(?:by\s+)?(\u00b1|\+/-|\+-)?\s*({_NUMBER})\s*({_UNIT})?", re.IGNORECASE)
_EASED = re.compile(
    rf"[\s,]*eased\s+({_NUMBER})\s*(ms|s)\b(?:\s*up)?(?:\s*,?\s*({_NUMBER})\s*(ms|s)\b\s*down)?",
    re.IGNORECASE,
)
_SCALED = re.compile(r"[\s,]*scaled\s+by\s+", re.IGNORECASE)
_POLARITY = re.compile(
    r"[\s,]*\b(upside down|inverted|mirrored|one-sided|two-sided)\b", re.IGNORECASE
)
_WORD = re.compile(r"[\w#'-]+", re.UNICODE)
_SAME_UNIT = {
    "semitones": "st",
    "semitone": "st",
    "octaves": "oct",
    "octave": "oct",
    "cents": "ct",
    "cent": "ct",
    "a second": "/s",
    "beat": "beats",
}
_TIMES = {("khz", "Hz"): 1_000.0, ("s", "ms"): 1_000.0}


def sources_of(document: Instrument) -> list[Meant]:
    """Every source that a route in this document may have, modulators first."""
    found = []
    for one in document.modulators:
        # a modulator that is called like something built in is the one that was made
        found.append(_meant(one.name, f"m:{one.id}", near=1))
        if MODULATOR_KINDS[one.kind].sides > 1:
            found.append(_meant(f"{one.name}, other side", f"m:{one.id}:other"))
    found += [_meant(one.name, one.id) for one in SOURCES]
    if len(document.layers) > 1:
        others = [f"{which}:{one.id}" for one in document.layers for which in ENVELOPE_NAMES]
        found += [_meant(reading_of(document, other).name, other) for other in others]
    return found


def targets_of(document: Instrument) -> list[tuple[Meant, Parameter]]:
    """Everything that a route in this document may move, except other routes' amounts."""
    found = []
    for owner in owners_of(document).values():
        if owner.role == "route":
            continue
        called = owner_name(document, owner.id)
        for declared in owner.targets():
            name = f"{called} {parameter_name(owner, declared)}"
            # a layer's pitch is called what the heading over it is called, too
            plain = f"{called} {declared.id.replace('_', ' ')}"
            value, near = (owner.id, declared.id), int(owner.role == "layer")
            found.append((_meant(name, value, (plain,), near), declared))
    return found


def _meant(name: str, value: Any, also: tuple[str, ...] = (), near: int = 0) -> Meant:
    others = tuple(tuple(_typed(one)) for one in also)
    return Meant(name, tuple(_typed(name)), value, others, near)


def _typed(text: str) -> list[str]:
    return [word.casefold() for word in _WORD.findall(text)]


def _fit(typed: list[str], one: Meant) -> int | None:
    """How badly typed words fit any of the ways to say something; None if they fit none."""
    fits = [fit for words in (one.words, *one.also) if (fit := _fits(typed, words)) is not None]
    return min(fits, default=None)


def _fits(typed: list[str], words: tuple[str, ...]) -> int | None:
    """How badly typed words fit a name, none being 0; None if they do not fit.

    Words are matched from the end, where a target's parameter stands; a name whose last word
    is left over fits worse.
    """
    at = len(words)
    places = []
    for word in reversed(typed):
        at -= 1
        while at >= 0 and not words[at].startswith(word):
            at -= 1
        if at < 0:
            return None
        places.append(at)
    exact = sum(word in words for word in typed)
    unsaid = 2 * (len(words) - 1 not in places)
    return 2 * len(words) - len(typed) - exact + unsaid


def _find(text: str, among: list[Meant], what: str, at: int) -> Meant:
    typed = _typed(text)
    at += len(text) - len(text.lstrip())
    if not typed:
        raise SentenceError(f"The {what} is missing here.", at)
    controller = re.fullmatch(r"\s*(?:controller|cc)\s*(\d{1,3})\s*", text, re.IGNORECASE)
    if controller and what == "source":
        return Meant(text.strip(), (), f"controller:{int(controller[1])}")
    found = [(fit, one) for one in among if (fit := _fit(typed, one)) is not None]
    if not found:
        raise SentenceError(f"Nothing here is called '{text.strip()}'.", at)
    best = min(fit for fit, _ in found)
    nearest = [one for fit, one in found if fit == best]
    nearest = [one for one in nearest if one.near == max(other.near for other in nearest)]
    if len(nearest) > 1:
        names = " or ".join(f"'{one.name}'" for one in nearest[:3])
        raise SentenceError(f"'{text.strip()}' may mean {names}: say more of it.", at)
    return nearest[0]


def _number(text: str) -> float:
    return float(text.replace("\u2212", "-").replace(",", "."))


def _in_unit(value: float, unit: str | None, wanted: str, at: int) -> float:
    if unit is None:
        return value
    said = _SAME_UNIT.get(unit.lower(), unit)
    if said.lower() == wanted.lower():
        return value
    factor = _TIMES.get((said.lower(), wanted))
    if factor is None:
        raise SentenceError(f"This is counted in {wanted or 'plain numbers'}, not in {unit}.", at)
    return value * factor


def _amount(text: str, declared: Parameter, at: int) -> tuple[dict[str, Any], int]:
    """What a route's amount is, and how many characters said so."""
    found = _RANGE.match(text)
    if found:
        unit = found[2] or found[4]
        low = _in_unit(_number(found[1]), unit, declared.unit, at)
        high = _in_unit(_number(found[3]), found[4] or unit, declared.unit, at)
        return {"low": low, "high": high}, found.end()
    found = _AMOUNT.match(text)
    if not found:
        return {"depth": usual_depth(declared)}, 0
    depth = _in_unit(_number(found[2]), found[3], declared.moved_in, at)
    both = {"polarity": "two-sided"} if found[1] else {}
    return {"depth": depth, **both}, found.end()


def _rest(document: Instrument, text: str, at: int) -> dict[str, Any]:
    """Scaling, easing and polarity."""
    fields: dict[str, Any] = {}
    done = 0
    while text[done:].strip(" ,."):
        here = text[done:]
        if found := _EASED.match(here):
            rise = _in_unit(_number(found[1]), found[2], "ms", at)
            fall = _in_unit(_number(found[3]), found[4], "ms", at) if found[3] else rise
            fields |= {"rise": rise, "fall": fall}
            done += found.end()
        elif found := _SCALED.match(here):
            end = re.search(r",|\beased\b|\binverted\b|\bupside\b|$", here[found.end() :])
            name = here[found.end() : found.end() + (end.start() if end else 0)]
            fields["by"] = _find(
                name, sources_of(document), "source", at + done + found.end()
            ).value
            done += found.end() + len(name)
        elif found := _POLARITY.match(here):
            word = found[1].lower()
            fields["polarity"] = "inverted" if word == "upside down" else word
            done += found.end()
        else:
            place = at + done + len(here) - len(here.lstrip(" ,"))
            raise SentenceError(f"'{here.strip(' ,.')}' is not understood here.", place)
    return fields


def _split_target(text: str) -> int:
    """Where the target's name ends and the amount or the rest begins."""
    found = re.search(
        rf"\s(?:by\s+)?(?:\u00b1|\+/-|\+-)?\s*{_NUMBER}\s*(?:{_UNIT}|to\b|\.\.|,|$)|\s+from\s+{_NUMBER}"
        r"|[\s,]+(?:scaled|eased|inverted|upside|mirrored|one-sided|two-sided)\b|,",
        text,
        re.IGNORECASE,
    )
    return found.start() if found else len(text)


def parse(document: Instrument, text: str) -> Instrument:
    """The document with a route more, as a sentence says.

    Raises
    ------
    SentenceError
        One sentence on what is not understood, and where.
    DocumentError
        If the route cannot be.
    """
    arrow = _ARROW.search(text)
    if arrow is None:
        raise SentenceError(
            "Say what moves what, with > between them: slow tide > ice position 18 %.", len(text)
        )
    source = _find(text[: arrow.start()], sources_of(document), "source", 0).value
    rest = text[arrow.end() :].replace("\u00b7", " ")
    end = _split_target(rest)
    targets = targets_of(document)
    found = _find(rest[:end], [one for one, _ in targets], "target", arrow.end())
    declared = next(declared for one, declared in targets if one is found)
    amount, length = _amount(rest[end:], declared, arrow.end() + end)
    more = _rest(document, rest[end + length :], arrow.end() + end + length)
    owner, parameter = found.value
    return add_route(document, source, owner, parameter, **{**amount, **more})


def complete(document: Instrument, text: str, most: int = 8) -> list[str]:
    """Sentences that what is typed so far may become, the nearest first."""
    arrow = _ARROW.search(text)
    if arrow is None:
        found = _nearest(text, sources_of(document))
        return [f"{one.name} > " for one in found[:most]]
    start = text[: arrow.end()].rstrip() + " "
    rest = text[arrow.end() :]
    end = _split_target(rest)
    targets = targets_of(document)
    if end < len(rest.rstrip()):
        return []
    found = _nearest(rest, [one for one, _ in targets])
    declared = {one.value: p for one, p in targets}
    return [f"{start}{one.name} {_usual(declared[one.value])}" for one in found[:most]]


def _usual(declared: Parameter) -> str:
    return f"{number_words(usual_depth(declared))} {declared.moved_in}".strip()


def _nearest(text: str, among: list[Meant]) -> list[Meant]:
    typed = _typed(text)
    found = [(fit, n) for n, one in enumerate(among) if (fit := _fit(typed, one)) is not None]
    return [among[n] for _, n in sorted(found)]
