"""How sounds and waves show themselves in a notebook: a picture as SVG, and a player."""

from __future__ import annotations

import base64
import html
import io
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

WIDTH, HEIGHT = 640, 96
HEARD_S = 120
"""Seconds of a sound that a notebook takes along."""

_INK = "#8a4b5c"


def player(samples: NDArray[np.float32], rate: int) -> str:
    """An audio element with the sound in it, 16 bits, up to :data:`HEARD_S`; shape (frames, channels)."""
    import numpy as np
    import soundfile as sf

    kept = np.clip(samples[: HEARD_S * rate, :2], -1.0, 1.0)
    made = io.BytesIO()
    sf.write(made, kept, rate, "PCM_16", format="WAV")
    data = base64.b64encode(made.getvalue()).decode()
    return f'<audio controls src="data:audio/wav;base64,{data}" style="width:{WIDTH}px"></audio>'


def outline(samples: NDArray[np.float32]) -> str:
    """The lowest and highest sample of each column, as one filled SVG path."""
    import numpy as np

    mono = samples.mean(axis=1)
    columns = min(WIDTH, max(1, len(mono)))
    starts = np.linspace(0, len(mono), columns, endpoint=False).astype(int)
    low, high = np.minimum.reduceat(mono, starts), np.maximum.reduceat(mono, starts)
    scale = max(1e-9, float(np.abs(mono).max(initial=0.0)))
    x = np.linspace(0, WIDTH, columns)
    there, back = _points(x, high / scale), _points(x[::-1], low[::-1] / scale)
    return _svg(f'<path fill="{_INK}" d="M{there}L{back}Z"/>')


def curves(waves: NDArray[np.float64], most: int = 12) -> str:
    """Some of many waves of shape (n, samples), each a line, one behind the other."""
    import numpy as np

    shown = waves[np.linspace(0, len(waves) - 1, min(most, len(waves))).astype(int)]
    scale = max(1e-9, float(np.abs(shown).max()))
    x = np.linspace(0, WIDTH, shown.shape[1])
    return _svg(
        "".join(
            f'<path fill="none" stroke="{_INK}" stroke-opacity="{0.25 + 0.75 * k / len(shown):.2f}" '
            f'd="M{_points(x, one / scale)}"/>'
            for k, one in enumerate(shown, 1)
        )
    )


def shown(title: str, *parts: str) -> str:
    """A heading and what stands under it."""
    return f"<div><div>{html.escape(title)}</div>{'<br>'.join(parts)}</div>"


def _points(x: NDArray[np.float64], y: NDArray[np.float64]) -> str:
    down = HEIGHT / 2 * (1.0 - 0.96 * y)
    return " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, down, strict=True))


def _svg(content: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" '
        f'viewBox="0 0 {WIDTH} {HEIGHT}">{content}</svg>'
    )
