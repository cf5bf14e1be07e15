"""The mix of a timeline: lanes read from any sample on, each the sum of its clips.

Where two clips of a lane overlap, they cross over: the one fades out while the other fades in, for as
long as they overlap, or longer if they are set to. What is read does not depend on how it is cut into
pieces, so that a stem, the whole and what is heard are the same samples.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.fades import rising_at
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline.document import Clip, Lane, Timeline
from innerbloom.core.timeline.timecode import samples_of

MIX_RATE = 48_000
"""Frames of sound a second."""

OpenSource = Callable[[Clip], ResampledSource]
"""Opens what a clip plays; raises a BloomError where it is not there any more."""


@dataclass(frozen=True)
class Placed:
    """A clip on its lane, in samples of the mix.

    Attributes
    ----------
    start, end : int
        First sample, and one past the last.
    fade_in, fade_out : int
        How long it rises and falls, crossfades with its neighbours counted in.
    """

    clip: Clip
    start: int
    end: int
    fade_in: int
    fade_out: int


def placed_clips(lane: Lane, rate: str) -> list[Placed]:
    """The clips of a lane in the order of their starts, with the fades that they have there."""
    spans = sorted(((_span(one, rate), one) for one in lane.clips), key=lambda pair: pair[0])
    found = []
    for at, ((start, end), clip) in enumerate(spans):
        length = end - start
        # one that lies inside another does not end it
        before = [e for (s, e), _ in spans[:at] if start < e < end]
        after = [s for (s, e), _ in spans[at + 1 :] if s < end < e]
        into = max(round(clip.fade_in * MIX_RATE), max(before, default=start) - start)
        out_of = max(round(clip.fade_out * MIX_RATE), end - min(after, default=end))
        if into + out_of > length:
            into = into * length // (into + out_of)
            out_of = length - into
        found.append(Placed(clip, start, end, into, out_of))
    return found


def _span(clip: Clip, rate: str) -> tuple[int, int]:
    start = samples_of(clip.start, rate, MIX_RATE)
    return start, start + max(1, round(clip.seconds * MIX_RATE))


def gains(placed: Placed, first: int, count: int) -> NDArray[np.float32]:
    """The level of a clip from a sample of the mix on, shape (count,); 0 outside of it."""
    clip = placed.clip
    at = np.arange(first, first + count) + 0.5
    out = np.full(count, 10.0 ** (clip.gain / 20.0))
    if clip.levels:
        times = [point.at for point in clip.levels]
        decibels = [point.db for point in clip.levels]
        drawn = np.interp((at - placed.start) / MIX_RATE, times, decibels)
        out *= 10.0 ** (drawn / 20.0)
    if placed.fade_in:
        out *= rising_at((at - placed.start) / placed.fade_in, clip.curve_in)
    if placed.fade_out:
        out *= rising_at((placed.end - at) / placed.fade_out, clip.curve_out)
    out[(at < placed.start) | (at > placed.end)] = 0.0
    return out.astype(np.float32)


class TimelineMix:
    """Reads the lanes of a timeline.

    Parameters
    ----------
    timeline : Timeline
    open_source : callable
    skip_missing : bool
        Whether a clip whose sound is gone is silent rather than an error.

    Attributes
    ----------
    frames : int
        Samples up to the end of the picture.
    missing : list of str
        Ids of clips whose sound is gone.
    """

    def __init__(
        self, timeline: Timeline, open_source: OpenSource, *, skip_missing: bool = False
    ) -> None:
        self.timeline = timeline
        self.frames = samples_of(timeline.frames, timeline.rate, MIX_RATE)
        self.missing: list[str] = []
        self._lanes = [placed_clips(lane, timeline.rate) for lane in timeline.lanes]
        self._levels = [np.float32(10.0 ** (lane.gain / 20.0)) for lane in timeline.lanes]
        self._sources: dict[str, ResampledSource] = {}
        for placed in (one for lane in self._lanes for one in lane):
            try:
                self._sources[placed.clip.id] = open_source(placed.clip)
            except BloomError:
                if not skip_missing:
                    raise
                self.missing.append(placed.clip.id)

    def read_lane(self, lane: int, first: int, count: int) -> NDArray[np.float32]:
        """A lane from a sample on, shape (count, 2), at its level, muted or not."""
        out = np.zeros((count, 2), np.float32)
        for placed in self._lanes[lane]:
            begin, end = max(first, placed.start), min(first + count, placed.end)
            source = self._sources.get(placed.clip.id)
            if begin >= end or source is None:
                continue
            offset = round(placed.clip.offset * MIX_RATE) + begin - placed.start
            sound = source.read(offset, end - begin)
            level = gains(placed, begin, end - begin)
            out[begin - first : end - first] += sound * level[:, None]
        out *= self._levels[lane]
        return out

    def heard_lanes(self) -> list[int]:
        """Lanes that are heard: those soloed if there are any, else those not muted."""
        lanes = list(enumerate(self.timeline.lanes))
        solo = [at for at, lane in lanes if lane.solo and not lane.muted]
        return solo or [at for at, lane in lanes if not lane.muted]

    def read(self, first: int, count: int) -> NDArray[np.float32]:
        """What is heard from a sample on, shape (count, 2)."""
        out = np.zeros((count, 2), np.float32)
        for lane in self.heard_lanes():
            out += self.read_lane(lane, first, count)
        return out

    def last_sound(self) -> int:
        """One past the last sample at which a clip plays."""
        return max((one.end for lane in self._lanes for one in lane), default=0)
