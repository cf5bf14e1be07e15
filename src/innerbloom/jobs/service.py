"""Jobs: long work in a process of its own, with progress and cancel, kept in the database."""

from __future__ import annotations

import logging
import threading
import uuid
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.jobs.report import Report
from innerbloom.jobs.work import WORK
from innerbloom.processes import background_executor
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow

log = logging.getLogger(__name__)

Finish = Callable[[Session, JobRow, dict[str, Any]], dict[str, Any]]
"""Enters what came of a job in the database and returns its result for the page."""

RESUMABLE = ("import", "bundle")
_RECENT = 40


def _run(kind: str, root: str, job_id: str, params: dict[str, Any]) -> dict[str, Any]:
    report = Report(FileStore(Path(root)).jobs, job_id)
    report(0.0)
    return WORK[kind](Path(root), params, report)


class JobService:
    """Starts jobs and follows them to their end."""

    def __init__(
        self,
        store: FileStore,
        sessions: sessionmaker[Session],
        finishers: dict[str, Finish],
        make_executor: Callable[[], Executor] = background_executor,
    ) -> None:
        self._store = store
        self._sessions = sessions
        self._finishers = finishers
        self._make_executor = make_executor
        self._executor: Executor | None = None
        self._futures: dict[str, Future[dict[str, Any]]] = {}
        self._lock = threading.Lock()

    def resume(self) -> None:
        """After a start: take up imports that were cut short, and say so of the rest."""
        with self._sessions() as db:
            cut = list(db.scalars(select(JobRow).where(JobRow.state.in_(("queued", "running")))))
            again = [
                job for job in cut
                if job.kind in RESUMABLE and (self._store.incoming / job.params["path"]).is_file()
            ]  # fmt: skip
            self._store.sweep({job.params["path"] for job in again})
            for job in cut:
                if job in again:
                    job.state = "queued"
                else:
                    job.state = "failed"
                    job.error = "The server stopped while this was running: start it again."
            db.commit()
            for job in again:
                self._start(job.id, job.kind, job.params)

    def submit(self, kind: str, title: str, params: dict[str, Any]) -> str:
        """Start a job and return its id."""
        job_id = uuid.uuid4().hex
        params = {**params, "job_id": job_id}
        with self._sessions() as db:
            db.add(JobRow(id=job_id, kind=kind, title=title[:200], params=params))
            db.commit()
        self._start(job_id, kind, params)
        return job_id

    def _start(self, job_id: str, kind: str, params: dict[str, Any]) -> None:
        with self._lock:
            self._executor = self._executor or self._make_executor()
            root = str(self._store.root)
            try:
                future = self._executor.submit(_run, kind, root, job_id, params)
            except BrokenExecutor:
                self._executor = self._make_executor()
                future = self._executor.submit(_run, kind, root, job_id, params)
            self._futures[job_id] = future
        future.add_done_callback(lambda done: self._end(job_id, done))

    def _end(self, job_id: str, future: Future[dict[str, Any]]) -> None:
        try:
            with self._sessions() as db:
                job = db.get(JobRow, job_id)
                if job is not None:
                    self._settle(db, job, future)
                    db.commit()
        except Exception:
            log.exception("job %s could not be settled", job_id)
        finally:
            self._report(job_id).forget()
            self._futures.pop(job_id, None)

    def _settle(self, db: Session, job: JobRow, future: Future[dict[str, Any]]) -> None:
        try:
            result = future.result()
            finish = self._finishers.get(job.kind)
            job.result = finish(db, job, result) if finish else result
            job.state = "done"
        except (Cancelled, CancelledError):
            job.state = "cancelled"
        except BloomError as error:
            job.state, job.error = "failed", str(error)
        except BrokenExecutor:
            job.state, job.error = "failed", "The worker ended unexpectedly: start it again."
        except OSError as error:
            job.state, job.error = "failed", f"The disk refused: {error.strerror or error}."
        except Exception:
            log.exception("job %s failed", job.id)
            job.state, job.error = "failed", "Something unforeseen went wrong: the log says what."
        if job.state != "done" and job.kind in RESUMABLE:
            (self._store.incoming / job.params["path"]).unlink(missing_ok=True)

    def cancel(self, job_id: str) -> None:
        """Ask a job to stop; one that has ended stays as it is."""
        future = self._futures.get(job_id)
        if future is not None and not future.cancel():
            self._report(job_id).ask_to_stop()

    def recent(self, db: Session) -> list[JobRow]:
        """The newest jobs, newest first."""
        return list(db.scalars(select(JobRow).order_by(JobRow.created.desc()).limit(_RECENT)))

    def progress(self, job: JobRow) -> tuple[str, float]:
        """State and share of the work done, 0..1."""
        if job.state != "queued":
            return job.state, 1.0 if job.state == "done" else 0.0
        future = self._futures.get(job.id)
        running = future is not None and future.running()
        return ("running" if running else "queued"), self._report(job.id).read()

    def _report(self, job_id: str) -> Report:
        return Report(self._store.jobs, job_id)

    def close(self) -> None:
        if self._executor is not None:
            self._executor.shutdown(wait=False, cancel_futures=True)
