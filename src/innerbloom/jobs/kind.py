"""What a kind of job is, and what its function is given."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from innerbloom.jobs.report import Report
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow

Params = dict[str, Any]


class JobResult(BaseModel):
    """What came of a job, for the page; each kind fills in what it has.

    Attributes
    ----------
    recording, instrument, ensemble : int or None
        What is new on the shelf, among the instruments, or among the ensembles.
    recordings : list of int
        Several, where it made several.
    renderings : list of str
        What a take was played again to.
    known : list of int
        What it would have made and is on the shelf already.
    name : str
        Of what is new.
    problems : list of str
        What went wrong with parts of it, a sentence each.
    sheet : str
        The folder of a swap sheet.
    cost : str
        Where tasks of a batch were done, and what they took.
    file, seconds, bytes
        The rendered file.
    """

    model_config = ConfigDict(extra="forbid")

    recording: int | None = None
    instrument: int | None = None
    ensemble: int | None = None
    recordings: list[int] = []
    renderings: list[str] = []
    known: list[int] = []
    name: str = ""
    problems: list[str] = []
    sheet: str = ""
    cost: str = ""
    file: str = ""
    seconds: float = 0.0
    bytes: int = 0


@dataclass(frozen=True)
class Work:
    """What a job's function works on.

    Attributes
    ----------
    params : dict
        Small plain values; documents and files lie in ``folder``.
    folder : Path
        The job's own; what is left in it stays until the job is tidied away.
    report : Report
        Told how far it is; says when to stop.
    """

    store: FileStore
    params: Params
    folder: Path
    report: Report

    def document(self) -> Any:
        """The document it was given, as plain data."""
        return json.loads((self.folder / DOCUMENT).read_text("utf-8"))


DOCUMENT = "document.json"


def as_file(document: Params | list[Any]) -> dict[str, bytes]:
    """A document, or several, as a file for :meth:`JobService.submit`."""
    return {DOCUMENT: json.dumps(document).encode()}


Finish = Callable[[Session, JobRow, Params], JobResult]


def _nothing(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult()


Lane = Literal["soon", "files", "idle"]


@dataclass(frozen=True)
class JobKind:
    """One kind of long work.

    Attributes
    ----------
    id : str
    words : str
        What it does, ahead of a job's title: ``"Importing"``.
    run : callable
        ``run(work) -> dict`` in a worker process; touches files only. Raises Cancelled where it
        was asked to stop, and a BloomError with one sentence.
    finish : callable
        ``finish(session, job, made) -> JobResult`` in the server: enters what came of it.
    takes_file : bool
        Whether its parameter ``path`` names a file in ``incoming`` that is its own. Such a job is
        taken up again after a stop of the server.
    waited_for : bool
        Whether someone waits for it: it does not queue behind what may take long.
    """

    id: str
    words: str
    run: Callable[[Work], Params]
    finish: Finish = _nothing
    takes_file: bool = False
    waited_for: bool = False

    @property
    def lane(self) -> Lane:
        """Which process it runs in."""
        if self.waited_for:
            return "soon"
        return "files" if self.takes_file else "idle"
