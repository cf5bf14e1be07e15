"""What the routes need, made once for the app and reached through Flask's ``current_app``."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Protocol, cast

from flask import current_app
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.service import Finish, JobService
from innerbloom.store import instruments, recordings
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow


class Live(Protocol):
    """Whatever hands out tickets to live sessions."""

    def ticket(self, origin: str) -> tuple[int, str]: ...


@dataclass(frozen=True)
class Services:
    """Files, database, jobs and live sound of the open project."""

    files: FileStore
    sessions: sessionmaker[Session]
    jobs: JobService
    live: Live


def services() -> Services:
    return cast(Services, current_app.extensions["innerbloom"])


@contextmanager
def database() -> Iterator[Session]:
    """A database session for one request."""
    with services().sessions() as db:
        yield db


def finishers() -> dict[str, Finish]:
    """How each kind of job enters the database."""
    return {
        "import": _finish_import, "bundle": _finish_bundle, "render": _finish_render,
        "keep": _finish_keep, "table": _finish_recipe("table", "wavetable"),
        "spectrum": _finish_recipe("spectrum", "spectrum"),
    }  # fmt: skip


def _finish_import(db: Session, job: JobRow, found: dict[str, Any]) -> dict[str, Any]:
    lineage = job.params.get("lineage") or {}
    recording = recordings.add(db, found["digest"], job.params["filename"], found, lineage)
    return {"recording": recording.id, "name": recording.name}


def _finish_bundle(db: Session, job: JobRow, found: dict[str, Any]) -> dict[str, Any]:
    for taken in found["taken"]:
        recordings.add(db, taken["digest"], f"{taken['name']}.flac", taken,
                       {"bundle": job.params["filename"]})  # fmt: skip
    row = instruments.create(db, parse_instrument(found["document"]))
    return {"instrument": row.id, "name": row.name}


def _finish_render(db: Session, job: JobRow, found: dict[str, Any]) -> dict[str, Any]:
    return {**found, "instrument": job.params["instrument"], "title": job.params["title"]}


def _finish_recipe(recipe: str, kind: str) -> Finish:
    """How a material of its own kind is entered, with its recipe and the recordings in it."""

    def finish(db: Session, job: JobRow, made: dict[str, Any]) -> dict[str, Any]:
        if "digest" not in made:
            return made
        lineage = {recipe: made[recipe], "recordings": made["recordings"]}
        row = recordings.add(db, made["digest"], f"{made['name']}.wav", made, lineage, kind)
        return {"recording": row.id, "name": row.name}

    return finish


def _finish_keep(db: Session, job: JobRow, found: dict[str, Any]) -> dict[str, Any]:
    """Enter materials with what they came from: recording, recipe, and all before them."""
    ids = []
    for made in found["made"]:
        lineage = {
            "from": job.params["recording"], "digest": job.params["digest"],
            "name": job.params["name"], "steps": made["steps"], "tuning": job.params["tuning"],
        }  # fmt: skip
        row = recordings.add(db, made["digest"], f"{made['name']}.wav", made, lineage, "clip")
        ids.append(row.id)
    return {"recordings": ids, "problems": found["problems"]}
