"""Spectra on the Bench, over HTTP: taken, changed, looked at, heard by parts, kept."""

from __future__ import annotations

import numpy as np
from apiflask import APIBlueprint, HTTPError

from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.instrument.auditions import audition_spectrum
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.materials.spectrum.document import KIND as SPECTRUM
from innerbloom.core.materials.spectrum.document import WORDS, SpectrumDocument, parse_spectrum
from innerbloom.core.materials.spectrum.model import MOMENTS_S, RATE, Track
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents, recordings
from innerbloom.store.models import Document
from innerbloom.store.spectra import KeptSpectrum, SpectrumStore
from innerbloom.web import schemas as s
from innerbloom.web import spectrum_schemas as ss
from innerbloom.web.revised import add_revisions
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("spectra", __name__, url_prefix="/api")

_MOST_TRACKS = 600
_MOST_POINTS = 64
_QUIETEST_DB = -120.0


def found_spectrum(recording_id: int) -> Document:
    row = found_recording(recording_id)
    if row.kind != SPECTRUM.id:
        raise HTTPError(404, f"'{row.name}' is no spectrum.")
    return documents.at_bench(database(), row)


def _document(recording_id: int) -> SpectrumDocument:
    return parse_spectrum(found_spectrum(recording_id).content)


add_revisions(bp, "/recordings/<int:recording_id>/spectrum", SPECTRUM, found_spectrum)


@bp.post("/recordings/<int:recording_id>/spectrum/make")
@bp.output(ss.SpectrumAnswer)
def make_spectrum(recording_id: int) -> ss.SpectrumAnswer:
    """The spectrum as its settings are now: at once where it is at hand, else a job."""
    document = _document(recording_id)
    kept = SpectrumStore(services().files).find(document.sound)
    if kept is None or not kept.parts:
        return ss.SpectrumAnswer(made=None, job=_start(document, on_shelf=False))
    return ss.SpectrumAnswer(made=_made(kept), job=None)


def _made(kept: KeptSpectrum) -> ss.SpectrumMade:
    spectrum = kept.spectrum
    return ss.SpectrumMade(
        key=kept.key, parts=dict(kept.parts), seconds=spectrum.seconds,
        window_ms=1e3 * spectrum.window / RATE, tonal=spectrum.tonal,
        partials=len(spectrum.tracks), at_once=spectrum.most_at_once,
        strikes=len(spectrum.strikes),
    )  # fmt: skip


def _start(document: SpectrumDocument, *, on_shelf: bool) -> str:
    """Take it apart as a job, and put it on the shelf with the credits of its recording."""
    origin = None
    if on_shelf:
        row = recordings.with_digest(database(), document.sound.recording or "")
        origin = recordings.origin_of(row)
    params = {"tuning": settings().tuning, "origin": origin}
    files = as_file(document.model_dump(mode="json"))
    return services().jobs.submit("spectrum", document.name, params, files)


@bp.get("/recordings/<int:recording_id>/spectrum/audition")
@bp.output(Instrument)
def audition(recording_id: int) -> Instrument:
    """An instrument that plays the spectrum as its settings are now."""
    document = _document(recording_id)
    return audition_spectrum(document.name, document.sound)


@bp.get("/spectra/words")
@bp.output(ss.SpectrumWords)
def words() -> ss.SpectrumWords:
    """Every setting of the taking apart, as it is declared."""
    return ss.SpectrumWords(settings=list(WORDS))


@bp.post("/spectra")
@bp.input(ss.NewSpectrum, location="json")
@bp.output(s.JobStarted, status_code=202)
def new_spectrum(json_data: ss.NewSpectrum) -> s.JobStarted:
    """Take a recording apart and put its spectrum on the shelf, as a job."""
    row = found_recording(json_data.recording)
    sound, _ = recordings.sound_of(row)
    sound = sound.model_copy(update={"analysis": Analysis(), "cycle": None})
    name = json_data.name or f"{row.name[:110]}, spectrum"
    document = parse_spectrum({"name": name, "sound": sound.model_dump(mode="json")})
    return s.JobStarted(job=_start(document, on_shelf=True))


@bp.post("/recordings/<int:recording_id>/spectrum/keep")
@bp.input(ss.KeepSpectrum, location="json")
@bp.output(s.JobStarted, status_code=202)
def keep_spectrum(recording_id: int, json_data: ss.KeepSpectrum) -> s.JobStarted:
    """Put the spectrum as it is now on the shelf, beside the one it began as."""
    document = _document(recording_id)
    named = document.model_copy(update={"name": json_data.name})
    return s.JobStarted(job=_start(named, on_shelf=True))


def _with_key(key: str) -> KeptSpectrum:
    found = SpectrumStore(services().files).with_key(key)
    if found is None:
        raise HTTPError(404, "This spectrum is not at hand: open it again.")
    return found


@bp.get("/spectra/<string(length=64):key>/picture")
@bp.output(ss.SpectrumPicture)
def picture(key: str) -> ss.SpectrumPicture:
    """The courses of its partials, the strongest of them, and when strikes sound."""
    spectrum = _with_key(key).spectrum
    strongest = sorted(spectrum.tracks, key=lambda one: -one.energy)[:_MOST_TRACKS]
    return ss.SpectrumPicture(
        tracks=[_drawn(one) for one in strongest],
        strikes=[(one.at_s, len(one.samples) / RATE) for one in spectrum.strikes],
    )


def _drawn(track: Track) -> ss.TrackOut:
    step = max(1, -(-len(track) // _MOST_POINTS))
    db = 20.0 * np.log10(np.maximum(track.level[::step], 10.0 ** (_QUIETEST_DB / 20.0)))
    return ss.TrackOut(
        at=track.first / MOMENTS_S, step=step / MOMENTS_S, hz=track.hz[::step].round(2).tolist(),
        db=db.round(1).tolist(),
    )  # fmt: skip
