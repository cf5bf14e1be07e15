"""Films: what a file holds, a proxy of it that a page can play and step by frames, and its sound.

A proxy holds every frame of the timeline's rate as a frame of its own that needs no other, so that a
page can stand on any of them at once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import get_args

import av
import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.timeline.cuts import ChangeMeter
from innerbloom.core.timeline.document import MOST_FRAMES
from innerbloom.core.timeline.timecode import RATES, RateName, rate_named

PROXY_WIDTH = 640
_SMALL = 160
"""Width at which colours are counted."""


@dataclass(frozen=True)
class FilmInfo:
    """What a film's file holds.

    Attributes
    ----------
    rate : RateName
        Frames a second; the nearest of those that timecode knows.
    told_rate : float
        What the file itself says.
    frames : int
        At ``rate``.
    timecode : str
        Of its first frame, as the file tells it; empty where it does not.
    """

    rate: RateName
    told_rate: float
    frames: int
    width: int
    height: int
    sound: bool
    timecode: str = ""


def film_info(path: Path) -> FilmInfo:
    """What a film holds.

    Raises
    ------
    BloomError
        If there is no picture in it, or it cannot be read.
    """
    try:
        with av.open(str(path), metadata_errors="ignore") as container:
            if not container.streams.video:
                raise BloomError(f"'{path.name}' has no picture in it.")
            return _told(container, path.name)
    except BloomError:
        raise
    except Exception as error:
        # whatever a decoder stumbles over, the file is the reason
        raise BloomError(f"'{path.name}' cannot be read as a film.") from error


def _told(container: av.container.InputContainer, name: str) -> FilmInfo:
    stream = container.streams.video[0]
    told = stream.average_rate or stream.guessed_rate or Fraction(0)
    # a strange rate is shown at the nearest that is higher, so that no frame is lost
    rate = rate_named(told) or _next_higher(float(told))
    seconds = _seconds(container, stream)
    frames = round(seconds * RATES[rate])
    if not 1 <= frames <= MOST_FRAMES:
        raise BloomError(f"'{name}' says it lasts {float(seconds):.0f} s: that cannot be used.")
    timecode = stream.metadata.get("timecode") or container.metadata.get("timecode") or ""
    width, height = stream.codec_context.width, stream.codec_context.height
    return FilmInfo(rate, float(told), frames, width, height, bool(container.streams.audio),
                    timecode)  # type: ignore[arg-type]  # fmt: skip


def _next_higher(told: float) -> RateName:
    names: list[RateName] = [*get_args(RateName)]
    return next((one for one in names if float(RATES[one]) >= told), names[-1])


def _seconds(container: av.container.InputContainer, stream: av.VideoStream) -> Fraction:
    if stream.duration and stream.time_base:
        return Fraction(stream.duration * stream.time_base)
    if stream.frames and stream.average_rate:
        return Fraction(stream.frames) / Fraction(stream.average_rate)
    return Fraction(container.duration or 0, 1_000_000)


def make_proxy(
    path: Path,
    target: Path,
    info: FilmInfo,
    report: Callable[[float], bool] = lambda share: True,
) -> NDArray[np.float32]:
    """Write the proxy; gives how much each frame differs from the one before.

    Returns
    -------
    ndarray, shape (frames,)
        As by :class:`.ChangeMeter`.

    Raises
    ------
    BloomError
        If it cannot be decoded, or written.
    Cancelled
        If ``report`` gives False.
    """
    meter, found = ChangeMeter(), []
    try:
        with written_whole(target) as beside, av.open(str(beside), "w", format="mp4") as out:
            stream = _proxy_stream(out, info)
            for number, picture in enumerate(_pictures(path, info)):
                if not report(number / info.frames):
                    raise Cancelled("Stopped.")
                small = picture.reformat(width=_SMALL, height=_even(_SMALL, info), format="rgb24")
                found.append(meter.feed(small.to_ndarray()))
                frame = picture.reformat(width=stream.width, height=stream.height, format="yuv420p")
                frame.pts, frame.time_base = number, Fraction(1) / RATES[info.rate]
                frame.pict_type = av.video.frame.PictureType.I
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
    except BloomError:
        raise
    except (OSError, av.FFmpegError) as error:
        why = getattr(error, "strerror", None) or "it is damaged"
        raise BloomError(f"The film cannot be made ready: {why}.") from error
    if not found:
        raise BloomError(f"'{path.name}' has no picture that can be decoded.")
    return np.array(found, np.float32)


def _proxy_stream(out: av.container.OutputContainer, info: FilmInfo) -> av.VideoStream:
    stream = out.add_stream("libx264", rate=RATES[info.rate])
    stream.width = min(PROXY_WIDTH, info.width) // 2 * 2 or 2
    stream.height = _even(stream.width, info)
    stream.pix_fmt = "yuv420p"
    stream.gop_size = 1
    stream.options = {"preset": "veryfast", "crf": "26", "tune": "fastdecode"}
    return stream


def _even(width: int, info: FilmInfo) -> int:
    return max(2, round(info.height * width / info.width / 2) * 2)


def _pictures(path: Path, info: FilmInfo) -> Iterator[av.VideoFrame]:
    """The picture that stands at each frame of the rate, however the film itself is timed."""
    due = 0
    shown: av.VideoFrame | None = None
    with av.open(str(path), metadata_errors="ignore") as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        first: float | None = None
        for frame in container.decode(stream):
            if frame.time is None:
                continue
            first = frame.time if first is None else first
            at = round((frame.time - first) * float(RATES[info.rate]))
            while shown is not None and due < min(at, info.frames):
                yield shown
                due += 1
            shown = frame
    while shown is not None and due < info.frames:
        yield shown
        due += 1


def film_sound(path: Path, target: Path) -> bool:
    """Write a film's sound as a float WAV file that begins with its first picture.

    Returns
    -------
    bool
        False where it has none.

    Raises
    ------
    BloomError
        If it cannot be decoded.
    """
    try:
        return _write_sound(path, target)
    except av.FFmpegError as error:
        raise BloomError("The sound of this film cannot be decoded: it is damaged.") from error


def _write_sound(path: Path, target: Path) -> bool:
    with av.open(str(path), metadata_errors="ignore") as container:
        if not container.streams.audio:
            return False
        stream, picture = container.streams.audio[0], container.streams.video[0]
        lead = _start(stream) - _start(picture)
        rate = stream.codec_context.sample_rate
        resampler = av.AudioResampler(format="flt", layout="stereo", rate=rate)
        with (
            written_whole(target) as beside,
            sf.SoundFile(beside, "w", rate, 2, "FLOAT", format="RF64") as out,
        ):
            skip = max(0, -round(lead * rate))
            out.write(np.zeros((max(0, round(lead * rate)), 2), np.float32))
            for frame in container.decode(stream):
                for piece in resampler.resample(frame):
                    samples = piece.to_ndarray().reshape(-1, 2)
                    out.write(samples[skip:])
                    skip = max(0, skip - len(samples))
    return True


def _start(stream: av.stream.Stream) -> Fraction:
    if stream.start_time is None or stream.time_base is None:
        return Fraction(0)
    return Fraction(stream.start_time * stream.time_base)
