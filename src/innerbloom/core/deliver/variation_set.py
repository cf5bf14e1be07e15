"""A set of variations: what was drawn, what is decided of it, and which of it is handed over."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from innerbloom.core.analysis.timbre import likeness
from innerbloom.core.analysis.unlike import distances_of, map_places, most_unlike
from innerbloom.core.declare.model import Model, Name, json_text
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.validation import validated
from innerbloom.core.deliver.variation_settings import VariationModel, VariationSettings
from innerbloom.core.deliver.variations import AS_PLAYED_KEY, CEILING_DB, Draw, equal_target
from innerbloom.core.errors import BloomError, DocumentError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.pitch_names import note_name
from innerbloom.core.sound.writing import Format

TOO_NEAR = 0.85
"""Likeness from which two variations pass for the same sound."""

_SOFT, _HARD = 64, 100


class VariationSet(Model):
    """What is asked and decided of a set of variations.

    Attributes
    ----------
    instrument : int or None
        Its number in the project.
    recording : int or None
        A sound that was printed or rendered: its instrument as it was then is played.
    take : int or None
        A take that is played instead of a note, on its own instrument; ``start`` is where, in seconds.
    names : str
        Template for the names of files.
    made : str
        The folder of what was drawn last; empty where nothing was.
    decisions : dict of number to bool
        What was kept or dropped by hand, by the number of the draw.
    """

    format: Literal["inner-bloom/variations"] = "inner-bloom/variations"
    version: Literal[1] = 1
    name: Name
    instrument: int | None = None
    instrument_name: str = Field(default="", max_length=120)
    recording: int | None = None
    take: int | None = None
    start: float = Field(default=0.0, ge=0, le=86_400)
    settings: VariationModel = Field(default_factory=VariationSettings)
    names: str = Field(default="{name}_{number}", min_length=1, max_length=120)
    form: Format = "wav24"
    rate: Annotated[int, Field(ge=8_000, le=192_000)] | None = None
    made: str = Field(default="", pattern=r"^([0-9a-f]{32})?$")
    decisions: dict[str, bool] = Field(default={}, max_length=400)


def parse_variations(data: Any) -> VariationSet:
    """Validate a document given as plain data or JSON text; raises a DocumentError."""
    data = json_text(data, "This is no set of variations", DocumentError)
    return validated(VariationSet, data, "set of variations")


def intensity_layers(instrument: Instrument, seconds: float = 30.0) -> Settings:
    """Settings that make a loop of each snapshot, all of one length, one chance and one key: they lie over one
    another to the sample, and get louder or denser as the snapshots do.

    Raises
    ------
    BloomError
        If there are fewer than two snapshots.
    """
    count = len(instrument.snapshots)
    if count < 2:
        raise BloomError("Layers are made of snapshots: take two at least.")
    return VariationSettings.model_validate({
        "drawn": count, "kept": count, "snapshots": "each in turn", "chance": "the same",
        "key_low": 60, "key_high": 60, "velocity_low": 100, "velocity_high": 100,
        "ends": "loops", "level": "as played", "seconds": seconds,
    })  # fmt: skip


def settings_of_print(played: dict[str, Any]) -> Settings:
    """Settings for a sound that was printed: its key, as long and about as hard as it was struck.

    Parameters
    ----------
    played : dict
        ``key``, ``seconds`` and ``velocity`` (0..1), as its lineage has them.
    """
    key, velocity = round(played["key"]), round(127 * played["velocity"])
    return VariationSettings.model_validate({
        "key_low": key, "key_high": key, "seconds": min(max(0.02, played["seconds"]), 120.0),
        "velocity_low": max(1, velocity - 20), "velocity_high": min(127, max(1, velocity) + 20),
    })  # fmt: skip


def settings_of_take(seconds: float) -> Settings:
    """Settings for a take of so many seconds: its beginning, at its own pitch, harder and softer."""
    return VariationSettings.model_validate({
        "seconds": min(max(0.02, round(seconds, 2)), 8.0), "macros": 25,
        "key_low": AS_PLAYED_KEY, "key_high": AS_PLAYED_KEY, "velocity_low": 80, "velocity_high": 120,
    })  # fmt: skip


KIND = DocumentKind("variations", "set of variations", VariationSet, parse_variations)


class Drawn(Model):
    """One that was drawn, beside its sound.

    Attributes
    ----------
    words : str
        By what it differs from the others.
    snapshot, state : str
        Id and name of the snapshot in which it was played.
    pairs : list of float
        Lowest and highest sample of each of a hundred stretches, of its own peak.
    """

    number: int
    key: int
    velocity: int
    seed: int
    words: str
    snapshot: str = ""
    state: str = Field(default="", max_length=120)
    seconds: float
    frames: int
    loudness: float | None
    peak: float
    loop: bool
    timbre: list[float]
    pairs: list[float]


@dataclass(frozen=True)
class Choice:
    """What becomes of one that was drawn.

    Attributes
    ----------
    kept : bool
    by_hand : bool
        Whether a hand decided so.
    place : (across, up)
        On the map of how unlike all are.
    nearest : float
        How unlike it is to the kept one that is most like it; see :func:`.timbre_distances`.
    near : int or None
        Number of that one, if it passes for the same sound.
    gain : float
        In dB, to what it is handed over at.
    """

    drawn: Drawn
    kept: bool
    by_hand: bool
    place: tuple[float, float]
    nearest: float
    near: int | None
    gain: float


def choose(drawn: list[Drawn], document: VariationSet) -> list[Choice]:
    """What becomes of each: what hands decided, and for the rest the most unlike."""
    if not drawn:
        return []
    distances = distances_of([one.timbre for one in drawn])
    hands = [document.decisions.get(str(one.number)) for one in drawn]
    kept = _kept(distances, hands, int(document.settings.kept))  # type: ignore[attr-defined]
    places = map_places(distances)
    gains = _gains(drawn, kept, document.settings)
    return [
        Choice(one, i in kept, hands[i] is not None, (float(places[i, 0]), float(places[i, 1])),
               *_near(i, kept, distances, drawn), gains[i])
        for i, one in enumerate(drawn)
    ]  # fmt: skip


def _kept(distances: Any, hands: list[bool | None], count: int) -> set[int]:
    given = [i for i, kept in enumerate(hands) if kept]
    free = [i for i, kept in enumerate(hands) if kept is not False]
    among = most_unlike(
        distances[np.ix_(free, free)], max(count, len(given)), [free.index(i) for i in given]
    )
    return {free[i] for i in among}


def _near(i: int, kept: set[int], distances: Any, drawn: list[Drawn]) -> tuple[float, int | None]:
    others = [j for j in kept if j != i]
    if i not in kept or not others:
        return 0.0, None
    nearest = min(others, key=lambda j: distances[i, j])
    far = float(distances[i, nearest])
    return far, drawn[nearest].number if likeness(far) >= TOO_NEAR else None


def _gains(drawn: list[Drawn], kept: set[int], settings: Any) -> list[float]:
    """Gains to one loudness, which those kept can all reach below the ceiling."""
    if settings.level != "equally loud":
        return [0.0] * len(drawn)
    levels = [(drawn[i].loudness, drawn[i].peak) for i in sorted(kept)]
    target = equal_target([(a, b) for a, b in levels if a is not None], settings.loudness)
    return [
        0.0 if one.loudness is None else min(target - one.loudness, CEILING_DB - one.peak)
        for one in drawn
    ]


def words_of(draw: Draw, document: Instrument) -> str:
    """By what one differs from the others."""
    hard = "soft" if draw.velocity < _SOFT else "hard" if draw.velocity >= _HARD else "even"
    names = {one.id: one.name for one in document.modulators}
    names |= {one.id: one.name for one in document.snapshots}
    parts = [note_name(draw.key)[0].replace("#", "\N{MUSIC SHARP SIGN}"), hard]
    parts += [f"{names[id_]} {value:.0f} %" for id_, value in draw.macros]
    if draw.snapshot is not None:
        parts.append(names[draw.snapshot])
    if draw.place is not None:
        parts.append(f"map {draw.place[0]:.0%}, {draw.place[1]:.0%}")
    return ", ".join([*parts, f"chance {draw.seed}"])
