"""What streams take on their way through the mixer: faders, delays, and ways to buses."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.kernels.finish import QUIETEST_DB
from innerbloom.core.engine.kernels.mixing import add_groups, add_ramped

_STEP = 0.15
"""Share of the way made in a tick where a stream is taken elsewhere, muted or soloed."""

_OPEN, _SHUT = np.ones(SPAN), np.zeros(SPAN)


class Fader:
    """A gain on its way to 0 or 1, a step a tick."""

    def __init__(self, value: float) -> None:
        self.value = value

    def ramp(self, wanted: float, ticks: int) -> NDArray[np.float64]:
        """The gain at the end of each tick, shape (SPAN,)."""
        if self.value == wanted:
            return _OPEN if wanted else _SHUT
        made = np.full(SPAN, self.value)
        for tick in range(ticks):
            self.value += _STEP * (wanted - self.value)
            if abs(wanted - self.value) < 1e-4:
                self.value = wanted
            made[tick] = self.value
        return made

    def between(
        self, one: NDArray[np.float64], other: NDArray[np.float64], wanted: float, ticks: int
    ) -> NDArray[np.float64]:
        """One of two gains, or what lies between them on the way from one to the other."""
        share = self.ramp(wanted, ticks)
        if share is _SHUT:
            return one
        if share is _OPEN:
            return other
        return one + share * (other - one)


def gains_of(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear gains of levels in dB, where the lowest is silence."""
    return np.where(levels <= QUIETEST_DB, 0.0, 10.0 ** (levels / 20.0))


def padded(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Values of some ticks, the last one up to SPAN."""
    made = np.full(SPAN, values[-1])
    made[: len(values)] = values
    return made


def audible_gains_of(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same where the lowest level is not quite silence."""
    return np.asarray(10.0 ** (np.maximum(levels, QUIETEST_DB) / 20.0))


class LevelGains:
    """The gains of a level in dB, reckoned again only where it moves.

    Parameters
    ----------
    gains_of : callable
        Gives linear gains of levels.
    """

    def __init__(
        self, gains_of: Callable[[NDArray[np.float64]], NDArray[np.float64]] = gains_of
    ) -> None:
        self._gains_of = gains_of
        self._gains, self._settled = np.ones(SPAN), np.nan

    def at(self, levels: NDArray[np.float64]) -> NDArray[np.float64]:
        """Gains at the end of each tick, shape (SPAN,): the same array while nothing moves."""
        if not self.rests_at(levels):
            self._gains = padded(self._gains_of(levels))
            self._settled = levels[0] if (levels == levels[0]).all() else np.nan
        return self._gains

    def rests_at(self, levels: NDArray[np.float64]) -> bool:
        """Whether it has settled where these levels are."""
        return bool(levels.tolist().count(self._settled) == len(levels))


class Delay:
    """So many frames of silence, and then what went in."""

    def __init__(self) -> None:
        self._line = np.zeros((0, 2), np.float32)

    def process(self, audio: NDArray[np.float32], frames: int) -> None:
        """Delay whole ticks in place; where the delay changes, what waits is kept or cut."""
        if frames == 0 and not len(self._line):
            return
        if len(self._line) != frames:
            kept = self._line[-frames:] if frames else self._line[:0]
            silence = np.zeros((frames - len(kept), 2), np.float32)
            self._line = np.concatenate((silence, kept))
        joined = np.concatenate((self._line, audio))
        audio[:] = joined[: len(audio)]
        self._line = joined[len(audio) :]

    def ringing(self) -> bool:
        """Whether something waits."""
        return len(self._line) > 0 and bool(self._line.any())

    @property
    def empty(self) -> bool:
        """Whether it leaves everything as it is."""
        return not len(self._line)


class Way:
    """One way that a stream takes: to which bus, how far it is open, and its last gain.

    One that is open begins at whatever gain comes first, one that is shut at none.
    """

    def __init__(self, bus: str, open_: float) -> None:
        self.bus = bus
        self.fader = Fader(open_)
        self.level, self.of_level = np.ones(SPAN), LevelGains()
        self._last: float | None = None if open_ else 0.0

    def add(
        self, out: NDArray[np.float32], audio: NDArray[np.float32], gains: NDArray[np.float64]
    ) -> None:
        """Add whole ticks of a stream, its gain moving on from where it was."""
        ticks = len(audio) // TICK
        before = float(gains[0]) if self._last is None else self._last
        self._last = float(gains[ticks - 1])
        if before or self._last or gains[:ticks].any():
            add_ramped(out, audio, before, gains)

    def add_groups(
        self,
        out: NDArray[np.float32],
        bus: NDArray[np.float32],
        ticks: int,
        gains: NDArray[np.float64],
    ) -> None:
        """Add what both groups of a layer's voices added up to."""
        before = float(gains[0]) if self._last is None else self._last
        self._last = float(gains[ticks - 1])
        add_groups(out, bus, ticks, before, gains)

    def keep_level(self) -> None:
        """Stay at the level of the end of the last tick."""
        self.level = np.full(SPAN, self.level[-1])

    def come_in(self) -> None:
        """Go on from silence."""
        self._last = 0.0

    def pass_by(self, gains: NDArray[np.float64], ticks: int) -> None:
        """Note the gain where there is nothing to add."""
        self._last = float(gains[ticks - 1])
