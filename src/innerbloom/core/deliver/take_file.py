"""Takes that travel: one zip with a header, the events as lines of JSON, and the sound as FLAC.

A file from elsewhere is not trusted: what it holds and how large that is are checked before
anything is written.
"""

from __future__ import annotations

import shutil
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile as sf

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BundleError
from innerbloom.core.performance.take import RATE, Take
from innerbloom.core.performance.take_format import (
    EVENTS,
    HEADER,
    SOUND,
    TakeHeader,
    lines_of,
    parse_header,
    read_take,
)
from innerbloom.core.refusing import refusing
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.writing import write_sound

SUFFIX = ".take"
FLAC = "sound.flac"
GAIN = "gain.txt"
MOST_TEXT_BYTES, MOST_SOUND_BYTES = 1 << 30, 4 << 30
_MOST_RATIO = 400


def write_take(target: Path, header: TakeHeader, take: Take, sound: Path | None) -> None:
    """Write a take to a file.

    A sound above full scale, as it may be ahead of the limiter, is lowered to fit into FLAC; by
    how much stands beside it in dB. The samples themselves come from the events.
    """
    with (
        TemporaryDirectory(dir=target.parent) as folder,
        written_whole(target) as beside,
        zipfile.ZipFile(beside, "w", zipfile.ZIP_DEFLATED) as out,
    ):
        out.writestr(HEADER, header.model_dump_json())
        out.writestr(EVENTS, "".join(f"{line}\n" for line in lines_of(take)))
        if sound is not None:
            flac = Path(folder) / FLAC
            lowered = _write_flac(sound, flac)
            out.write(flac, FLAC, zipfile.ZIP_STORED)
            if lowered:
                out.writestr(GAIN, f"{lowered:.6f}\n")


def _write_flac(source: Path, target: Path) -> float:
    peak = max((float(np.abs(one).max(initial=0.0)) for one in read_blocks(source)), default=0.0)
    scale = np.float32(1.0 if peak <= 1.0 else 0.999 / peak)
    write_sound(target, (one * scale for one in read_blocks(source)), RATE, 2, form="flac")
    return 0.0 if scale == 1.0 else float(-20.0 * np.log10(scale))


def unpack_take(source: Path, folder: Path) -> tuple[TakeHeader, Take]:
    """Unpack a take into a folder as takes are stored; gives it.

    The sound is written as float WAV where there is one.

    Raises
    ------
    BundleError, PerformanceError
        Nothing outside the folder is ever written.
    """
    damaged = "This is not a take that can be opened: the file is damaged."
    with refusing(damaged, BundleError), zipfile.ZipFile(source) as opened:
        names = {one.filename: one for one in opened.infolist()}
        for name, most in ((HEADER, 64 << 20), (EVENTS, MOST_TEXT_BYTES)):
            _check(names, name, most)
        header = parse_header(opened.read(HEADER).decode("utf-8"))
        lines = opened.read(EVENTS).decode("utf-8", "replace").splitlines()
        has_sound = FLAC in names
        if has_sound:
            _check(names, FLAC, MOST_SOUND_BYTES)
            gain = float(opened.read(GAIN)) if GAIN in names else 0.0
            with opened.open(FLAC) as packed, (folder / FLAC).open("wb") as out:
                shutil.copyfileobj(packed, out)
    frames = header.frames or 0
    if has_sound:
        frames = _unpack_sound(folder, gain)
    take, lost = read_take(header, lines, frames)
    header = header.model_copy(update={"frames": frames, "lost": header.lost + lost})
    (folder / EVENTS).write_text("".join(f"{line}\n" for line in lines_of(take)), "utf-8")
    return header, take


def _check(names: dict[str, zipfile.ZipInfo], name: str, most: int) -> None:
    found = names.get(name)
    if found is None:
        raise BundleError(f"This is not a take: '{name}' is missing in it.")
    if found.file_size > most or found.file_size > _MOST_RATIO * max(1, found.compress_size):
        raise BundleError(f"The take holds more than can be right: '{name}' is too large.")


def _unpack_sound(folder: Path, gain_db: float) -> int:
    flac, scale = folder / FLAC, np.float32(10.0 ** (min(60.0, max(0.0, gain_db)) / 20.0))
    try:
        info = sf.info(flac)
        if (info.samplerate, info.channels) != (RATE, 2):
            raise BundleError("The take's sound is not 48 kHz and stereo: it cannot be its own.")
        blocks = (one * scale for one in read_blocks(flac))
        return write_sound(folder / SOUND, blocks, RATE, 2, form="wav32f")
    except sf.LibsndfileError as error:
        raise BundleError("The take's sound is damaged.") from error
    finally:
        flac.unlink(missing_ok=True)
