"""A layer that takes on the outline of another sound, which is not heard itself."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.kernels.convolve import convolve_tick
from innerbloom.core.engine.state import BLOCK, GROUPS, TICK
from innerbloom.core.instrument.parameters import option
from innerbloom.core.instrument.shared_parameters import LAYER
from innerbloom.core.process.colouring import HOP, RATE, TAPS, WINDOW, colour_filter, identity
from innerbloom.core.process.stft import hann

_TURN_TICKS = 16
"""Ticks from one response to the next: 21 ms, in which one turns into the other."""

_WHOLE, _PLACE = option(LAYER, "colour_from", "the whole"), option(LAYER, "colour_from", "a place")
_LONG_S, _SHORT_S = 1.5, 0.2
"""Time constants of the layer's own outline, beside a whole sound or a moving one."""

_SILENT = 1e-9
_PLAIN = np.ascontiguousarray(identity()[::-1])
"""Responses lie last tap first, as :func:`.convolve_tick` reads them."""


class Colouring:
    """The filter of one layer.

    Attributes
    ----------
    buses : ndarray of float32, shape (GROUPS, BLOCK, 2)
        Where the layer's voices are added up ahead of the filter.
    target : ndarray of float32, shape (moments, BINS), or None
        Spectra of the sound that lends its outline; without one, the layer is left alone.
    """

    def __init__(self, target: NDArray[np.float32] | None) -> None:
        self.target = target
        self.buses = np.zeros((GROUPS, BLOCK, 2), np.float32)
        self._history = np.zeros((2, WINDOW + TICK), np.float32)
        self._out = np.zeros((2, TICK), np.float32)
        self._before, self._after = _PLAIN, _PLAIN
        self._own = np.zeros(WINDOW // 2 + 1)
        self._quiet = 2 * WINDOW // TICK
        self._made_for: tuple[object, ...] = ()

    def ringing(self) -> bool:
        """Whether something of what went in is still to come out."""
        return self._quiet < TAPS // TICK

    def add_to(
        self, out: NDArray[np.float32], first: int, settings: NDArray[np.float64], age_s: float
    ) -> None:
        """Add what the voices gave, filtered, to a span of frames.

        Parameters
        ----------
        out : ndarray of float32, shape (ticks * TICK, 2)
        first : int
            Number of the first tick since the start.
        settings : ndarray, shape (ticks, 4)
            Amount and detail in %, where the outline comes from, and the place in %.
        age_s : float
            How long the newest note sounds, in seconds.
        """
        frames = len(out)
        dry = self.buses[0, :frames] + self.buses[1, :frames]
        for tick in range(frames // TICK):
            piece = slice(tick * TICK, (tick + 1) * TICK)
            self._take_in(dry[piece])
            at = (first + tick) % _TURN_TICKS
            if at == 0:
                self._turn(settings[tick], age_s + tick * TICK / RATE)
            self._give(out[piece], at)

    def _take_in(self, dry: NDArray[np.float32]) -> None:
        history = self._history
        history[:, :-TICK] = history[:, TICK:]
        history[:, -TICK:] = dry.T
        self._quiet = 0 if dry.any() else min(self._quiet + 1, 2 * WINDOW // TICK)

    def _give(self, out: NDArray[np.float32], at: int) -> None:
        if self._before is _PLAIN and self._after is _PLAIN:
            out += self._history[:, -TICK:].T
            return
        if self._quiet > TAPS // TICK:
            return
        share, to_share = at / _TURN_TICKS, (at + 1) / _TURN_TICKS
        recent = self._history[:, WINDOW - TAPS + 1 :]
        for channel in range(2):
            convolve_tick(
                self._out[channel], recent[channel], self._before, self._after, share, to_share,
            )  # fmt: skip
        out += self._out.T

    def _turn(self, settings: NDArray[np.float64], age_s: float) -> None:
        """The next response, from what has been heard of the layer up to now."""
        amount, detail, source, place = settings
        self._before = self._after
        new = self._listen(_LONG_S if source == _WHOLE else _SHORT_S)
        asked = (id(self.target), *settings.tolist(), age_s)
        if not new and asked == self._made_for:
            return
        self._made_for = asked
        if self.target is None or amount <= 0.0 or not self._own.any():
            self._after = _PLAIN
            return
        wanted = self._wanted(int(source), place, age_s)
        response = colour_filter(self._own, wanted, 0.01 * amount, 0.01 * detail)
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
