"""Sketches of several states of an instrument, to be compared at a glance."""

from __future__ import annotations

import numpy as np

from innerbloom.core.deliver.sketch import sketch
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.kind import JobKind, Params, Work
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.sketches import keep_sketch

SKETCHES = "sketches.npy"


def make_sketches(work: Work) -> Params:
    """Parameters: ``key``. The document of the job is a list of instruments."""
    materials = DiskMaterials(work.store)
    documents = work.document()
    made = []
    for number, document in enumerate(documents):
        if not work.report(number / len(documents)):
            raise Cancelled("Stopped.")
        program = compile_program(parse_instrument(document), materials)
        made.append(sketch(program, work.params["key"]))
    np.save(work.folder / SKETCHES, np.array(made, np.uint8))
    return {}


def sketch_instruments(work: Work) -> Params:
    """The document of the job is a list of ``instrument``, ``revision`` and ``document``; one
    that cannot sound is left without a sketch."""
    materials = DiskMaterials(work.store)
    wanted = work.document()
    for number, one in enumerate(wanted):
        if not work.report(number / len(wanted)):
            raise Cancelled("Stopped.")
        try:
            program = compile_program(parse_instrument(one["document"]), materials)
        except BloomError:
            continue
        keep_sketch(work.store, one["instrument"], one["revision"], sketch(program))
    return {}


THUMBNAILS = JobKind("thumbnails", "Listening to", sketch_instruments)
SKETCH = JobKind("sketch", "Listening to variants of", make_sketches, waited_for=True)
