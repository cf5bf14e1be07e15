"""Loops, root and markers in FLAC, Ogg Vorbis and Opus files: Vorbis comments, read and written.

Comments are text under names in capitals (Xiph.Org Foundation, "Ogg Vorbis I format specification:
comment field and header specification"; the same in FLAC, RFC 9639 section 8.6, and in Opus,
RFC 7845 section 5.2). Which names:

- ``LOOPSTART`` and ``LOOPLENGTH``, in frames: *common practice* of what plays game music. What they
  cannot tell stands in ``LOOPTYPE`` (as the types of a `smpl` chunk are called) and ``LOOPCOUNT``
  (its play count: 0 without end, 1 left at release).
- ``UNITYNOTE``, as the `smpl` chunk calls it: a MIDI note, with a fraction.
- ``CHAPTER001`` and on, ``HH:MM:SS.mmm``: Xiph's chapter extension; the same to the frame in ``CUEPOINTS``.

The packets of sound are copied as they are (FFmpeg, by way of PyAV).
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from innerbloom.core.atomic import written_whole
from innerbloom.core.refusing import DECODER_ERRORS
from innerbloom.core.sound.loop import Direction, Loop

COMMENTED = (".flac", ".ogg", ".oga", ".opus")
"""Suffixes of the files that have comments."""

_MUXERS = {".flac": "flac", ".opus": "opus"}
_TYPES: dict[str, Direction] = {
    "forward": "forward", "alternating": "back-and-forth", "backward": "backward",
}  # fmt: skip
_MOST_MARKERS = 1_000


def read_comments(path: Path) -> dict[str, str]:
    """All comments of a file, names in capitals; empty where it has none or is of another kind."""
    if path.suffix.lower() not in COMMENTED:
        return {}
    # loaded only for such files: most sounds need none of it
    import av

    try:
        with av.open(str(path), metadata_errors="ignore") as file:
            streams = [one.metadata for one in file.streams.audio]
            found = [*file.metadata.items(), *(pair for one in streams for pair in one.items())]
    except (OSError, av.FFmpegError, *DECODER_ERRORS):
        # what stands beside a sound never keeps it from being read
        return {}
    return {key.upper(): value for key, value in found}


def add_comments(path: Path, comments: dict[str, str]) -> None:
    """Add comments to a file, which keeps its sound and the comments that it has."""
    import av

    form = _MUXERS.get(path.suffix.lower(), "ogg")
    with (
        written_whole(path) as beside,
        av.open(str(path), metadata_errors="ignore") as source,
        # without a serial number by chance: the same sound written twice is the same file
        av.open(str(beside), "w", format=form, options={"fflags": "bitexact"}) as target,
    ):
        stream = source.streams.audio[0]
        copied = target.add_stream_from_template(stream)
        there = {**source.metadata, **stream.metadata, **comments}
        # an Ogg stream has its own comments, a FLAC file those of the whole
        (target if form == "flac" else copied).metadata.update(there)
        for packet in source.demux(stream):
            # the last one is empty and says that there is no more
            if packet.dts is not None:
                packet.stream = copied
                target.mux(packet)


def loop_comments(loop: Loop | None, root: float | None) -> dict[str, str]:
    """A loop, and a root as a MIDI note, as comments."""
    told: dict[str, str] = {}
    if root is not None:
        told["UNITYNOTE"] = f"{root:.4f}".rstrip("0").rstrip(".")
    if loop is not None:
        names = {direction: name for name, direction in _TYPES.items()}
        told |= {
            "LOOPSTART": str(loop.start), "LOOPLENGTH": str(loop.end - loop.start),
            "LOOPTYPE": names[loop.direction], "LOOPCOUNT": "0" if loop.stay else "1",
        }  # fmt: skip
    return told


def loop_of(comments: dict[str, str]) -> tuple[Loop | None, float | None]:
    """The loop and the root that comments tell of; None for what they do not, or not sensibly."""
    root = _number(comments.get("UNITYNOTE"))
    start, length = _number(comments.get("LOOPSTART")), _number(comments.get("LOOPLENGTH"))
    loop = None
    if start is not None and length is not None and start >= 0 and length >= 2:
        direction = _TYPES.get(comments.get("LOOPTYPE", ""), "forward")
        stay = comments.get("LOOPCOUNT", "0") == "0"
        loop = Loop(int(start), int(start + length), direction, stay=stay)
    return loop, root if root is not None and 0.0 <= root < 128.0 else None


def marker_comments(markers: Sequence[int], rate: int) -> dict[str, str]:
    """Markers, in frames, as comments."""
    if not markers:
        return {}
    told = {"CUEPOINTS": " ".join(map(str, markers))}
    for number, frame in enumerate(markers, 1):
        minutes, seconds = divmod(frame / rate, 60.0)
        hours, minutes = divmod(int(minutes), 60)
        told[f"CHAPTER{number:03d}"] = f"{hours:02d}:{minutes:02d}:{seconds:06.3f}"
        told[f"CHAPTER{number:03d}NAME"] = f"Marker {number}"
    return told


def markers_of(comments: dict[str, str]) -> tuple[int, ...]:
    """The frames that comments mark."""
    found = [_number(one) for one in comments.get("CUEPOINTS", "").split()[:_MOST_MARKERS]]
    return tuple(int(one) for one in found if one is not None and one >= 0)


def _number(text: str | None) -> float | None:
    try:
        value = float(text or "")
    except ValueError:
        return None
    # NaN is no number, and beyond 2**53 frames are no longer told apart
    return value if abs(value) < 2.0**53 else None
