"""Hold: what is there stays, as a spectrum, and is blurred.

Every sixteen ticks the last 4096 frames are taken apart; magnitudes go on as they were as far as
it holds, and are put together again with phases that go on at the frequency measured in each bin,
stirred at random as far as is wished: not at all keeps tones, altogether makes a cloud of them.

References
----------
.. [1] M. Dolson, "The phase vocoder: a tutorial", Computer Music Journal 10(4), 1986.
.. [2] P. Nasca, "Extreme sound stretching", on random phases from frame to frame, 2006.
"""

from __future__ import annotations

import copy
import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import chance_key, two_sided
from innerbloom.core.dsp.cosine import cosine
from innerbloom.core.dsp.fft import Transform, forward, inverse, scratch_for, transform_of
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import SILENT
from innerbloom.core.effects.kind import Effect, EffectKind, Ticks
from innerbloom.core.process.stft import hann

# fmt: off
HOLD: tuple[Declared, ...] = (
    P("hold", "hold", "Hold", "%", 0, 100, 80,
      "At 100 nothing new comes in; below, what is there makes room little by little."),
    P("blur", "blur", "Hold", "%", 0, 100, 30, "Smears each frequency over its neighbours."),
    P("stir", "stir", "Hold", "%", 0, 100, 25,
      "How far phases are drawn at random: from tones that stand to a cloud."),
    P("tilt", "tilt", "Hold", "dB", -6, 6, 0, "By how much each octave is louder.", sign=True),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level of what is held.", sign=True),
    P("mix", "mix", "Output", "%", 0, 100, 50, "How much of it is what is held."),
)
# fmt: on

WINDOW, HOP = 4_096, 1_024
_HOP_TICKS = HOP // TICK
_BINS = WINDOW // 2 + 1
_SEED = np.uint64(0x401D)
_HANN = hann(WINDOW)
_OVERLAPPED = _HANN / 1.5
"""Windowed twice, frames a quarter apart add up to one and a half."""

_TOGETHER, _APART = 1.33, 2.0
"""Gains that keep the level where phases go together, and where they are drawn at random."""

_FIRST_LOOKS = 1 + WINDOW // HOP
"""Looks until a window is full of what it is to hold."""

_WIDEST = 0.12
"""Share of its frequency over which a bin is blurred at most, either way."""

_OCTAVES = np.log2(np.maximum(np.arange(_BINS), 1) * RATE / WINDOW / 1_000.0)
_BIN_TURN = np.exp(2j * np.pi * HOP * np.arange(_BINS) / WINDOW)


STATE = np.dtype([(name, np.float32, (_BINS,)) for name in ("level", "turn_x", "turn_y", "x", "y")])
"""What is held of one channel: levels, the rotation from one hop to the next, and the phase.

Rotations and phases are complex numbers of length 1, their real and imaginary parts apart.
"""


class _Workspace(NamedTuple):
    """For the work on a block: tables and scratch of its transform, and the block itself."""

    table: Transform
    scratch: NDArray[np.float32]
    block: NDArray[np.float32]


def _workspace() -> _Workspace:
    return _Workspace(transform_of(WINDOW), scratch_for(WINDOW), np.zeros(WINDOW, np.float32))


@borrowing
def _take_in(state, now, before, heard, share, work):
    """Levels towards what is heard; where it is louder, the frequency measured in it too.

    The phase of a bin is that of the sound when it is heard first, and goes on from there.

    Parameters
    ----------
    now, before : float32 arrays, shape (2, _BINS)
        The spectrum, filled, and that of a hop ago: real parts, then imaginary ones.
    heard : float32 array, shape (WINDOW,)
    """
    block = work.block
    for i in range(WINDOW):
        block[i] = _HANN[i] * heard[i]
    forward(now[0], now[1], block, work.table, work.scratch)
    level, turn_x, turn_y = state.level, state.turn_x, state.turn_y
    share, none = np.float32(share), np.float32(1e-30)
    for k in range(_BINS):
        real, imag, was_real, was_imag = now[0, k], now[1, k], before[0, k], before[1, k]
        loud = math.sqrt(real * real + imag * imag)
        # the rotation from one to the other
        x, y = real * was_real + imag * was_imag, imag * was_real - real * was_imag
        long = math.sqrt(x * x + y * y)
        over, louder = np.float32(1.0) / max(long, none), loud > level[k]
        known = louder and long > none
        turn_x[k] = x * over if known else turn_x[k]
        turn_y[k] = y * over if known else turn_y[k]
        # what is there for the first time begins as it is, or all bins would add up to a click
        begins = louder and not known
        state.x[k] = real / max(loud, none) if begins else state.x[k]
        state.y[k] = imag / max(loud, none) if begins else state.y[k]
        level[k] += share * (loud - level[k])


@borrowing
def _stir(state, key, stir):
    """Turn phases on by a hop, and as far as is wished at random.

    Parameters
    ----------
    stir : float
        Largest random turn, in cycles.
    """
    x, y, turn_x, turn_y = state.x, state.y, state.turn_x, state.turn_y
    for k in range(_BINS):
        a, b = x[k] * turn_x[k] - y[k] * turn_y[k], x[k] * turn_y[k] + y[k] * turn_x[k]
        # products drift away from length 1
        over = np.float32(1.5) - np.float32(0.5) * (a * a + b * b)
        x[k], y[k] = a * over, b * over
    if stir == 0.0:
        return
    for k in range(_BINS):
        cycles = np.float32(stir * two_sided(key, np.uint64(k)))
        by_x, by_y = cosine(cycles), cosine(cycles - np.float32(0.25))
        x[k], y[k] = x[k] * by_x - y[k] * by_y, x[k] * by_y + y[k] * by_x


@borrowing
def _blur(out, level, sums, blur):
    """Levels, each over its neighbours within a share of its frequency, by their power."""
    if blur == 0.0:
        for k in range(_BINS):
            out[k] = level[k]
        return
    for k in range(_BINS):
        sums[k + 1] = sums[k] + np.float64(level[k]) ** 2
    for k in range(_BINS):
        reach = np.int64(blur * _WIDEST * k)
        low, high = max(k - reach, 0), min(k + reach + 1, _BINS)
        out[k] = math.sqrt(max(sums[high] - sums[low], 0.0) / (high - low))


@borrowing
def _give(out, state, levels, gains, spectrum, work):
    """Add what is held to the sound of the next hops, windowed.

    Parameters
    ----------
    out : float32 array, shape (WINDOW,)
    levels, gains : float32 arrays, shape (_BINS,)
    spectrum : float32 array, shape (2, _BINS)
        Scratch.
    """
    real, imag, block = spectrum[0], spectrum[1], work.block
    for k in range(_BINS):
        real[k] = gains[k] * levels[k] * state.x[k]
        imag[k] = gains[k] * levels[k] * state.y[k]
    inverse(block, real, imag, work.table, work.scratch)
    for i in range(WINDOW):
        out[i] += _OVERLAPPED[i] * block[i]


@borrowing
def _mix_in(audio, heard, out, at, before, mixes):
    """Keep what comes, and mix what is held into it, for whole ticks within a hop.

    Parameters
    ----------
    audio : float32 array, shape (ticks * TICK, 2)
    heard, out : float32 arrays, shape (2, frames)
        Of this hop: filled, and read from.
    at : int
        Ticks of the hop that are over.
    before : float
        Share of what is held at the end of the last tick, and ``mixes`` at the end of each.

    Returns
    -------
    int
        How many ticks at the end were silent, whatever was held: all, if as many as there are.
    """
    silent = 0
    for tick in range(len(mixes)):
        silent += 1
        step = (mixes[tick] - before) / TICK
        for i in range(TICK):
            mix, place = np.float32(before + step * (i + 1)), tick * TICK + i
            for c in range(2):
                came, held = audio[place, c], out[c, at * TICK + place]
                heard[c, at * TICK + place] = came
                if came != np.float32(0.0) or abs(held) >= SILENT:
                    silent = 0
                audio[place, c] = came + mix * (held - came)
        before = mixes[tick]
    return silent


class Hold(Effect):
    """A spectrum of each channel, and the phases it goes on with."""

    def __init__(self, made: object) -> None:
        self._heard = np.zeros((2, WINDOW + HOP), np.float32)
        self._out = np.zeros((2, WINDOW), np.float32)
        self._states = np.zeros(2, STATE)
        self._states["turn_x"], self._states["turn_y"] = _BIN_TURN.real, _BIN_TURN.imag
        self._states["x"] = 1.0
        self._before, self._now = np.zeros((2, 2, 2, _BINS), np.float32)
        self._spectrum, self._work = np.zeros((2, _BINS), np.float32), _workspace()
        self._levels, self._sums = np.zeros(_BINS, np.float32), np.zeros(_BINS + 1)
        self._hops, self._quiet, self._asleep, self._holds = 0, 0, True, False
        self._looks = 0
        self._mix: float | None = None
        self._gains = np.zeros(_BINS, np.float32)
        self._made_of: tuple[float, ...] | None = None

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Work on whole ticks in place."""
        self._asleep = False
        tick, count = 0, len(ticks.values)
        while tick < count:
            at = (ticks.first + tick) % _HOP_TICKS
            if at == 0:
                self._turn(ticks.values[tick])
            # as far as the next hop
            until = min(count, tick + _HOP_TICKS - at)
            mixes = 0.01 * ticks.values["mix"][tick:until]
            self._pass(audio[tick * TICK : until * TICK], at, mixes)
            tick = until
        if self._quiet * TICK > 2 * WINDOW and not self._holds:
            self.__init__(None)  # type: ignore[misc]

    def _pass(self, audio: NDArray[np.float32], at: int, mixes: NDArray[np.float64]) -> None:
        before = mixes[0] if self._mix is None else self._mix
        # what is heard of this hop lies behind the window that was taken apart
        silent = _mix_in(audio, self._heard[:, WINDOW:], self._out, at, before, mixes)
        self._quiet = self._quiet + silent if silent == len(mixes) else silent
        self._mix = float(mixes[-1])

    def _turn(self, s: Any) -> None:
        """The next hop: what was heard goes into the levels, and levels become sound."""
        self._out[:, :-HOP] = self._out[:, HOP:]
        self._out[:, -HOP:] = 0.0
        self._listen(0.01 * float(s["hold"]))
        self._heard[:, :-HOP] = self._heard[:, HOP:]
        self._heard[:, -HOP:] = 0.0
        if not self._holds:
            return
        self._hops += 1
        gains, blur, stir = self._gains_of(s), 0.01 * float(s["blur"]), 0.01 * float(s["stir"])
        for channel in range(2):
            state = self._states[channel]
            key = np.uint64(chance_key(_SEED, np.uint64(self._hops), np.uint64(channel)))
            _stir(state, key, 0.5 * stir)
            _blur(self._levels, state["level"], self._sums, blur)
            _give(self._out[channel], state, self._levels, gains, self._spectrum, self._work)

    def _gains_of(self, s: Any) -> NDArray[np.float32]:
        """Of each bin; reckoned again where a setting of it has changed."""
        of = (float(s["stir"]), float(s["gain"]), float(s["tilt"]))
        if of != self._made_of:
            stir, gain, tilt = of
            level = _TOGETHER + 0.01 * stir * (_APART - _TOGETHER)
            self._gains = (level * 10.0 ** ((gain + tilt * _OCTAVES) / 20.0)).astype(np.float32)
            self._made_of = of
        return self._gains

    def _listen(self, hold: float) -> None:
        """Bring the levels nearer to what is heard, the less the more it holds."""
        if hold >= 1.0 and self._looks >= _FIRST_LOOKS:
            return
        heard = self._heard[:, HOP:]
        if not (self._holds or heard.any()):
            return
        self._looks += 1
        share = (1.0 - hold) ** 2 if self._looks > _FIRST_LOOKS else 1.0
        before, now = self._before, self._now
        for channel in range(2):
            of = (self._states[channel], now[channel], before[channel])
            _take_in(*of, heard[channel], share, self._work)
        self._now, self._before = before, now
        self._holds = bool(self._states["level"].max() > SILENT)

    def ringing(self) -> bool:
        """Whether it may still give something out."""
        return not self._asleep

    def tail_s(self) -> float:
        """A good while: what is held altogether stays."""
        return 4.0

    def copied(self) -> Hold:
        """The same effect, going its own way from here."""
        other = copy.copy(self)
        for name in ("_heard", "_out", "_states", "_before", "_now"):
            setattr(other, name, getattr(self, name).copy())
        # what is scratch may be used at the same time
        other._spectrum, other._work = np.zeros((2, _BINS), np.float32), _workspace()
        other._levels, other._sums = np.zeros(_BINS, np.float32), np.zeros(_BINS + 1)
        return other


KIND = EffectKind(
    "hold", "Hold", HOLD, Hold, "What is there stays, as a spectrum, and is blurred.", "Material"
)
