"""Colour: a stream takes on the spectral outline of another sound, which is not heard itself."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.convolve import convolve_tick
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.kind import Effect, EffectKind, Ticks
from innerbloom.core.materials.described import OutlinesRequest
from innerbloom.core.materials.protocol import Materials, Stretch
from innerbloom.core.process.colouring import HOP, TAPS, WINDOW, colour_filter, identity
from innerbloom.core.process.stft import hann

# fmt: off
COLOUR: tuple[Declared, ...] = (
    P("amount", "amount", "Colouring", "%", 0, 100, 100,
      "How much of the other sound's outline is taken on."),
    P("detail", "detail", "Colouring", "%", 0, 100, 35,
      "From broad outlines, as of a vowel, to every partial."),
    Choice("outline_of", "outline of", ("the whole", "its course", "a place"), "the whole",
           "The other sound all together, as it goes on beside the newest note, or at one place.",
           "Colouring"),
    P("place", "place", "Colouring", "%", 0, 100, 50, "Where in the other sound.",
      when=("outline_of", ("a place",))),
)
# fmt: on

_TURN_TICKS = 16
"""Ticks from one response to the next: 21 ms, in which one turns into the other."""

_WHOLE, _PLACE = option(COLOUR, "outline_of", "the whole"), option(COLOUR, "outline_of", "a place")
_LONG_S, _SHORT_S = 1.5, 0.2
"""Time constants of the stream's own outline, beside a whole sound or a moving one."""

_SILENT = 1e-9
_PLAIN = np.ascontiguousarray(identity()[::-1])
"""Responses lie last tap first, as :func:`.convolve_tick` reads them."""

_FORGOTTEN = 2 * WINDOW // TICK
"""Ticks of silence after which nothing of what went in is left."""


class Colour(Effect):
    """The filter of one stream, made anew every 16 ticks from what was heard of it.

    Parameters
    ----------
    target : ndarray of float32, shape (moments, BINS), or None
        Spectra of the sound that lends its outline; without one, the stream is left alone.
    """

    def __init__(self, target: NDArray[np.float32] | None) -> None:
        self.target = target
        self._history = np.zeros((2, WINDOW + TICK), np.float32)
        self._out = np.zeros((2, TICK), np.float32)
        self._before, self._after = _PLAIN, _PLAIN
        self._own = np.zeros(WINDOW // 2 + 1)
        self._quiet = _FORGOTTEN
        self._made_for: tuple[object, ...] = ()

    def ringing(self) -> bool:
        """Whether something of what went in is still to come out."""
        return self._quiet < TAPS // TICK

    def tail_s(self) -> float:
        """The length of the filter's response."""
        return TAPS / RATE

    def copied(self) -> Colour:
        """The same filter, going its own way from here."""
        other = copy.copy(self)
        other._history, other._out = self._history.copy(), self._out.copy()
        other._own = self._own.copy()
        return other

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Filter whole ticks in place."""
        for tick in range(len(audio) // TICK):
            piece = audio[tick * TICK : (tick + 1) * TICK]
            self._take_in(piece)
            at = (ticks.first + tick) % _TURN_TICKS
            if at == 0:
                self._turn(ticks.values[tick], ticks.age_s + tick * TICK_S)
            self._give(piece, at)

    def _take_in(self, dry: NDArray[np.float32]) -> None:
        history = self._history
        history[:, :-TICK] = history[:, TICK:]
        history[:, -TICK:] = dry.T
        self._quiet = 0 if dry.any() else min(self._quiet + 1, _FORGOTTEN)

    def _give(self, piece: NDArray[np.float32], at: int) -> None:
        if self._before is _PLAIN and self._after is _PLAIN:
            return
        if self._quiet > TAPS // TICK:
            piece[:] = 0.0
            return
        share, to_share = at / _TURN_TICKS, (at + 1) / _TURN_TICKS
        recent = self._history[:, WINDOW - TAPS + 1 :]
        responses = (self._before, self._after)
        for channel in range(2):
            convolve_tick(self._out[channel], recent[channel], *responses, share, to_share)
        piece[:] = self._out.T

    def _turn(self, values: Any, age_s: float) -> None:
        """The next response, from what has been heard of the stream up to now."""
        source, amount = int(values["outline_of"]), float(values["amount"])
        self._before = self._after
        new = self._listen(_LONG_S if source == _WHOLE else _SHORT_S)
        asked = (id(self.target), *values.tolist(), age_s)
        if not new and asked == self._made_for:
            return
        self._made_for = asked
        if self.target is None or amount <= 0.0 or not self._own.any():
            self._after = _PLAIN
            return
        wanted = self._wanted(source, float(values["place"]), age_s)
        response = colour_filter(self._own, wanted, 0.01 * amount, 0.01 * float(values["detail"]))
        self._after = np.ascontiguousarray(response[::-1])

    def _listen(self, time_constant_s: float) -> bool:
        """Take the newest of the layer into its own outline; whether there was any."""
        if self._quiet >= WINDOW // TICK:
            return False
        mono = self._history[:, TICK:].sum(axis=0)
        spectrum = np.fft.rfft(mono * hann(WINDOW))
        power = spectrum.real**2 + spectrum.imag**2
        if power.max() <= _SILENT:
            return False
        begun = self._own.any()
        share = 1.0 - np.exp(-_TURN_TICKS * TICK / RATE / time_constant_s) if begun else 1.0
        self._own += share * (power - self._own)
        return True

    def _wanted(self, source: int, place: float, age_s: float) -> NDArray[np.float64]:
        assert self.target is not None
        count = len(self.target)
        if source == _WHOLE or count == 1:
            return np.asarray(self.target.mean(axis=0), np.float64)
        at = 0.01 * place * (count - 1) if source == _PLACE else (age_s * RATE / HOP) % (count - 1)
        low = min(int(at), count - 2)
        rows = self.target[low : low + 2].astype(np.float64)
        return np.asarray(rows[0] + (at - low) * (rows[1] - rows[0]))


def _prepare(effect: Any, materials: Materials) -> NDArray[np.float32] | None:
    if effect.sound is None:
        return None
    return materials.get(OutlinesRequest(Stretch.of(effect.sound)))


KIND = EffectKind(
    "colour",
    "Colouring",
    COLOUR,
    Colour,
    "Takes on the outline of another sound, which is not heard itself.",
    prepare=_prepare,
    sound="one",
    picture="none",
)
