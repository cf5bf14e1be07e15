"""``bloom inspect``: what is in these files."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.many import opened_input
from innerbloom.cli.progress import progress
from innerbloom.cli.results import json_option, result, wants_json
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.analysis.examine import Examination

_HOP_S = 0.05


@click.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path, allow_dash=True))
@json_option
@click.option("--tuning", default=440.0, show_default=True, type=click.FloatRange(400, 480),
              help="Reference pitch A4 in Hz, for note names.")  # fmt: skip
@click.option("--brief", is_flag=True, help="Leave out pitch over time, onsets and loops.")
def inspect(files: tuple[Path, ...], tuning: float, brief: bool) -> None:
    """Measure recordings: level, root, tonalness, pitch over time, onsets, loops.

    - is standard input.
    """
    failed = False
    with progress("Measuring") as told:
        for number, path in enumerate(files, 1):
            with opened_input(path) as source:
                entry = _inspect(source, path, tuning, not brief)
            failed |= "error" in entry
            result(entry, None if wants_json() else _text(entry))
            told(number / len(files))
    if failed:
        sys.exit(1)


def _text(entry: dict[str, Any]) -> str:
    lines = [_line(entry), *(f"  {remark}" for remark in entry.get("remarks", []))]
    return "\n".join(lines + (_deep_lines(entry) if "pitch" in entry else []))


def _inspect(source: Path, path: Path, tuning: float, deep: bool) -> dict[str, Any]:
    from innerbloom.core.analysis.examine import examine

    try:
        found = examine(source)
        more = _deep(source, found) if deep else {}
        return {"path": str(path), **found.summary(tuning), **more}
    except BloomError as error:
        return {"path": str(path), "error": str(error)}
    except OSError as error:
        return {"path": str(path), "error": f"'{path.name}' cannot be opened: {error.strerror}."}


def _deep(path: Path, found: Examination) -> dict[str, Any]:
    """Pitch every 50 ms (first ten minutes), its steadiest stretch, onsets, and loops."""
    from innerbloom.core.analysis.onsets import pick_onsets
    from innerbloom.core.analysis.track import pitch_track, stability_cents, steadiest
    from innerbloom.core.prepare.loop_search import loops_of
    from innerbloom.core.prepare.source import FileSource

    source = FileSource(path)
    track = pitch_track(source.read(0, 600 * source.rate), source.rate, _HOP_S)
    best = steadiest(track)
    try:
        loops = [one.plain() for one in loops_of(path)]
    except BloomError:
        loops = []
    return {
        "pitch": {
            "hop_s": _HOP_S,
            "notes": [round(n, 3) if v else None
                      for n, v in zip(track.notes.tolist(), track.voiced.tolist(), strict=True)],
            "stability_cents": stability_cents(track),
            "steadiest": None if best is None else best.__dict__,
        },
        "onsets_s": [round(float(at), 4) for at in pick_onsets(found.onsets)],
        "loops_found": loops,
    }  # fmt: skip


def _deep_lines(entry: dict[str, Any]) -> list[str]:
    pitch, best = entry["pitch"], entry["pitch"]["steadiest"]
    voiced = [note for note in pitch["notes"] if note is not None]
    lines = [f"  pitch: in {100 * len(voiced) / max(1, len(pitch['notes'])):.0f} % of the moments"]
    if best:
        lines[0] += (
            f", steadiest {best['start_s']:.2f} to {best['end_s']:.2f} s within "
            f"{best['spread_cents']:.1f} ct"
        )
    lines.append(f"  onsets: {len(entry['onsets_s'])}")
    lines += [
        f"  loop: {one['start_s']:.3f} to {one['end_s']:.3f} s, closes {100 * one['closes']:.0f} %"
        for one in entry["loops_found"][:3]
    ]
    return lines


def _loudness(entry: dict[str, Any]) -> str:
    if entry["lufs"] is not None:
        return f"{entry['lufs']:.1f} LUFS"
    momentary = entry["momentary_lufs"]
    return "silent" if momentary is None else f"{momentary:.1f} LUFS (momentary)"


def _line(entry: dict[str, Any]) -> str:
    if "error" in entry:
        return f"{entry['path']}: {entry['error']}"
    root = "no clear pitch"
    if entry["root_hz"] is not None:
        root = (
            f"{entry['root_note']} {entry['cents']:+.0f} ct ({entry['root_hz']:.2f} Hz, "
            f"confidence {100 * entry['confidence']:.0f} %)"
        )
    elif entry["partial_hz"] is not None:
        root += f", perhaps {entry['partial_hz']:.1f} Hz"
    lufs = _loudness(entry)
    peak = "" if entry["true_peak_dbtp"] is None else f", peak {entry['true_peak_dbtp']:.1f} dBTP"
    return (
        f"{entry['path']}: {entry['duration_s']:.2f} s, {entry['channels']} ch, "
        f"{entry['rate']} Hz, {root}, {lufs}{peak}"
    )
