"""Sets of samples over HTTP: an instrument sampled, shown, handed over."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.deliver.credits import warnings
from innerbloom.core.deliver.samples.document import KIND as SAMPLES
from innerbloom.core.deliver.samples.document import SampleSet, parse_samples
from innerbloom.core.deliver.samples.sampled import SampledSet
from innerbloom.core.deliver.samples.writing import sample_files
from innerbloom.core.deliver.samples.zones import BYTES, estimate, even_keys
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents
from innerbloom.store.models import Document
from innerbloom.store.recordings import credits_of
from innerbloom.store.sample_folders import SampleFolders
from innerbloom.web import sample_schemas as ss
from innerbloom.web.revised import (
    Revision,
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
    revision_of,
)
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("samples", __name__, url_prefix="/api")

SamplesRevision = answer_model(SAMPLES)


def found_samples(samples_id: int, *, deleted: bool = False) -> Document:
    return find_document(SAMPLES, samples_id, deleted=deleted)


def folders() -> SampleFolders:
    return SampleFolders(services().files)


add_revisions(bp, "/samples/<int:samples_id>", SAMPLES, found_samples)
add_deletion(bp, "/samples/<int:samples_id>", SAMPLES, found_samples)


@bp.get("/samples")
@bp.output(ss.SamplesList)
def list_samples() -> ss.SamplesList:
    rows = documents.listed(database(), SAMPLES)
    return ss.SamplesList(sets=[ss.SamplesLine.model_validate(row) for row in rows])


@bp.post("/samples")
@bp.input(ss.SamplesIn, location="json")
@bp.output(SamplesRevision, status_code=201)
def create(json_data: ss.SamplesIn) -> Revision[Any]:
    """A new set of an instrument; nothing is sampled yet."""
    row = found_instrument(json_data.instrument)
    name = json_data.name.strip() or row.name
    made = SampleSet(name=name, instrument=row.id, instrument_name=row.name)
    return revision_of(documents.create(database(), SAMPLES, made))


def _played(document: SampleSet) -> Document:
    if document.instrument is None:
        raise HTTPError(409, "The set has no instrument: choose one.")
    return found_instrument(document.instrument)


@bp.post("/samples/<int:samples_id>/make")
@bp.doc(responses={409: "not as far yet"})
@bp.output(JobStarted, status_code=202)
def make(samples_id: int) -> JobStarted:
    """Sample, as a job; what was sampled before is kept until it is done."""
    row = found_samples(samples_id)
    document = parse_samples(row.content)
    asked: Any = document.settings
    # what cannot be done is said now, and not by a job that fails
    even_keys(asked.key_low, asked.key_high, asked.step)
    files = as_file({"set": row.content, "instrument": _played(document).content})
    params = {"samples": row.id, "scheduler": settings().scheduler}
    return JobStarted(job=services().jobs.submit("sample", row.name, params, files))


@bp.get("/samples/<int:samples_id>/made")
@bp.output(ss.SamplesMade)
def made(samples_id: int) -> ss.SamplesMade:
    """What was sampled, what it will come to, and whether it can be handed over."""
    row = found_samples(samples_id)
    document = parse_samples(row.content)
    sampled = folders().read(document.made)
    files, wrong = _files(document, sampled)
    frames = sum(one.frames + one.released for one in sampled.notes)
    said, expected = [], None
    try:
        played = _played(document).content
        expected = estimate(parse_instrument(played), document.settings, BYTES[document.form])
        said = warnings(credits_of(database(), recordings_in(played)))
    except (HTTPError, BloomError) as error:
        wrong = wrong or str(getattr(error, "message", error))
    return ss.SamplesMade(
        revision=row.revision, made=document.made, notes=sampled.notes, files=files, wrong=wrong,
        bytes=round(frames * BYTES[document.form]),
        estimate=None if expected is None else ss.EstimateOut.model_validate(expected),
        warnings=said, stale=bool(sampled.notes) and sampled.settings != document.settings,
    )  # fmt: skip


def _files(document: SampleSet, sampled: SampledSet) -> tuple[list[str], str]:
    """Names of files, or why there are none."""
    try:
        return [one.name for one in sample_files(document, sampled)], ""
    except BloomError as error:
        return [], str(error)


@bp.post("/samples/<int:samples_id>/hand-over")
@bp.output(JobStarted, status_code=202)
@bp.doc(responses={409: "not as far yet"})
def hand_over(samples_id: int) -> JobStarted:
    """Write what was sampled, with its map, contents, credits and checksums, as one zip; a job."""
    row = found_samples(samples_id)
    document = parse_samples(row.content)
    sampled = folders().read(document.made)
    if not sampled.notes:
        raise HTTPError(409, "Nothing has been sampled yet: do that first.")
    _, wrong = _files(document, sampled)
    if wrong:
        raise HTTPError(409, wrong)
    credits = credits_of(database(), sampled.recordings)
    files = as_file({"set": row.content, "credits": [one.model_dump() for one in credits]})
    return JobStarted(job=services().jobs.submit("hand over samples", row.name, {}, files))


@bp.get("/samples/<int:samples_id>/sounds/<int:number>")
@bp.doc(responses={200: "a float WAV as it was sampled"})
def sound(samples_id: int, number: int) -> Response:
    document = parse_samples(found_samples(samples_id).content)
    return send_file(folders().sound(document.made, number), "audio/wav")
