"""Reading sound files in blocks, never whole: what libsndfile reads, and what FFmpeg decodes."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.errors import SoundFileError
from innerbloom.core.sound.decoding import MAX_HOURS, readable
from innerbloom.core.sound.refusal import why_unreadable

RATES = (1_000, 768_000)
MAX_CHANNELS = 8
BLOCK_FRAMES = 1 << 16
LOUDEST = 1e6
"""Full scales beyond which a sample is taken for damage: its square would leave what can be measured."""


@dataclass(frozen=True)
class SoundInfo:
    """What a file's header says: frames, frames a second in Hz, channels, sample format."""

    frames: int
    rate: int
    channels: int
    container: str
    subtype: str

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return self.frames / self.rate


@contextmanager
def _opened(path: Path) -> Iterator[sf.SoundFile]:
    try:
        # an open file rather than its name: libsndfile then goes by content alone
        with readable(path).open("rb") as raw, sf.SoundFile(raw) as sound:
            yield sound
    except FileNotFoundError as error:
        raise SoundFileError(f"There is no file '{path.name}'.") from error
    except (IsADirectoryError, PermissionError) as error:
        raise SoundFileError(f"'{path.name}' cannot be opened: {error.strerror}.") from error
    except (sf.LibsndfileError, RuntimeError, TypeError, ValueError) as error:
        raise SoundFileError(why_unreadable(path)) from error


def sound_info(path: Path) -> SoundInfo:
    """Header of a file, checked for sense.

    Raises
    ------
    SoundFileError
        If the file cannot be read or its rate, channels or length are out of range.
    """
    with _opened(path) as sound:
        info = SoundInfo(
            sound.frames, int(sound.samplerate), sound.channels, sound.format, sound.subtype
        )
    name = path.name
    if not RATES[0] <= info.rate <= RATES[1]:
        raise SoundFileError(
            f"'{name}' says it runs at {info.rate} Hz; only {RATES[0]} Hz to "
            f"{RATES[1] // 1000} kHz can be right."
        )
    if info.channels > MAX_CHANNELS:
        raise SoundFileError(
            f"'{name}' has {info.channels} channels; up to {MAX_CHANNELS} can be taken in."
        )
    if info.frames <= 0:
        raise SoundFileError(f"'{name}' holds no sound: its length is zero.")
    if info.seconds > MAX_HOURS * 3600:
        raise SoundFileError(
            f"'{name}' says it lasts {info.seconds / 3600:.0f} hours; "
            f"files of up to {MAX_HOURS} hours can be taken in."
        )
    return info


def read_blocks(
    path: Path, *, start: int = 0, frames: int = -1, block: int = BLOCK_FRAMES
) -> Iterator[NDArray[np.float32]]:
    """Samples in blocks of shape (up to ``block``, channels), float32, full scale at 1.

    Parameters
    ----------
    start, frames : int
        First frame, and how many to read; -1 reads to the end.

    Raises
    ------
    SoundFileError
        Also if a sample is not a finite number.
    """
    with _opened(path) as sound:
        if start:
            sound.seek(min(start, sound.frames))
        left = frames if frames >= 0 else sound.frames
        while left > 0:
            samples = sound.read(min(block, left), dtype="float32", always_2d=True)
            if not len(samples):
                return
            left -= len(samples)
            if not np.isfinite(samples).all():
                raise SoundFileError(
                    f"'{path.name}' contains samples that are not numbers (NaN or infinity): "
                    "export it again from where it was made."
                )
            if float(np.abs(samples).max(initial=0.0)) > LOUDEST:
                raise SoundFileError(
                    f"'{path.name}' has samples beyond {LOUDEST:.0e} times full scale, which is no "
                    "sound: export it again from where it was made."
                )
            yield samples


def read_stretch(
    path: Path, start_s: float, length_s: float | None, most_s: float
) -> tuple[NDArray[np.float32], int]:
    """A stretch of a file as (samples of shape (frames, 1 or 2), rate).

    Files with more than two channels are folded down: even channels to the left, odd ones
    to the right.
    """
    info = sound_info(path)
    start = min(int(start_s * info.rate), info.frames - 1)
    seconds = most_s if length_s is None else min(length_s, most_s)
    blocks = list(read_blocks(path, start=start, frames=max(1, round(seconds * info.rate))))
    if not blocks:
        raise SoundFileError(
            f"'{path.name}' ends before {start_s:.2f} s: nothing can be read there."
        )
    return fold_down(np.concatenate(blocks)), info.rate


def fold_down(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Shape (frames, channels) to at most two channels, by the mean of every second one."""
    if samples.shape[1] <= 2:
        return samples
    pair = (samples[:, 0::2].mean(axis=1), samples[:, 1::2].mean(axis=1))
    return np.stack(pair, axis=1).astype(np.float32)
