"""Where a recording came from: BWF `bext` and RIFF/FLAC text fields, read and written.

Layout of `bext`: EBU Tech 3285 version 2. Chunks are padded to even size (RIFF MCI 1.0).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import soundfile as sf

from innerbloom.core.refusing import DECODER_ERRORS
from innerbloom.core.sound.comments import read_comments

_BEXT = struct.Struct("<256s32s32s10s8sIIH64s5h180s")
assert _BEXT.size == 602

_LONGEST_CHUNK = 1 << 20
"""Metadata chunks larger than this are left alone: no recorder writes them."""


@dataclass(frozen=True)
class Origin:
    """Where a recording came from; any field may be empty.

    Attributes
    ----------
    title, notes, recordist, licence : str
    date : str
        ISO date, ``2031-03-03``.
    """

    title: str = ""
    notes: str = ""
    recordist: str = ""
    licence: str = ""
    date: str = ""


def read_origin(path: Path) -> Origin:
    """Origin as far as the file tells it; an unreadable field stays empty."""
    fields = _text_fields(path)
    bext = _read_bext(path)
    return Origin(
        title=fields.get("title", ""),
        notes=bext.get("notes") or fields.get("comment") or read_comments(path).get("COMMENT", ""),
        recordist=bext.get("recordist") or fields.get("artist", ""),
        licence=fields.get("copyright", ""),
        date=bext.get("date") or fields.get("date", ""),
    )


def _text_fields(path: Path) -> dict[str, str]:
    try:
        with path.open("rb") as raw, sf.SoundFile(raw) as sound:
            return {key: str(value)[:2_000] for key, value in sound.copy_metadata().items()}
    except (sf.LibsndfileError, RuntimeError, OSError, UnicodeDecodeError):
        return {}


_MOST_CHUNKS = 10_000
"""A recorder writes ten."""


def riff_chunks(file: BinaryIO) -> Iterator[tuple[bytes, int, int]]:
    """Chunks of a RIFF/WAVE or RF64 file as (name, offset of content, size).

    What follows the last one whose name is of printable letters is no chunk: names are so by
    definition (Multimedia Programming Interface and Data Specifications 1.0, IBM and Microsoft 1991).
    """
    head = file.read(12)
    if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        return
    at = 12
    for _ in range(_MOST_CHUNKS):
        file.seek(at)
        header = file.read(8)
        if len(header) < 8 or not all(0x20 <= letter < 0x7F for letter in header[:4]):
            return
        size = struct.unpack("<I", header[4:])[0]
        yield header[:4], at + 8, size
        at += 8 + size + (size & 1)


_NOT_KNOWN = 0x7FFF0000
"""From here on a size says that whoever wrote the file did not know it yet."""


def promised_seconds(path: Path) -> float | None:
    """What the header of a WAV file says that it holds, where the file ends before; None where it is whole.

    What was cut short by a full card or a broken transfer still reads, up to where it ends.
    """
    with path.open("rb") as file:
        bytes_a_second = 0
        for name, offset, size in riff_chunks(file):
            if name == b"fmt " and size >= 16:
                file.seek(offset + 8)
                bytes_a_second = int.from_bytes(file.read(4), "little")
            if name == b"data":
                there = path.stat().st_size - offset
                return (
                    size / bytes_a_second if bytes_a_second and there < size < _NOT_KNOWN else None
                )
    return None


def find_chunk(path: Path, wanted: bytes) -> bytes | None:
    """Content of the first chunk of that name in a WAV file, up to a megabyte; None where there is none."""
    try:
        with path.open("rb") as file:
            for name, offset, size in riff_chunks(file):
                if name == wanted and size <= _LONGEST_CHUNK:
                    file.seek(offset)
                    return file.read(size)
    except (OSError, *DECODER_ERRORS):
        # what stands beside a sound never keeps it from being read
        pass
    return None


def _read_bext(path: Path) -> dict[str, str]:
    data = find_chunk(path, b"bext")
    if data is None or len(data) < _BEXT.size:
        return {}
    values = _BEXT.unpack_from(data)
    return {
        "notes": _clean(values[0]),
        "recordist": _clean(values[1]),
        "date": _clean(values[3]),
    }


def read_history(path: Path) -> str:
    """The coding history of a `bext` chunk; empty where there is none."""
    data = find_chunk(path, b"bext") or b""
    return _clean(data[_BEXT.size :])


def _clean(raw: bytes) -> str:
    return raw.split(b"\0")[0].decode("utf-8", "replace").strip()


@dataclass(frozen=True)
class Loudness:
    """What `bext` version 2 tells of loudness; None for what has none.

    Attributes
    ----------
    integrated, momentary, short_term : float or None
        In LUFS; the last two are the highest there are.
    range_lu : float or None
    true_peak : float or None
        In dBTP.
    """

    integrated: float | None = None
    range_lu: float | None = None
    true_peak: float | None = None
    momentary: float | None = None
    short_term: float | None = None

    def packed(self) -> tuple[int, ...]:
        """In hundredths, in the order of the chunk; what there is not is 0x7FFF."""
        told = (self.integrated, self.range_lu, self.true_peak, self.momentary, self.short_term)
        return tuple(
            _UNKNOWN if one is None or abs(one) > 300 else round(100 * one) for one in told
        )


_UNKNOWN = 0x7FFF


def add_bext(
    path: Path,
    origin: Origin,
    *,
    time_of_day: str = "00:00:00",
    time_reference: int = 0,
    loudness: Loudness | None = None,
    history: str = "",
) -> None:
    """Append a `bext` chunk to a plain WAV file, in place; other formats are left as they are.

    ``time_reference`` counts frames from midnight to the first one. With ``loudness`` the chunk is of
    version 2, else of version 1. ``history`` is the coding history, lines that end in CR LF.
    """
    payload = _BEXT.pack(
        origin.notes.encode()[:256],
        origin.recordist.encode()[:32],
        b"",
        origin.date.encode()[:10],
        time_of_day.encode()[:8],
        time_reference & 0xFFFFFFFF,
        time_reference >> 32,
        1 if loudness is None else 2,
        b"",
        *((0,) * 5 if loudness is None else loudness.packed()),
        b"",
    )
    append_chunk(path, b"bext", payload + history.encode())


def append_chunk(path: Path, name: bytes, payload: bytes) -> None:
    """Append a chunk to a plain RIFF file, in place, padded to even size; others are left alone."""
    with path.open("r+b") as file:
        if file.read(4) != b"RIFF":
            return
        file.seek(0, 2)
        if file.tell() & 1:
            file.write(b"\0")
        file.write(name + struct.pack("<I", len(payload)) + payload)
        if len(payload) & 1:
            file.write(b"\0")
        whole = file.tell()
        file.seek(4)
        file.write(struct.pack("<I", whole - 8))


def forget_the_clock(path: Path) -> None:
    """Set to zero the time that libsndfile notes in the PEAK chunk of a float WAV file, in place.

    The same sound written twice is then the same file, and has the same hash.
    """
    with path.open("r+b") as file:
        for name, offset, size in riff_chunks(file):
            if name == b"PEAK" and size >= 8:
                file.seek(offset + 4)  # after the version
                file.write(b"\0\0\0\0")
                return


def text_fields(origin: Origin) -> dict[str, str]:
    """An origin as the text fields libsndfile writes to WAV and FLAC."""
    pairs = {
        "title": origin.title,
        "comment": origin.notes,
        "artist": origin.recordist,
        "copyright": origin.licence,
        "date": origin.date,
    }
    return {key: value for key, value in pairs.items() if value}
