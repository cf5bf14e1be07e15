"""Sets of samples: an instrument sampled, and handed over as one zip."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.batch.sampling import sample_instrument
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.samples.document import parse_samples
from innerbloom.core.deliver.samples.writing import hand_over_samples
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.names import safe_stem
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.jobs.zipping import zip_folder
from innerbloom.store import documents
from innerbloom.store.models import Document, JobRow
from innerbloom.store.sample_folders import SampleFolders


def sample_set(work: Work) -> Params:
    """Parameters: ``samples``, ``scheduler``. The job's document holds the set and the ``instrument``."""
    asked = work.document()
    document = parse_samples(asked["set"])
    folder, sampled, made = sample_instrument(
        parse_instrument(asked["instrument"]), document.settings, work.store, work.report,
        scheduler=work.params.get("scheduler", ""), job=work.folder.name,
    )  # fmt: skip
    return {"folder": folder, "count": len(sampled.notes), "problems": made.problems[:8],
            "cost": made.costs.words()}  # fmt: skip


def finish_sample(db: Session, job: JobRow, made: Params) -> JobResult:
    """What was sampled takes the place of what was sampled before."""
    row = db.get(Document, job.params["samples"])
    if row is not None and row.deleted is None:
        changed = parse_samples(row.content).model_copy(update={"made": made["folder"]})
        documents.replace(db, row, row.revision, changed, f"Sample {made['count']} notes")
    return JobResult(name=job.title, problems=made["problems"], cost=made["cost"])


def hand_over(work: Work) -> Params:
    """The job's document holds the set and the ``credits``."""
    asked = work.document()
    document = parse_samples(asked["set"])
    folders = SampleFolders(work.store)
    credits = [Credit.model_validate(one) for one in asked["credits"]]
    sampled = folders.read(document.made)

    def find(number: int, released: bool):  # type: ignore[no-untyped-def]
        return folders.sound(document.made, number, released)

    target = work.folder / safe_stem(document.name)
    contents = hand_over_samples(document, sampled, find, target, credits, work.report)
    path = work.store.renders / f"{work.folder.name}.zip"
    zip_folder(target, path)
    seconds = sum(one.seconds for one in contents.files)
    return {"file": path.name, "name": f"{document.name}.zip", "bytes": path.stat().st_size,
            "seconds": round(seconds, 3)}  # fmt: skip


def finish_hand_over(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(**made)


SAMPLE = JobKind("sample", "Sampling", sample_set, finish_sample)
SAMPLES_OVER = JobKind("hand over samples", "Handing over", hand_over, finish_hand_over)
