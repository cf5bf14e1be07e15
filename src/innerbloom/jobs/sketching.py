"""Sketches of several states of an instrument, to be compared at a glance."""

from __future__ import annotations

import numpy as np

from innerbloom.core.deliver.sketch import sketch
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import Cancelled
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.kind import JobKind, Params, Work
from innerbloom.store.prepared import DiskMaterials

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


SKETCH = JobKind("sketch", "Listening to variants of", make_sketches, waited_for=True)
