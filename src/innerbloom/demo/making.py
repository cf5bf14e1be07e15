"""How the demo has long work done: in a pool and at once, or as jobs of a server that is up already."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol

from pydantic import BaseModel
from sqlalchemy.orm import Session

from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.jobs.at_once import Asked, begin_in_pool
from innerbloom.jobs.kind import JobKind, JobResult, Params, as_file
from innerbloom.jobs.service import JobService
from innerbloom.store import documents, recordings
from innerbloom.store.files import FileStore
from innerbloom.store.models import Document, JobRow, Recording

TUNING = 440.0

Wait = Callable[[], JobResult]
"""Waits for the end of a job; raises as it did."""

Part = Iterator[Callable[[], object]]
"""A part of the demo, made job after job: what it gives waits for the one begun last."""

_LOOK_EVERY_S = 5.0


class Begin(Protocol):
    """Begins a job of a kind; ``title`` is for whoever looks on."""

    def __call__(
        self, kind: JobKind, title: str, params: Params, document: Asked = None
    ) -> Wait: ...


@dataclass(frozen=True)
class Making:
    """What the parts of the demo are made with.

    Attributes
    ----------
    db : Session
    files : FileStore
    pool : Executor
        Does what is no job: drawing a film, preparing sounds.
    begin : Begin
    say : callable
        Is told in a few words what comes next.
    """

    db: Session
    files: FileStore
    pool: Executor
    begin: Begin
    say: Callable[[str], object]

    def recording(self, name: str) -> Recording:
        """What lies on the shelf under a name; LookupError where it does not any more."""
        found: Recording = _named(recordings.shelf(self.db), name)
        return found

    def document(self, kind: DocumentKind[Any], name: str) -> Document:
        """A document by its name; LookupError where there is none."""
        found: Document = _named(documents.listed(self.db, kind), name)
        return found

    def instrument(self, name: str) -> Document:
        return self.document(INSTRUMENT, name)

    def has(self, name: str) -> bool:
        """Whether something lies on the shelf under a name."""
        return any(row.name == name for row in recordings.shelf(self.db))

    def kept(self, kind: DocumentKind[Any], document: BaseModel) -> Document:
        """A document entered, unless one of its name is there: from before a stop, say."""
        name = document.model_dump()["name"]
        try:
            return self.document(kind, name)
        except LookupError:
            return documents.create(self.db, kind, document)


def _named(rows: list[Any], name: str) -> Any:
    found = next((row for row in rows if row.name == name), None)
    if found is None:
        raise LookupError(f"'{name}' is not there.")
    return found


def in_pool(pool: Executor, db: Session, files: FileStore) -> Begin:
    """Begin jobs in processes of a pool, without a server."""

    def begin(kind: JobKind, title: str, params: Params, document: Asked = None) -> Wait:
        return begin_in_pool(pool, db, files, kind, params, document)

    return begin


def as_jobs(service: JobService, db: Session) -> Begin:
    """Begin jobs of a server, where pages see them and may stop them; what pages begin goes before."""

    def begin(kind: JobKind, title: str, params: Params, document: Asked = None) -> Wait:
        files = None if document is None else as_file(document)
        job = service.submit(kind.id, title, params, files, patient=True)
        return partial(_ended, service, db, job)

    return begin


def _ended(service: JobService, db: Session, job_id: str) -> JobResult:
    while True:
        moment = service.changes.now()
        # what the server has entered meanwhile is to be seen
        db.rollback()
        job = db.get_one(JobRow, job_id, populate_existing=True)
        if job.state == "done":
            return JobResult(**job.result)
        if job.state in ("failed", "cancelled"):
            raise BloomError(job.error or f"{job.title}: stopped.")
        service.changes.since(moment, _LOOK_EVERY_S)
