"""The cue sheet of a timeline: as CSV, and as a page that prints well."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from html import escape

from innerbloom.core.deliver.credits import Credit, credits_text
from innerbloom.core.deliver.picture_ready import leaving
from innerbloom.core.timeline.document import Scene, Timeline, scene_at, scene_end
from innerbloom.core.timeline.interchange import spans
from innerbloom.core.timeline.timecode import seconds_of

_STYLE = """
@page { margin: 18mm }
body { font: 11pt/1.45 Georgia, serif; color: #22302b; max-width: 46em; margin: 2em auto }
h1 { font-size: 20pt; margin-bottom: 0 } h2 { font-size: 13pt; break-after: avoid }
table { border-collapse: collapse; width: 100% } tr { break-inside: avoid }
td, th { text-align: left; padding: .2em .6em .2em 0; border-bottom: 1px solid #c9c2b2; vertical-align: top }
th { font-weight: normal; color: #5d665f } .tc { font-variant-numeric: tabular-nums; white-space: nowrap }
.feel { font-style: italic }
"""


@dataclass(frozen=True)
class Cue:
    """A sound where it is placed, in frames of the picture; the end is one past its last."""

    scene: Scene | None
    lane: str
    name: str
    start: int
    end: int


def cues(timeline: Timeline) -> list[Cue]:
    """All that leaves, in the order of when it begins."""
    found = [
        Cue(scene_at(timeline, start), lane.name, name, start, end)
        for lane in leaving(timeline) for name, start, end in spans(lane, timeline)
    ]  # fmt: skip
    return sorted(found, key=lambda cue: cue.start)


def cue_csv(timeline: Timeline) -> str:
    """One line a sound (RFC 4180)."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(("scene", "lane", "sound", "start", "end", "seconds"))
    for one in cues(timeline):
        scene = "" if one.scene is None else one.scene.name
        times = (timeline.timecode(one.start), timeline.timecode(one.end))
        length = seconds_of(one.end - one.start, timeline.rate)
        table.writerow((scene, one.lane, one.name, *times, f"{length:.3f}"))
    return out.getvalue()


def cue_page(
    timeline: Timeline,
    stems: Iterable[tuple[str, float | None, float | None]],
    credits: Iterable[Credit],
) -> str:
    """A page of HTML with scenes, their sounds, stems and credits, whole in itself.

    Parameters
    ----------
    stems : iterable of (file, loudness in LUFS, true peak in dBTP)
    """
    dropping = ", drop frame" if timeline.drop else ""
    first, last = timeline.timecode(0), timeline.timecode(timeline.frames)
    parts = [
        f"<h1>{escape(timeline.name)}</h1>",
        f"<p>{first} to {last}, {timeline.rate} frames a second{dropping}</p>",
        *_scenes(timeline),
        "<h2>Stems</h2>",
        _table(("file", "loudness", "true peak"),
               [(file, _level(loud, "LUFS"), _level(peak, "dBTP"))
                for file, loud, peak in stems]),
        "<h2>Credits</h2>",
        *(f"<p>{escape(line)}</p>" for line in credits_text(credits).splitlines()),
    ]  # fmt: skip
    title = escape(timeline.name)
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f"<style>{_STYLE}</style></head>\n<body>\n" + "\n".join(parts) + "\n</body></html>\n"
    )


def _scenes(timeline: Timeline) -> list[str]:
    every = cues(timeline)
    early = [one for one in every if one.scene is None]
    parts = [_sounds(timeline, early)] if early else []
    for scene in timeline.scenes:
        end = timeline.timecode(scene_end(timeline, scene))
        times = f'<span class="tc">{timeline.timecode(scene.start)} to {end}</span>'
        parts.append(f"<h2>{escape(scene.name)} {times}</h2>")
        if scene.feel:
            parts.append(f'<p class="feel">{escape(scene.feel)}</p>')
        parts.append(_sounds(timeline, [one for one in every if one.scene is scene]))
    return parts


def _sounds(timeline: Timeline, inside: list[Cue]) -> str:
    if not inside:
        return "<p>No sound.</p>"
    rows = [(timeline.timecode(one.start), timeline.timecode(one.end), one.name, one.lane)
            for one in inside]  # fmt: skip
    return _table(("from", "to", "sound", "lane"), rows)


def _table(head: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> str:
    titles = "".join(f"<th>{one}</th>" for one in head)
    lines = "".join(
        "<tr>" + "".join(f'<td class="tc">{escape(cell)}</td>' if ":" in cell[:9]
                         else f"<td>{escape(cell)}</td>" for cell in row) + "</tr>\n"
        for row in rows
    )  # fmt: skip
    return f"<table><tr>{titles}</tr>\n{lines}</table>"


def _level(value: float | None, unit: str) -> str:
    return "silent" if value is None else f"{value:.1f} {unit}".replace("-", "−")
