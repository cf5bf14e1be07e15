"""The demo's shelf and instruments: what there has to be before anybody looks."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from innerbloom.core.ensemble.document import KIND as ENSEMBLE
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument
from innerbloom.demo.embedded import EMBEDDED
from innerbloom.demo.instruments import INSTRUMENTS, make_instrument
from innerbloom.demo.layered import LAYERED
from innerbloom.demo.making import TUNING, Making
from innerbloom.demo.moving import MOVING
from innerbloom.demo.recordings import RECORDINGS, write_recording
from innerbloom.demo.snapshots import four_depths
from innerbloom.demo.spectral import PLAYED
from innerbloom.demo.tables import TABLES, WAVING, TablePlan
from innerbloom.demo.together import glasshouse_at_dawn
from innerbloom.jobs.importing import IMPORT
from innerbloom.jobs.materials import TABLE
from innerbloom.store import documents, recordings


def fill_shelf(making: Making) -> None:
    """Recordings, wavetables, instruments and an ensemble."""
    _take_all_in(making)
    for plan in INSTRUMENTS:
        making.say(f"Growing an instrument: {plan.name}")
        row = making.recording(plan.recording)
        documents.create(making.db, INSTRUMENT, make_instrument(plan, row.digest, row.measured))
    tables = [(plan, _begin_table(making, plan)) for plan in TABLES]
    for table, wait in tables:
        making.say(f"Making a wavetable: {table.name}")
        wait()
    _build(making, (*LAYERED, *MOVING, *WAVING, *PLAYED, *EMBEDDED, four_depths))
    making.say("Putting an ensemble together")
    together = glasshouse_at_dawn(lambda name: making.instrument(name).id)
    documents.create(making.db, ENSEMBLE, together)


def _take_all_in(making: Making) -> None:
    """Write all recordings and take them in, as many at once as there are cores."""
    with TemporaryDirectory() as folder:
        written = [making.pool.submit(write_recording, one, Path(folder)) for one in RECORDINGS]
        waits = [_begin_import(making, path.result(), one.title)
                 for one, path in zip(RECORDINGS, written, strict=True)]  # fmt: skip
        for number, (one, wait) in enumerate(zip(RECORDINGS, waits, strict=True), start=1):
            making.say(f"Making recordings, {number} of {len(RECORDINGS)}: {one.title}")
            wait()
            making.recording(one.title).place = one.place
            making.db.commit()


def _begin_import(making: Making, path: Path, name: str) -> Callable[[], Any]:
    incoming = making.files.new_incoming(path.name)
    shutil.move(path, incoming)
    params = {"path": incoming.name, "filename": path.name, "tuning": TUNING, "name": name}
    return making.begin(IMPORT, name, params)


def _begin_table(making: Making, plan: TablePlan) -> Callable[[], Any]:
    source: dict[str, Any] = dict(plan.source)
    row = None if plan.recording is None else making.recording(plan.recording)
    if row is not None:
        source["sound"] = {"recording": row.digest, "name": row.name}
    document = {"name": plan.name, "source": source, "steps": plan.steps}
    params = {"tuning": TUNING, "origin": recordings.origin_of(row)}
    return making.begin(TABLE, plan.name, params, document)


def _build(making: Making, plans: Iterable[Callable[..., Instrument]]) -> None:
    for plan in plans:
        document = plan(lambda name: recordings.sound_of(making.recording(name)))
        making.say(f"Building an instrument of layers: {document.name}")
        documents.create(making.db, INSTRUMENT, document)
