"""A demo timeline: the announcement film, its scenes, and sounds of the project placed against it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

from innerbloom.core.performance.take_document import KIND as TAKE
from innerbloom.core.timeline.document import KIND as TIMELINE
from innerbloom.core.timeline.document import Timeline, parse_timeline
from innerbloom.core.timeline.timecode import frame_at
from innerbloom.demo.film import RATE, SCENES
from innerbloom.demo.making import Making, Part
from innerbloom.jobs.filming import FILM, WEIGH
from innerbloom.store import documents
from innerbloom.store.models import Document, Recording

NAME = "Announcement film"

_TOLD = (
    ("Surface", "calm that will not last; the light is on the wrong side"),
    ("Under the panes", "held under; the light is close and cannot be reached. The house hums because it is alive."),
    ("The wheel turns", "someone else is down here"),
    ("Air", "relief, and the price of it"),
    ("Title", "wonder"),
)  # fmt: skip

# lane, level; sound, start, length, offset, fades, level points
_Placed = tuple[str, float, float, float, float, float, list[tuple[float, float]]]
_LANES: tuple[tuple[str, float, tuple[_Placed, ...]], ...] = (
    ("Bed", 0.0, (
        ("The water comes up", 0.0, 13.5, 2.0, 2.0, 1.5, []),
        ("Rain on glass panes", 12.0, 13.0, 1.0, 2.5, 3.0, [(0, -10), (5, -6), (9, -8), (13, -20)]),
    )),
    ("Strikes", 0.0, (
        ("Kettle lid", 5.0, 5.0, 0.0, 0.005, 2.0, []),
        ("Ice settling on the pond", 14.5, 5.5, 2.0, 0.2, 1.5, []),
    )),
    ("Wheel", -3.0, (("Sluice wheel", 10.8, 6.0, 1.5, 0.6, 1.4, []),)),
    ("Air", -4.0, (
        ("Blown jar", 15.8, 4.6, 0.0, 0.4, 1.5, []),
        ("Fence wire, held", 20.5, 4.4, 0.5, 1.0, 2.4, []),
    )),
)  # fmt: skip


def put_to_picture(making: Making, film: Future[bytes]) -> Part:
    """A timeline with the film, its sounds placed, and measured."""
    row = making.kept(TIMELINE, parse_timeline({"name": NAME}))
    yield film.result
    incoming = making.files.new_incoming("announcement.mp4")
    incoming.write_bytes(film.result())
    params = {"path": incoming.name, "filename": "announcement.mp4", "timeline": row.id}
    yield making.begin(FILM, "announcement.mp4", params)
    making.db.refresh(row)
    timeline = parse_timeline(row.content)
    if not timeline.lanes:
        takes = {one.name: one for one in documents.listed(making.db, TAKE)}
        placed = _placed(timeline, making.recording, takes)
        documents.replace(making.db, row, row.revision, placed, "Place the sounds")
    yield making.begin(WEIGH, row.name, {}, row.content)


def _placed(
    timeline: Timeline, named: Callable[[str], Recording], takes: dict[str, Document]
) -> Timeline:
    plain = timeline.model_dump(mode="json")
    starts = [round(RATE * sum(one[0] for one in SCENES[:n])) for n in range(len(SCENES))]
    plain["scenes"] = [{"id": f"s{n}", "name": name, "feel": feel, "start": start}
                       for n, ((name, feel), start) in enumerate(zip(_TOLD, starts, strict=True), 1)]  # fmt: skip
    number = 0
    for n, (name, gain, sounds) in enumerate(_LANES, 1):
        clips = []
        for sound in sounds:
            number += 1
            source: dict[str, Any] = (
                {"take": takes[sound[0]].summary["folder"]} if sound[0] in takes
                else {"recording": named(sound[0]).digest}
            )  # fmt: skip
            clips.append({"id": f"c{number}", **source, **_clip(sound, timeline.rate)})
        plain["lanes"].append({"id": f"l{n}", "name": name, "gain": gain, "clips": clips})
    return parse_timeline(plain)


def _clip(sound: _Placed, rate: str) -> dict[str, Any]:
    name, start, seconds, offset, fade_in, fade_out, levels = sound
    return {
        "name": name, "start": frame_at(start, rate), "seconds": seconds, "offset": offset,
        "fade_in": fade_in, "fade_out": fade_out,
        "levels": [{"at": at, "db": db} for at, db in levels],
    }  # fmt: skip
