"""Working on timelines: lanes, clips, scenes and the film.

Each function takes a timeline and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from innerbloom.core.errors import DocumentError
from innerbloom.core.timeline.clip_settings import DECLICK_S
from innerbloom.core.timeline.document import (
    MOST_CLIPS,
    MOST_FRAMES,
    MOST_LANES,
    Film,
    Timeline,
    parse_timeline,
)
from innerbloom.core.timeline.scene_lists import ListedScene
from innerbloom.core.timeline.timecode import DROPPING, frame_at, frame_of, seconds_of

_SHORTEST_S = 0.01


def _changed(timeline: Timeline) -> dict[str, Any]:
    return timeline.model_dump(mode="json")


def _new_id(plain: dict[str, Any], letter: str) -> str:
    used = {one["id"] for one in (*plain["scenes"], *plain["lanes"])}
    used |= {clip["id"] for lane in plain["lanes"] for clip in lane["clips"]}
    return next(f"{letter}{n}" for n in range(1, len(used) + 2) if f"{letter}{n}" not in used)


def _lane(plain: dict[str, Any], lane: str) -> dict[str, Any]:
    found = next((one for one in plain["lanes"] if one["id"] == lane), None)
    if found is None:
        raise DocumentError("This lane is no longer there.")
    return found  # type: ignore[no-any-return]


def _clip(plain: dict[str, Any], clip: str) -> tuple[dict[str, Any], dict[str, Any]]:
    for lane in plain["lanes"]:
        for one in lane["clips"]:
            if one["id"] == clip:
                return lane, one
    raise DocumentError("This clip is no longer there.")


# -- lanes and clips ------------------------------------------------------------


def add_lane(timeline: Timeline, name: str = "") -> Timeline:
    """One lane more, at the bottom; raises a DocumentError if there are as many as there may be."""
    plain = _changed(timeline)
    if len(plain["lanes"]) >= MOST_LANES:
        raise DocumentError(f"A timeline has {MOST_LANES} lanes at most: remove one first.")
    taken = {one["name"] for one in plain["lanes"]}
    numbers = range(1, MOST_LANES + 2)
    fresh = name or next(f"Lane {n}" for n in numbers if f"Lane {n}" not in taken)
    plain["lanes"].append({"id": _new_id(plain, "l"), "name": fresh})
    return parse_timeline(plain)


def remove_lane(timeline: Timeline, lane: str) -> Timeline:
    """Without a lane and what is on it."""
    plain = _changed(timeline)
    plain["lanes"].remove(_lane(plain, lane))
    return parse_timeline(plain)


def move_lane(timeline: Timeline, lane: str, to: int) -> Timeline:
    """With a lane at another place, 0 for the top."""
    plain = _changed(timeline)
    found = _lane(plain, lane)
    plain["lanes"].remove(found)
    plain["lanes"].insert(max(0, min(to, len(plain["lanes"]))), found)
    return parse_timeline(plain)


def place_clip(
    timeline: Timeline,
    sound: dict[str, Any],
    seconds: float,
    start: int,
    lane: str | None = None,
) -> Timeline:
    """A sound placed whole at a frame; on a new lane where none is named.

    Parameters
    ----------
    sound : dict
        ``name``, and ``recording`` or ``take``.
    seconds : float
        Its length.
    start : int
        Frame; held inside the picture.
    """
    if lane is None:
        timeline = add_lane(timeline, str(sound["name"])[:120])
        lane = timeline.lanes[-1].id
    plain = _changed(timeline)
    clips = _lane(plain, lane)["clips"]
    if len(clips) >= MOST_CLIPS:
        raise DocumentError(f"A lane holds {MOST_CLIPS} clips at most: use another one.")
    clips.append({
        **sound, "id": _new_id(plain, "c"), "seconds": max(_SHORTEST_S, seconds),
        "start": max(0, min(start, timeline.frames - 1)),
    })  # fmt: skip
    return parse_timeline(plain)


def move_clip(timeline: Timeline, clip: str, start: int, lane: str | None = None) -> Timeline:
    """With a clip at another frame, and perhaps on another lane."""
    plain = _changed(timeline)
    home, found = _clip(plain, clip)
    found["start"] = max(0, min(start, timeline.frames - 1))
    if lane is not None and lane != home["id"]:
        home["clips"].remove(found)
        _lane(plain, lane)["clips"].append(found)
    return parse_timeline(plain)


def trim_clip(
    timeline: Timeline, clip: str, start: int, end: int, length: float | None = None
) -> Timeline:
    """With a clip that begins and ends at other frames; what sounds stays where it was.

    Parameters
    ----------
    end : int
        One past its last frame.
    length : float, optional
        Length of its sound in seconds, past which it cannot go.
    """
    plain = _changed(timeline)
    _, found = _clip(plain, clip)
    rate = timeline.rate
    last = found["start"] + max(1, frame_at(found["seconds"], rate))
    if start != found["start"]:
        # it cannot begin before its sound does
        earliest = found["start"] - int(found["offset"] * 1e6 // (seconds_of(1, rate) * 1e6))
        start = max(0, earliest, min(start, last - 1, timeline.frames - 1))
        moved = seconds_of(start, rate) - seconds_of(found["start"], rate)
        found["offset"] = max(0.0, found["offset"] + moved)
        found["seconds"] = max(_SHORTEST_S, found["seconds"] - moved)
        found["levels"] = _shifted(found["levels"], moved)
        found["start"] = start
    if end != last:
        found["seconds"] = seconds_of(max(end, found["start"] + 1) - found["start"], rate)
    if length is not None:
        found["seconds"] = max(_SHORTEST_S, min(found["seconds"], length - found["offset"]))
    return parse_timeline(plain)


def _shifted(levels: list[dict[str, float]], seconds: float) -> list[dict[str, float]]:
    return [{**one, "at": max(0.0, one["at"] - seconds)} for one in levels]


def split_clip(timeline: Timeline, clip: str, frame: int) -> Timeline:
    """With a clip cut in two at a frame; together they sound as it did, but for 5 ms at the cut."""
    plain = _changed(timeline)
    home, found = _clip(plain, clip)
    first = seconds_of(frame, timeline.rate) - seconds_of(found["start"], timeline.rate)
    if not _SHORTEST_S < first < found["seconds"] - _SHORTEST_S:
        raise DocumentError("A clip is cut where it plays: move the playhead onto it.")
    later = {**found, "id": _new_id(plain, "c"), "start": frame}
    later |= {"offset": found["offset"] + first, "seconds": found["seconds"] - first}
    later |= {"fade_in": DECLICK_S, "levels": _shifted(found["levels"], first)}
    # the first goes on a little, so that both cross over instead of dipping
    found |= {"seconds": first + DECLICK_S, "fade_out": DECLICK_S}
    home["clips"].append(later)
    return parse_timeline(plain)


def duplicate_clip(timeline: Timeline, clip: str) -> Timeline:
    """With a clip once more, right after itself."""
    plain = _changed(timeline)
    home, found = _clip(plain, clip)
    start = found["start"] + max(1, frame_at(found["seconds"], timeline.rate))
    if start >= timeline.frames:
        raise DocumentError("There is no room after this clip: the picture ends there.")
    home["clips"].append({**found, "id": _new_id(plain, "c"), "start": start})
    return parse_timeline(plain)


def remove_clip(timeline: Timeline, clip: str) -> Timeline:
    """Without a clip."""
    plain = _changed(timeline)
    home, found = _clip(plain, clip)
    home["clips"].remove(found)
    return parse_timeline(plain)


# -- scenes ---------------------------------------------------------------------


def add_scene(timeline: Timeline, frame: int, name: str = "") -> Timeline:
    """A scene that begins at a frame; what was one scene there is two."""
    plain = _changed(timeline)
    if any(one["start"] == frame for one in plain["scenes"]):
        raise DocumentError("A scene begins at this frame already.")
    taken = {one["name"] for one in plain["scenes"]}
    count = len(taken) + 2
    fresh = name or next(f"Scene {n}" for n in range(1, count) if f"Scene {n}" not in taken)
    plain["scenes"].append({"id": _new_id(plain, "s"), "name": fresh, "start": frame})
    plain["scenes"].sort(key=lambda one: one["start"])
    return parse_timeline(plain)


def remove_scene(timeline: Timeline, scene: str) -> Timeline:
    """Without a scene: the one before it goes on."""
    plain = _changed(timeline)
    left = [one for one in plain["scenes"] if one["id"] != scene]
    if len(left) == len(plain["scenes"]):
        raise DocumentError("This scene is no longer there.")
    plain["scenes"] = left
    return parse_timeline(plain)


def move_scene(timeline: Timeline, scene: str, start: int) -> Timeline:
    """With a scene that begins at another frame, between its neighbours."""
    plain = _changed(timeline)
    at = next((n for n, one in enumerate(plain["scenes"]) if one["id"] == scene), None)
    if at is None:
        raise DocumentError("This scene is no longer there.")
    low = plain["scenes"][at - 1]["start"] + 1 if at else 0
    later = [one["start"] for one in plain["scenes"][at + 1 :]]
    high = (later[0] if later else timeline.frames) - 1
    plain["scenes"][at]["start"] = max(low, min(high, start))
    return parse_timeline(plain)


def with_scenes(timeline: Timeline, listed: Iterable[ListedScene]) -> Timeline:
    """With the scenes of a list in place of those there are.

    The picture grows where it is not given by a film; what a list has beyond a film is left out.
    """
    found = list(listed)
    starts = [one.start - timeline.start for one in found]
    if starts and starts[0] < 0:
        raise DocumentError("The list begins before the picture does: set its first timecode.")
    plain = _changed(timeline)
    if timeline.film is None and starts:
        plain["frames"] = min(MOST_FRAMES, max(timeline.frames, starts[-1] + _tail(starts)))
    inside = [(start, one) for start, one in zip(starts, found, strict=True)
              if start < plain["frames"]]  # fmt: skip
    if not inside:
        raise DocumentError("All scenes of the list lie past the picture's end.")
    plain["scenes"] = [{"id": f"s{n}", "name": one.name, "start": start, "feel": one.feel}
                       for n, (start, one) in enumerate(inside, 1)]  # fmt: skip
    return parse_timeline(plain)


def _tail(starts: list[int]) -> int:
    """How long the last scene of a list is taken to be: as long as the one before it."""
    return starts[-1] - starts[-2] if len(starts) > 1 else 240


def at_cuts(timeline: Timeline, cuts: Iterable[int]) -> Timeline:
    """With scenes that begin where the film cuts; names and feelings of before go with their frames."""
    before = {one.start: one for one in timeline.scenes}
    starts = sorted({0, *(frame for frame in cuts if 0 < frame < timeline.frames)})
    plain = _changed(timeline)
    plain["scenes"] = [
        {
            "id": f"s{n}",
            "start": start,
            "name": before[start].name if start in before else f"Scene {n}",
            "feel": before[start].feel if start in before else "",
        }
        for n, start in enumerate(starts[:500], 1)
    ]
    return parse_timeline(plain)


# -- the picture ----------------------------------------------------------------


def with_film(timeline: Timeline, film: Film, timecode: str = "") -> Timeline:
    """With a film, at its own rate; sounds and scenes stay at their times.

    Parameters
    ----------
    timecode : str
        Of its first frame, where the film tells it.
    """
    drops = film.rate in DROPPING and ";" in timecode
    out = at_rate(timeline, film.rate, drops)
    plain = _changed(out)
    plain |= {"film": film.model_dump(mode="json"), "frames": film.frames}
    if timecode:
        plain["start"] = frame_of(timecode, film.rate, drops)
    plain["scenes"] = [one for one in plain["scenes"] if one["start"] < film.frames]
    for lane in plain["lanes"]:
        lane["clips"] = [{**one, "start": min(one["start"], film.frames - 1)}
                         for one in lane["clips"]]  # fmt: skip
    return parse_timeline(plain)


def at_rate(timeline: Timeline, rate: str, drop: bool = False) -> Timeline:
    """At another rate: all stays at the frame that is nearest to its time."""
    if rate == timeline.rate and drop == timeline.drop:
        return timeline

    def moved(frame: int) -> int:
        return frame_at(seconds_of(frame, timeline.rate), rate)

    plain = _changed(timeline)
    hours = round(seconds_of(timeline.start, timeline.rate) / 3_600) % 24
    plain |= {"rate": rate, "drop": drop, "frames": max(1, moved(timeline.frames))}
    plain["start"] = frame_of(f"{hours:02d}:00:00:00", rate, drop)
    for scene in plain["scenes"]:
        scene["start"] = min(moved(scene["start"]), plain["frames"] - 1)
    plain["scenes"] = _apart(plain["scenes"])
    for clip in (one for lane in plain["lanes"] for one in lane["clips"]):
        clip["start"] = min(moved(clip["start"]), plain["frames"] - 1)
    return parse_timeline(plain)


def with_length(timeline: Timeline, frames: int) -> Timeline:
    """With another length; raises a DocumentError where a scene or a clip would lie past its end."""
    starts = [one.start for one in timeline.scenes]
    starts += [clip.start for lane in timeline.lanes for clip in lane.clips]
    if frames <= max(starts, default=0):
        raise DocumentError("Something begins past that end: move it first.")
    return parse_timeline({**_changed(timeline), "frames": frames})


def _apart(scenes: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Of scenes that now begin at one frame only the first."""
    key: Callable[[dict[str, Any]], int] = lambda one: int(one["start"])  # noqa: E731
    first: dict[int, dict[str, Any]] = {}
    for one in sorted(scenes, key=key):
        first.setdefault(key(one), one)
    return list(first.values())
