"""Measuring what every key of an instrument sounds like."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from innerbloom.core.deliver.held_note import HeldNote, held_note
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
    found = {"keys": keys, "held": held_note(program).__dict__}
    (work.folder / _FILE).write_text(json.dumps(found), "utf-8")
    return {}


@dataclass(frozen=True)
class Portrait:
    """What every key sounds like, and how one that is held goes on."""

    keys: list[KeyPortrait]
    held: HeldNote


def portrait_in(folder: Path) -> Portrait | None:
    """The portrait that a job left in its folder; None where there is none that can be read."""
    try:
        found = json.loads((folder / _FILE).read_text("utf-8"))
        return Portrait([KeyPortrait(**key) for key in found["keys"]], HeldNote(**found["held"]))
    except (OSError, ValueError, TypeError):
        return None


PORTRAIT = JobKind("portrait", "Taking the portrait of", portray, waited_for=True)
