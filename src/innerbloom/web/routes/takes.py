"""Takes over HTTP: what was recorded, its hands, its moments, and what is made of them."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response

from innerbloom.core.analysis.moments import find_moments
from innerbloom.core.deliver.again import can_be_finer, stems_of
from innerbloom.core.ensemble.document import parse_ensemble
from innerbloom.core.instrument.owners import MAIN
from innerbloom.core.performance.lanes import PEDALS, lanes_of, notes_of, range_of, thinned
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_document import (
    KIND,
    MomentShown,
    parse_take,
    shown_moments,
    wanted_of,
)
from innerbloom.core.sound.peaks import reduce_pairs
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents, recordings, takes
from innerbloom.store.ensembles import with_documents
from innerbloom.store.models import Document
from innerbloom.store.take_folders import RENDERINGS, TakeFolders
from innerbloom.store.take_sounds import features_of, peaks_of, remove_rendering, renderings
from innerbloom.web import take_schemas as t
from innerbloom.web.revised import (
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
)
from innerbloom.web.routes.ensembles import found_ensemble
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("takes", __name__, url_prefix="/api/takes")

TakeRevision = answer_model(KIND)
_MOST_POINTS = 1_500
_PAD_LANES = {"pad_across": "pad, across", "pad_up": "pad, up", "bend": "bend of a note",
              "pressure": "pressure", "slide": "slide", PEDALS: "hold"}  # fmt: skip


def folders() -> TakeFolders:
    return TakeFolders(services().files)


def found_take(take_id: int, *, deleted: bool = False) -> Document:
    return find_document(KIND, take_id, deleted=deleted)


def sound_address(document: Any) -> str:
    """Where the sound of a take lies that is heard now."""
    folder = document.about.folder
    return f"{folder}/{document.sound}" if document.sound else str(folder)


add_revisions(bp, "/<int:take_id>", KIND, found_take)
add_deletion(bp, "/<int:take_id>", KIND, found_take)


@bp.get("")
@bp.output(t.TakeList)
def list_takes() -> t.TakeList:
    """All takes, the newest first."""
    rows = sorted(documents.listed(database(), KIND), key=lambda row: row.id, reverse=True)
    return t.TakeList(takes=[t.TakeLine.of(row) for row in rows])


@bp.post("/found")
@bp.output(t.TakesFound)
def enter_found() -> t.TakesFound:
    """Enter what was recorded since, and listen to it."""
    rows, problems = takes.enter_found(database(), folders())
    jobs = [listen_to(row) for row in rows]
    return t.TakesFound(entered=[row.id for row in rows], jobs=jobs, problems=problems)


def listen_to(row: Document) -> str:
    """Look at a take's sound, as a job."""
    return services().jobs.submit("take", row.name, {"folder": row.summary["folder"]})


@bp.post("/<int:take_id>/listen")
@bp.output(JobStarted, status_code=202)
def listen(take_id: int) -> JobStarted:
    """Listen to a take again, or play it from its hands where it has no sound."""
    return JobStarted(job=listen_to(found_take(take_id)))


# -- what is seen ----------------------------------------------------------------


@bp.get("/<int:take_id>/hands")
@bp.output(t.Hands)
def hands(take_id: int) -> t.Hands:
    """Notes and lanes, with the changes that were made to them."""
    take = takes.hands_of(found_take(take_id), folders())
    first = take.document
    return t.Hands(
        seconds=take.seconds,
        notes=[t.NoteShown(start=one.start, end=one.end, key=one.key, velocity=one.velocity)
               for one in notes_of(take)],
        lanes=_lanes(take),
        marks=take.marks(),
        missing=_missing(take),
        layers=_named(first.get("layers") or first.get("players", [])),
        snapshots=_named(first.get("snapshots", [])),
        streams=_named(first.get("buses", [])),
        stems=[t.StemShown(layers=list(one.layers), stream=one.stream) for one in stems_of(first)],
        finer=can_be_finer(take),
    )  # fmt: skip


def _named(parts: list[dict[str, Any]]) -> list[t.TakeLayer]:
    return [t.TakeLayer(id=one["id"], name=one["name"]) for one in parts]


def _lanes(take: Take) -> list[t.LaneShown]:
    shown = []
    for id_, points in lanes_of(take).items():
        low, high = range_of(id_, [value for _, value in points])
        shown.append(
            t.LaneShown(id=id_, name=_lane_name(take, id_), low=low, high=max(high, low + 1e-9),
                        points=thinned(points, _MOST_POINTS))
        )  # fmt: skip
    return shown


def _lane_name(take: Take, lane: str) -> str:
    if "." not in lane:
        return _PAD_LANES.get(lane, lane.replace("control", "controller"))
    owner, parameter = lane.split(".", 1)
    word = parameter.replace("_", " ")
    for document in take.documents():
        named = [one for part in ("layers", "modulators") for one in document.get(part, [])]
        found = next((one["name"] for one in named if one["id"] == owner), None)
        if found:
            return f"{found}, {word}"
    return word


def _missing(take: Take) -> list[str]:
    """Names of what is played and not in the project any more."""
    files, names = services().files, []
    for digest in sorted(take.recordings()):
        if files.find(digest) is None:
            row = recordings.with_digest(database(), digest)
            names.append(row.name if row else f"a recording ({digest[:8]})")
    return names


@bp.get("/<int:take_id>/peaks")
@bp.input(t.TakePeaksIn, location="query")
@bp.doc(responses={200: "int16 pairs of lowest and highest sample, little endian"})
def peaks(take_id: int, query_data: t.TakePeaksIn) -> Response:
    """The picture of a take's sound, or of a share of it."""
    folder = found_take(take_id).summary["folder"]
    address = f"{folder}/{query_data.sound}" if query_data.sound else folder
    pairs = peaks_of(folders().sound_of(address))
    first = int(query_data.start * len(pairs))
    last = max(first + 1, int(query_data.end * len(pairs)))
    data = reduce_pairs(pairs[first:last], query_data.columns).astype("<i2").tobytes()
    return Response(data, mimetype="application/octet-stream")


# -- moments ---------------------------------------------------------------------


def moments_of(row: Document) -> list[MomentShown] | None:
    """The moments of a take; None while it has not been listened to."""
    document: Any = parse_take(row.content)
    features = features_of(folders().sound_path(sound_address(document)))
    if features is None:
        return None
    marks = takes.hands_of(row, folders()).marks()
    found = find_moments(features, wanted_of(document), marks)
    default = document.about.instrument_name or document.name
    return shown_moments(document, found, default[:90])


@bp.get("/<int:take_id>/moments")
@bp.output(t.MomentList)
def moments(take_id: int) -> t.MomentList:
    """What is worth keeping, the most promising first."""
    row = found_take(take_id)
    found = moments_of(row)
    return t.MomentList(revision=row.revision, ready=found is not None, moments=found or [])


@bp.get("/<int:take_id>/kept")
@bp.output(t.KeptList)
def kept(take_id: int) -> t.KeptList:
    """What of it is on the shelf."""
    rows = takes.kept_from(database(), found_take(take_id).id)
    return t.KeptList(
        kept=[
            t.KeptMoment(id=row.id, name=row.name, key=row.lineage.get("key", ""),
                         start=row.lineage.get("start", 0.0), end=row.lineage.get("end", 0.0))
            for row in rows
        ]
    )  # fmt: skip


@bp.post("/<int:take_id>/keep")
@bp.input(t.KeepMomentsIn, location="json")
@bp.output(JobStarted, status_code=202)
def keep(take_id: int, json_data: t.KeepMomentsIn) -> JobStarted:
    """Put moments on the shelf, each as a material that knows where it comes from."""
    row = found_take(take_id)
    document: Any = parse_take(row.content)
    found = moments_of(row)
    if found is None:
        raise HTTPError(409, "This take has not been listened to yet: wait a moment.")
    there = {one.lineage.get("key") for one in takes.kept_from(database(), row.id)}
    wanted = [
        one for one in found
        if one.key in json_data.keys or (not json_data.keys and one.kept and one.key not in there)
    ]  # fmt: skip
    if not wanted:
        raise HTTPError(409, "Nothing is kept that is not on the shelf already.")
    moments = [
        {"key": one.key, "decision": one.model_dump(include=_DECIDED)} for one in wanted
    ]  # fmt: skip
    return _start_keeping(row, sound_address(document), moments)


_DECIDED = {"start", "end", "reason", "kept", "name", "fade_in", "fade_out"}


def _start_keeping(row: Document, sound: str, moments: list[dict[str, Any]]) -> JobStarted:
    params = takes.to_keep(database(), row, folders(), sound, settings().tuning)
    title = moments[0]["decision"]["name"] if len(moments) == 1 else f"{len(moments)} moments"
    return JobStarted(job=services().jobs.submit("moments", title, params, as_file(moments)))


# -- again, otherwise ------------------------------------------------------------


@bp.post("/<int:take_id>/again")
@bp.input(t.AgainIn, location="json")
@bp.output(JobStarted, status_code=202)
def again(take_id: int, json_data: t.AgainIn) -> JobStarted:
    """Play a take again from its hands, as a job; several ways are a sheet to choose from."""
    row = found_take(take_id)
    folder = folders().folder(row.summary["folder"]) / RENDERINGS
    folder.mkdir(exist_ok=True)
    document = takes.hands_of(row, folders()).document
    ways = [_way(one, document) for one in json_data.ways]
    params = {"folder": row.summary["folder"], "take": row.id, "start": json_data.start,
              "end": json_data.end, "adopt": json_data.adopt, "scheduler": settings().scheduler}  # fmt: skip
    title = f"{row.name}, {ways[0]['words'] if len(ways) == 1 else f'{len(ways)} ways'}"
    files = as_file({"take": row.content, "ways": ways})
    return JobStarted(job=services().jobs.submit("again", title, params, files))


def _way(asked: t.WayIn, played: dict[str, Any]) -> dict[str, Any]:
    """A way with its words; ``played`` is what the take was played on."""
    words = []
    document = None
    parts = played.get("layers") or played.get("players", [])
    layers = {one["id"]: one["name"] for one in parts}
    snapshots = {one["id"]: one["name"] for one in played.get("snapshots", [])}
    if asked.instrument is not None:
        other = found_instrument(asked.instrument)
        document = other.content
        words.append(f"through {other.name}")
    if asked.ensemble is not None:
        row = found_ensemble(asked.ensemble)
        whole = with_documents(database(), parse_ensemble(row.content))
        document = whole.model_dump(mode="json")
        words.append(f"as {row.name}")
    if asked.snapshot is not None:
        if asked.snapshot not in snapshots:
            raise HTTPError(404, "What the take was played on has no such snapshot.")
        words.append(f"through the snapshot {snapshots[asked.snapshot]}")
    if asked.seed is not None:
        words.append(f"other chance, {asked.seed}")
    if asked.slower != 1.0:
        words.append(f"{asked.slower:g} times as long, same pitch")
    if asked.layers:
        words.append("only " + ", ".join(layers.get(one, one) for one in asked.layers))
    if asked.stream is not None:
        words.append(_stream_words(asked.stream, played))
    if asked.fine:
        words.append("in high quality")
    return {"words": ", ".join(words) or "the same again", "seed": asked.seed,
            "slower": asked.slower, "layers": asked.layers, "document": document,
            "snapshot": asked.snapshot, "stream": asked.stream, "fine": asked.fine}  # fmt: skip


def _stream_words(stream: str, played: dict[str, Any]) -> str:
    if stream == MAIN:
        return "without shared streams"
    names = {one["id"]: one["name"] for one in played.get("buses", [])}
    if stream not in names:
        raise HTTPError(404, "What the take was played on has no such shared stream.")
    return f"only the shared stream {names[stream]}"


@bp.get("/<int:take_id>/renderings")
@bp.output(t.RenderingList)
def list_renderings(take_id: int) -> t.RenderingList:
    """What it was played again to, the newest first."""
    folder = folders().folder(found_take(take_id).summary["folder"]) / RENDERINGS
    return t.RenderingList(renderings=renderings(folder))


@bp.delete("/<int:take_id>/renderings/<rendering>")
@bp.output({}, status_code=204)
def delete_rendering(take_id: int, rendering: str) -> str:
    """Take one off the disk; one that is heard as the take's own sound stays."""
    row = found_take(take_id)
    if row.content.get("sound") == rendering:
        raise HTTPError(409, "This is what is heard of the take: choose another sound of it first.")
    path = folders().sound_of(f"{row.summary['folder']}/{rendering}")
    remove_rendering(path.parent, path.stem)
    return ""


@bp.post("/<int:take_id>/renderings/<rendering>/keep")
@bp.input(t.KeepRenderingIn, location="json")
@bp.output(JobStarted, status_code=202)
def keep_rendering(take_id: int, rendering: str, json_data: t.KeepRenderingIn) -> JobStarted:
    """Put what was played again on the shelf, whole."""
    row = found_take(take_id)
    address = f"{row.summary['folder']}/{rendering}"
    path = folders().sound_of(address)
    one = next((r for r in renderings(path.parent) if r.id == rendering), None)
    if one is None:
        raise HTTPError(404, "This is not there any more.")
    decision = {"start": 0.0, "end": one.seconds, "name": json_data.name, "kept": True}
    return _start_keeping(row, address, [{"key": rendering[:24], "decision": decision}])
