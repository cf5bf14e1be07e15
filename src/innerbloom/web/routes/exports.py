"""Every way out as a file, from the one list of exporters; and kept pieces back in."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.deliver.exporters import EXPORTERS, exporter_for
from innerbloom.core.deliver.exporters import subjects as sub
from innerbloom.core.ensemble.document import parse_ensemble
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.reuse import check_piece
from innerbloom.core.materials.spectrum.document import parse_spectrum
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.performance.take_document import parse_take
from innerbloom.core.performance.take_format import header_of
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.timeline.document import parse_timeline
from innerbloom.store import takes
from innerbloom.store.chains import chains_of
from innerbloom.store.ensembles import with_documents
from innerbloom.store.files import safe_title
from innerbloom.store.movements import movements_of
from innerbloom.store.spectra import SpectrumStore
from innerbloom.store.tables import TableStore
from innerbloom.store.take_folders import TakeFolders
from innerbloom.web import export_schemas as es
from innerbloom.web.routes import bench, spectra, tables
from innerbloom.web.routes.ensembles import found_ensemble
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.routes.takes import found_take, sound_address
from innerbloom.web.routes.timelines import found_timeline
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("exports", __name__, url_prefix="/api")

Found = tuple[str, Any]
"""A title for the file's name, and a subject."""


def _instrument(number: int) -> Found:
    row = found_instrument(number)
    document = parse_instrument(row.content)
    return row.name, sub.PlayableSubject(document, services().files.locate)


def _ensemble(number: int) -> Found:
    row = found_ensemble(number)
    document = with_documents(database(), parse_ensemble(row.content))
    return row.name, sub.PlayableSubject(document, services().files.locate)


def _take(number: int) -> Found:
    row = found_take(number)
    document: Any = parse_take(row.content)
    folders = TakeFolders(services().files)
    take, stored = takes.hands_of(row, folders), folders.read(row.summary["folder"])
    sound = folders.sound_path(sound_address(document))
    header = header_of(
        take, **stored.header.model_dump(include={"instrument", "name", "began", "tempo", "origin"}),
        sha256="" if document.edits or document.sound else stored.header.sha256,
    )  # fmt: skip
    return row.name, sub.TakeSubject(header, take, sound if sound.is_file() else None)


def _wavetable(number: int) -> Found:
    document = parse_table(tables.found_table(number).content)
    made = TableStore(services().files, settings().tuning).make(document)
    return document.name, sub.TableSubject(document, made.table)


def _spectrum(number: int) -> Found:
    document = parse_spectrum(spectra.found_spectrum(number).content)
    made = SpectrumStore(services().files).find(document.sound)
    if made is None:
        raise HTTPError(
            409, "It has not been taken apart since it was changed: open it on the Bench first."
        )
    return document.name, sub.SpectrumSubject(document.name, made.spectrum)


def _recipe(number: int) -> Found:
    row = bench.found_recipe(number)
    return f"{row.name} recipe", sub.PieceSubject("recipe", parse_recipe(row.content).plain())


def _timeline(number: int) -> Found:
    row = found_timeline(number)
    return row.name, sub.TimelineSubject(parse_timeline(row.content))


_BY_NUMBER: dict[str, Callable[[int], Found]] = {
    "instrument": _instrument,
    "ensemble": _ensemble,
    "take": _take,
    "wavetable": _wavetable,
    "spectrum": _spectrum,
    "recipe": _recipe,
    "timeline": _timeline,
}


@bp.get("/exporters")
@bp.output(es.ExporterList)
def exporters() -> es.ExporterList:
    """Every way in which something leaves as a file."""
    found = [es.ExporterOut.model_validate(one) for one in EXPORTERS.values()]
    return es.ExporterList(exporters=found)


@bp.get(f"/exports/<any({', '.join(_BY_NUMBER)}):of>/<int:number>/<exporter>")
@bp.doc(responses={200: "the file", 409: "not as far yet"})
def export(of: str, number: int, exporter: str) -> Response:
    """Something of the project as a file; see the exporters for the ways there are."""
    # an ensemble leaves as an instrument does
    wanted = exporter_for("instrument" if of == "ensemble" else of, exporter)
    title, subject = _BY_NUMBER[of](number)
    return _sent(wanted.id, title, subject)


@bp.get("/exports/movement/<piece>/<exporter>")
@bp.doc(responses={200: "the file"})
def export_movement(piece: str, exporter: str) -> Response:
    """A kept movement as a file."""
    plain = movements_of(services().files).taken(piece)
    name = str(plain["modulator"]["name"])
    return _sent(exporter_for("movement", exporter).id, name, sub.PieceSubject("movement", plain))


@bp.get("/exports/chain/<piece>/<exporter>")
@bp.doc(responses={200: "the file"})
def export_chain(piece: str, exporter: str) -> Response:
    """A kept chain as a file."""
    plain = chains_of(services().files).taken(piece)
    return _sent(
        exporter_for("chain", exporter).id, plain["name"], sub.PieceSubject("chain", plain)
    )


def _sent(exporter: str, title: str, subject: Any) -> Response:
    wanted = EXPORTERS[exporter]
    name = f"{safe_title(title, wanted.of.title())}{wanted.suffix}"
    with tempfile.TemporaryDirectory(dir=services().files.incoming) as folder:
        path = Path(folder) / f"export{wanted.suffix}"
        wanted.write(subject, path)
        # opened now, so that it can be sent once its name is gone
        return send_file(path.open("rb"), wanted.media, as_attachment=True, download_name=name)


@bp.post("/kept")
@bp.input(es.PieceIn, location="json")
@bp.output(es.PieceTakenIn, status_code=201)
def take_in(json_data: es.PieceIn) -> es.PieceTakenIn:
    """A movement or a chain from a file, kept for reuse."""
    piece, files = json_data.piece, services().files
    if piece.get("format") == "inner-bloom/chain":
        chain = parse_chain(piece).model_dump(mode="json")
        return es.PieceTakenIn(kind="chain", name=chains_of(files).keep(chain).name)
    try:
        check_piece(piece)
        return es.PieceTakenIn(kind="movement", name=movements_of(files).keep(piece).name)
    except (DocumentError, KeyError) as error:
        raise HTTPError(
            422, "This file holds neither a movement nor a chain of effects."
        ) from error
