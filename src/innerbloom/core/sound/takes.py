"""What a field recorder writes into its files: scene, take, note, place and timecode.

Time of day: the time reference of `bext` (EBU Tech 3285), samples since midnight. The rest:
the `iXML` chunk, an open specification of XML inside WAV files. Markers: the RIFF `cue `
chunk (RIFF MCI 1.0), 24 bytes a point.
"""

from __future__ import annotations

import struct
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from innerbloom.core.refusing import DECODER_ERRORS
from innerbloom.core.sound.comments import COMMENTED, markers_of, read_comments
from innerbloom.core.sound.metadata import append_chunk, riff_chunks

_TIME_REFERENCE = struct.Struct("<II")
_TIME_REFERENCE_AT = 338
_CUE = struct.Struct("<6I")
_LONGEST = 1 << 20
_MOST_MARKERS = 1_000


@dataclass(frozen=True)
class Take:
    """One take; any text may be empty.

    Attributes
    ----------
    scene, take, note, place : str
    since_midnight : int or None
        Frames from midnight to the first one.
    frames_a_second : float
        Rate of the timecode.
    markers : tuple of int
        Frames of the file.
    """

    scene: str = ""
    take: str = ""
    note: str = ""
    place: str = ""
    since_midnight: int | None = None
    frames_a_second: float = 25.0
    markers: tuple[int, ...] = ()

    def timecode(self, rate: int) -> str:
        """``HH:MM:SS:FF`` of the first frame; empty where it is not known."""
        if self.since_midnight is None or rate <= 0:
            return ""
        seconds, rest = divmod(self.since_midnight, rate)
        frame = int(rest * self.frames_a_second / rate)
        minutes, second = divmod(seconds, 60)
        return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}:{second:02d}:{frame:02d}"


def read_take(path: Path) -> Take:
    """What a WAV file says, or comments of its markers; what cannot be read stays empty."""
    if path.suffix.lower() in COMMENTED:
        return Take(markers=markers_of(read_comments(path)))
    found: dict[str, object] = {}
    try:
        with path.open("rb") as file:
            for name, offset, size in riff_chunks(file):
                if name not in (b"iXML", b"bext", b"cue ") or size > _LONGEST:
                    continue
                file.seek(offset)
                found |= _READERS[name](file.read(size))
    except (OSError, *DECODER_ERRORS):
        # what stands beside a sound never keeps it from being read
        pass
    return Take(**found)  # type: ignore[arg-type]


def _read_bext(data: bytes) -> dict[str, object]:
    if len(data) < _TIME_REFERENCE_AT + 8:
        return {}
    low, high = _TIME_REFERENCE.unpack_from(data, _TIME_REFERENCE_AT)
    reference = low + (high << 32)
    return {"since_midnight": reference} if reference else {}


def _read_ixml(data: bytes) -> dict[str, object]:
    text = data.split(b"\0")[0]
    # a recorder writes no document types; entities could grow without bound
    if b"<!" in text:
        return {}
    try:
        root = ET.fromstring(text.decode("utf-8", "replace"))
    except (ET.ParseError, ValueError):
        return {}
    words = {
        "scene": "SCENE",
        "take": "TAKE",
        "note": "NOTE",
        "place": "LOCATION/LOCATION_NAME",
    }
    found: dict[str, object] = {
        key: (root.findtext(path) or "").strip()[:200] for key, path in words.items()
    }
    rate = (root.findtext("SPEED/TIMECODE_RATE") or "").partition("/")
    try:
        value = float(rate[0]) / float(rate[2] or 1)
        if 1.0 <= value <= 120.0:
            found["frames_a_second"] = value
    except (ValueError, ZeroDivisionError):
        pass
    return found


def _read_cues(data: bytes) -> dict[str, object]:
    count = min(struct.unpack_from("<I", data)[0] if len(data) >= 4 else 0, _MOST_MARKERS)
    places = [
        _CUE.unpack_from(data, 4 + i * _CUE.size)[5]
        for i in range(count)
        if 4 + (i + 1) * _CUE.size <= len(data)
    ]
    return {"markers": tuple(sorted(set(places)))}


_READERS = {b"bext": _read_bext, b"iXML": _read_ixml, b"cue ": _read_cues}


def add_markers(path: Path, markers: Sequence[int]) -> None:
    """Append a `cue ` chunk with points at these frames to a plain WAV file."""
    data = struct.pack("<I", len(markers))
    for number, frame in enumerate(markers, 1):
        data += _CUE.pack(number, frame, int.from_bytes(b"data", "little"), 0, 0, frame)
    append_chunk(path, b"cue ", data)


def add_ixml(
    path: Path, take: Take, *, project: str = "", drop: bool = False, sampling: int | None = None
) -> None:
    """Append an `iXML` chunk (iXML 2.0) with what is known of a take to a plain WAV file.

    Parameters
    ----------
    drop : bool
        Whether its timecode drops frames.
    sampling : int, optional
        Frames of sound a second, for the time of its first one to be told.
    """
    root = ET.Element("BWFXML")
    rate = Fraction(take.frames_a_second).limit_denominator(1_001)
    told = {
        "IXML_VERSION": "2.0", "PROJECT": project, "SCENE": take.scene, "TAKE": take.take,
        "NOTE": take.note,
    }  # fmt: skip
    speed = {
        "TIMECODE_RATE": f"{rate.numerator}/{rate.denominator}",
        "TIMECODE_FLAG": "DF" if drop else "NDF",
    }
    if sampling is not None and take.since_midnight is not None:
        speed |= {
            "MASTER_SPEED": speed["TIMECODE_RATE"], "CURRENT_SPEED": speed["TIMECODE_RATE"],
            "FILE_SAMPLE_RATE": str(sampling), "TIMESTAMP_SAMPLE_RATE": str(sampling),
            "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI": str(take.since_midnight >> 32),
            "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO": str(take.since_midnight & 0xFFFFFFFF),
        }  # fmt: skip
    for into, texts in ((root, told), (ET.SubElement(root, "SPEED"), speed)):
        for tag, text in texts.items():
            ET.SubElement(into, tag).text = text
    ET.SubElement(ET.SubElement(root, "LOCATION"), "LOCATION_NAME").text = take.place
    append_chunk(path, b"iXML", ET.tostring(root, "utf-8", xml_declaration=True))
