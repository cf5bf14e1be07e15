"""The table of contents of what is handed over: one entry a file, as JSON with a schema and as CSV."""

from __future__ import annotations

import csv
import io
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from innerbloom.core.declare.model import published
from innerbloom.core.deliver.credits import Credit


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Lineage(_Model):
    """What a file was made from: an instrument, and how it was played; ``take`` is what was played, where it
    was no single note, and ``snapshot`` the name of the state it was played in."""

    instrument: str
    take: str = ""
    key: int
    velocity: int
    seed: int
    snapshot: str = ""


class Entry(_Model):
    """One file.

    Attributes
    ----------
    seconds, frames, rate, channels
        Its length, at its own rate in Hz.
    loop : (start, end) or None
        In frames; the end is one past the last.
    loudness : float
        In LUFS (ITU-R BS.1770).
    peak : float
        True peak in dBTP.
    root : int
        Key at which it was struck, as a MIDI note.
    unlike : float or None
        How unlike it is to the file that is most like it, where that was asked.
    tags : list of str
        Those of the instrument.
    sha256 : str
        Of the file.
    """

    file: str
    name: str
    seconds: float
    frames: int
    rate: int
    channels: int
    loop: tuple[int, int] | None
    loudness: float | None
    peak: float
    root: int
    unlike: float | None = None
    tags: list[str] = []
    lineage: Lineage
    sha256: str


class Contents(_Model):
    """All that is in a folder."""

    format: Literal["inner-bloom/contents"] = "inner-bloom/contents"
    version: Literal[1] = 1
    title: str
    files: list[Entry]
    credits: list[Credit]


_COLUMNS = ("file", "name", "seconds", "frames", "rate", "channels", "loop start", "loop end",
            "loudness LUFS", "peak dBTP", "root", "unlike", "tags", "instrument", "take", "key", "velocity", "seed",
            "snapshot", "sha256")  # fmt: skip


def as_csv(contents: Contents) -> str:
    """One line a file (RFC 4180)."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(_COLUMNS)
    for one in contents.files:
        made = one.lineage
        table.writerow((
            one.file, one.name, f"{one.seconds:.6f}", one.frames, one.rate, one.channels,
            *(one.loop or ("", "")), "" if one.loudness is None else f"{one.loudness:.2f}",
            f"{one.peak:.2f}", one.root, "" if one.unlike is None else f"{one.unlike:.3f}", " ".join(one.tags),
            made.instrument, made.take, made.key,
            made.velocity, made.seed, made.snapshot, one.sha256,
        ))  # fmt: skip
    return out.getvalue()


def contents_schema() -> dict[str, Any]:
    """The published JSON Schema."""
    return published(Contents, "Inner Bloom table of contents")
