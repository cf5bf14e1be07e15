"""Sounds of the shelf, or what the Bench made, as files to take away: one, or a zip of many."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.core.deliver.export import About, export_sound, file_stem
from innerbloom.core.errors import BloomError, Cancelled, SoundFileError
from innerbloom.core.names import numbered
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import SUFFIX
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow


def export(work: Work) -> Params:
    """Parameters: ``format``, ``rate``, ``template``. The document of the job is what is exported:
    a list of ``digest`` and ``about``. One that fails is named and the others go on."""
    store, params = work.store, work.params
    items: list[Any] = work.document()
    suffix = SUFFIX[params["format"]]
    made: list[tuple[Path, str]] = []
    problems: list[str] = []
    taken: list[str] = []
    for number, item in enumerate(items, 1):

        def told(share: float, before: int = number - 1) -> bool:
            return work.report((before + share) / len(items))

        about = _about(item["about"])
        stem = numbered(file_stem(params["template"], about, number), taken, alike=str.casefold)
        path = work.folder / f"{number}{suffix}"
        try:
            # what leaves is what came in, or it is said
            _check(work, item["digest"], about.name)
            export_sound(
                store.readable(item["digest"]), path, about, form=params["format"],
                rate=params["rate"], progress=told,
            )  # fmt: skip
        except Cancelled:
            raise
        except BloomError as error:
            problems.append(str(error))
            continue
        taken.append(stem)
        made.append((path, f"{stem}{suffix}"))
    if not made:
        raise BloomError(problems[0] if problems else "There was nothing to export.")
    single = len(made) == 1
    target = store.renders / f"{work.folder.name}{suffix if single else '.zip'}"
    if single:
        made[0][0].replace(target)
    else:
        # sounds hardly get smaller
        with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as out:
            for path, name in made:
                out.write(path, name)
                path.unlink()
    name = made[0][1] if single else f"{len(made)} sounds.zip"
    size = target.stat().st_size
    return {"file": target.name, "name": name, "bytes": size, "problems": problems}


def _check(work: Work, digest: str, name: str) -> None:
    try:
        work.store.check(digest)
    except SoundFileError as error:
        raise BloomError(f"'{name}': {error}") from error


def _about(plain: Params) -> About:
    loop = plain["loop"]
    return About(
        **{**plain, "origin": Origin(**plain["origin"]), "markers": tuple(plain["markers"]),
           "loop": None if loop is None else Loop(**loop)},
    )  # fmt: skip


def finish_export(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(**made)


EXPORT = JobKind("export", "Writing", export, finish_export)
