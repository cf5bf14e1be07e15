"""Ready? What is right about a timeline that is to be handed over, and what is not, each with a way to mend it."""

from __future__ import annotations

import math
from typing import Any, Literal

from pydantic import BaseModel

from innerbloom.core.deliver.credits import Credit, warnings
from innerbloom.core.deliver.credits import missing as missing_credit
from innerbloom.core.errors import DocumentError
from innerbloom.core.timeline.clip_settings import DECLICK_S
from innerbloom.core.timeline.document import Clip, Lane, Timeline, parse_timeline
from innerbloom.core.timeline.measure import TimelineMeasure, make_up_db, over_db
from innerbloom.core.timeline.timecode import seconds_of

Mend = Literal["lower", "end", "fade", "name", "drop", "quieter"]
_MARGIN_DB = 0.3
"""Lowered so much further: what peaks is one of several sounds, and loudness follows it."""

_MANY = 3
_LITTLE = 0.25
"""Share of the power below which taking a lane away changes the loudness by 1.2 dB at most."""


class Finding(BaseModel):
    """One thing looked at.

    Attributes
    ----------
    right : bool
    text : str
        A sentence without its stop.
    mend : Mend or None
        What would put it right.
    owner : str
        Id of the lane or clip that it is about; empty where it is the whole, or many clips.
    fix : str
        What the mend does, in words.
    frame : int or None
        Where on the timeline.
    search : str
        What to look for on the shelf, for it to be put right there.
    """

    right: bool
    text: str
    mend: Mend | None = None
    owner: str = ""
    fix: str = ""
    frame: int | None = None
    search: str = ""


def leaving(timeline: Timeline) -> list[Lane]:
    """Lanes that become stems: those with a clip that are not muted."""
    return [lane for lane in timeline.lanes if lane.clips and not lane.muted]


def findings(
    timeline: Timeline, found: TimelineMeasure | None, missing: list[str], credits: list[Credit]
) -> list[Finding]:
    """All that is looked at, what is wrong first.

    Parameters
    ----------
    found : TimelineMeasure or None
        None where it has not been measured as it is now.
    missing : list of str
        Ids of clips whose sound is gone.
    credits : list of Credit
        Of all recordings in what is handed over.
    """
    if not leaving(timeline):
        return [Finding(right=False, text="No lane has a sound that would be handed over")]
    said = [
        *_missing(timeline, missing),
        *([] if found is None else _levels(timeline, found)),
        *_edges(timeline),
        *_names(timeline),
        *_past_the_end(timeline),
        *_credits(credits),
        *_scenes(timeline),
        *_muted(timeline),
    ]
    return sorted(said, key=lambda one: one.right)


def _credits(credits: list[Credit]) -> list[Finding]:
    """What is not known, where it can be filled in, and licences that forbid use."""
    said = []
    for one in credits:
        asked = missing_credit(one)
        said += [
            Finding(right=False, text=text.rstrip("."), search=one.name if text == asked else "",
                    fix="fill it in" if text == asked else "")
            for text in warnings([one])
        ]  # fmt: skip
    return said or [Finding(right=True, text="every recording names its recordist and licence")]


def _clips(timeline: Timeline) -> list[Clip]:
    return [clip for lane in leaving(timeline) for clip in lane.clips]


def _missing(timeline: Timeline, missing: list[str]) -> list[Finding]:
    return [
        Finding(right=False, text=f"The sound of '{clip.name}' is gone", mend="drop",
                owner=clip.id, fix="take the clip out", frame=clip.start)
        for clip in _clips(timeline) if clip.id in missing
    ]  # fmt: skip


def _levels(timeline: Timeline, found: TimelineMeasure) -> list[Finding]:
    if found.loudness is None or found.peak is None:
        return [Finding(right=False, text="The whole is silent")]
    up = make_up_db(timeline, found)
    over = over_db(timeline, found)
    whole = f"{found.loudness + up:.1f} LUFS, {found.peak + up:.1f} dBTP".replace("-", "−")
    if not over:
        return [Finding(right=True, text=f"the whole: {whole}")]
    lane = next((one for one in timeline.lanes if one.id == found.peak_lane), None)
    where = f"at {timeline.timecode(found.peak_frame)}" + (f", in {lane.name}" if lane else "")
    text = f"The whole passes its true peak by {over:.1f} dB {where}"
    frame = found.peak_frame
    clip = _loudest_at(lane, timeline, frame)
    if clip is not None and _carries_little(found):
        fix = f"lower '{clip.name}' by {over + _MARGIN_DB:.1f} dB"
        return [Finding(right=False, text=text, mend="lower", owner=clip.id, fix=fix, frame=frame)]
    fix = f"hand over at {_fitting(timeline, over):.1f} LUFS".replace("-", "−")
    mend: Mend | None = "quieter" if timeline.settings.level == "to a loudness" else None  # type: ignore[attr-defined]
    return [Finding(right=False, text=text, mend=mend, fix=fix if mend else "", frame=frame)]


def _carries_little(found: TimelineMeasure) -> bool:
    """Whether the lane that peaks adds little to how loud the whole is: lowering it helps."""
    lane = next((one for one in found.lanes if one.id == found.peak_lane), None)
    return lane is not None and lane.share < _LITTLE


def _fitting(timeline: Timeline, over: float) -> float:
    """The loudness at which nothing passes the ceiling, to a tenth."""
    wanted = float(timeline.settings.loudness)  # type: ignore[attr-defined]
    return max(-40.0, math.floor(10.0 * (wanted - over)) / 10.0)


def _loudest_at(lane: Lane | None, timeline: Timeline, frame: int) -> Clip | None:
    """The clip of a lane that plays at a frame; of several the one that began last."""
    if lane is None:
        return None
    at = seconds_of(frame, timeline.rate)
    half = 0.5 * seconds_of(1, timeline.rate)
    playing = [
        clip for clip in lane.clips
        if (begin := seconds_of(clip.start, timeline.rate)) - half <= at <= begin + clip.seconds + half
    ]  # fmt: skip
    return max(playing, key=lambda clip: clip.start, default=None)


def _edges(timeline: Timeline) -> list[Finding]:
    hard = [clip for clip in _clips(timeline) if not clip.fade_in or not clip.fade_out]
    return _of_clips(hard, "has an edge without a fade: it may click",
                     "have an edge without a fade: they may click", "fade",
                     f"fade over {1e3 * DECLICK_S:.0f} ms")  # fmt: skip


def _of_clips(clips: list[Clip], one: str, many: str, mend: Mend, fix: str) -> list[Finding]:
    """A finding for each of some clips, or one of all where there are many."""
    if len(clips) > _MANY:
        return [Finding(right=False, text=f"{len(clips)} clips {many}", mend=mend, fix=fix,
                        frame=clips[0].start)]  # fmt: skip
    return [
        Finding(right=False, text=f"'{clip.name}' {one}", mend=mend, owner=clip.id, fix=fix,
                frame=clip.start)
        for clip in clips
    ]  # fmt: skip


def _names(timeline: Timeline) -> list[Finding]:
    seen: set[str] = set()
    said = []
    for lane in leaving(timeline):
        if lane.name.casefold() in seen:
            said.append(Finding(right=False, text=f"Two lanes are called '{lane.name}'",
                                mend="name", owner=lane.id, fix="number the second"))  # fmt: skip
        seen.add(lane.name.casefold())
    return said


def _past_the_end(timeline: Timeline) -> list[Finding]:
    late = [clip for clip in _clips(timeline) if _is_late(timeline, clip.start, clip.seconds)]
    if not late:
        return [Finding(right=True, text="nothing rings past the end")]
    return _of_clips(late, "goes on past the end of the picture",
                     "go on past the end of the picture", "end", "let it end with the picture")  # fmt: skip


def _scenes(timeline: Timeline) -> list[Finding]:
    """Scenes in which nothing sounds are said, and are not wrong."""
    silent = []
    for number, scene in enumerate(timeline.scenes):
        later = timeline.scenes[number + 1 :]
        begin = seconds_of(scene.start, timeline.rate)
        end = seconds_of(later[0].start if later else timeline.frames, timeline.rate)
        if not any(seconds_of(clip.start, timeline.rate) < end
                   and seconds_of(clip.start, timeline.rate) + clip.seconds > begin
                   for clip in _clips(timeline)):  # fmt: skip
            silent.append(f"'{scene.name}'")
    if not timeline.scenes:
        return []
    text = f"nothing sounds in {', '.join(silent)}" if silent else "something sounds in every scene"
    return [Finding(right=True, text=text)]


def _muted(timeline: Timeline) -> list[Finding]:
    muted = [lane.name for lane in timeline.lanes if lane.muted and lane.clips]
    if not muted:
        return []
    return [Finding(right=True, text=f"muted, so not handed over: {', '.join(muted)}")]


def mended(timeline: Timeline, what: Mend, owner: str, found: TimelineMeasure | None) -> Timeline:
    """With one thing put right.

    Raises
    ------
    DocumentError
        If what it is about is no longer there.
    """
    plain = timeline.model_dump(mode="json")
    lanes = plain["lanes"]
    over = 0.0 if found is None else over_db(timeline, found)
    if what == "quieter":
        plain["settings"]["loudness"] = _fitting(timeline, over)
        return parse_timeline(plain)
    if what == "name":
        taken = {lane["name"].casefold() for lane in lanes}
        for lane in (one for one in lanes if one["id"] == owner):
            numbers = range(2, len(lanes) + 3)
            fresh = (f"{lane['name'][:110]} {n}" for n in numbers)
            lane["name"] = next(one for one in fresh if one.casefold() not in taken)
        return parse_timeline(plain)
    clips = [(lane, clip) for lane in lanes for clip in lane["clips"]
             if clip["id"] == owner or (not owner and _needs(timeline, clip, what))]  # fmt: skip
    if not clips:
        raise DocumentError("This clip is no longer there.")
    for lane, clip in clips:
        if what == "drop":
            lane["clips"].remove(clip)
        elif what == "lower":
            clip["gain"] = max(-60.0, round(clip["gain"] - over - _MARGIN_DB, 2))
        elif what == "fade":
            clip["fade_in"] = clip["fade_in"] or DECLICK_S
            clip["fade_out"] = clip["fade_out"] or DECLICK_S
        else:
            left = timeline.seconds - seconds_of(clip["start"], timeline.rate)
            clip["seconds"] = max(0.01, left)
            clip["fade_out"] = min(max(clip["fade_out"], 0.25), left)
    return parse_timeline(plain)


def _needs(timeline: Timeline, clip: dict[str, Any], what: Mend) -> bool:
    """Whether a clip is one of many that a finding is about."""
    if what == "fade":
        return not clip["fade_in"] or not clip["fade_out"]
    return what == "end" and _is_late(timeline, clip["start"], clip["seconds"])


def _is_late(timeline: Timeline, start: int, seconds: float) -> bool:
    tolerance = seconds_of(1, timeline.rate)
    return seconds_of(start, timeline.rate) + seconds > timeline.seconds + tolerance
