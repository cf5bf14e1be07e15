"""Filling a project with the demo: recordings, then instruments grown from them."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.ensemble.document import KIND as ENSEMBLE
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.materials.clip import ClipRequest
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource
from innerbloom.demo.card import make_card
from innerbloom.demo.embedded import EMBEDDED
from innerbloom.demo.film import film_bytes
from innerbloom.demo.instruments import INSTRUMENTS, Plan, make_instrument
from innerbloom.demo.layered import LAYERED
from innerbloom.demo.moving import MOVING
from innerbloom.demo.picture import put_to_picture
from innerbloom.demo.recordings import RECORDINGS, write_recording
from innerbloom.demo.sampled import sample_over_keys, try_on_others
from innerbloom.demo.snapshots import four_depths
from innerbloom.demo.spectral import PLAYED, SPECTRA
from innerbloom.demo.tables import TABLES, WAVING, TablePlan
from innerbloom.demo.takes import make_takes
from innerbloom.demo.together import glasshouse_at_dawn
from innerbloom.demo.varied import draw_lid_drops
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.importing import IMPORT
from innerbloom.jobs.materials import SPECTRUM, TABLE
from innerbloom.jobs.preparing import KEEP, STAGE
from innerbloom.store import documents, recordings
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.folder_lock import LOCK
from innerbloom.store.models import Document, Recording
from innerbloom.store.prepared import prepare
from innerbloom.store.settings import ProjectSettings, write_settings
from innerbloom.store.spectra import SpectrumStore

PROJECT = "The Drowned Glasshouse"
TUNING = 440.0
_DONE = "demo-complete"

Say = Callable[[str], object]


def _empty(root: Path) -> None:
    """Remove all but the lock, which whoever calls may hold."""
    for one in root.iterdir():
        if one.is_dir():
            shutil.rmtree(one)
        elif one.name != LOCK:
            one.unlink()


def make_demo_project(root: Path, *, fresh: bool, say: Say) -> None:
    """Make the demo project in a folder, unless it is there already."""
    if fresh and root.exists():
        ours = (root / _DONE).exists() or (root / "project.sqlite3").exists()
        if not ours and any(one.name != LOCK for one in root.iterdir()):
            raise FileExistsError(17, "is not a demo project and is left alone", str(root))
        _empty(root)
    if (root / _DONE).exists():
        say(f"The demo project is in {root}.")
        return
    files = FileStore(root)
    with TemporaryDirectory() as folder, ProcessPoolExecutor() as pool:
        # its processes begin here, before the database is opened
        written = [pool.submit(write_recording, one, Path(folder)) for one in RECORDINGS]
        film = pool.submit(film_bytes)
        with open_database(files.database)() as db:
            write_settings(db, ProjectSettings(project=PROJECT))
            _take_all_in(db, files, written, say)
            preparing = _make_all(db, files, pool, say)
            say("Putting an ensemble together")
            _put_together(db)
            say("Playing two takes")
            keeping = list(make_takes(db, files, pool))
            say("Putting the fence wire on the bench")
            _prepare_wire(db, files)
            ribs = _instrument(db, "Ribs under water")
            say("Sampling an instrument over keys")
            sample_over_keys(db, files, ribs)
            say("Trying an instrument on other recordings")
            try_on_others(db, files, ribs, lambda name: _named(db, name))
            for keep in keeping:
                keep()
            say("Putting sounds to a film")
            put_to_picture(db, files, film.result(), lambda name: _named(db, name))
            say("Drawing variations")
            draw_lid_drops(db, files, _instrument(db, "Lid rain"))
            for one in preparing:
                one.result()
    make_card(files.card)
    (root / _DONE).touch()


def _take_all_in(db: Session, files: FileStore, written: list[Future[Path]], say: Say) -> None:
    for index, (recording, path) in enumerate(zip(RECORDINGS, written, strict=True), start=1):
        say(f"Making recordings, {index} of {len(RECORDINGS)}: {recording.title}")
        _take_in(db, files, path.result(), recording.title, recording.place)


def _make_all(db: Session, files: FileStore, pool: Executor, say: Say) -> list[Future[Any]]:
    """Make instruments and materials; what playing would wait for is made beside that."""
    preparing: list[Future[Any]] = []

    def keep(document: Instrument) -> None:
        preparing.extend(_prepare_sounds(files, document, pool))
        documents.create(db, INSTRUMENT, document)

    def build(plans: Iterable[Callable[..., Instrument]]) -> None:
        for plan in plans:
            document = plan(lambda name: recordings.sound_of(_named(db, name)))
            say(f"Building an instrument of layers: {document.name}")
            keep(document)

    for plan in INSTRUMENTS:
        say(f"Growing an instrument: {plan.name}")
        keep(_grown(db, plan))
    for table in TABLES:
        say(f"Making a wavetable: {table.name}")
        _make_table(db, files, table)
    build((*LAYERED, *MOVING, *WAVING))
    for name, taken in SPECTRA:
        say(f"Taking a recording apart: {name}")
        _make_spectrum(db, files, name, taken)
    build((*PLAYED, *EMBEDDED, four_depths))
    return preparing


def _take_in(db: Session, files: FileStore, path: Path, name: str, place: str) -> None:
    incoming = files.new_incoming(path.name)
    shutil.move(path, incoming)
    params = {"path": incoming.name, "filename": path.name, "tuning": TUNING, "name": name}
    made = do_at_once(db, files, IMPORT, params)
    row = db.get_one(Recording, made.recording)
    row.place = place
    db.commit()


def _prepare_sounds(
    files: FileStore, document: Instrument, pool: Executor
) -> Iterator[Future[Any]]:
    """Have made what playing would wait for."""
    for layer in document.layers:
        for sound in layer.sounds:
            if layer.kind == "spectral":
                yield pool.submit(_take_apart, files.root, sound)
            elif sound.cycle is None:
                yield pool.submit(prepare, files.root, ClipRequest(Stretch.of(sound)))


def _take_apart(root: Path, sound: Sound) -> None:
    SpectrumStore(FileStore(root)).make(sound)


def _make_table(db: Session, files: FileStore, plan: TablePlan) -> None:
    source: dict[str, Any] = dict(plan.source)
    row = None if plan.recording is None else _named(db, plan.recording)
    if row is not None:
        source["sound"] = {"recording": row.digest, "name": row.name}
    document = {"name": plan.name, "source": source, "steps": plan.steps}
    params = {"tuning": TUNING, "origin": recordings.origin_of(row)}
    do_at_once(db, files, TABLE, params, document)


def _make_spectrum(db: Session, files: FileStore, name: str, recording: str) -> None:
    row = _named(db, recording)
    sound, _ = recordings.sound_of(row)
    analysed = sound.model_copy(update={"analysis": Analysis()})
    document = {"name": name, "sound": analysed.model_dump(mode="json")}
    params = {"tuning": TUNING, "origin": recordings.origin_of(row)}
    do_at_once(db, files, SPECTRUM, params, document)


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
    sheet = documents.at_bench(db, row)
    recipe = parse_recipe({"steps": [*steps, loop]})
    documents.replace(db, sheet, sheet.revision, recipe, "Recipe")
    whole = recipe.plain()["steps"]
    base = {"digest": row.digest, "tuning": TUNING}
    for count in (len(steps), len(steps) + 1):
        do_at_once(db, files, STAGE, {**base, "steps": whole[:count]})
    kept = {"recording": row.id, "name": row.name, "steps": whole, "place": row.place}
    pieces = [{"name": "Fence wire, held"}]
    origin = recordings.origin_of(row)
    do_at_once(db, files, KEEP, {**base, **kept, "origin": origin, "pieces": pieces})


def _put_together(db: Session) -> None:
    made = glasshouse_at_dawn(lambda name: _instrument(db, name).id)
    documents.create(db, ENSEMBLE, made)


def _instrument(db: Session, name: str) -> Document:
    return next(row for row in documents.listed(db, INSTRUMENT) if row.name == name)


def _named(db: Session, name: str) -> Recording:
    return next(row for row in recordings.shelf(db) if row.name == name)


def _grown(db: Session, plan: Plan) -> Instrument:
    row = _named(db, plan.recording)
    return make_instrument(plan, row.digest, row.measured)
