"""Sounds that libsndfile does not read (m4a, WavPack, webm, sound tracks of video), decoded by FFmpeg."""

from __future__ import annotations

import errno
import os
import shutil
import threading
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import Cancelled, SoundFileError
from innerbloom.core.sound.refusal import why_unreadable

if TYPE_CHECKING:
    # loaded where something is decoded: most sounds need none of it
    import av

MAX_HOURS = 24
_ROOM_LEFT = 64 << 20
"""Bytes that stay free on the disk."""

_KEPT = 8
"""Decoded sounds that are kept: a thousand would fill a disk, and each is decoded again if need be."""

_BYTES = 4
"""Of a sample as it is written."""


def decode(source: Path, target: Path, progress: Callable[[float], bool] | None = None) -> None:
    """Decode the first sound in a file to a WAV file of 32-bit float samples (RF64 where it is large).

    Parameters
    ----------
    progress : callable, optional
        Told how far it is, 0..1; returns False to stop it.

    Raises
    ------
    SoundFileError
        If there is no sound in the file, it cannot be decoded, or is longer than a day.
    OSError
        If there is no room for it: before anything is written, as far as the file says its length.
    Cancelled
        If ``progress`` returns False.
    """
    import av

    try:
        with (
            av.open(str(source), metadata_errors="ignore") as container,
            written_whole(target) as beside,
        ):
            if not container.streams.audio:
                raise SoundFileError(f"'{source.name}' has no sound in it.")
            if _seconds(container) > MAX_HOURS * 3600:
                raise _endless(source)
            _check_room(container, target)
            _write(container, source, beside, progress)
    except (SoundFileError, Cancelled, FileNotFoundError, PermissionError):
        raise
    except OSError as error:
        # FFmpeg's own errors are OSErrors as well
        if error.errno in (errno.ENOSPC, errno.EFBIG, errno.EDQUOT):
            raise
        raise SoundFileError(why_unreadable(source)) from error
    except Exception as error:
        # whatever a decoder stumbles over, the file is the reason
        raise SoundFileError(why_unreadable(source)) from error


def _endless(source: Path) -> SoundFileError:
    return SoundFileError(
        f"'{source.name}' goes on beyond {MAX_HOURS} hours, which cannot be taken in."
    )


def _seconds(container: av.container.InputContainer) -> float:
    """How long the file says it is, which FFmpeg counts in microseconds; 0 where it does not."""
    return float((container.duration or 0) / 1e6)


def _check_room(container: av.container.InputContainer, target: Path) -> None:
    codec = container.streams.audio[0].codec_context
    wanted = _seconds(container) * codec.sample_rate * codec.channels * _BYTES
    if wanted + _ROOM_LEFT > shutil.disk_usage(target.parent).free:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(target.parent))


def _write(
    container: av.container.InputContainer, source: Path, target: Path,
    progress: Callable[[float], bool] | None,
) -> None:  # fmt: skip
    stream, seconds = container.streams.audio[0], _seconds(container)
    rate, channels = stream.codec_context.sample_rate, stream.codec_context.channels
    import av

    resampler = av.AudioResampler(format="flt", rate=rate)
    frames = 0
    with sf.SoundFile(target, "w", rate, channels, "FLOAT", format="RF64") as out:
        for frame in container.decode(stream):
            for piece in resampler.resample(frame):
                samples = piece.to_ndarray().reshape(-1, channels)
                _append(out, samples, target)
                frames += len(samples)
            if frames > MAX_HOURS * 3600 * rate:
                raise _endless(source)
            if progress and not progress(min(1.0, frames / rate / seconds) if seconds else 0.0):
                raise Cancelled("Stopped.")


def _append(out: sf.SoundFile, samples: NDArray[np.float32], target: Path) -> None:
    try:
        out.write(samples)
    except (sf.LibsndfileError, AssertionError) as error:
        # libsndfile does not say what the disk said; samples as such can always be written
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(target.parent)) from error


def is_directly_readable(path: Path) -> bool:
    """Whether libsndfile opens the file, without judging its sense."""
    try:
        with path.open("rb") as raw, sf.SoundFile(raw):
            return True
    except (OSError, RuntimeError, TypeError, ValueError):
        return False


def readable(path: Path, progress: Callable[[float], bool] | None = None) -> Path:
    """The file itself where libsndfile opens it, else its sound decoded, kept for a while.

    Raises
    ------
    SoundFileError, OSError, Cancelled
        As :func:`decode` does.
    """
    if not path.is_file() or is_directly_readable(path):
        return path
    return _DECODED.of(path, progress)


class _Decoded:
    """The sounds decoded last, in a temporary folder of this process, by what and when the file is."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._folder: TemporaryDirectory[str] | None = None
        self._known: dict[tuple[Path, int, int], Path] = {}
        self._count = 0

    def of(self, path: Path, progress: Callable[[float], bool] | None) -> Path:
        found = path.stat()
        key = (path.resolve(), found.st_size, found.st_mtime_ns)
        with self._lock:
            if key not in self._known:
                self._folder = self._folder or TemporaryDirectory(prefix="bloom-decoded-")
                self._count += 1
                target = Path(self._folder.name) / f"{self._count}.wav"
                decode(path, target, progress)
                self._known[key] = target
            # the one used last stands at the end
            found_at = self._known[key] = self._known.pop(key)
            for old in list(self._known)[:-_KEPT]:
                self._known.pop(old).unlink(missing_ok=True)
            return found_at


_DECODED = _Decoded()
