"""A film of plain colours and an edit list, for tests of timelines."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

EDL = """TITLE: FILM
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00
* FROM CLIP NAME: SURFACE
002  AX       V     C        00:00:00:00 00:00:02:00 01:00:04:00 01:00:06:00
* FROM CLIP NAME: UNDER THE PANES
* COMMENT: held under
"""


def write_film(
    path: Path, colours: list[int], rate: Fraction = Fraction(24), sound: int | None = 48_000
) -> None:
    """A film of one plain colour a frame, with a click at the first sample of every second."""
    with av.open(str(path), "w") as out:
        video = out.add_stream("libx264", rate=rate)
        video.width, video.height, video.pix_fmt = 320, 180, "yuv420p"
        audio = out.add_stream("aac", rate=sound) if sound else None
        for n, colour in enumerate(colours):
            picture = np.full(
                (180, 320, 3),
                ((colour * 67) % 256, (colour * 29) % 256, 200 - colour * 11 % 200),
                np.uint8,
            )
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = n, 1 / rate
            out.mux(video.encode(frame))
        out.mux(video.encode(None))
        if audio is not None:
            seconds = len(colours) / float(rate)
            samples = np.zeros((1, int(seconds * sound)), np.float32)
            samples[0, ::sound] = 0.9
            frame = av.AudioFrame.from_ndarray(samples, format="fltp", layout="mono")
            frame.rate = sound
            out.mux(audio.encode(frame))
            out.mux(audio.encode(None))
