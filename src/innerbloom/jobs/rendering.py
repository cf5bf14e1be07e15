"""Rendering an instrument to a file."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from innerbloom.core.deliver.render import expected_frames, render_blocks
from innerbloom.core.engine import ENGINE_RATE, compile_program
from innerbloom.core.errors import Cancelled
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.events import Event, single_note
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import SUFFIX, write_sound
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow
from innerbloom.store.prepared import DiskMaterials

MIDI = "played.mid"
"""What is played, in the job's folder, where it is not a single note."""


def render_instrument(work: Work) -> Params:
    """Render a note, or the MIDI file beside the document.

    Parameters: ``key``, ``seconds``, ``velocity``, ``format``, ``title``.
    """
    store, params = work.store, work.params
    document = parse_instrument(work.document())
    program = compile_program(document, DiskMaterials(store))
    events = _events(work, program.setting(WHOLE_ID, "bend_range"))
    total = expected_frames(program, events)
    form = params["format"]
    path = store.renders / f"{work.folder.name}{SUFFIX[form]}"

    def told() -> Iterator[np.ndarray[Any, np.dtype[np.float32]]]:
        done = 0
        for block in render_blocks(program, events):
            done += len(block)
            if not work.report(done / total):
                raise Cancelled("Stopped.")
            yield block

    origin = Origin(title=params["title"], notes=f"Rendered from the instrument {document.name}")
    frames = write_sound(path, told(), ENGINE_RATE, 2, form=form, origin=origin)
    return {
        "file": path.name,
        "seconds": round(frames / ENGINE_RATE, 3),
        "bytes": path.stat().st_size,
    }


def _events(work: Work, bend_range: float) -> list[Event]:
    params, midi = work.params, work.folder / MIDI
    if midi.is_file():
        return events_from_midi(midi.read_bytes(), ENGINE_RATE, bend_range)
    return single_note(params["key"], params["seconds"], ENGINE_RATE, params["velocity"])


def finish_render(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(instrument=job.params["instrument"], name=job.params["title"], **made)


RENDER = JobKind("render", "Rendering", render_instrument, finish_render)
