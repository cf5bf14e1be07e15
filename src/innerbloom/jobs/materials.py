"""Making materials of a kind of their own: wavetables and spectra."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.core.materials.spectrum.document import parse_spectrum
from innerbloom.core.materials.spectrum.model import LONGEST_S
from innerbloom.core.materials.wavetable.document import parse_table, sounds_in
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.sound.files import read_stretch
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import write_sound
from innerbloom.jobs.importing import take_in
from innerbloom.jobs.kind import Finish, JobKind, JobResult, Params, Work
from innerbloom.store import recordings
from innerbloom.store.models import JobRow
from innerbloom.store.spectra import SpectrumStore
from innerbloom.store.tables import TableStore


def make_wavetable(work: Work) -> Params:
    """Parameters: ``tuning``, and to keep it on the shelf ``origin``.

    Without an origin it is only made, to be looked at and heard.
    """
    store, params, report = work.store, work.params, work.report
    document = parse_table(work.document())
    made = TableStore(store, params["tuning"]).make(document)
    report(0.8)
    if params.get("origin") is None:
        return {}
    path = store.new_incoming("table.wav")
    origin = Origin(title=document.name, **params["origin"])
    try:
        write_table(path, made.table, document.name, origin)
        found = take_in(store, path, f"{document.name}.wav", params["tuning"], report)
    finally:
        path.unlink(missing_ok=True)
    plain = document.model_dump(mode="json")
    used = [one.recording for one in sounds_in(document) if one.recording]
    measured = {**found["measured"], "root_hz": None, "root_note": None, "cents": None}
    measured |= {"frames": len(made.table), "loops": [], "markers": [], "remarks": []}
    return {**found, "name": document.name, "origin": origin.__dict__, "measured": measured,
            "table": plain, "recordings": list(dict.fromkeys(used))}  # fmt: skip


def make_spectrum(work: Work) -> Params:
    """Parameters: ``tuning``, and to keep it on the shelf ``origin``.

    On the shelf it is the sound of all its parts together, with the recipe as lineage.
    """
    store, params, report = work.store, work.params, work.report
    document = parse_spectrum(work.document())
    kept = SpectrumStore(store).with_parts(document.sound, lambda share: report(0.9 * share))
    report(0.9)
    if params.get("origin") is None:
        return {}
    path = store.new_incoming("spectrum.wav")
    origin = Origin(title=document.name, **params["origin"])
    samples, rate = read_stretch(store.readable(kept.parts["together"]), 0.0, None, LONGEST_S)
    try:
        write_sound(path, [samples], rate, samples.shape[1], form="wav32f", origin=origin)
        found = take_in(store, path, f"{document.name}.wav", params["tuning"], report)
    finally:
        path.unlink(missing_ok=True)
    measured = {**found["measured"], "loops": [], "markers": [], "remarks": []}
    return {**found, "name": document.name, "origin": origin.__dict__, "measured": measured,
            "spectrum": document.model_dump(mode="json"),
            "recordings": [document.sound.recording]}  # fmt: skip


def _finish(recipe: str, kind: str) -> Finish:
    """How a material of its own kind is entered, with its recipe and the recordings in it."""

    def finish(db: Session, job: JobRow, made: Params) -> JobResult:
        if "digest" not in made:
            return JobResult()
        lineage = {recipe: made[recipe], "recordings": made["recordings"]}
        row = recordings.add(db, made["digest"], f"{made['name']}.wav", made, lineage, kind)
        return JobResult(recording=row.id, name=row.name)

    return finish


TABLE = JobKind("table", "Making", make_wavetable, _finish("table", "wavetable"), waited_for=True)
SPECTRUM = JobKind(
    "spectrum", "Taking apart", make_spectrum, _finish("spectrum", "spectrum"), waited_for=True
)
