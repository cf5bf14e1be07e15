"""Jobs: long work in processes of its own, with progress and cancel, kept in the database."""

from __future__ import annotations

import logging
import shutil
import threading
import uuid
from collections import Counter
from collections.abc import Callable, Mapping
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future
from contextlib import nullcontext
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.jobs.changes import Changes
from innerbloom.jobs.kind import Lane, Params, Work
from innerbloom.jobs.kinds import JOB_KINDS
from innerbloom.jobs.report import Report
from innerbloom.processes import background_executor, cores
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow
from innerbloom.store.refusals import database_refusal
from innerbloom.throttle import throttled
from innerbloom.workers import SeparateWorkers

log = logging.getLogger(__name__)

_RECENT = 40
_MOST_ENDS = 2
"""How often a worker may end unexpectedly over one file before it is set aside."""

_ENTER_AGAIN_S = 5.0
"""How long to wait where the database has no room for what came of a job."""

_MOST_AT_ONCE = 8
"""Files that are taken in at once: more would wait for the disk, and each process takes memory."""

_MOST_BROKEN_STARTS = 3
"""How often in a row workers may end before any of them has begun with anything."""


def _run(kind: str, root: str, job_id: str, params: Params, patient: bool = False) -> Params:
    store = FileStore(Path(root))
    report = Report(store.jobs, job_id)
    report(0.0)
    work = Work(store, params, store.jobs / job_id, report)
    waited_for = JOB_KINDS[kind].waited_for and not patient
    with nullcontext() if waited_for else throttled(store.sounding):
        return JOB_KINDS[kind].run(work)


def _raised(future: Future[Params]) -> BaseException | None:
    """What a future raised, a cancel among it."""
    try:
        return future.exception()
    except CancelledError as error:
        return error


class JobService:
    """Starts jobs and follows them to their end.

    What someone waits for runs in one process, what may take long in another, and what takes files
    in in as many as there are cores, so that none waits for the other. The second runs only when
    nothing else does; files are not to starve beside a busy page, and do so when something sounds.
    """

    def __init__(
        self,
        store: FileStore,
        sessions: sessionmaker[Session],
        make_executor: Callable[..., Executor] = background_executor,
    ) -> None:
        self._store = store
        self._sessions = sessions
        self._make_executor = make_executor
        self._executors: dict[Lane, Executor] = {}
        self._futures: dict[str, Future[Params]] = {}
        self._lock = threading.Lock()
        self._entering = threading.Lock()
        self._ended_over: Counter[str] = Counter()
        self._broken_starts: Counter[str] = Counter()
        self._closed = False
        self.changes = Changes()

    def resume(self) -> None:
        """After a start: take up imports that were cut short, and say so of the rest."""
        with self._sessions() as db:
            cut = list(db.scalars(select(JobRow).where(JobRow.state.in_(("queued", "running")))))
            again = [job for job in cut if self._can_be_taken_up(job)]
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

    def _can_be_taken_up(self, job: JobRow) -> bool:
        kind = JOB_KINDS.get(job.kind)
        if kind is None or not kind.takes_file:
            return False
        waiting: Path = self._store.incoming / job.params["path"]
        return waiting.is_file()

    def submit(
        self, kind: str, title: str, params: Params, files: Mapping[str, bytes] | None = None, *,
        patient: bool = False,
    ) -> str:  # fmt: skip
        """Start a job and return its id.

        Parameters
        ----------
        params : dict
            Small plain values.
        files : dict, optional
            Documents and files by name, laid in the job's folder.
        patient : bool
            Whether nobody waits for it, whatever its kind: it runs when nothing else does.
        """
        job_id = uuid.uuid4().hex
        folder = self.folder(job_id)
        folder.mkdir()
        for name, content in (files or {}).items():
            (folder / name).write_bytes(content)
        with self._sessions() as db:
            db.add(JobRow(id=job_id, kind=kind, title=title[:200], params=params))
            db.commit()
        self._start(job_id, kind, params, patient)
        self.changes.add(job_id)
        return job_id

    def folder(self, job_id: str) -> Path:
        """The folder of a job."""
        return self._store.jobs / job_id

    def _new_executor(self, lane: Lane) -> Executor:
        if lane == "files":
            return SeparateWorkers(lambda: self._make_executor(idle=self._plays()), self._room)
        return SeparateWorkers(lambda: self._make_executor(idle=lane == "idle"), lambda: 1)

    def _plays(self) -> bool:
        return self._store.sounding.share() < 1.0

    def _room(self) -> int:
        """How many files may be taken in at once; live sound keeps a core to itself."""
        return min(_MOST_AT_ONCE, cores()) - self._plays()

    def _start(self, job_id: str, kind: str, params: Params, patient: bool = False) -> None:
        lane: Lane = "idle" if patient else JOB_KINDS[kind].lane
        root = str(self._store.root)
        with self._lock:
            if lane not in self._executors:
                self._executors[lane] = self._new_executor(lane)
            future = self._executors[lane].submit(_run, kind, root, job_id, params, patient)
            self._futures[job_id] = future
        future.add_done_callback(lambda done: self._end(job_id, done))

    def _end(self, job_id: str, future: Future[Params]) -> None:
        if self._is_cut_short(future):
            return
        again: JobRow | None = None
        try:
            # two copies of one recording may come in at once
            with self._entering:
                again = self._enter(job_id, future)
        except DatabaseError as error:
            if database_refusal(error) is not None and not self._closed:
                log.error("job %s waits to be entered: %s", job_id, error.orig)
                self._enter_later(job_id, future)
                return
            log.exception("job %s could not be entered", job_id)
        except Exception:
            log.exception("job %s could not be entered", job_id)
        self._report(job_id).forget()
        self._futures.pop(job_id, None)
        self.changes.add(job_id)
        if again is not None and not self._closed:
            self._start(job_id, again.kind, again.params)

    def _is_cut_short(self, future: Future[Params]) -> bool:
        """Whether it did not end by itself but with the server: the next start goes on with it."""
        return self._closed and isinstance(_raised(future), BrokenExecutor | CancelledError)

    def _enter(self, job_id: str, future: Future[Params]) -> JobRow | None:
        """Enter what came of a job; gives it back where it is to be done again."""
        with self._sessions() as db:
            job = db.get(JobRow, job_id)
            if job is None or self._is_to_be_done_again(job, future):
                return job
            self._settle(db, job, future)
            db.commit()
            self._forget_files(job)
        return None

    def _enter_later(self, job_id: str, future: Future[Params]) -> None:
        """What was made is not lost because there is no room to enter it now."""
        timer = threading.Timer(_ENTER_AGAIN_S, self._end, (job_id, future))
        timer.daemon = True
        timer.start()

    def _is_to_be_done_again(self, job: JobRow, future: Future[Params]) -> bool:
        """Whether a worker ended unexpectedly and this job goes on all the same.

        A job that only waited does, unless workers end again and again before they begin with
        anything (no memory for a process, say); one that was being worked on does where it takes a
        file in, as long as the worker has not ended over it before.
        """
        broken = isinstance(_raised(future), BrokenExecutor)
        if not broken or self._report(job.id).began():
            self._broken_starts.clear()
        if not broken:
            return False
        if not self._report(job.id).began():
            self._broken_starts[job.id] += 1
            return self._broken_starts[job.id] < _MOST_BROKEN_STARTS
        self._ended_over[job.id] += 1
        return JOB_KINDS[job.kind].takes_file and self._ended_over[job.id] < _MOST_ENDS

    def _settle(self, db: Session, job: JobRow, future: Future[Params]) -> None:
        kind = JOB_KINDS[job.kind]
        try:
            job.result = kind.finish(db, job, future.result()).model_dump()
            job.state = "done"
        except (Cancelled, CancelledError):
            job.state = "cancelled"
        except BloomError as error:
            job.state, job.error = "failed", str(error)
        except BrokenExecutor:
            job.state, job.error = "failed", "The worker ended unexpectedly: start it again."
            if kind.takes_file:
                job.error = self._set_aside(job)
        except DatabaseError:
            # it is what enters it that failed, and not the job
            raise
        except OSError as error:
            job.state, job.error = "failed", f"The disk refused: {error.strerror or error}."
        except Exception:
            log.exception("job %s failed", job.id)
            job.state, job.error = "failed", "Something unforeseen went wrong: the log says what."
        if job.state != "done":
            shutil.rmtree(self.folder(job.id), ignore_errors=True)

    def _forget_files(self, job: JobRow) -> None:
        """What came in is entered by now, or refused."""
        if JOB_KINDS[job.kind].takes_file:
            (self._store.incoming / job.params["path"]).unlink(missing_ok=True)

    def _set_aside(self, job: JobRow) -> str:
        """Keep a file over which the worker ended again and again; says where."""
        name = job.params.get("filename") or job.params["path"]
        kept = self._store.set_aside(self._store.incoming / job.params["path"], name)
        return (
            f"The worker ended again and again over '{name}': it is set aside as "
            f"'{kept.relative_to(self._store.root).as_posix()}' in the project's folder."
        )

    def cancel(self, job_id: str) -> None:
        """Ask a job to stop; one that has ended stays as it is."""
        future = self._futures.get(job_id)
        if future is not None and not future.cancel():
            self._report(job_id).ask_to_stop()

    def recent(self, db: Session) -> list[JobRow]:
        """Jobs that are not at their end, and the newest of the others; newest first."""
        newest = select(JobRow.id).order_by(JobRow.created.desc()).limit(_RECENT)
        wanted = select(JobRow).where(JobRow.id.in_(newest) | (JobRow.state == "queued"))
        return list(db.scalars(wanted.order_by(JobRow.created.desc())))

    def progress(self, job: JobRow) -> tuple[str, float]:
        """State and share of the work done, 0..1."""
        if job.state != "queued":
            return job.state, 1.0 if job.state == "done" else 0.0
        running = job.id in self.running()
        return ("running" if running else "queued"), self._report(job.id).read()

    def running(self) -> list[str]:
        """Ids of the jobs that are being worked on now."""
        return [job for job, future in list(self._futures.items()) if future.running()]

    def _report(self, job_id: str) -> Report:
        return Report(self._store.jobs, job_id)

    def close(self) -> None:
        """Begin with nothing more; what has not ended is left to the next start, see :meth:`resume`."""
        self._closed = True
        for executor in self._executors.values():
            executor.shutdown(wait=False, cancel_futures=True)
