"""A timeline for other programs: OpenTimelineIO, and edit lists (CMX 3600) a lane.

Clips refer to the stems that are handed over, in which each lies where the timeline has it, so that
nothing but the stems has to travel. An edit list knows no overlaps: where clips of a lane cross over, the
later one begins in the middle of the crossfade.
"""

from __future__ import annotations

import re

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

from innerbloom.core.timeline.document import Lane, Timeline, scene_end
from innerbloom.core.timeline.mix import MIX_RATE, placed_clips
from innerbloom.core.timeline.timecode import RATES, frame_at, timecode_of


def spans(lane: Lane, timeline: Timeline) -> list[tuple[str, int, int]]:
    """Clips of a lane as (name, first frame, one past the last), one after the other."""
    found: list[tuple[str, int, int]] = []
    for placed in placed_clips(lane, timeline.rate):
        start, end = (frame_at(at / MIX_RATE, timeline.rate) for at in (placed.start, placed.end))
        end = max(start + 1, min(end, timeline.frames))
        if found and found[-1][2] > start:
            name, before, last = found.pop()
            start = max(before + 1, (last + start) // 2)
            found.append((name, before, start))
        if start < end:
            found.append((placed.clip.name, start, end))
    return found


def as_otio(timeline: Timeline, files: dict[str, str]) -> str:
    """The timeline as OTIO JSON: scenes as a track of the picture, a track of sound for each lane.

    Parameters
    ----------
    files : dict of str to str
        The file of each lane's stem, by the id of the lane.
    """
    rate = float(RATES[timeline.rate])

    def time(frame: int) -> RationalTime:
        return RationalTime(frame, rate)

    out = otio.schema.Timeline(timeline.name)
    out.global_start_time = time(timeline.start)
    picture = otio.schema.Track("Scenes", kind=otio.schema.TrackKind.Video)
    for scene in timeline.scenes:
        _gap(picture, scene.start, rate)
        length = scene_end(timeline, scene) - scene.start
        clip = otio.schema.Clip(scene.name, source_range=TimeRange(time(scene.start), time(length)))
        clip.metadata["inner-bloom"] = {"feel": scene.feel}
        picture.append(clip)
    out.tracks.append(picture)
    whole = TimeRange(time(timeline.start), time(timeline.frames))
    for lane in timeline.lanes:
        if lane.id not in files:
            continue
        track = otio.schema.Track(lane.name, kind=otio.schema.TrackKind.Audio)
        for name, start, end in spans(lane, timeline):
            _gap(track, start, rate)
            stem = otio.schema.ExternalReference(files[lane.id], available_range=whole)
            place = TimeRange(time(timeline.start + start), time(end - start))
            track.append(otio.schema.Clip(name, media_reference=stem, source_range=place))
        out.tracks.append(track)
    return str(otio.adapters.write_to_string(out, "otio_json"))


def _gap(track: otio.schema.Track, until: int, rate: float) -> None:
    here = round(track.duration().rescaled_to(rate).value) if len(track) else 0
    if until > here:
        track.append(otio.schema.Gap(duration=RationalTime(until - here, rate)))


def as_edl(timeline: Timeline, lane: Lane, file: str) -> str:
    """A lane as an edit list, CMX 3600; the reel is the stem."""
    rate, drop = timeline.rate, timeline.drop
    reel = re.sub(r"[^A-Z0-9]", "", lane.name.upper())[:8] or "STEM"
    title = re.sub(r"[^ -~]", "", timeline.name)[:60]
    lines = [f"TITLE: {title}", f"FCM: {'DROP' if drop else 'NON-DROP'} FRAME", ""]
    for number, (name, start, end) in enumerate(spans(lane, timeline), 1):
        ins = [timecode_of(timeline.start + frame, rate, drop) for frame in (start, end)]
        lines.append(f"{number:03d}  {reel:<8} AA    C        {' '.join((*ins, *ins))}")
        lines.append(f"* FROM CLIP NAME: {re.sub(r'[^ -~]', '_', name)}")
        lines.append(f"* SOURCE FILE: {re.sub(r'[^ -~]', '_', file)}")
    return "\n".join(lines) + "\n"
