"""What the Instrument view shows of spectra: outlines of a morph, and segments on a map."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from apiflask import APIBlueprint
from numpy.typing import NDArray
from sqlalchemy import select

from innerbloom.core.analysis.segments import HOP_S
from innerbloom.core.declare.sound import Sound
from innerbloom.core.layers.cloud import segment_map
from innerbloom.core.layers.cloud.axes import axes_of
from innerbloom.core.layers.spectral import matching_of
from innerbloom.core.materials.protocol import Stretch
from innerbloom.core.materials.spectrum.document import SpectrumDocument
from innerbloom.core.materials.spectrum.envelope import outlines
from innerbloom.core.materials.spectrum.files import read_spectrum
from innerbloom.core.materials.spectrum.path import shares_on_path
from innerbloom.core.materials.spectrum.pictures import (
    column_hz,
    mixed,
    outline_db,
)
from innerbloom.jobs.kind import as_file
from innerbloom.store.models import JobRow
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.spectra import SpectrumStore
from innerbloom.web import spectrum_schemas as ss
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("outlines", __name__, url_prefix="/api")


@bp.post("/segments")
@bp.input(ss.SegmentsAsked, location="json")
@bp.output(ss.SegmentsOut)
def segments(json_data: ss.SegmentsAsked) -> ss.SegmentsOut:
    """What the segments of some sounds sound like, for the map that grains are chosen on."""
    files = services().files
    found = segment_map(json_data.sounds, DiskMaterials(files))
    return ss.SegmentsOut(
        axes=axes_of(found), hop_s=HOP_S, points=found.round(4).tolist(),
        seconds=[round(Stretch.of(one).seconds(files.locate), 4) for one in json_data.sounds],
    )  # fmt: skip


def _outline(store: SpectrumStore, sound: Sound, place: float) -> NDArray[np.float64] | None:
    """The outline of a sound at a place, where its spectrum is at hand."""
    path = store.path_of(store.key(sound))
    if path is None:
        return None
    every = _outlines(path)
    row: NDArray[np.float64] = every[min(round(place * (len(every) - 1)), len(every) - 1)]
    return row


def _have_taken(key: str, sound: Sound) -> None:
    """Let a job take a sound apart, unless one is at it already."""
    rows = database().scalars(
        select(JobRow).where(JobRow.kind == "spectrum").order_by(JobRow.created.desc()).limit(50)
    )
    if any(one.params.get("key") == key and one.state in ("queued", "failed") for one in rows):
        return
    document = SpectrumDocument(name=sound.name or "a sound", sound=sound)
    params = {"tuning": settings().tuning, "origin": None, "key": key}
    files = as_file(document.model_dump(mode="json"))
    services().jobs.submit("spectrum", f"Spectrum of {document.name}", params, files)


@lru_cache(maxsize=32)
def _outlines(path: Path) -> NDArray[np.float64]:
    """All outlines of a spectrum: asked for many times a second while a morph is watched."""
    return outlines(read_spectrum(path)).astype(np.float64)


@bp.post("/spectra/morph")
@bp.input(ss.MorphAsked, location="json")
@bp.output(ss.MorphPicture)
def morph(json_data: ss.MorphAsked) -> ss.MorphPicture:
    """Outlines of the sounds of a morph, and of what lies between them."""
    store = SpectrumStore(services().files)
    asked = [_outline(store, one, json_data.place) for one in json_data.sounds]
    hz = column_hz()
    ready = all(one is not None for one in asked)
    picture = ss.MorphPicture(
        ready=ready, hz=hz.round(1).tolist(), sounds=[], between=[], shares=[],
        matching=matching_of(json_data.matching, json_data.sounds),
    )  # fmt: skip
    if not ready:
        for sound, outline in zip(json_data.sounds, asked, strict=True):
            if outline is None:
                _have_taken(store.key(sound), sound)
        return picture
    found = [one for one in asked if one is not None]
    gains = [one.gain_db for one in json_data.sounds]
    shares = shares_on_path(len(found), json_data.morph, json_data.amount)
    picture.shares = shares
    picture.sounds = [
        (outline_db(one, hz) + gain).round(1).tolist()
        for one, gain in zip(found, gains, strict=True)
    ]
    picture.between = outline_db(mixed(found, shares, gains), hz).round(1).tolist()
    return picture
