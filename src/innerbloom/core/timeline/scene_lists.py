"""Scenes read from a list: CSV, an edit list (CMX 3600) or an OpenTimelineIO timeline."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

import opentimelineio as otio
import pycmx

from innerbloom.core.errors import BloomError
from innerbloom.core.timeline.document import MOST_FRAMES, MOST_SCENES
from innerbloom.core.timeline.timecode import RATES, frame_of

MOST_BYTES = 8 << 20
_START = ("start", "timecode", "in", "tc in", "from", "time")
_NAME = ("scene", "name", "title")
_FEEL = ("feel", "they should feel", "note", "notes", "description")


@dataclass(frozen=True)
class ListedScene:
    """A scene as a list tells it; ``start`` is a frame counted from midnight."""

    name: str
    start: int
    feel: str = ""


def read_scenes(
    data: bytes, filename: str, rate: str, drop: bool, first: int = 0
) -> list[ListedScene]:
    """Scenes of a list, by the ending of its name.

    Parameters
    ----------
    first : int
        Frame of the picture's first timecode; a list that begins at nought counts from there.

    Raises
    ------
    BloomError
        If it cannot be read, with the line at fault where there is one.
    """
    if len(data) > MOST_BYTES:
        raise BloomError(f"'{filename}' is too large to be a list of scenes.")
    suffix = filename.rpartition(".")[2].lower()
    if suffix not in _READERS:
        raise BloomError(f"'{filename}' is no list of scenes: CSV, EDL and OTIO are read.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    found = sorted(_READERS[suffix](text, filename, rate, drop), key=lambda one: one.start)
    if not found:
        raise BloomError(f"There is no scene in '{filename}'.")
    if len(found) > MOST_SCENES:
        raise BloomError(f"'{filename}' has {len(found)} scenes; {MOST_SCENES} is the most.")
    lead = first if found[0].start < first else 0
    # what begins at one frame is one scene, by its first name
    by_start = {one.start: one for one in reversed(found)}
    scenes = [by_start[start] for start in sorted(by_start)]
    if scenes[-1].start - scenes[0].start > MOST_FRAMES:
        raise BloomError(f"'{filename}' spans more than can be worked on at once.")
    return [ListedScene(one.name[:120], one.start + lead, one.feel[:1_000]) for one in scenes]


def _from_csv(text: str, filename: str, rate: str, drop: bool) -> list[ListedScene]:
    try:
        dialect: type[csv.Dialect] = csv.Sniffer().sniff(text[:4_000], delimiters=",;\t")
    except csv.Error:
        dialect = csv.excel
    try:
        # a lone carriage return ends a line too
        rows = list(csv.DictReader(io.StringIO(text, newline=None), dialect=dialect))
    except csv.Error as error:
        raise BloomError(f"'{filename}' is no list of scenes: {error}.") from error
    found: list[ListedScene] = []
    for line, row in enumerate(rows, 2):
        told = {str(key).strip().lower(): str(value or "").strip() for key, value in row.items()}
        start = next((told[key] for key in _START if told.get(key)), "")
        if not start:
            if any(told.values()):
                raise BloomError(
                    f"Line {line} of '{filename}' has no start: call its column 'start'."
                )
            continue
        name = next((told[key] for key in _NAME if told.get(key)), f"Scene {len(found) + 1}")
        feel = next((told[key] for key in _FEEL if told.get(key)), "")
        found.append(ListedScene(name, _frame(start, rate, drop, filename, line), feel))
    return found


def _frame(timecode: str, rate: str, drop: bool, filename: str, line: int | None) -> int:
    try:
        return frame_of(timecode, rate, drop)
    except BloomError as error:
        where = f"line {line} of '{filename}'" if line else f"'{filename}'"
        raise BloomError(f"In {where}: {error}") from error


def _from_edl(text: str, filename: str, rate: str, drop: bool) -> list[ListedScene]:
    try:
        events = pycmx.parse_cmx3600(io.StringIO(text)).events
        edits = [(event.number, edit) for event in events for edit in event.edits]
    except Exception as error:
        # the reader has no error of its own
        raise BloomError(f"'{filename}' is no edit list that can be read.") from error
    found: list[tuple[int, ListedScene]] = []
    for number, edit in edits:
        if not edit.channels.video or edit.record_in is None:
            continue
        comments = [m.group(1) for line in _lines(text, number)
                    if (m := re.match(r"\* ?(?:COMMENT|NOTE): *(.+)", line))]  # fmt: skip
        line = edit.line_number + 1
        start = _frame(edit.record_in, rate, drop, filename, line)
        end = _frame(edit.record_out, rate, drop, filename, line)
        name = edit.clip_name or f"Scene {len(found) + 1}"
        _require_after(found, start, edit.record_in, filename)
        found.append((end, ListedScene(name, start, " ".join(comments))))
    return [scene for _, scene in found]


def _require_after(
    found: list[tuple[int, ListedScene]], start: int, timecode: str, filename: str
) -> None:
    # a dissolve has two lines of one start
    if found and start < found[-1][0] and start != found[-1][1].start:
        raise BloomError(
            f"'{filename}' overlaps itself at {timecode}: what begins there begins before "
            f"'{found[-1][1].name[:60]}' has ended."
        )


def _lines(text: str, number: int) -> list[str]:
    """The lines that belong to an event."""
    lines, inside = [], False
    for line in text.splitlines():
        told = re.match(r"(\d+)\s", line)
        if told:
            inside = int(told.group(1)) == number
        elif inside:
            lines.append(line.strip())
    return lines


def _from_otio(text: str, filename: str, rate: str, drop: bool) -> list[ListedScene]:
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
        if not isinstance(timeline, otio.schema.Timeline):
            raise BloomError(f"'{filename}' holds no timeline.")
        tracks = timeline.video_tracks() or list(timeline.tracks)
        exact = float(RATES[rate])
        begin = timeline.global_start_time
        first = 0 if begin is None else round(begin.rescaled_to(exact).value)
        return [
            ListedScene(
                clip.name or f"Scene {n}", first + _place(tracks[0], clip, exact), _note(clip)
            )
            for n, clip in enumerate(tracks[0].find_clips() if tracks else [], 1)
        ]
    except BloomError:
        raise
    except Exception as error:
        # the library raises errors of many kinds for a file that is none of its own
        raise BloomError(f"'{filename}' is no OpenTimelineIO file that can be read.") from error


def _place(track: otio.schema.Track, clip: otio.schema.Clip, rate: float) -> int:
    where = clip.transformed_time_range(clip.trimmed_range(), track).start_time
    return round(float(where.rescaled_to(rate).value))


def _note(clip: otio.schema.Clip) -> str:
    told = clip.metadata.get("inner-bloom", {})
    return str(told.get("feel", ""))


_READERS = {"csv": _from_csv, "txt": _from_csv, "edl": _from_edl, "otio": _from_otio}
