"""Taking files in: recordings, and bundles of an instrument with its recordings."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

from sqlalchemy.orm import Session

from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.bundle import parts_of, unpack_bundle, whole_of
from innerbloom.core.deliver.playable import parse_playable
from innerbloom.core.deliver.sources import beside
from innerbloom.core.digest import file_digest
from innerbloom.core.ensemble.document import Ensemble
from innerbloom.core.errors import SoundFileError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import sounds_of
from innerbloom.core.sound.decoding import decode, is_directly_readable
from innerbloom.core.sound.metadata import read_origin
from innerbloom.core.sound.takes import read_take
from innerbloom.jobs.kind import DOCUMENT, JobKind, JobResult, Params, Work
from innerbloom.jobs.report import Report
from innerbloom.store import documents, ensembles, recordings
from innerbloom.store.files import FileStore, safe_suffix, safe_title
from innerbloom.store.models import JobRow


def take_in(
    store: FileStore, path: Path, filename: str, tuning: float, report: Report, *,
    leave: bool = False,
) -> Params:  # fmt: skip
    """Measure a file in ``incoming`` and move it, whole, to the originals; see :meth:`.FileStore.adopt`."""
    digest = file_digest(path)
    try:
        found = _measure(store, path, digest, filename, tuning, report)
    except SoundFileError as error:
        # the user knows the file by its own name
        shown = safe_title(filename) + (Path(filename).suffix if "." in filename[1:] else "")
        raise SoundFileError(str(error).replace(path.name, shown[:140])) from error
    store.adopt(path, digest, safe_suffix(filename), leave=leave)
    return found


def _measure(
    store: FileStore, path: Path, digest: str, filename: str, tuning: float, report: Report
) -> Params:
    readable, decoded, before = path, None, 0.0
    if not is_directly_readable(path):
        decoded, before = path.with_suffix(".decoded.wav"), 0.3
        decode(path, decoded, lambda share: report(before * share))
        readable = decoded
    try:
        found = examine(readable, lambda share: report(before + (1.0 - before) * share))
    except BaseException:
        if decoded:
            decoded.unlink(missing_ok=True)
        raise
    origin, take = read_origin(readable), read_take(readable)
    if take.note and not origin.notes:
        origin = replace(origin, notes=take.note)
    store.save_pictures(digest, found)
    if decoded:
        decoded.replace(store.decoded_path(digest))
    peak = None if found.peak_dbfs is None else round(found.peak_dbfs, 2)
    return {
        "digest": digest,
        "name": safe_title(filename)[:120],
        "origin": origin.__dict__,
        "title": "" if origin.title == safe_title(filename) else origin.title[:200],
        **{name: getattr(take, name)[:200] for name in ("place", "scene", "take")},
        "measured": {
            **found.summary(tuning),
            "peak_dbfs": peak,
            "markers": [round(frame / found.info.rate, 6) for frame in take.markers],
        },
    }


def import_recording(work: Work) -> Params:
    """Parameters: ``path`` in the incoming folder, ``filename``, ``tuning``; ``name`` if not its.

    Where it came from is the document, if there is one, or in ``lineage``.
    """
    store, params = work.store, work.params
    path = store.incoming / params["path"]
    try:
        # it stays where it is until it is entered, so that a kill in between loses nothing
        found = take_in(store, path, params["filename"], params["tuning"], work.report, leave=True)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    has_document = (work.folder / DOCUMENT).is_file()
    lineage = work.document() if has_document else params.get("lineage", {})
    return {**found, "name": params.get("name") or found["name"], "lineage": lineage}


def import_bundle(work: Work) -> Params:
    """Parameters: ``path`` in the incoming folder, ``tuning``.

    Recordings the project knows by hash are used as they are; others are taken in as the
    FLAC files they come as.
    """
    store, params = work.store, work.params
    source = store.incoming / params["path"]
    folder = source.with_suffix(".unpacked")
    folder.mkdir()
    try:
        document = unpack_bundle(source, folder)
        taken: dict[str, Params] = {}
        parts = parts_of(document)
        for sound in (sound for part in parts.values() for sound in sounds_of(part)):
            if sound.recording is None or store.find(sound.recording) is None:
                assert sound.path is not None
                if sound.path not in taken:
                    flac = beside(folder, trusted=True)(sound)
                    incoming = store.new_incoming(sound.path)
                    flac.replace(incoming)
                    found = take_in(store, incoming, sound.path, params["tuning"], work.report)
                    # within a bundle files are only numbered
                    name = sound.name or found["title"] or found["name"]
                    taken[sound.path] = {**found, "name": name[:120]}
                sound.recording = taken[sound.path]["digest"]
            sound.path = None
        whole = whole_of(document, parts)
        return {"document": whole.model_dump(mode="json"), "taken": list(taken.values())}
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        source.unlink(missing_ok=True)


def finish_import(db: Session, job: JobRow, found: Params) -> JobResult:
    row = recordings.add(db, found["digest"], job.params["filename"], found, found["lineage"])
    row.collection = row.collection or job.params.get("collection", "")
    db.commit()
    return JobResult(recording=row.id, name=row.name)


def finish_bundle(db: Session, job: JobRow, found: Params) -> JobResult:
    lineage = {"bundle": job.params["filename"]}
    for taken in found["taken"]:
        recordings.add(db, taken["digest"], f"{taken['name']}.flac", taken, lineage)
    document = parse_playable(found["document"])
    if isinstance(document, Ensemble):
        row = ensembles.take_apart(db, document)
        return JobResult(ensemble=row.id, name=row.name)
    row = documents.create(db, INSTRUMENT, document)
    return JobResult(instrument=row.id, name=row.name)


IMPORT = JobKind("import", "Importing", import_recording, finish_import, takes_file=True)
BUNDLE = JobKind("bundle", "Opening", import_bundle, finish_bundle, takes_file=True)
