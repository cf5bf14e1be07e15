"""What sounded before something of another kind was opened: it fades out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import AnyEngine

_FADE_FRAMES = 2_048


class Outgoing:
    """An engine on its way out, 43 ms long."""

    def __init__(self, engine: AnyEngine) -> None:
        self._engine, self._at = engine, 0

    def add_to(self, out: NDArray[np.float32]) -> bool:
        """Add its next frames; gives whether there are more."""
        frames = len(out)
        gains = 1.0 - (self._at + np.arange(1, frames + 1)) / _FADE_FRAMES
        out += self._engine.render(frames) * np.maximum(gains, 0.0)[:, None].astype(np.float32)
        self._at += frames
        return self._at < _FADE_FRAMES
