"""What was sampled, beside its sounds: all that is needed to show it, to hear it and to hand it over."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from innerbloom.core.declare.model import Model
from innerbloom.core.deliver.samples.sampling import Sample
from innerbloom.core.deliver.samples.settings import SampleModel, SampleSettings
from innerbloom.core.deliver.samples.zones import Zone
from innerbloom.core.deliver.variations import measured
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.peaks import outline

Key = Annotated[int, Field(ge=0, le=127)]


class Sampled(Model):
    """One note.

    Attributes
    ----------
    number : int
        From 1; its sound is called by it.
    key, velocity, lowest, highest, softest, hardest, turn
        As of :class:`.Zone`.
    loop : (start, end) or None
        In frames; the end is one past the last.
    released : int
        Frames of the release sample; 0 where there is none.
    release_s : float
    loudness : float or None
        In LUFS.
    peak : float
        True peak in dBTP, of the release too.
    pairs : list of float
        Lowest and highest sample of each of a hundred stretches, of its own peak.
    """

    number: int
    key: Key
    velocity: Key
    lowest: Key
    highest: Key
    softest: Key
    hardest: Key
    turn: int
    seed: int
    rate: int
    frames: int
    loop: tuple[int, int] | None
    released: int
    release_s: float
    loudness: float | None
    peak: float
    pairs: list[float]

    @property
    def zone(self) -> Zone:
        return Zone(self.key, self.velocity, self.lowest, self.highest, self.softest, self.hardest,
                    self.turn)  # fmt: skip

    @property
    def looped(self) -> Loop | None:
        return None if self.loop is None else Loop(*self.loop)


class SampledSet(Model):
    """All notes of a set, and how loud the instrument is at velocities between them.

    Attributes
    ----------
    curves : list of list of (velocity, gain)
        One a layer of velocity, softest first.
    settings : SampleSettings
        By which they were sampled.
    recordings : list of str
        Hashes of all that the instrument played, for the credits.
    """

    notes: list[Sampled]
    curves: list[list[tuple[int, float]]]
    settings: SampleModel
    recordings: list[str]

    @property
    def turns(self) -> int:
        """How many samples of a note take turns."""
        return 1 + max((one.turn for one in self.notes), default=0)

    def curve_of(self) -> dict[tuple[int, int], list[tuple[int, float]]]:
        """The curves by the range of velocities that each is for."""
        ranges = sorted({(one.softest, one.hardest) for one in self.notes})
        return dict(zip(ranges, self.curves, strict=True))


def told(number: int, one: Sample) -> Sampled:
    """A sample as the index tells of it."""
    zone = one.zone
    loudness, peak = measured(one.sound, one.rate)
    if one.release is not None:
        peak = max(peak, measured(one.release, one.rate)[1])
    return Sampled(
        number=number, key=zone.key, velocity=zone.velocity, lowest=zone.lowest,
        highest=zone.highest, softest=zone.softest, hardest=zone.hardest, turn=zone.turn,
        seed=one.seed, rate=one.rate, frames=len(one.sound),
        loop=None if one.loop is None else (one.loop.start, one.loop.end),
        released=0 if one.release is None else len(one.release),
        release_s=round(one.release_s, 3),
        loudness=round(loudness, 2) if np.isfinite(loudness) else None, peak=round(peak, 2),
        pairs=outline(one.sound),
    )  # fmt: skip


def nothing_sampled() -> SampledSet:
    """A set of no notes."""
    return SampledSet(notes=[], curves=[], settings=SampleSettings(), recordings=[])
