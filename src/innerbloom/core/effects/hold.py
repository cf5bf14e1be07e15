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
from typing import Any

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import chance_key, two_sided
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

_RAMP = (np.arange(1, TICK + 1, dtype=np.float32) / TICK)[:, None]
_OCTAVES = np.log2(np.maximum(np.arange(_BINS), 1) * RATE / WINDOW / 1_000.0)
_BIN_TURN = np.ascontiguousarray(2.0 * np.pi * HOP * np.arange(_BINS) / WINDOW)


STATE = np.dtype(
    [
        ("level", np.float32, (_BINS,)),
        ("turn", np.float64, (_BINS,)),  # of the phase from one hop to the next
        ("phase", np.float64, (_BINS,)),
    ]
)
"""What is held of one channel."""


@borrowing
def _take_in(state, now, before, share):
    """Levels towards a new spectrum; where it is louder, the frequency measured in it too.

    ``now`` and ``before`` are spectra a hop apart, real and imaginary parts in turn.
    """
    for k in range(_BINS):
        real, imag = np.float64(now[2 * k]), np.float64(now[2 * k + 1])
        level = math.sqrt(real * real + imag * imag)
        if level > state.level[k]:
            was_real, was_imag = np.float64(before[2 * k]), np.float64(before[2 * k + 1])
            # the angle from one to the other, and how far it is from that of the bin
            turn = math.atan2(imag * was_real - real * was_imag, real * was_real + imag * was_imag)
            amiss = turn - _BIN_TURN[k]
            state.turn[k] = turn - 2.0 * math.pi * math.floor(amiss / (2.0 * math.pi) + 0.5)
        state.level[k] += np.float32(share * (level - state.level[k]))


@borrowing
def _give(out, state, sums, key, blur, stir, tilt_gain):
    """The spectrum of the next hop: levels blurred, phases gone on and stirred.

    Parameters
    ----------
    out : float32 array, shape (2 * _BINS,)
        Filled with real and imaginary parts in turn.
    sums : float64 array, shape (_BINS + 1,)
        Scratch.
    tilt_gain : float64 array, shape (_BINS,)
    """
    for k in range(_BINS):
        sums[k + 1] = sums[k] + np.float64(state.level[k]) ** 2
    for k in range(_BINS):
        reach = np.int64(blur * _WIDEST * k)
        low = max(k - reach, 0)
        high = min(k + reach + 1, _BINS)
        level = tilt_gain[k] * math.sqrt(max(sums[high] - sums[low], 0.0) / (high - low))
        phase = state.phase[k] + state.turn[k] + stir * two_sided(key, np.uint64(k))
        state.phase[k] = phase - 2.0 * math.pi * math.floor(phase / (2.0 * math.pi))
        out[2 * k] = np.float32(level * math.cos(phase))
        out[2 * k + 1] = np.float32(level * math.sin(phase))


class Hold(Effect):
    """A spectrum of each channel, and the phases it goes on with."""

    def __init__(self, made: object) -> None:
        self._heard = np.zeros((2, WINDOW + HOP), np.float32)
        self._out = np.zeros((2, WINDOW), np.float32)
        self._states = np.zeros(2, STATE)
        self._states["turn"] = _BIN_TURN
        self._spectra = np.zeros((2, 2 * _BINS), np.float32)
        self._hops, self._quiet, self._asleep, self._holds = 0, 0, True, False
        self._looks = 0
        self._mix: float | None = None

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Work on whole ticks in place."""
        self._asleep = False
        for tick, s in enumerate(ticks.values):
            piece = audio[tick * TICK : (tick + 1) * TICK]
            at = (ticks.first + tick) % _HOP_TICKS
            if at == 0:
                self._turn(s)
            # what is heard of this hop lies behind the window that was taken apart
            self._heard[:, WINDOW + at * TICK : WINDOW + (at + 1) * TICK] = piece.T
            self._mix_in(piece, self._out[:, at * TICK : (at + 1) * TICK].T, 0.01 * float(s["mix"]))
        if self._quiet * TICK > 2 * WINDOW and not self._holds:
            self.__init__(None)  # type: ignore[misc]

    def _mix_in(self, piece: NDArray[np.float32], wet: NDArray[np.float32], mix: float) -> None:
        silent = not piece.any() and float(np.abs(wet).max()) < SILENT
        self._quiet = self._quiet + 1 if silent else 0
        from_ = mix if self._mix is None else self._mix
        piece += (from_ + (mix - from_) * _RAMP) * (wet - piece)
        self._mix = mix

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
        stir = 0.01 * float(s["stir"])
        level = _TOGETHER + stir * (_APART - _TOGETHER)
        gains = level * 10.0 ** ((float(s["gain"]) + float(s["tilt"]) * _OCTAVES) / 20.0)
        spectra, sums = np.empty((2, 2 * _BINS), np.float32), np.zeros(_BINS + 1)
        blur, stir = 0.01 * float(s["blur"]), math.pi * stir
        for channel in range(2):
            key = np.uint64(chance_key(_SEED, np.uint64(self._hops), np.uint64(channel)))
            _give(spectra[channel], self._states[channel], sums, key, blur, stir, gains)
        self._out += scipy.fft.irfft(spectra.view(np.complex64), WINDOW) * _OVERLAPPED

    def _listen(self, hold: float) -> None:
        """Bring the levels nearer to what is heard, the less the more it holds."""
        if hold >= 1.0 and self._looks >= _FIRST_LOOKS:
            return
        heard = self._heard[:, HOP:]
        if not (self._holds or heard.any()):
            return
        before, now = self._spectra, scipy.fft.rfft(heard * _HANN).view(np.float32)
        self._spectra = now
        self._looks += 1
        share = (1.0 - hold) ** 2 if self._looks > _FIRST_LOOKS else 1.0
        for channel in range(2):
            _take_in(self._states[channel], now[channel], before[channel], share)
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
        for name in ("_heard", "_out", "_states", "_spectra"):
            setattr(other, name, getattr(self, name).copy())
        return other


KIND = EffectKind(
    "hold", "Hold", HOLD, Hold, "What is there stays, as a spectrum, and is blurred.", "Material"
)
