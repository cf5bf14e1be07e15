"""What a project's folder holds, and giving up what can be made again."""

from __future__ import annotations

import shutil
import time
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from innerbloom.core.deliver.samples.document import KIND as SAMPLES
from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.performance.take_document import KIND as TAKE
from innerbloom.store.backups import FOLDER as BACKUPS
from innerbloom.store.disk_cache import DiskCache, size_on_disk
from innerbloom.store.files import FileStore
from innerbloom.store.films import FilmFolders
from innerbloom.store.models import Document, JobRow, now
from innerbloom.store.sample_folders import SampleFolders
from innerbloom.store.settings import ProjectSettings
from innerbloom.store.swap_folders import SwapFolders
from innerbloom.store.take_folders import RENDERINGS
from innerbloom.store.take_sounds import remove_rendering
from innerbloom.store.variation_folders import VariationFolders

DAY_S = 86_400
_ENDED = ("done", "failed", "cancelled")


@dataclass(frozen=True)
class Used:
    """What one part of the folder takes.

    Attributes
    ----------
    words : str
    bytes : int
    tidied : bool
        Whether what was not used for long is given up; the rest stays for good.
    """

    words: str
    bytes: int
    tidied: bool


def used(store: FileStore) -> list[Used]:
    """What a project's folder holds, part by part."""
    return [
        Used("recordings and materials", size_on_disk(store.originals), False),
        Used("their pictures", size_on_disk(store.derived), False),
        Used("sounds prepared for playing", size_on_disk(store.prepared.root), True),
        Used("what the Bench made on the way", size_on_disk(store.stages.root), True),
        Used("renders and old jobs", size_on_disk(store.renders) + size_on_disk(store.jobs), True),
        Used("variations that were drawn", size_on_disk(VariationFolders(store).root), True),
        Used("swap sheets", size_on_disk(SwapFolders(store).root), True),
        Used("instruments that were sampled", size_on_disk(SampleFolders(store).root), True),
        Used(
            "films, and what was measured of their mixes",
            size_on_disk(FilmFolders(store).root),
            False,
        ),
        Used("daily copies of the database", size_on_disk(store.root / BACKUPS), True),
        Used("takes, and what they were played again to", size_on_disk(store.takes), False),
    ]


def tidy(store: FileStore, db: Session, settings: ProjectSettings) -> int:
    """Give up what was not used for long, and the least used beyond a size; gives bytes freed.

    Jobs that are under way, recordings, materials, takes and documents stay.
    """
    oldest = time.time() - settings.keep_days * DAY_S
    freed = _tidy_jobs(store, db, settings.keep_days) + _tidy_renderings(store, db, oldest)
    freed += _tidy_made(VariationFolders(store).root, VARIATIONS.id, db, oldest)
    freed += _tidy_made(SampleFolders(store).root, SAMPLES.id, db, oldest)
    freed += _tidy_made(SwapFolders(store).root, "", db, oldest)
    freed += _prune([store.prepared, store.stages], round(settings.keep_gb * 1e9), oldest)
    return freed


def _tidy_jobs(store: FileStore, db: Session, days: int) -> int:
    """Forget jobs that ended long ago, with what they left."""
    freed = 0
    before = now() - timedelta(days=days)
    old = select(JobRow).where(JobRow.state.in_(_ENDED), JobRow.created < before)
    for job in db.scalars(old):
        freed += _remove(store, job)
        db.delete(job)
    db.commit()
    return freed


def _tidy_renderings(store: FileStore, db: Session, oldest: float) -> int:
    """Give up what takes were played again to long ago; what is heard of a take stays."""
    takes = db.scalars(select(Document).where(Document.kind == TAKE.id))
    heard = {take.content.get("sound") for take in takes}
    freed = 0
    for sound in store.takes.glob(f"*/{RENDERINGS}/*.wav"):
        if sound.stem not in heard and sound.stat().st_mtime < oldest:
            freed += sum(path.stat().st_size for path in sound.parent.glob(f"{sound.stem}.*"))
            remove_rendering(sound.parent, sound.stem)
    return freed


def _tidy_made(root: Path, kind: str, db: Session, oldest: float) -> int:
    """Give up what was made long ago and is in no document any more: the same settings make it again."""
    rows = db.scalars(select(Document).where(Document.kind == kind))
    shown = {one.content.get("made") for one in rows}
    freed = 0
    for folder in root.iterdir() if root.is_dir() else ():
        if folder.name not in shown and folder.stat().st_mtime < oldest:
            freed += size_on_disk(folder)
            shutil.rmtree(folder, ignore_errors=True)
    return freed


def _remove(store: FileStore, job: JobRow) -> int:
    folder = store.jobs / job.id
    freed = size_on_disk(folder)
    shutil.rmtree(folder, ignore_errors=True)
    name = job.result.get("file")
    if name and (store.renders / name).is_file():
        freed += (store.renders / name).stat().st_size
        (store.renders / name).unlink(missing_ok=True)
    return freed


def _prune(caches: list[DiskCache], most_bytes: int, oldest: float) -> int:
    """Several caches as if they were one: the least used of all goes first."""
    total = freed = 0
    entries = [entry for cache in caches for entry in cache.entries()]
    for entry in sorted(entries, key=lambda one: one.used, reverse=True):
        total += entry.bytes
        if total > most_bytes or entry.used < oldest:
            shutil.rmtree(entry.folder, ignore_errors=True)
            total -= entry.bytes
            freed += entry.bytes
    return freed
