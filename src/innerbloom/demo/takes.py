"""Demo takes: two performances by made-up hands, listened to, some of their moments kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from innerbloom.core.analysis.moments import find_moments
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.take import RATE, Mark, Take, TakeEvent
from innerbloom.core.performance.take_document import KIND as TAKE
from innerbloom.core.performance.take_document import (
    Decision,
    key_of,
    parse_take,
    wanted_of,
)
from innerbloom.core.performance.take_format import header_of
from innerbloom.demo.making import TUNING, Making, Part
from innerbloom.jobs.taking import LISTEN, MOMENTS
from innerbloom.store import documents, takes
from innerbloom.store.models import Document
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.take_sounds import features_of

_PAD_EVERY_S = 0.05


@dataclass
class Hands:
    """Hands that play: each call adds what they do."""

    events: list[TakeEvent] = field(default_factory=list)
    notes: int = 0

    def hold(self, at: float, seconds: float, key: float, velocity: float = 0.7) -> int:
        """Press a key for a while; gives the note."""
        self.notes += 1
        self._add(at, "on", self.notes, key, velocity)
        self._add(at + seconds, "off", self.notes, key, 0.3)
        return self.notes

    def slide(self, note: int, at: float, seconds: float, start: float, end: float) -> None:
        """Move a held note's slide from one value to another."""
        for share in np.linspace(0.0, 1.0, max(2, round(seconds / _PAD_EVERY_S))).tolist():
            self._add(at + share * seconds, "slide", note, value=start + share * (end - start))

    def pad(self, at: float, seconds: float, path: Callable[[float], tuple[float, float]]) -> None:
        """Move the pad along a path of the share of the time, 0..1."""
        for share in np.linspace(0.0, 1.0, round(seconds / _PAD_EVERY_S)).tolist():
            across, up = path(share)
            self._add(at + share * seconds, "pad_across", value=across)
            self._add(at + share * seconds, "pad_up", value=up)
        self._add(at + seconds, "pad_let_go")

    def wheel(self, at: float, seconds: float, start: float, end: float) -> None:
        """Turn the mod wheel from one value to another."""
        for share in np.linspace(0.0, 1.0, max(2, round(seconds / _PAD_EVERY_S))).tolist():
            self._add(at + share * seconds, "control", 1, value=start + share * (end - start))

    def mark(self, at: float) -> None:
        """Say that it was good."""
        self.events.append(Mark(round(at * RATE)))

    def _add(
        self, at: float, kind: str, note: int = 0, key: float = 60.0, value: float = 0.0
    ) -> None:
        self.events.append(Event(kind, note, key, value, round(at * RATE)))  # type: ignore[arg-type]


def _rising(hands: Hands) -> float:
    """A bed that opens, rises in fifths, is struck, thins out and rests on one tone."""
    low = hands.hold(1.0, 30.0, 38.0, 0.5)
    hands.slide(low, 6.0, 14.0, 0.0, 0.8)
    for number, key in enumerate((45.0, 50.0, 57.0, 52.0)):
        hands.hold(8.0 + 5.0 * number, 12.0, key, 0.45 + 0.08 * number)
    hands.pad(4.0, 26.0, lambda s: (0.8 * math.sin(5.0 * s), -0.8 + 1.6 * s))
    hands.wheel(20.0, 9.0, 0.0, 0.7)
    for number, key in enumerate((62.0, 69.0, 74.0)):
        hands.hold(38.0 + 0.09 * number, 2.2, key, 1.0)
    hands.mark(42.5)
    for number in range(7):
        hands.hold(
            47.0 + 1.1 * number, 0.5, 57.0 + (5.0, 0.0, 7.0, 12.0, 2.0, 9.0, 4.0)[number], 0.6
        )
    hands.wheel(48.0, 6.0, 0.7, 0.1)
    last = hands.hold(58.0, 26.0, 45.0, 0.6)
    hands.hold(60.0, 22.0, 52.0, 0.4)
    hands.slide(last, 62.0, 18.0, 0.6, 0.1)
    hands.pad(58.0, 22.0, lambda s: (0.5 * math.cos(9.0 * s), 0.4 * math.sin(4.0 * s)))
    return 92.0


def _knocking(hands: Hands) -> float:
    """Strikes far apart, then a run, then one that is let ring."""
    chance = np.random.default_rng(11)
    for number in range(5):
        hands.hold(0.8 + 2.6 * number, 0.4, float(chance.choice((48, 55, 60, 67))), 0.95)
    for number in range(9):
        hands.hold(15.0 + 0.42 * number, 0.3, 60.0 + 2.0 * number, 0.4 + 0.06 * number)
    hands.mark(19.5)
    hands.hold(23.0, 7.0, 43.0, 1.0)
    hands.pad(23.0, 8.0, lambda s: (-1.0 + 2.0 * s, 0.6 * math.sin(7.0 * s)))
    return 34.0


@dataclass(frozen=True)
class Plan:
    name: str
    instrument: str
    play: Callable[[Hands], float]
    kept: int


TAKES = (
    Plan("The water comes up", "Water rising", _rising, 3),
    Plan("Knocking on the lids", "Lid lantern", _knocking, 2),
)


def make_take(making: Making, plan: Plan) -> Part:
    """Play one, have it listened to, and keep the best of its moments."""
    folders = TakeFolders(making.files)
    row = next((one for one in documents.listed(making.db, TAKE) if one.name == plan.name), None)
    row = row or _played(making, plan, folders)
    folder = row.summary["folder"]
    yield making.begin(LISTEN, row.name, {"folder": folder})
    making.db.refresh(row)
    document = parse_take(row.content)
    if not document.decisions:
        document = _decided(document, plan, folders, folder)
        documents.replace(making.db, row, row.revision, document, "Keep moments")
    moments = [{"key": key, "decision": one.model_dump()}
               for key, one in document.decisions.items() if one.kept]  # fmt: skip
    keeping = takes.to_keep(making.db, row, folders, folder, tuning=TUNING)
    yield making.begin(MOMENTS, row.name, keeping, moments)


def _played(making: Making, plan: Plan, folders: TakeFolders) -> Document:
    of = making.instrument(plan.instrument)
    hands = Hands()
    seconds = plan.play(hands)
    ordered = tuple(sorted(hands.events, key=lambda one: one.time))
    take = Take(INSTRUMENT.complete(of.content), events=ordered, frames=round(seconds * RATE))
    header = header_of(take, instrument=of.id, name=of.name)
    stored = folders.read(folders.write(header, take))
    return takes.enter(making.db, stored, plan.name)


def _decided(document: Any, plan: Plan, folders: TakeFolders, folder: str) -> Any:
    """The first few moments kept."""
    features = features_of(folders.sound(folder))
    assert features is not None
    marks = folders.read(folder).take.marks()
    found = find_moments(features, wanted_of(document), marks)[: plan.kept]
    decisions = {
        key_of(one): Decision(start=one.start, end=one.end, reason=one.reason, kept=True,
                              name=f"{plan.instrument}, {one.reason} {number}")
        for number, one in enumerate(found, 1)
    }  # fmt: skip
    return document.model_copy(update={"decisions": decisions})
