"""Instruments and ensembles: as a bundle with their sounds, as a document alone, and their tuning."""

from __future__ import annotations

import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

from innerbloom.core.atomic import written_whole
from innerbloom.core.deliver.bundle import unpack_bundle, write_bundle
from innerbloom.core.deliver.exporters.kind import Exporter
from innerbloom.core.deliver.exporters.subjects import PlayableSubject
from innerbloom.core.deliver.playable import Playable, parse_playable
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.performance.scala import key_offsets, read_mapping, read_scale
from innerbloom.core.performance.scala_out import mapping_text, scale_text


def _bundle(subject: PlayableSubject, target: Path) -> None:
    write_bundle(subject.document, subject.locate, target)


def _unpacked(path: Path) -> Playable:
    with TemporaryDirectory() as folder:
        return unpack_bundle(path, Path(folder))


def _document(subject: PlayableSubject, target: Path) -> None:
    with written_whole(target) as beside:
        beside.write_text(subject.document.model_dump_json(indent=2) + "\n", "utf-8")


def _tuning(subject: PlayableSubject, target: Path) -> None:
    document = subject.document
    if not isinstance(document, Instrument) or document.tuning is None:
        raise BloomError(f"'{document.name}' has no scale of its own: it is in equal temperament.")
    scale = document.tuning
    with written_whole(target) as beside, zipfile.ZipFile(beside, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("tuning.scl", scale_text(scale.name, scale.cents))
        out.writestr("tuning.kbm", mapping_text(scale.cents))


def _offsets(path: Path) -> list[float | None]:
    with zipfile.ZipFile(path) as opened:
        scale = read_scale(opened.read("tuning.scl").decode())
        return key_offsets(scale, read_mapping(opened.read("tuning.kbm").decode()))


INSTRUMENT_BUNDLE = Exporter(
    "bundle", "instrument", "Export as bundle", ".zip", "application/zip", _bundle, _unpacked
)
INSTRUMENT_DOCUMENT = Exporter(
    "document", "instrument", "Its document alone, as JSON", ".json", "application/json", _document,
    lambda path: parse_playable(path.read_text("utf-8")),
)  # fmt: skip
INSTRUMENT_TUNING = Exporter(
    "tuning",
    "instrument",
    "Its scale, as Scala files",
    ".zip",
    "application/zip",
    _tuning,
    _offsets,
)
