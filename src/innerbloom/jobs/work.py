"""The long work itself: functions of plain parameters that run in a worker process.

They touch files only; what came of them is entered in the database by the web process.
"""

from __future__ import annotations

import base64
import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.bundle import unpack_bundle
from innerbloom.core.deliver.portrait import portrait
from innerbloom.core.deliver.render import expected_frames, render_blocks
from innerbloom.core.deliver.sources import beside, file_digest
from innerbloom.core.engine import ENGINE_RATE, compile_program
from innerbloom.core.errors import BloomError, Cancelled, SoundFileError
from innerbloom.core.instrument.document import parse_instrument, sounds_of
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.materials.spectrum.document import parse_spectrum
from innerbloom.core.materials.spectrum.model import LONGEST_S
from innerbloom.core.materials.wavetable.document import parse_table, sounds_in
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.performance.events import Event, single_note
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.prepare.recipe import Recipe, parse_recipe, piece_recipe, run_recipe
from innerbloom.core.prepare.source import FileSource, write_clip
from innerbloom.core.sound.files import convert_foreign, is_directly_readable, read_stretch
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.takes import read_take
from innerbloom.core.sound.writing import SUFFIX, write_sound
from innerbloom.jobs.report import Report
from innerbloom.store.files import FileStore, safe_suffix, safe_title
from innerbloom.store.prepared import StoredMaterials
from innerbloom.store.spectra import SpectrumStore
from innerbloom.store.stages import StageStore, clip_summary, measure_stage, with_root
from innerbloom.store.tables import TableStore

Params = dict[str, Any]


def _take_in(store: FileStore, path: Path, filename: str, tuning: float, report: Report) -> Params:
    """Measure a file in ``incoming`` and move it, whole, to the originals."""
    digest = file_digest(path)
    try:
        return _measure(store, path, digest, filename, tuning, report)
    except SoundFileError as error:
        # the user knows the file by its own name
        shown = safe_title(filename) + (Path(filename).suffix if "." in filename[1:] else "")
        raise SoundFileError(str(error).replace(path.name, shown[:140])) from error


def _measure(
    store: FileStore, path: Path, digest: str, filename: str, tuning: float, report: Report
) -> Params:
    readable, decoded = path, None
    if not is_directly_readable(path):
        decoded = path.with_suffix(".decoded.wav")
        convert_foreign(path, decoded)
        readable = decoded
    try:
        found = examine(readable, report)
    except BaseException:
        if decoded:
            decoded.unlink(missing_ok=True)
        raise
    origin, take = read_origin(readable), read_take(readable)
    if take.note and not origin.notes:
        origin = replace(origin, notes=take.note)
    store.save_pictures(digest, found)
    if decoded:
        decoded.replace(store.decoded_path(digest))
    store.adopt(path, digest, safe_suffix(filename))
    peak = None if found.peak_dbfs is None else round(found.peak_dbfs, 2)
    return {
        "digest": digest,
        "name": (origin.title or safe_title(filename))[:120],
        "origin": origin.__dict__,
        "place": take.place,
        "measured": {
            **found.summary(tuning),
            "peak_dbfs": peak,
            "markers": [round(frame / found.info.rate, 6) for frame in take.markers],
        },
    }


def import_recording(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``path`` in the incoming folder, ``filename``, ``tuning``."""
    store = FileStore(root)
    path = store.incoming / params["path"]
    try:
        return _take_in(store, path, params["filename"], params["tuning"], report)
    except BaseException:
        path.unlink(missing_ok=True)
        raise


def import_bundle(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``path`` in the incoming folder, ``tuning``.

    Recordings the project knows by hash are used as they are; others are taken in as the
    FLAC files they come as.
    """
    store = FileStore(root)
    source = store.incoming / params["path"]
    folder = source.with_suffix(".unpacked")
    folder.mkdir()
    try:
        document = unpack_bundle(source, folder)
        taken: dict[str, Params] = {}
        for sound in sounds_of(document):
            if sound.recording is None or store.find(sound.recording) is None:
                assert sound.path is not None
                if sound.path not in taken:
                    flac = beside(folder)(sound)
                    incoming = store.new_incoming(sound.path)
                    flac.replace(incoming)
                    taken[sound.path] = _take_in(
                        store, incoming, sound.path, params["tuning"], report
                    )
                sound.recording = taken[sound.path]["digest"]
            sound.path = None
        return {"document": document.model_dump(mode="json"), "taken": list(taken.values())}
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        source.unlink(missing_ok=True)


def render_instrument(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``document``, ``key``, ``seconds``, ``velocity`` or ``midi`` (base64),
    ``format``, ``job_id``."""
    store = FileStore(root)
    document = parse_instrument(params["document"])
    program = compile_program(document, StoredMaterials(store))
    events = _events(params, program.setting(WHOLE_ID, "bend_range"))
    total = expected_frames(program, events)
    form = params["format"]
    path = store.renders / f"{params['job_id']}{SUFFIX[form]}"

    def told() -> Iterator[np.ndarray[Any, np.dtype[np.float32]]]:
        done = 0
        for block in render_blocks(program, events):
            done += len(block)
            if not report(done / total):
                raise Cancelled("Stopped.")
            yield block

    origin = Origin(title=params["title"], notes=f"Rendered from the instrument {document.name}")
    frames = write_sound(path, told(), ENGINE_RATE, 2, form=form, origin=origin)
    return {
        "file": path.name,
        "seconds": round(frames / ENGINE_RATE, 3),
        "bytes": path.stat().st_size,
    }


def _events(params: Params, bend_range: float) -> list[Event]:
    if params.get("midi"):
        return events_from_midi(base64.b64decode(params["midi"]), ENGINE_RATE, bend_range)
    return single_note(params["key"], params["seconds"], ENGINE_RATE, params["velocity"])


def make_stage(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``digest``, ``steps``, ``tuning``. What the steps make, measured."""
    store = FileStore(root)
    recipe = parse_recipe({"steps": params["steps"]})
    stages = StageStore(store, params["digest"], recipe, params["tuning"])
    clip = run_recipe(
        recipe, FileSource(store.readable(params["digest"])), tuning=params["tuning"],
        stages=stages, progress=lambda share: report(0.85 * share),
    )  # fmt: skip
    count = len(recipe.steps)
    return measure_stage(store, stages.key(count), clip, lambda share: report(0.85 + 0.15 * share))


def keep_materials(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``digest``, ``steps``, ``tuning``, ``origin``, ``pieces`` (each with ``name``
    and, for a stretch of the recording, ``start`` and ``end`` in seconds).

    Each piece becomes a file of its own; one that fails is named and the others go on.
    """
    store = FileStore(root)
    recipe = parse_recipe({"steps": params["steps"]})
    source = FileSource(store.readable(params["digest"]))
    made, problems = [], []
    for number, piece in enumerate(params["pieces"]):
        share = 1.0 / len(params["pieces"])

        def told(part: float, before: float = number * share, share: float = share) -> bool:
            return report(before + share * part)

        try:
            made.append(_make_material(store, source, recipe, piece, params, told))
        except Cancelled:
            raise
        except BloomError as error:
            problems.append(f"{piece['name']}: {error}")
    if not made:
        raise BloomError(problems[0] if problems else "There was nothing to keep.")
    return {"made": made, "problems": problems}


def _make_material(
    store: FileStore, source: FileSource, recipe: Recipe, piece: Params, params: Params, told: Any
) -> Params:
    stages = None
    if piece.get("end") is not None:
        recipe = piece_recipe(recipe, piece["start"], piece["end"])
    else:
        stages = StageStore(store, params["digest"], recipe, params["tuning"])
    clip = run_recipe(
        recipe, source, tuning=params["tuning"], stages=stages, progress=lambda s: told(0.8 * s)
    )
    path = store.new_incoming("material.wav")
    try:
        write_clip(path, clip, form="wav32f")
        found = with_root(examine(path), clip)
        root = None if found.root_hz is None else hz_to_note(found.root_hz)
        origin = Origin(title=piece["name"], **params["origin"])
        write_clip(path, clip, form="wav32f", origin=origin, root=root)
        told(0.9)
        digest = file_digest(path)
        store.save_pictures(digest, found)
        store.adopt(path, digest, ".wav")
    finally:
        path.unlink(missing_ok=True)
    return {
        "digest": digest, "name": piece["name"], "origin": origin.__dict__,
        "place": params.get("place", ""),
        "measured": clip_summary(found, clip), "steps": recipe.plain()["steps"],
    }  # fmt: skip


def make_wavetable(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``document``, ``tuning``, and to keep it on the shelf ``origin``.

    Without an origin it is only made, to be looked at and heard.
    """
    store = FileStore(root)
    document = parse_table(params["document"])
    made = TableStore(store, params["tuning"]).make(document)
    report(0.8)
    if params.get("origin") is None:
        return {"key": made.key}
    path = store.new_incoming("table.wav")
    origin = Origin(title=document.name, **params["origin"])
    try:
        write_table(path, made.table, document.name, origin)
        found = _take_in(store, path, f"{document.name}.wav", params["tuning"], report)
    finally:
        path.unlink(missing_ok=True)
    plain = document.model_dump(mode="json")
    used = [one.recording for one in sounds_in(document) if one.recording]
    measured = {**found["measured"], "root_hz": None, "root_note": None, "cents": None}
    measured |= {"frames": len(made.table), "loops": [], "markers": [], "remarks": []}
    return {**found, "name": document.name, "origin": origin.__dict__, "measured": measured,
            "table": plain, "recordings": list(dict.fromkeys(used))}  # fmt: skip


def make_spectrum(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``document``, ``tuning``, and to keep it on the shelf ``origin``.

    On the shelf it is the sound of all its parts together, with the recipe as lineage.
    """
    store = FileStore(root)
    document = parse_spectrum(params["document"])
    report(0.05)
    kept = SpectrumStore(store).with_parts(document.sound)
    report(0.8)
    if params.get("origin") is None:
        return {"key": kept.key}
    path = store.new_incoming("spectrum.wav")
    origin = Origin(title=document.name, **params["origin"])
    samples, rate = read_stretch(store.readable(kept.parts["together"]), 0.0, None, LONGEST_S)
    try:
        write_sound(path, [samples], rate, 1, form="wav32f", origin=origin)
        found = _take_in(store, path, f"{document.name}.wav", params["tuning"], report)
    finally:
        path.unlink(missing_ok=True)
    measured = {**found["measured"], "loops": [], "markers": [], "remarks": []}
    return {**found, "name": document.name, "origin": origin.__dict__, "measured": measured,
            "spectrum": document.model_dump(mode="json"),
            "recordings": [document.sound.recording]}  # fmt: skip


def portray(root: Path, params: Params, report: Report) -> Params:
    """Parameters: ``document``. What every key sounds like."""
    program = compile_program(
        parse_instrument(params["document"]), StoredMaterials(FileStore(root))
    )
    return {"keys": [key.__dict__ for key in portrait(program, progress=report)]}


WORK: dict[str, Callable[[Path, Params, Report], Params]] = {
    "import": import_recording,
    "portrait": portray,
    "bundle": import_bundle,
    "render": render_instrument,
    "stage": make_stage,
    "keep": keep_materials,
    "table": make_wavetable,
    "spectrum": make_spectrum,
}
