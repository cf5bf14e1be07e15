"""Measuring what every key of an instrument sounds like."""

from __future__ import annotations

import json
from pathlib import Path

from innerbloom.core.deliver.portrait import KeyPortrait, portrait
from innerbloom.core.engine import compile_program
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.kind import JobKind, Params, Work
from innerbloom.store.prepared import DiskMaterials

_FILE = "portrait.json"


def portray(work: Work) -> Params:
    """Parameters: ``instrument``, ``revision``. What is found lies in the job's folder."""
    program = compile_program(parse_instrument(work.document()), DiskMaterials(work.store))
    keys = [key.__dict__ for key in portrait(program, progress=work.report)]
    (work.folder / _FILE).write_text(json.dumps(keys), "utf-8")
    return {}


def portrait_in(folder: Path) -> list[KeyPortrait] | None:
    """The portrait that a job left in its folder; None where there is none that can be read."""
    try:
        return [KeyPortrait(**key) for key in json.loads((folder / _FILE).read_text("utf-8"))]
    except (OSError, ValueError, TypeError):
        return None


PORTRAIT = JobKind("portrait", "Taking the portrait of", portray, waited_for=True)
