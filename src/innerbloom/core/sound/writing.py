"""Writing sound files in blocks, complete or not at all."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.atomic import final_name, written_whole
from innerbloom.core.errors import SoundFileError
from innerbloom.core.sound.metadata import Origin, add_bext, forget_the_clock, text_fields

Format = Literal["wav16", "wav24", "wav32f", "flac", "ogg", "opus"]

_FORMATS: dict[str, tuple[str, str]] = {
    "wav16": ("WAV", "PCM_16"),
    "wav24": ("WAV", "PCM_24"),
    "wav32f": ("WAV", "FLOAT"),
    "flac": ("FLAC", "PCM_24"),
    "ogg": ("OGG", "VORBIS"),
    "opus": ("OGG", "OPUS"),
}
SUFFIX: dict[str, str] = {
    name: ".opus" if subtype == "OPUS" else f".{container.lower()}"
    for name, (container, subtype) in _FORMATS.items()
}
OPUS_RATES = (8_000, 12_000, 16_000, 24_000, 48_000)
"""Frames a second that Opus knows (RFC 6716, section 2)."""


def rate_for(form: Format, rate: int) -> int:
    """The rate at which a format is written that is asked for another: the next higher of its own."""
    if form != "opus":
        return rate
    return next((one for one in OPUS_RATES if one >= rate), OPUS_RATES[-1])


def format_for(path: Path) -> Format:
    """The format a file name asks for; WAV is written with 24 bits."""
    suffix = path.suffix.lower()
    if suffix == ".flac":
        return "flac"
    if suffix in (".wav", ".wave"):
        return "wav24"
    raise ValueError(f"'{path.name}' has to end in .wav or .flac.")


def refuse_clipping(samples: NDArray[np.float32], name: str, form: Format) -> None:
    """Refuse samples that peak above full scale where the format cannot hold that.

    Raises
    ------
    SoundFileError
        One sentence with the peak and what to do.
    """
    peak = float(np.abs(samples).max(initial=0.0))
    if peak > 1.0 and form != "wav32f":
        raise SoundFileError(
            f"'{name}' peaks at +{20 * np.log10(peak):.1f} dBFS and would be clipped: "
            "choose WAV float, or normalise it first."
        )


def write_sound(
    path: Path,
    blocks: Iterable[NDArray[np.float32]],
    rate: int,
    channels: int,
    *,
    form: Format = "wav24",
    origin: Origin | None = None,
    history: str = "",
) -> int:
    """Write blocks of shape (frames, channels) and return the number of frames.

    ``history`` is the coding history that a WAV file takes along.

    The file appears under its name only once it is whole.
    """
    container, subtype = _FORMATS[form]
    frames = 0
    try:
        with written_whole(path) as beside:
            with sf.SoundFile(
                beside, "w", samplerate=rate, channels=channels, format=container, subtype=subtype
            ) as out:
                for key, value in text_fields(origin or Origin()).items():
                    setattr(out, key, value)
                for block in blocks:
                    out.write(block)
                    frames += len(block)
            if container == "WAV":
                forget_the_clock(beside)
            if container == "WAV" and (origin or history):
                add_bext(beside, origin or Origin(), history=history)
    except sf.LibsndfileError as error:
        raise SoundFileError(
            f"'{path.with_name(final_name(path))}' cannot be written: is its folder there, writable and not full?"
        ) from error
    return frames
