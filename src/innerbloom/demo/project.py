"""Filling a project with the demo: recordings, then instruments grown from them."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.instrument.document import Instrument, sounds_of
from innerbloom.core.prepare.recipe import parse_recipe, run_recipe
from innerbloom.core.prepare.source import FileSource
from innerbloom.demo.card import make_card
from innerbloom.demo.instruments import INSTRUMENTS, Plan, make_instrument
from innerbloom.demo.layered import LAYERED
from innerbloom.demo.moving import MOVING
from innerbloom.demo.recordings import RECORDINGS, write_recording
from innerbloom.demo.spectral import PLAYED, SPECTRA
from innerbloom.demo.tables import TABLES, WAVING, TablePlan
from innerbloom.jobs.report import Report
from innerbloom.jobs.work import (
    import_recording,
    keep_materials,
    make_spectrum,
    make_stage,
    make_wavetable,
)
from innerbloom.store import instruments, recordings, sheets
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording
from innerbloom.store.prepared import prepare
from innerbloom.store.settings import ProjectSettings, write_settings
from innerbloom.store.spectra import SpectrumStore

PROJECT = "The Drowned Glasshouse"
_DONE = "demo-complete"


def make_demo_project(root: Path, *, fresh: bool, say: Callable[[str], object]) -> None:
    """Make the demo project in a folder, unless it is there already."""
    if fresh and root.exists():
        if not (root / _DONE).exists() and not (root / "project.sqlite3").exists():
            raise FileExistsError(17, "is not a demo project and is left alone", str(root))
        shutil.rmtree(root)
    if (root / _DONE).exists():
        say(f"The demo project is in {root}.")
        return
    files = FileStore(root)
    sessions = open_database(files.database)
    with sessions() as db:
        write_settings(db, ProjectSettings(project=PROJECT))
        for index, recording in enumerate(RECORDINGS, start=1):
            say(f"Making recordings, {index} of {len(RECORDINGS)}: {recording.title}")
            with TemporaryDirectory() as folder:
                _take_in(db, files, write_recording(recording, Path(folder)), recording.place)
        for plan in INSTRUMENTS:
            say(f"Growing an instrument: {plan.name}")
            document = _grown(db, plan)
            for sound in sounds_of(document):
                prepare(root, sound)
            instruments.create(db, document)
        for table in TABLES:
            say(f"Making a wavetable: {table.name}")
            _make_table(db, files, table)
        for name, taken in SPECTRA:
            say(f"Taking a recording apart: {name}")
            _make_spectrum(db, files, name, taken)
        for build in (*LAYERED, *MOVING, *WAVING, *PLAYED):
            document = build(lambda name: recordings.sound_of(_named(db, name)))
            say(f"Building an instrument of layers: {document.name}")
            _prepare_sounds(files, document)
            instruments.create(db, document)
        say("Putting the fence wire on the bench")
        _prepare_wire(db, files)
    make_card(files.card)
    (root / _DONE).touch()


def _take_in(db: Session, files: FileStore, path: Path, place: str) -> None:
    incoming = files.new_incoming(path.name)
    shutil.move(path, incoming)
    report = Report(files.jobs, "demo")
    params = {"path": incoming.name, "filename": path.name, "tuning": 440.0}
    found = import_recording(files.root, params, report) | {"place": place}
    recordings.add(db, found["digest"], path.name, found)
    report.forget()


def _prepare_sounds(files: FileStore, document: Instrument) -> None:
    """Make now what playing would wait for."""
    for layer in document.layers:
        for sound in layer.sounds:
            if layer.kind == "spectral":
                SpectrumStore(files).make(sound)
            elif sound.cycle is None:
                prepare(files.root, sound)


def _make_table(db: Session, files: FileStore, plan: TablePlan) -> None:
    source: dict[str, Any] = dict(plan.source)
    origin = dict.fromkeys(("notes", "recordist", "licence", "date"), "")
    if plan.recording is not None:
        row = _named(db, plan.recording)
        source["sound"] = {"recording": row.digest, "name": row.name}
        origin = {key: getattr(row, key) for key in origin}
    document = {"name": plan.name, "source": source, "steps": plan.steps}
    report = Report(files.jobs, "demo")
    params = {"document": document, "tuning": 440.0, "origin": origin}
    made = make_wavetable(files.root, params, report)
    lineage = {"table": made["table"], "recordings": made["recordings"]}
    recordings.add(db, made["digest"], f"{plan.name}.wav", made, lineage, "wavetable")
    report.forget()


def _make_spectrum(db: Session, files: FileStore, name: str, recording: str) -> None:
    row = _named(db, recording)
    sound, _ = recordings.sound_of(row)
    analysed = sound.model_copy(update={"analysis": Analysis()})
    document = {"name": name, "sound": analysed.model_dump(mode="json")}
    origin = {key: getattr(row, key) for key in ("notes", "recordist", "licence", "date")}
    report = Report(files.jobs, "demo")
    made = make_spectrum(
        files.root, {"document": document, "tuning": 440.0, "origin": origin}, report
    )
    lineage = {"spectrum": made["spectrum"], "recordings": made["recordings"]}
    recordings.add(db, made["digest"], f"{name}.wav", made, lineage, "spectrum")
    report.forget()


def _prepare_wire(db: Session, files: FileStore) -> None:
    """A worked recipe for one recording, its best loop found, and what it makes kept."""
    row = _named(db, "Bowed fence wire")
    steps: list[dict[str, Any]] = [
        {"do": "cut", "start": 2.1, "end": 10.6, "fade_in": 10, "fade_out": 400},
        {"do": "highpass", "cutoff": 48},
        {"do": "pull", "flatten": 70},
        {"do": "normalise"},
    ]
    source = FileSource(files.readable(row.digest))
    clip = run_recipe(parse_recipe({"steps": steps}), source)
    found, _ = find_loops(clip.samples, clip.rate)
    best = found[0]
    loop = {
        "do": "loop", "start": best.start / clip.rate, "end": best.end / clip.rate,
        "crossfade": round(1e3 * best.crossfade / clip.rate, 1),
    }  # fmt: skip
    sheet = sheets.opened(db, row)
    sheets.edit(db, sheet, sheet.revision, [*steps, loop], "Recipe")
    report = Report(files.jobs, "demo")
    for count in (len(steps), len(steps) + 1):
        stage = {"digest": row.digest, "steps": sheet.steps[:count], "tuning": 440.0}
        make_stage(files.root, stage, report)
    origin = {key: getattr(row, key) for key in ("notes", "recordist", "licence", "date")}
    params = {
        "digest": row.digest, "steps": sheet.steps, "tuning": 440.0, "origin": origin,
        "place": row.place, "pieces": [{"name": "Fence wire, held"}],
    }  # fmt: skip
    made = keep_materials(files.root, params, report)["made"][0]
    lineage = {"from": row.id, "digest": row.digest, "name": row.name, "steps": made["steps"]}
    recordings.add(db, made["digest"], "fence-wire-held.wav", made, lineage, "clip")
    report.forget()


def _named(db: Session, name: str) -> Recording:
    return next(row for row in recordings.shelf(db) if row.name == name)


def _grown(db: Session, plan: Plan) -> Instrument:
    row = _named(db, plan.recording)
    return make_instrument(plan, row.digest, row.measured)
