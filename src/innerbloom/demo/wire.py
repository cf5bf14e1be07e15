"""A worked recipe on the demo's Bench: the fence wire cut, steadied, levelled, looped, and kept."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource
from innerbloom.demo.making import TUNING, Making, Part
from innerbloom.jobs.preparing import KEEP, STAGE
from innerbloom.store import documents, recordings

WIRE = "Bowed fence wire"
HELD = "Fence wire, held"


def put_wire_on_bench(making: Making) -> Part:
    """The recipe, what it makes on the shelf, and its last stages ready to be looked at."""
    row = making.recording(WIRE)
    found = making.pool.submit(_steps, making.files.readable(row.digest))
    yield found.result
    sheet = documents.at_bench(making.db, row)
    if not sheet.revision:
        recipe = parse_recipe({"steps": found.result()})
        documents.replace(making.db, sheet, sheet.revision, recipe, "Recipe")
    steps = sheet.content["steps"]
    base = {"digest": row.digest, "tuning": TUNING}
    kept = {"recording": row.id, "name": row.name, "steps": steps, "place": row.place}
    origin = recordings.origin_of(row)
    yield making.begin(KEEP, HELD, {**base, **kept, "origin": origin, "pieces": [{"name": HELD}]})
    for count in (len(steps) - 1, len(steps)):
        yield making.begin(STAGE, row.name, {**base, "steps": steps[:count]})


def _steps(path: Path) -> list[dict[str, Any]]:
    steps: list[dict[str, Any]] = [
        {"do": "cut", "start": 2.1, "end": 10.6, "fade_in": 10, "fade_out": 400},
        {"do": "highpass", "cutoff": 48},
        {"do": "pull", "flatten": 70},
        {"do": "normalise"},
    ]
    clip = run_recipe(parse_recipe({"steps": steps}), FileSource(path))
    found, _ = find_loops(clip.samples, clip.rate)
    best = found[0]
    loop = {
        "do": "loop", "start": best.start / clip.rate, "end": best.end / clip.rate,
        "crossfade": round(1e3 * best.crossfade / clip.rate, 1),
    }  # fmt: skip
    return [*steps, loop]
