"""What the mix view watches: the whole, one stream, one effect."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import BLOCK
from innerbloom.core.engine import Engine
from innerbloom.core.engine.looking import look_at_mix
from innerbloom.live.answers import Mixing, StreamMeters
from innerbloom.live.effect_watch import EffectWatch
from innerbloom.live.messages import Watch
from innerbloom.live.mix_watch import MixWatch


class StreamWatch:
    """Meters of one stream, as a tap of its strip.

    Parameters
    ----------
    stream : str
        Id of a layer or of a shared bus.
    """

    def __init__(self, stream: str) -> None:
        self.stream = stream
        self._meters = MixWatch()
        self._block, self._filled = np.zeros((BLOCK, 2), np.float32), 0

    def __call__(self, piece: NDArray[np.float32]) -> None:
        """What left the stream, shape (n, 2)."""
        piece = piece[: BLOCK - self._filled]
        self._block[self._filled : self._filled + len(piece)] = piece
        self._filled += len(piece)

    def block(self) -> None:
        """A block is over; where nothing left the stream, it was silent."""
        self._meters.take_in(self._block)
        self._block[:], self._filled = 0.0, 0

    def look(self) -> StreamMeters:
        """Its meters now."""
        return {"stream": self.stream, "meters": self._meters.meters()}


class SessionMixing:
    """What of the mixer a page watches."""

    def __init__(self) -> None:
        self._whole: MixWatch | None = None
        self._stream: StreamWatch | None = None
        self._effect: EffectWatch | None = None

    def watch(self, asked: Watch) -> None:
        """Begin or end to watch; what is watched already goes on."""
        if not asked.mix:
            self._whole = self._stream = self._effect = None
            return
        self._whole = self._whole or MixWatch()
        if self._stream is None or self._stream.stream != asked.stream:
            self._stream = None if asked.stream is None else StreamWatch(asked.stream)
        if self._effect is None or self._effect.effect != asked.effect:
            self._effect = None if asked.effect is None else EffectWatch(asked.effect)

    def begin_block(self, engine: Engine) -> None:
        """Edits and silences make strips and effects anew: they are tapped before each block."""
        stream, effect = self._stream, self._effect
        engine.section.watch_stream(None if stream is None else stream.stream, stream)
        engine.section.watch(None if effect is None else effect.effect, effect)

    def end_block(self, out: NDArray[np.float32]) -> None:
        """A block is over, of which ``out`` is what is heard."""
        if self._whole is not None:
            self._whole.take_in(out)
        if self._stream is not None:
            self._stream.block()
        if self._effect is not None:
            self._effect.block(len(out))

    def look(self, engine: Engine, alone: str | None) -> Mixing | None:
        """What the mixer does; None where nobody watches."""
        if self._whole is None:
            return None
        seen = look_at_mix(engine.section)
        return {
            "streams": seen["streams"],
            "effects": seen["effects"],
            "spectrum": self._whole.spectrum(),
            "meters": self._whole.meters(),
            "alone": alone,
            "stream": None if self._stream is None else self._stream.look(),
            "watched": None if self._effect is None else self._effect.look(),
        }
