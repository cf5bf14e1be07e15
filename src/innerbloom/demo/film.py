"""The announcement film: twenty-five seconds of abstract pictures, drawn by formulas alone.

Every picture is the sum of soft lines over a dark ground: how bright a point is follows from how far it
lies from a curve. Each picture stands for two frames.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory

import av
import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole

WIDTH, HEIGHT, RATE = 320, 180, 24
Field = NDArray[np.floating]

_DARK = np.array([27, 39, 36], np.float32)
_DEEP = np.array([24, 62, 64], np.float32)
_PALE = np.array([226, 226, 208], np.float32)
_WARM = np.array([214, 160, 84], np.float32)

# across -1.78..1.78 from the left, up -1..1 from below
_X, _Y = (
    grid.astype(np.float32)
    for grid in np.meshgrid(np.linspace(-16 / 9, 16 / 9, WIDTH), np.linspace(1, -1, HEIGHT))
)


def _line(distance: Field, width: float) -> Field:
    """How bright points are at a distance from a curve."""
    lit = width * width / (width * width + distance * distance)
    return np.asarray(lit * lit)


def _spots(places: NDArray[np.floating], size: float) -> Field:
    out = np.zeros_like(_X)
    for x, y in places:
        out += _line(np.hypot(_X - x, _Y - y), size)
    return out


def _surface(t: float) -> Field:
    """Slow waves of light on water."""
    out = np.zeros_like(_X)
    for n in range(9):
        height = 0.55 - 0.17 * n
        swell = 0.05 * np.sin(3.1 * _X + 0.9 * t + 1.7 * n) + 0.03 * np.sin(7.3 * _X - 1.3 * t + n)
        out += (0.75 - 0.06 * n) * _line(_Y - height - swell, 0.008 + 0.002 * n)
    return out


def _ribs(t: float) -> Field:
    """The ribs of a glasshouse, seen from below the water."""
    out = np.zeros_like(_X)
    bend = np.sqrt(np.maximum(0.0, 1.0 - ((_Y - 0.78) / 2.1) ** 2))
    for n in range(-6, 7):
        sway = 0.02 * np.sin(0.7 * t + 0.8 * n)
        curve = (0.3 * n + sway) * np.sqrt(np.maximum(0.0, 1.0 - bend**2)) * 2.4
        out += 0.8 * _line(_X - curve, 0.009) * (_Y < 0.8)
    for n in range(1, 5):
        arch = 0.8 - 0.34 * n + 0.03 * n * np.cos(1.4 * _X)
        out += 0.3 * _line(_Y - arch, 0.0075)
    return out


def _wheel(t: float) -> Field:
    """A sluice wheel that turns ever more slowly."""
    angle, radius = np.arctan2(_Y, _X), np.hypot(_X, _Y)
    turned = angle - 1.1 * t + 0.06 * t**2
    spokes = _line(np.sin(6 * turned) * radius, 0.035) * (radius < 0.72) * (radius > 0.12)
    out = 0.7 * spokes
    for r in (0.12, 0.6, 0.72):
        out += _line(radius - r, 0.012)
    return np.asarray(out)


def _bubbles(t: float) -> Field:
    """Air that rises."""
    rng = np.random.default_rng(5)
    x, start, speed, size = rng.uniform((-1.6, -1, 0.15, 0.01), (1.6, 1, 0.5, 0.05), (15, 4)).T
    out = np.zeros_like(_X)
    for one, at, fast, wide in zip(x, start, speed, size, strict=True):
        y = (at + fast * t + 1.2) % 2.4 - 1.2
        away = np.hypot(_X - one - 0.03 * np.sin(2.0 * t + 9 * one), _Y - y)
        out += 0.8 * _line(away - wide, 0.009)
    return out


def _bloom(t: float) -> Field:
    """A flower of six petals that opens."""
    angle, radius = np.arctan2(_Y, _X), np.hypot(_X, _Y)
    open_ = 1.0 - np.exp(-0.7 * t)
    out = np.zeros_like(_X)
    for n in range(3):
        edge = open_ * (0.55 - 0.14 * n) * (0.62 + 0.38 * np.cos(6 * angle + 0.3 * n))
        out += (0.9 - 0.2 * n) * _line(radius - edge, 0.012)
    return out


SCENES: tuple[tuple[float, Callable[[float], Field], float], ...] = (
    (5.0, _surface, 0.15),
    (6.0, _ribs, 0.75),
    (5.0, _wheel, 1.0),
    (5.0, _bubbles, 0.55),
    (4.0, _bloom, 0.0),
)
"""Length in seconds, what is drawn, and how deep under water it is."""


def picture(scene: int, t: float) -> NDArray[np.uint8]:
    """A picture of a scene, so many seconds after it begins, shape (height, width, 3)."""
    _, draw, deep = SCENES[scene]
    ground = (0.5 - 0.5 * _Y[..., None]) * deep
    colour = _DARK * (1 - ground) + _DEEP * ground
    dust = np.random.default_rng(scene).uniform((-1.7, -1), (1.7, 1), (8, 2))
    dust[:, 0] += 0.04 * np.sin(0.6 * t + np.arange(8))
    light = np.clip(draw(t), 0, 1)[..., None]
    warm = np.clip(0.6 * _spots(dust, 0.012), 0, 1)[..., None]
    shown = colour + light * (_PALE - colour)
    return np.asarray((shown + warm * (_WARM - shown)).clip(0, 255), np.uint8)


def write_film(path: Path) -> None:
    """Write the whole film as an MP4, without sound."""
    with written_whole(path) as beside, av.open(str(beside), "w", format="mp4") as out:
        stream = out.add_stream("libx264", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.options = {"preset": "veryfast", "crf": "20"}
        number = 0
        for scene, (seconds, _, _) in enumerate(SCENES):
            for at in range(0, round(seconds * RATE), 2):
                drawn = picture(scene, at / RATE)
                for _ in range(2):
                    frame = av.VideoFrame.from_ndarray(drawn, format="rgb24")
                    frame.pts, frame.time_base = number, Fraction(1, RATE)
                    out.mux(stream.encode(frame))
                    number += 1
        out.mux(stream.encode(None))


def film_bytes() -> bytes:
    """The whole film as a file's content."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "announcement.mp4"
        write_film(path)
        return path.read_bytes()
