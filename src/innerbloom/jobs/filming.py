"""Films made ready, timelines measured, and stems handed over as one zip."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.orm import Session

from innerbloom.batch.mixing import Mixing, work_s
from innerbloom.batch.pools import pool_for
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.recipes import SoundRecipe
from innerbloom.core.deliver.stems import hand_over_stems, plain_name
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import BloomError
from innerbloom.core.timeline import editing
from innerbloom.core.timeline.cuts import find_cuts
from innerbloom.core.timeline.document import Film, parse_timeline
from innerbloom.core.timeline.film import film_info, film_sound, make_proxy
from innerbloom.core.timeline.measure import CHUNK, Pieces, measure
from innerbloom.core.timeline.mix import TimelineMix
from innerbloom.core.timeline.timecode import RATES
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.jobs.zipping import zip_folder
from innerbloom.store import documents
from innerbloom.store.films import PROXY, SOUND, ClipSounds, FilmFolders, Handed, StoredFilm
from innerbloom.store.models import Document, JobRow

_SHORTEST_SHOT_S = 0.25


def film(work: Work) -> Params:
    """Parameters: ``path`` in the incoming folder, ``filename``, ``timeline``.

    A film that is known is not made ready again.
    """
    folders = FilmFolders(work.store)
    path = work.store.incoming / work.params["path"]
    try:
        digest = file_digest(path)
        known = folders.read(digest) or _made_ready(folders, digest, path, work)
        return {"digest": digest, "film": known.model_dump()}
    except BloomError as error:
        # the user knows the film by its own name
        raise type(error)(str(error).replace(path.name, work.params["filename"][:120])) from error
    finally:
        path.unlink(missing_ok=True)


def _made_ready(folders: FilmFolders, digest: str, path: Path, work: Work) -> StoredFilm:
    info = film_info(path)
    folder = folders.folder(digest)
    folder.mkdir(parents=True, exist_ok=True)
    try:
        change = make_proxy(path, folder / PROXY, info, work.report)
        film_sound(path, folder / SOUND)
        shortest = max(1, round(_SHORTEST_SHOT_S * RATES[info.rate]))
        name = work.params["filename"][:200]
        known = StoredFilm.of(info, name, find_cuts(change, shortest))
        folders.adopt(digest, path, known)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return known


def finish_film(db: Session, job: JobRow, made: Params) -> JobResult:
    """The timeline gets its film, as one change."""
    row = db.get(Document, job.params["timeline"])
    known = StoredFilm.model_validate(made["film"])
    if row is not None and row.deleted is None:
        film = Film(digest=made["digest"], **known.model_dump(
            include={"name", "frames", "width", "height", "rate", "sound"}))  # fmt: skip
        changed = editing.with_film(parse_timeline(row.content), film, known.timecode)
        documents.replace(db, row, row.revision, changed, f"Film {known.name}"[:120])
    return JobResult(name=known.name)


def weigh(work: Work) -> Params:
    """The job's document is the timeline."""
    timeline = parse_timeline(work.document())
    mix = TimelineMix(timeline, ClipSounds(work.store), skip_missing=True)
    with _mixing(mix, work) as pieces:
        found = measure(mix, work.report, pieces)
    FilmFolders(work.store).keep_measure(timeline, found)
    return {}


@contextmanager
def _mixing(mix: TimelineMix, work: Work) -> Iterator[Pieces]:
    tasks = -(-mix.frames // CHUNK)
    took = work_s(mix)
    with pool_for(work.store, tasks, work_s=took, job=work.folder.name) as pool:
        yield Mixing(mix, work.store, pool)


def stems_zip(work: Work) -> Params:
    """The job's document holds the ``timeline``, the ``credits`` and the ``recipes``."""
    asked = work.document()
    timeline = parse_timeline(asked["timeline"])
    credits = [Credit.model_validate(one) for one in asked["credits"]]
    folders = FilmFolders(work.store)
    found = folders.measured(timeline)
    before = 0.0
    mix = TimelineMix(timeline, ClipSounds(work.store))
    target = work.folder / plain_name(timeline.name)
    with _mixing(mix, work) as pieces:
        if found is None:
            before = 0.4
            found = measure(mix, lambda share: work.report(before * share), pieces)
            folders.keep_measure(timeline, found)
        stems = hand_over_stems(
            mix, found, target, credits,
            [SoundRecipe.model_validate(one) for one in asked["recipes"]],
            lambda share: work.report(before + (0.95 - before) * share), pieces,
        )  # fmt: skip
    path = work.store.renders / f"{work.folder.name}.zip"
    files = sum(1 for _ in target.iterdir())
    zip_folder(target, path)
    when = datetime.now(UTC).isoformat(timespec="seconds")
    told = Handed(when=when, stems=len(stems) - 1, files=files, document=asked["timeline"])
    folders.keep_handed(work.params["timeline"], told)
    return {"file": path.name, "name": f"{timeline.name}.zip", "bytes": path.stat().st_size,
            "seconds": round(timeline.seconds, 3)}  # fmt: skip


def finish_stems(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(**made)


def finish_weigh(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(name=job.title)


FILM = JobKind("film", "Making ready", film, finish_film, takes_file=True)
WEIGH = JobKind("weigh", "Measuring", weigh, finish_weigh, waited_for=True)
STEMS = JobKind("stems", "Handing over", stems_zip, finish_stems)
