"""Rendering an instrument to a file."""

from __future__ import annotations

import numpy as np
from sqlalchemy.orm import Session

from innerbloom.core.deliver.playable import compile_playable, parse_playable
from innerbloom.core.deliver.print_note import printed
from innerbloom.core.deliver.render import expected_frames, render_blocks
from innerbloom.core.deliver.to_file import Played, watched
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.prepare.source import write_clip
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import SUFFIX, write_sound
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow
from innerbloom.store.prepared import DiskMaterials

MIDI = "played.mid"
"""What is played, in the job's folder, where it is not a single note."""


def render_instrument(work: Work) -> Params:
    """Render a note, or the MIDI file beside the document.

    Parameters: ``key`` and further ``keys``, ``seconds``, ``velocity``, ``format``, ``title``,
    ``printed`` (levelled, with its loop and root).
    """
    store, params = work.store, work.params
    document = parse_playable(work.document())
    program = compile_playable(document, DiskMaterials(store))
    events = _played(work).events(document)
    form = params["format"]
    path = store.renders / f"{work.folder.name}{SUFFIX[form]}"

    blocks = watched(render_blocks(program, events), expected_frames(program, events), work.report)
    origin = Origin(title=params["title"], notes=f"Rendered from {document.name}")
    if params.get("printed"):
        root = min([params["key"], *params.get("keys", [])])
        clip = printed(np.concatenate(list(blocks)), root, params["seconds"])
        write_clip(path, clip, form=form, origin=origin, root=root)
        frames = clip.frames
    else:
        frames = write_sound(path, blocks, ENGINE_RATE, 2, form=form, origin=origin)
    return {
        "file": path.name,
        "seconds": round(frames / ENGINE_RATE, 3),
        "bytes": path.stat().st_size,
    }


def _played(work: Work) -> Played:
    params, midi = work.params, work.folder / MIDI
    keys = (params["key"], *params.get("keys", []))
    played = midi.read_bytes() if midi.is_file() else None
    return Played(keys, params["seconds"], params["velocity"], played)


def finish_render(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(
        instrument=job.params.get("instrument"),
        ensemble=job.params.get("ensemble"),
        name=job.params["title"],
        **made,
    )


RENDER = JobKind("render", "Rendering", render_instrument, finish_render)
