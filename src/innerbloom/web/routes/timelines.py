"""Timelines over HTTP: films, scenes, lanes, whether they are ready, and handing over."""

from __future__ import annotations

from typing import Any

import numpy as np
from apiflask import APIBlueprint, HTTPError
from flask import Response, request, send_file

from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.picture_changes import changes_since
from innerbloom.core.deliver.picture_ready import findings, leaving, mended
from innerbloom.core.deliver.recipes import SoundRecipe
from innerbloom.core.deliver.stems import stem_names
from innerbloom.core.errors import BloomError
from innerbloom.core.performance.take_document import parse_take
from innerbloom.core.sound.files import sound_info
from innerbloom.core.sound.peaks import reduce_pairs
from innerbloom.core.timeline import editing
from innerbloom.core.timeline.document import KIND as TIMELINE
from innerbloom.core.timeline.document import Clip, Timeline, parse_timeline
from innerbloom.core.timeline.measure import make_up_db
from innerbloom.core.timeline.scene_lists import MOST_BYTES, read_scenes
from innerbloom.core.timeline.timecode import frame_of
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents, recordings
from innerbloom.store.files import safe_title
from innerbloom.store.films import PROXY, ClipSounds, FilmFolders, Handed
from innerbloom.store.models import Document
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.take_sounds import peaks_of
from innerbloom.web import timeline_schemas as ts
from innerbloom.web.revised import (
    Revision,
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
    revision_of,
)
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.routes.takes import found_take, sound_address
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services
from innerbloom.web.uploads import receive, takes_body

bp = APIBlueprint("timelines", __name__, url_prefix="/api")

TimelineRevision = answer_model(TIMELINE)

_COLUMNS = 800


def found_timeline(timeline_id: int, *, deleted: bool = False) -> Document:
    return find_document(TIMELINE, timeline_id, deleted=deleted)


def films() -> FilmFolders:
    return FilmFolders(services().files)


add_revisions(bp, "/timelines/<int:timeline_id>", TIMELINE, found_timeline)
add_deletion(bp, "/timelines/<int:timeline_id>", TIMELINE, found_timeline)


@bp.get("/timelines")
@bp.output(ts.TimelineList)
def list_timelines() -> ts.TimelineList:
    rows = documents.listed(database(), TIMELINE)
    return ts.TimelineList(timelines=[ts.TimelineLine.of(row) for row in rows])


@bp.post("/timelines")
@bp.input(ts.TimelineIn, location="json")
@bp.output(TimelineRevision, status_code=201)
def create(json_data: ts.TimelineIn) -> Revision[Any]:
    """A new timeline, without a film yet."""
    made = parse_timeline({"name": json_data.name})
    return revision_of(documents.create(database(), TIMELINE, made))


# -- working on it --------------------------------------------------------------


@bp.post("/timelines/<int:timeline_id>/act")
@bp.input(ts.TimelineActionIn, location="json")
@bp.output(TimelineRevision)
def act(timeline_id: int, json_data: ts.TimelineActionIn) -> Revision[Any]:
    """Work on lanes, clips, scenes and clock, as one revision."""
    action = json_data.action
    row = found_timeline(timeline_id)
    label, changed = _changed(parse_timeline(row.content), action)
    documents.replace(database(), row, action.revision, changed, label)
    return revision_of(row)


def _changed(document: Timeline, action: ts.TimelineAction) -> tuple[str, Timeline]:
    """The label of an action, and the changed timeline."""
    match action:
        case ts.AddLane():
            return "Add a lane", editing.add_lane(document)
        case ts.RemoveLane():
            return "Remove a lane", editing.remove_lane(document, action.lane)
        case ts.MoveLane():
            return "Move a lane", editing.move_lane(document, action.lane, action.to)
        case ts.AddScene():
            return "Add a scene", editing.add_scene(document, action.frame)
        case ts.MoveScene():
            return "Move a scene", editing.move_scene(document, action.scene, action.frame)
        case ts.RemoveScene():
            return "Remove a scene", editing.remove_scene(document, action.scene)
        case ts.AtCuts():
            known = None if document.film is None else films().read(document.film.digest)
            if known is None:
                raise HTTPError(409, "There is no film whose cuts could be found.")
            return "Scenes at cuts", editing.at_cuts(document, known.cuts)
        case ts.SetClock() | ts.SetLength() | ts.RemoveFilm():
            return _changed_picture(document, action)
        case ts.MendFinding():
            found = films().measured(document)
            return "Mend", mended(document, action.what, action.owner, found)
    return _changed_clips(document, action)


def _changed_picture(
    document: Timeline, action: ts.SetClock | ts.SetLength | ts.RemoveFilm
) -> tuple[str, Timeline]:
    match action:
        case ts.RemoveFilm():
            return "Remove the film", document.model_copy(update={"film": None})
        case ts.SetLength():
            if document.film is not None:
                raise HTTPError(409, "The picture is as long as its film.")
            end = frame_of(action.end, document.rate, document.drop) - document.start
            return "Length", editing.with_length(document, end)
    if document.film is not None and action.rate != document.film.rate:
        raise HTTPError(409, f"The film runs at {document.film.rate} frames a second.")
    changed = editing.at_rate(document, action.rate, action.drop)
    start = frame_of(action.start, action.rate, action.drop)
    return "Clock", parse_timeline({**changed.model_dump(mode="json"), "start": start})


def _changed_clips(
    document: Timeline,
    action: ts.PlaceClip | ts.MoveClip | ts.TrimClip | ts.SplitClip | ts.OfClip,
) -> tuple[str, Timeline]:
    match action:
        case ts.PlaceClip():
            sound, seconds = _sound(action)
            label = f"Place {sound['name']}"[:120]
            sound["offset"] = min(action.offset, max(0.0, seconds - 0.01))
            left = seconds - sound["offset"]
            return label, editing.place_clip(document, sound, left, action.frame, action.lane)
        case ts.MoveClip():
            moved = editing.move_clip(document, action.clip, action.frame, action.lane)
            return "Move a clip", moved
        case ts.TrimClip():
            length = _length(document, action.clip)
            trimmed = editing.trim_clip(document, action.clip, action.frame, action.end, length)
            return "Trim a clip", trimmed
        case ts.SplitClip():
            return "Split a clip", editing.split_clip(document, action.clip, action.frame)
    if action.do == "duplicate clip":
        return "Repeat a clip", editing.duplicate_clip(document, action.clip)
    return "Remove a clip", editing.remove_clip(document, action.clip)


def _sound(action: ts.PlaceClip) -> tuple[dict[str, Any], float]:
    """What is placed, and its length in seconds."""
    if action.recording is not None:
        row = found_recording(action.recording)
        seconds = float(row.measured["duration_s"])
        return {"name": row.name, "recording": row.digest}, seconds
    if action.take is None:
        raise HTTPError(422, "Say what is to be placed: a recording or a take.")
    take = found_take(action.take)
    address = sound_address(parse_take(take.content))
    path = TakeFolders(services().files).sound_of(address)
    return {"name": take.name, "take": address}, sound_info(path).seconds


def _length(document: Timeline, clip: str) -> float | None:
    """Length of what a clip plays; None where it is gone."""
    for one in _clips(document):
        if one.id == clip:
            try:
                return sound_info(ClipSounds(services().files).path(one)).seconds
            except BloomError:
                return None
    return None


def _clips(document: Timeline) -> list[Clip]:
    return [clip for lane in document.lanes for clip in lane.clips]


@bp.post("/timelines/<int:timeline_id>/film")
@bp.input(ts.FileIn, location="query")
@bp.output(JobStarted, status_code=202)
@takes_body
def add_film(timeline_id: int, query_data: ts.FileIn) -> JobStarted:
    """A film, given as the request's body; making it ready is a job."""
    row = found_timeline(timeline_id)
    path, _ = receive(services().files, query_data.name)
    params = {"path": path.name, "filename": query_data.name[-255:], "timeline": row.id}
    return JobStarted(job=services().jobs.submit("film", safe_title(query_data.name), params))


@bp.post("/timelines/<int:timeline_id>/scenes")
@bp.input(ts.ScenesIn, location="query")
@bp.output(TimelineRevision)
@takes_body
def read_list(timeline_id: int, query_data: ts.ScenesIn) -> Revision[Any]:
    """Scenes from a list, given as the request's body: CSV, EDL or OTIO, by the ending of its name."""
    row = found_timeline(timeline_id)
    document = parse_timeline(row.content)
    data = request.stream.read(MOST_BYTES + 1)
    listed = read_scenes(data, query_data.name, document.rate, document.drop, document.start)
    changed = editing.with_scenes(document, listed)
    label = f"Scenes of {query_data.name}"[:120]
    documents.replace(database(), row, query_data.revision, changed, label)
    return revision_of(row)


# -- looking at it --------------------------------------------------------------


@bp.get("/films/<string(length=64):digest>/proxy")
@bp.doc(responses={200: "an MP4 of which every frame stands by itself; ranges can be asked for"})
def proxy(digest: str) -> Response:
    return send_file(films().file(digest, PROXY), "video/mp4", conditional=True, max_age=86_400)


@bp.get("/timelines/<int:timeline_id>/outlines")
@bp.output(ts.TimelineOutlines)
def outlines(timeline_id: int) -> ts.TimelineOutlines:
    """Pictures of all sounds on it, each once; those that are gone have none."""
    document = parse_timeline(found_timeline(timeline_id).content)
    by_source = {clip.source: clip for clip in _clips(document)}
    found = [_outline(clip) for clip in by_source.values()]
    return ts.TimelineOutlines(outlines=[one for one in found if one is not None])


def _outline(clip: Clip) -> ts.ClipOutline | None:
    files = services().files
    try:
        path = ClipSounds(files).path(clip)
        pairs = peaks_of(path) if clip.recording is None else files.picture(clip.recording, "peaks")
        seconds = sound_info(path).seconds
    except BloomError:
        return None
    few = reduce_pairs(np.asarray(pairs), _COLUMNS)
    return ts.ClipOutline(source=clip.source, seconds=round(seconds, 4),
                          pairs=(few // 258).ravel().tolist())  # fmt: skip


@bp.get("/timelines/<int:timeline_id>/ready")
@bp.output(ts.TimelineReady)
def ready(timeline_id: int) -> ts.TimelineReady:
    """Whether it can be handed over, and what is not right yet."""
    row = found_timeline(timeline_id)
    document = parse_timeline(row.content)
    found = films().measured(document)
    missing = _missing(document)
    names, wrong = _names(document)
    known = None if document.film is None else films().read(document.film.digest)
    return ts.TimelineReady(
        revision=row.revision, measure=found, missing=missing, wrong=wrong, stems=names,
        raised=0.0 if found is None else round(make_up_db(document, found), 2),
        findings=findings(document, found, missing, _credits(document)),
        cuts=0 if known is None else len(known.cuts),
        handed=_handed(films().handed(row.id), document),
    )  # fmt: skip


def _missing(document: Timeline) -> list[str]:
    sounds = ClipSounds(services().files)
    gone = []
    for clip in _clips(document):
        try:
            sounds.path(clip)
        except BloomError:
            gone.append(clip.id)
    return gone


def _names(document: Timeline) -> tuple[list[str], str]:
    try:
        return list(stem_names(document).values()), ""
    except BloomError as error:
        return [], str(error)


def _handed(told: Handed | None, document: Timeline) -> ts.HandedOver | None:
    if told is None:
        return None
    changed = changes_since(parse_timeline(told.document), document)
    return ts.HandedOver(when=told.when, stems=told.stems, files=told.files, changed=changed)  # type: ignore[arg-type]


def _credits(document: Timeline) -> list[Credit]:
    """Of all recordings in what is handed over, those that takes play included."""
    digests: dict[str, None] = {}
    takes = TakeFolders(services().files)
    for clip in (one for lane in leaving(document) for one in lane.clips):
        if clip.recording is not None:
            digests[clip.recording] = None
            continue
        assert clip.take is not None
        try:
            played = takes.read(clip.take.partition("/")[0]).take.recordings()
        except BloomError:
            continue
        digests |= dict.fromkeys(sorted(played))
    return recordings.credits_of(database(), list(digests))


def _recipes(document: Timeline) -> list[SoundRecipe]:
    """How each sound was made that is handed over, each once."""
    by_source = {clip.source: clip for lane in leaving(document) for clip in lane.clips}
    return [_recipe(clip) for clip in by_source.values()]


def _recipe(clip: Clip) -> SoundRecipe:
    if clip.take is not None:
        take = TakeFolders(services().files).read(clip.take.partition("/")[0])
        made = {"instrument": take.header.name, "document": take.take.document}
        return SoundRecipe(name=clip.name, source=clip.source, kind="take", made=made)
    row = recordings.with_digest(database(), clip.source)
    if row is None:
        return SoundRecipe(name=clip.name, source=clip.source, kind="recording")
    before = [one.row.name for one in recordings.ancestors(database(), row)]
    return SoundRecipe(name=row.name, source=row.digest, kind=row.kind, made=dict(row.lineage),
                       made_from=before)  # fmt: skip


@bp.post("/timelines/<int:timeline_id>/measure")
@bp.output(JobStarted, status_code=202)
def start_measuring(timeline_id: int) -> JobStarted:
    """Measure the mix as it is now; a job."""
    row = found_timeline(timeline_id)
    return JobStarted(job=services().jobs.submit("weigh", row.name, {}, as_file(row.content)))


@bp.post("/timelines/<int:timeline_id>/hand-over")
@bp.output(JobStarted, status_code=202)
@bp.doc(responses={409: "not as far yet"})
def hand_over(timeline_id: int) -> JobStarted:
    """Write stems, lists and papers as one zip; a job."""
    row = found_timeline(timeline_id)
    document = parse_timeline(row.content)
    _, wrong = _names(document)
    if wrong:
        raise HTTPError(409, wrong)
    leave = {clip.id for lane in leaving(document) for clip in lane.clips}
    if leave & set(_missing(document)):
        raise HTTPError(409, "A sound that would be handed over is gone: take its clip out first.")
    credits = [one.model_dump() for one in _credits(document)]
    recipes = [one.model_dump() for one in _recipes(document)]
    files = as_file({"timeline": row.content, "credits": credits, "recipes": recipes})
    job = services().jobs.submit("stems", row.name, {"timeline": row.id}, files)
    return JobStarted(job=job)
