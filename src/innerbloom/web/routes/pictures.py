"""Pictures and analyses of a sound, or of a stage of a recipe, over HTTP."""

from __future__ import annotations

import numpy as np
from apiflask import APIBlueprint, HTTPError
from flask import Response
from numpy.typing import NDArray

from innerbloom.core.analysis import spectrogram as sg
from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.analysis.pictures import Sounding, spectrum_tile, wave_tile
from innerbloom.core.analysis.track import HOP_S, pitch_track, root_of, stability_cents, steadiest
from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import hz_to_note, note_to_hz
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.looping import loop_of
from innerbloom.core.prepare.recipe import parse_step
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.process.loop import offers_for_crossfade
from innerbloom.core.process.notes import find_notes
from innerbloom.core.process.seams import seam_of, zero_crossing
from innerbloom.core.process.tone import place_for_tone
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.peaks import reduce_pairs
from innerbloom.core.sound.sampler import read_sampler
from innerbloom.web import bench_schemas as b
from innerbloom.web import schemas as s
from innerbloom.web.services import services, settings

bp = APIBlueprint("pictures", __name__, url_prefix="/api/sounds/<string(length=64):digest>")

_CACHED = {"Cache-Control": "private, max-age=86400, immutable"}
MOST_LOOP_S, MOST_PITCH_S, MOST_NOTES_S = 180.0, 7_200.0, 60.0
_PITCH_RUN_S = 40.0
_MOST_POINTS = 2_000


def _source(digest: str) -> FileSource:
    if not set(digest) <= set("0123456789abcdef"):
        raise HTTPError(404, "There is no such sound.")
    return FileSource(services().files.readable(digest))


def _read(
    source: FileSource, start: float, end: float, most_s: float, what: str
) -> tuple[NDArray[np.float32], int]:
    """A stretch and its first frame; one sentence where it is empty or too long."""
    first = round(start * source.rate)
    last = min(round(end * source.rate), source.frames) if end > 0 else source.frames
    if first >= source.frames or last - first < 1:
        raise BloomError("The region lies outside the sound: move it inside.")
    if (last - first) / source.rate > most_s:
        raise BloomError(f"{what} are looked for in up to {most_s:.0f} s: choose a shorter region.")
    return source.read(first, last - first), first


def _sounding(digest: str) -> Sounding:
    source = _source(digest)
    files = services().files
    return Sounding(
        source.frames, source.rate, source.read,
        files.picture(digest, "peaks"), files.picture(digest, "spectrum"),
    )  # fmt: skip


@bp.get("/peaks")
@bp.input(s.PeaksIn, location="query")
@bp.doc(responses={200: "int16 pairs of lowest and highest sample, little endian"})
def peaks(digest: str, query_data: s.PeaksIn) -> Response:
    """The picture of a sound's waveform, or of a share of it."""
    if not set(digest) <= set("0123456789abcdef"):
        raise HTTPError(404, "There is no such sound.")
    pairs = services().files.picture(digest, "peaks")
    first = int(query_data.start * len(pairs))
    last = max(first + 1, int(query_data.end * len(pairs)))
    data = reduce_pairs(pairs[first:last], query_data.columns).astype("<i2").tobytes()
    return Response(data, mimetype="application/octet-stream", headers=_CACHED)


@bp.get("/wave/<int:level>/<int:index>")
@bp.doc(responses={200: "int16 pairs for up to 512 columns of 2**level frames"})
def wave(digest: str, level: int, index: int) -> Response:
    data = wave_tile(_sounding(digest), level, index).astype("<i2").tobytes()
    return Response(data, mimetype="application/octet-stream", headers=_CACHED)


@bp.get("/spectrum/<any(log, linear):axis>/<int:level>/<int:index>")
@bp.doc(responses={200: "bytes for up to 256 columns of 256 rows; level is half a dB a step"})
def spectrum(digest: str, axis: sg.Axis, level: int, index: int) -> Response:
    data = spectrum_tile(_sounding(digest), axis, level, index).tobytes()
    return Response(data, mimetype="application/octet-stream", headers=_CACHED)


@bp.get("/pitch")
@bp.input(b.PitchIn, location="query")
@bp.output(b.PitchOut)
def pitch(digest: str, query_data: b.PitchIn) -> b.PitchOut:
    """Pitch over a stretch, its root and its steadiest part.

    A stretch too long to look at every moment of is looked at from its middle.
    """
    source = _source(digest)
    end = query_data.end or source.frames / source.rate
    start, run = query_data.start, min(end - query_data.start, _PITCH_RUN_S)
    if end - start > _PITCH_RUN_S:
        start += 0.5 * (end - start - run)
    samples, first = _read(source, start, start + run, MOST_PITCH_S, "Pitches")
    hop = max(HOP_S, run / query_data.most)
    track = pitch_track(samples, source.rate, hop)
    root, confidence = root_of(track)
    best = steadiest(track)
    begin = first / source.rate
    return b.PitchOut(
        start=begin, hop=hop, root=root, confidence=confidence,
        hz=[round(float(hz), 3) if hz > 0 else None for hz in track.hz],
        stability_cents=stability_cents(track),
        steadiest=None if best is None else b.SteadiestOut(
            start=begin + best.start_s, end=begin + best.end_s,
            note=hz_to_note(note_to_hz(best.note), settings().tuning),
            spread_cents=best.spread_cents, confidence=best.confidence,
        ),
    )  # fmt: skip


@bp.get("/loops")
@bp.input(b.LoopsIn, location="query")
@bp.output(b.LoopsOut)
def loops(digest: str, query_data: b.LoopsIn) -> b.LoopsOut:
    """The best loops of a stretch, best first; those written in the file come before them."""
    source = _source(digest)
    rate = source.rate
    samples, first = _read(source, query_data.start, query_data.end, MOST_LOOP_S, "Loops")
    found, tried = find_loops(samples, rate, least_s=query_data.least)
    written = read_sampler(source.path)
    out = [
        b.LoopFound(start=one.start / rate, end=one.end / rate, closes=1.0, likeness=1.0,
                    crossfade_ms=0.0, curve="linear", from_file=True)
        for one in (written.loops if written else ())
        if first <= one.start and one.end <= first + len(samples)
    ]  # fmt: skip
    out += [
        b.LoopFound(
            start=(first + one.start) / rate, end=(first + one.end) / rate, closes=one.closes,
            likeness=one.likeness, crossfade_ms=round(1e3 * one.crossfade / rate, 1),
            curve=one.curve,
        )
        for one in found
    ]  # fmt: skip
    return b.LoopsOut(loops=out, tried=tried)


@bp.get("/seam")
@bp.input(b.SeamIn, location="query")
@bp.output(b.SeamOut)
def seam(digest: str, query_data: b.SeamIn) -> b.SeamOut:
    """The seam of a loop, enlarged."""
    source = _source(digest)
    samples, _ = _read(source, 0, 0, 600.0, "Seams")
    clip = Clip(samples, source.rate)
    plain = query_data.model_dump(exclude={"reach"})
    loop, crossfade, curve = loop_of(clip, parse_step({"do": "loop", **plain}))
    reach = max(4, round(1e-3 * query_data.reach * source.rate))
    found = seam_of(samples, source.rate, loop, crossfade, curve, reach)  # type: ignore[arg-type]
    offers = offers_for_crossfade(clip.frames, loop, crossfade)
    return b.SeamOut(
        leaving=_points(found.leaving), entering=_points(found.entering), heard=_points(found.heard),
        room_ms=round(1e3 * found.room / source.rate, 2), step=round(found.step, 4),
        closes=found.judged.closes, likeness=found.judged.likeness, curve=curve,
        turn=found.turn, moved=_edges(offers.moved, source.rate),
        shortened=_edges(offers.shortened, source.rate),
    )  # fmt: skip


def _edges(loop: Loop | None, rate: int) -> tuple[float, float] | None:
    return None if loop is None else (loop.start / rate, loop.end / rate)


@bp.get("/tone")
@bp.output(b.TonePlaceOut)
def tone_place(digest: str) -> b.TonePlaceOut:
    """Where a tone is best taken from a sound, and the key it is nearest to."""
    source = _source(digest)
    samples, _ = _read(source, 0, 0, 600.0, "Tones")
    root, _ = root_of(pitch_track(samples[: 60 * source.rate], source.rate))
    lift = 12.0 * np.log2(settings().tuning / 440.0)
    note = 48 if root is None else round(root - lift)
    return b.TonePlaceOut(place=place_for_tone(samples, source.rate), note=min(115, max(12, note)))


def _points(values: NDArray[np.float32]) -> list[float]:
    return [round(float(v), 5) for v in values[:: max(1, len(values) // _MOST_POINTS)]]


@bp.get("/notes")
@bp.input(b.StretchIn, location="query")
@bp.output(b.NotesOut)
def notes(digest: str, query_data: b.StretchIn) -> b.NotesOut:
    """Notes that sound at once in a stretch."""
    source = _source(digest)
    samples, _ = _read(source, query_data.start, query_data.end, MOST_NOTES_S, "Notes")
    chord = find_notes(samples, source.rate)
    found = [
        b.NoteFound(
            note=round(one.note(settings().tuning), 4),
            hz=round(one.hz, 3),
            level_db=round(one.level_db, 1),
            partials=len(one.partials),
        )
        for one in chord.notes
    ]
    return b.NotesOut(notes=found, explained=round(chord.explained, 3))


@bp.get("/snap")
@bp.input(b.SnapIn, location="query")
@bp.output(b.SnapOut)
def snap(digest: str, query_data: b.SnapIn) -> b.SnapOut:
    """The zero crossing nearest to a moment, or the next one on either side."""
    source = _source(digest)
    reach = source.rate
    near = round(query_data.at * source.rate)
    if near > source.frames:
        raise BloomError("That moment lies outside the sound: move it inside.")
    first = max(0, near - reach)
    samples = source.read(first, 2 * reach)
    return b.SnapOut(
        at=(first + zero_crossing(samples, near - first, query_data.way)) / source.rate
    )
