"""Long work on takes: listening to them, playing them again, keeping moments of them."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Generator
from contextlib import closing
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.batch.pools import REAL_TIME, pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import again_task, write_hashed
from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.again import Digest, Way, played_again
from innerbloom.core.deliver.moment import cut_moment, levelled
from innerbloom.core.deliver.replay import replay
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.performance.hands import edited
from innerbloom.core.performance.take import Take, stretch_of
from innerbloom.core.performance.take_document import Decision, parse_take
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import write_sound
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store import documents, recordings
from innerbloom.store.models import Document, JobRow
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.take_folders import RENDERINGS, TakeFolders, write_header
from innerbloom.store.take_sounds import Rendering, keep_rendering, look_at_sound

_RENDERED = 0.85
"""Share of the work that rendering is; sounds are looked at, too."""

_TRAVELS_S = 600.0
"""Longest take that is played again on a cluster: its sound comes back whole, 230 MB of it."""


def listen(work: Work) -> Params:
    """Parameters: ``folder``. Look at a take's sound; one that has none is played from its hands."""
    folders = TakeFolders(work.store)
    stored = folders.read(work.params["folder"])
    path, before = folders.sound(stored.id), 0.0
    if not path.is_file():
        blocks = replay(
            stored.take, DiskMaterials(work.store), report=lambda share: work.report(0.8 * share)
        )
        write_sound(path, blocks, ENGINE_RATE, 2, form="wav32f")
        before = 0.8
    frames, digest = look_at_sound(path, work.report, before, 1.0 - before)
    found = {"frames": frames, "sha256": digest, "lost": stored.lost + stored.header.lost}
    write_header(folders.folder(stored.id), stored.header.model_copy(update=found))
    return {"seconds": frames / ENGINE_RATE}


def play_again(work: Work) -> Params:
    """Parameters: ``folder``, ``start``, ``end``, ``adopt``; the document holds ``edits`` and
    ``ways``, each with ``words`` and the fields of a :class:`.Way`."""
    folders = TakeFolders(work.store)
    stored, asked = folders.read(work.params["folder"]), work.document()
    document: Any = parse_take(asked["take"])
    take = edited(stored.take, document.edits)
    whole = work.params["end"] is None
    start, end = work.params["start"], work.params["end"] or take.seconds
    take = stretch_of(take, start, end)
    ways = [_way_of(told) for told in asked["ways"]]
    folder = folders.folder(stored.id) / RENDERINGS
    folder.mkdir(exist_ok=True)
    paths = [folder / f"{uuid.uuid4().hex}.wav" for _ in ways]
    made: list[str] = []
    try:
        with closing(_written(work, take, ways, paths)) as written:
            for told, way, path, found in zip(asked["ways"], ways, paths, written, strict=True):
                frames, digest = found
                look_at_sound(path, lambda share: work.report.going(), 0.0, 1.0)
                same = way.same and not document.edits
                recorded = _recorded(folders.sound(stored.id), take, stored.take) if same else None
                rendering = Rendering(
                    id=path.stem, words=told["words"], start=start, end=end,
                    seconds=frames / ENGINE_RATE,
                    exact=recorded == digest if recorded else None,
                    edits=len(document.edits), whole=whole and way.same,
                )  # fmt: skip
                keep_rendering(folder, rendering)
                made.append(path.stem)
    finally:
        # what was made ahead of one that failed is not entered anywhere
        for path in paths[len(made) :]:
            path.unlink(missing_ok=True)
    return {"renderings": made}


def _way_of(told: dict[str, Any]) -> Way:
    """A way to play as a document tells it."""
    fields = {key: value for key, value in told.items() if key in Way.__dataclass_fields__}
    return Way(**{**fields, "layers": tuple(told["layers"])})


def _written(
    work: Work, take: Take, ways: list[Way], paths: list[Path]
) -> Generator[tuple[int, str]]:
    """Write the sound of each way; gives frames and hash of one after the other, as they are there."""
    scheduler = work.params.get("scheduler", "")
    if take.seconds > _TRAVELS_S:
        scheduler = ""
    if len(ways) == 1:
        one = played_again(take, ways[0], DiskMaterials(work.store), _part_of(work))
        yield write_hashed(paths[0], one)
        return
    here = [None] * len(ways) if scheduler else paths
    tasks = [again_task(take, way, path) for way, path in zip(ways, here, strict=True)]
    work_s = len(ways) * take.seconds / REAL_TIME
    with pool_for(
        work.store, len(tasks), work_s=work_s, scheduler=scheduler, job=work.folder.name
    ) as pool:
        batch = Batch(tasks, work.store, pool, _part_of(work))
        for path, outcome in zip(paths, batch.in_order(), strict=True):
            if outcome.error:
                raise BloomError(outcome.error)
            yield write_hashed(path, iter([outcome.value])) if scheduler else outcome.value


def _part_of(work: Work) -> Callable[[float], bool]:
    return lambda share: work.report(_RENDERED * share)


def _recorded(path: Path, stretch: Take, whole: Take) -> str | None:
    """The hash of what was recorded of a stretch; None where there is no sound of it."""
    if not path.is_file():
        return None
    digest = Digest()
    first = stretch.lead_in - whole.lead_in
    for _ in digest.of(read_blocks(path, start=first, frames=stretch.frames)):
        pass
    return digest.hexdigest()


def finish_again(db: Session, job: JobRow, made: Params) -> JobResult:
    """A take whose hands were changed sounds from now on as it was played again."""
    row = db.get(Document, job.params["take"])
    if job.params["adopt"] and row is not None:
        document = parse_take(row.content).model_copy(update={"sound": made["renderings"][0]})
        documents.replace(db, row, row.revision, document, "Sound of the changed hands")
    return JobResult(renderings=made["renderings"], name=job.title)


def keep_moments(work: Work) -> Params:
    """Parameters: ``sound`` (its address), ``ceiling``, ``level``, ``peak``, ``loudness``,
    ``tuning``, ``origin``; the document holds the moments, each with its ``key``."""
    folders, params = TakeFolders(work.store), work.params
    path = folders.sound_of(params["sound"])
    made, problems = [], []
    moments = work.document()
    for number, plain in enumerate(moments):
        if not work.report(number / len(moments)):
            raise Cancelled("Stopped.")
        try:
            made.append(_make_moment(work, path, plain))
        except BloomError as error:
            problems.append(f"{plain['decision']['name']}: {error}")
    if not made:
        raise BloomError(problems[0] if problems else "There was nothing to keep.")
    return {"made": made, "problems": problems}


def _make_moment(work: Work, path: Path, plain: Params) -> Params:
    store, params, moment = work.store, work.params, Decision.model_validate(plain["decision"])
    sound = cut_moment(path, moment, params["ceiling"])
    sound, _ = levelled(sound, params["level"], params["peak"], params["loudness"])
    origin = Origin(title=moment.name, **params["origin"])
    incoming = store.new_incoming("moment.wav")
    try:
        write_sound(incoming, iter([sound]), ENGINE_RATE, 2, form="wav32f", origin=origin)
        found = examine(incoming)
        digest = file_digest(incoming)
        store.save_pictures(digest, found)
        store.adopt(incoming, digest, ".wav")
    finally:
        incoming.unlink(missing_ok=True)
    peak = None if found.peak_dbfs is None else round(found.peak_dbfs, 2)
    return {
        "digest": digest, "name": moment.name, "origin": origin.__dict__, "key": plain["key"],
        "start": moment.start, "end": moment.end,
        "measured": {**found.summary(params["tuning"]), "peak_dbfs": peak},
    }  # fmt: skip


def finish_moments(db: Session, job: JobRow, found: Params) -> JobResult:
    """Enter moments with what they came from: take, instrument, recordings."""
    ids, known = [], []
    for made in found["made"]:
        present = recordings.with_digest(db, made["digest"])
        if present is not None and present.deleted is None:
            known.append(present.id)
            continue
        lineage = {**job.params["lineage"], "start": made["start"], "end": made["end"],
                   "key": made["key"]}  # fmt: skip
        row = recordings.add(db, made["digest"], f"{made['name']}.wav", made, lineage, "clip")
        ids.append(row.id)
    return JobResult(recordings=ids, known=known, problems=found["problems"])


def finish_listening(db: Session, job: JobRow, found: Params) -> JobResult:
    return JobResult(seconds=found["seconds"])


LISTEN = JobKind("take", "Listening to", listen, finish_listening, waited_for=True)
AGAIN = JobKind("again", "Playing again", play_again, finish_again)
MOMENTS = JobKind("moments", "Keeping", keep_moments, finish_moments, waited_for=True)
