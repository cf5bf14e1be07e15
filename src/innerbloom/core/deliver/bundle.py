"""Bundles: a zip with ``instrument.json`` or ``ensemble.json`` and all recordings as FLAC.

A bundle from elsewhere is not trusted: names, sizes and counts are checked before
anything is written.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.export import about_of, mark_known
from innerbloom.core.deliver.playable import Playable, parse_playable
from innerbloom.core.ensemble.document import Ensemble, instruments_in, with_instruments
from innerbloom.core.errors import BundleError
from innerbloom.core.instrument.document import Instrument, sounds_of
from innerbloom.core.materials.protocol import Locate
from innerbloom.core.refusing import refusing
from innerbloom.core.sound.files import fold_down, read_blocks, sound_info
from innerbloom.core.sound.writing import write_sound

DOCUMENT, ENSEMBLE = "instrument.json", "ensemble.json"
MOST_FILES = 1_024
MOST_BYTES = 4 << 30
MOST_DOCUMENT_BYTES = 4 << 20
MOST_RATIO = 400
"""Unpacked to packed size above which a member is taken for a bomb; FLAC hardly shrinks."""

_FLAC_RATES = range(1, 655_351)


def write_bundle(document: Playable, locate: Locate, target: Path) -> None:
    """Write a document and its recordings to one zip file."""
    parts = parts_of(document)
    with (
        TemporaryDirectory(dir=target.parent) as folder,
        written_whole(target) as beside,
        zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as bundle,
    ):
        packed: dict[tuple[str | None, str], tuple[str, float]] = {}
        for sound in _sounds(parts):
            source = locate(sound)
            key = (sound.recording, str(source))
            if key not in packed:
                name = f"recordings/{len(packed) + 1}.flac"
                flac = Path(folder) / Path(name).name
                packed[key] = (name, _write_flac(source, flac))
                bundle.write(flac, name)
            _refer(sound, *packed[key])
        whole = whole_of(document, parts)
        name = ENSEMBLE if isinstance(whole, Ensemble) else DOCUMENT
        bundle.writestr(name, whole.model_dump_json(indent=2))


def parts_of(document: Playable) -> dict[str, Instrument]:
    """Copies of all instruments of a document, by player; an instrument is its only one."""
    if isinstance(document, Ensemble):
        return instruments_in(document)
    return {"": document.model_copy(deep=True)}


def whole_of(document: Playable, parts: dict[str, Instrument]) -> Playable:
    """A document of other instruments; those of a project have no number elsewhere."""
    if not isinstance(document, Ensemble):
        return parts[""]
    whole = with_instruments(document, parts)
    for one in whole.players:
        one.instrument = None
    return whole


def _sounds(parts: dict[str, Instrument]) -> list[Sound]:
    return [sound for part in parts.values() for sound in sounds_of(part)]


def _refer(sound: Sound, path: str, lowered_db: float) -> None:
    sound.path = path
    if lowered_db:
        # the FLAC differs from the original, so it stands for itself
        sound.recording = None
        sound.gain_db = min(60.0, sound.gain_db + lowered_db)


def _write_flac(source: Path, target: Path) -> float:
    """Write a recording as 24-bit FLAC; returns by how many dB it had to be lowered to fit."""
    info = sound_info(source)
    if info.rate not in _FLAC_RATES:
        raise BundleError(f"'{source.name}' at {info.rate} Hz cannot be stored as FLAC.")
    peak = max(float(np.abs(block).max(initial=0.0)) for block in read_blocks(source))
    scale = np.float32(1.0 if peak <= 1.0 else 0.999 / peak)
    blocks = (_scaled(block, scale) for block in read_blocks(source))
    channels = min(2, info.channels)
    about = about_of(source)
    write_sound(target, blocks, info.rate, channels, form="flac", origin=about.origin)
    mark_known(target, about, info.rate)
    return 0.0 if scale == 1.0 else float(-20.0 * np.log10(scale))


def _scaled(block: NDArray[np.float32], scale: np.float32) -> NDArray[np.float32]:
    return fold_down(block) * scale


def unpack_bundle(source: Path, folder: Path) -> Playable:
    """Unpack a bundle's document and recordings into an empty folder.

    Raises
    ------
    BundleError, DocumentError
        Nothing outside the folder is ever written.
    """
    damaged = "This is not a bundle that can be opened: the zip is damaged."
    with refusing(damaged, BundleError), zipfile.ZipFile(source) as bundle:
        _check_members(bundle)
        document = parse_playable(_read_document(bundle))
        for sound in _sounds(parts_of(document)):
            _unpack_sound(bundle, sound, folder)
        return document
    raise AssertionError("refused or returned")


def _check_members(bundle: zipfile.ZipFile) -> None:
    members = bundle.infolist()
    if len(members) > MOST_FILES:
        raise BundleError(f"The bundle holds {len(members)} files; {MOST_FILES} is the most.")
    if sum(member.file_size for member in members) > MOST_BYTES:
        raise BundleError("The bundle would unpack to more than 4 GB.")
    for member in members:
        parts = member.filename.replace("\\", "/").split("/")
        if member.filename.startswith(("/", "\\")) or ".." in parts or ":" in member.filename:
            raise BundleError(f"The bundle holds an unsafe name: '{member.filename[:80]}'.")
        if (
            member.file_size > MOST_RATIO * max(1, member.compress_size)
            and member.file_size > 1 << 20
        ):
            raise BundleError(f"The bundle's '{member.filename[:80]}' unpacks far too large.")


def _read_document(bundle: zipfile.ZipFile) -> bytes:
    names = [name for name in (DOCUMENT, ENSEMBLE) if name in bundle.namelist()]
    if not names:
        raise BundleError(f"The bundle has no {DOCUMENT} in it.")
    member = bundle.getinfo(names[0])
    if member.file_size > MOST_DOCUMENT_BYTES:
        raise BundleError(f"The bundle's {names[0]} is too large to be one.")
    return bundle.read(member)


def _unpack_sound(bundle: zipfile.ZipFile, sound: Sound, folder: Path) -> None:
    if sound.path is None:
        raise BundleError("The bundle's instrument does not say which recording it plays.")
    target = folder / sound.path
    if not target.resolve().is_relative_to(folder.resolve()):
        raise BundleError(f"The bundle holds an unsafe name: '{sound.path}'.")
    if target.exists():
        return
    try:
        member = bundle.open(sound.path)
    except KeyError:
        raise BundleError(f"The bundle lacks the recording '{sound.path}'.") from None
    target.parent.mkdir(parents=True, exist_ok=True)
    left = MOST_BYTES
    with member, target.open("wb") as out:
        while piece := member.read(1 << 20):
            left -= len(piece)
            if left < 0:
                raise BundleError("The bundle would unpack to more than 4 GB.")
            out.write(piece)
