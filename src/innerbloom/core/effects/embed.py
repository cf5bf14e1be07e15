"""Embed: a stream heard through another sound, by convolution."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.delay_line import ring_size
from innerbloom.core.dsp.dynamics import gain_or_silence
from innerbloom.core.dsp.partitioned import Convolver, Response
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import SILENT
from innerbloom.core.effects.kind import Effect, EffectKind, Ticks
from innerbloom.core.materials.protocol import Materials, Stretch
from innerbloom.core.materials.response import ResponseRequest

# fmt: off
EMBED: tuple[Declared, ...] = (
    P("wet", "embedded", "Output", "dB", -60, 12, -6, "Level of what is embedded; -60 is none."),
    P("dry", "dry", "Output", "dB", -60, 6, 0, "Level of the stream itself; -60 is none."),
    P("pre_delay", "pre-delay", "Output", "ms", 0, 500, 0, "Until it begins.", "cubic"),
    P("speed", "speed", "The sound", "x", 0.25, 4, 1, "How fast it is read; its pitch goes along.",
      "log", movable=False),
    P("length", "stretch", "The sound", "x", 0.25, 8, 1, "How many times as long, at its own pitch.",
      "log", movable=False),
    P("fade_in", "fade in", "The sound", "ms", 0, 5_000, 0, "From its beginning.", "cubic",
      movable=False),
    P("fade_out", "fade out", "The sound", "ms", 0, 10_000, 0, "To its end.", "cubic",
      movable=False),
    P("tilt", "tilt", "The sound", "dB", -6, 6, 0,
      "By how much each octave is louder than the one below.", sign=True, movable=False),
    Choice("direction", "direction", ("forward", "backward"), "forward", "How it is read.",
           "The sound"),
)
# fmt: on

_NONE_DB = -60.0
_LONGEST_PRE_DELAY = round(0.5 * RATE)
_LINE = ring_size(_LONGEST_PRE_DELAY + TICK)


@borrowing
def _delay(fed, audio, before, values, line, place):
    """Whole ticks after their pre-delay, to ``fed``; gives the new place in the line, a ring."""
    mask = len(line) - 1
    for tick in range(len(values)):
        last = before[0] if tick == 0 else values[tick - 1]
        frames = 0.001 * RATE * last.pre_delay
        step = (0.001 * RATE * values[tick].pre_delay - frames) / TICK
        for i in range(tick * TICK, (tick + 1) * TICK):
            frames += step
            whole = np.int64(frames)
            share, first = np.float32(frames - whole), place - whole
            for c in range(2):
                line[place & mask, c] = audio[i, c]
                here, older = line[first & mask, c], line[(first - 1) & mask, c]
                fed[i, c] = here + share * (older - here)
            place += 1
    return place


@borrowing
def _mix(audio, wet, before, values):
    """Dry and embedded streams together, in place; gives the peak of what is embedded."""
    loudest = np.float32(0.0)
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        dry, embedded = gain_or_silence(last.dry, _NONE_DB), gain_or_silence(last.wet, _NONE_DB)
        dry_step = (gain_or_silence(s.dry, _NONE_DB) - dry) / TICK
        step = (gain_or_silence(s.wet, _NONE_DB) - embedded) / TICK
        for i in range(tick * TICK, (tick + 1) * TICK):
            dry, embedded = dry + dry_step, embedded + step
            for c in range(2):
                loudest = max(loudest, abs(wet[c, i]))
                audio[i, c] = np.float32(dry) * audio[i, c] + np.float32(embedded) * wet[c, i]
    return loudest


class Embed(Effect):
    """A convolver, late by a pre-delay, beside the stream."""

    def __init__(self, made: Response | None) -> None:
        self._response = made
        self._convolver = None if made is None else Convolver(made)
        self._line, self._place = np.zeros((_LINE, 2), np.float32), 0
        self._before: Any = None
        self._quiet, self._asleep = 0, True

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Add what is embedded to whole ticks of the stream."""
        values = np.ascontiguousarray(ticks.values)
        before = values[:1] if self._before is None else self._before
        wet = np.zeros((2, len(audio)), np.float32)
        if self._convolver is not None:
            fed = np.empty_like(audio)
            self._place = _delay(fed, audio, before, values, self._line, self._place)
            wet = self._convolver.process(fed, ticks.first)
        loudest = _mix(audio, wet, before, values)
        self._quiet = 0 if ticks.sounds or loudest > SILENT else self._quiet + len(values)
        self._before, self._asleep = values[-1:], False
        if self._quiet * TICK_S > self._held_s():
            self.__init__(self._response)  # type: ignore[misc]

    def _held_s(self) -> float:
        if self._response is None:
            return 0.0
        return (self._response.frames + _LONGEST_PRE_DELAY + 32_768) / RATE

    def ringing(self) -> bool:
        """Whether something of what went in may still come out."""
        return not self._asleep

    def tail_s(self) -> float:
        """As long as the response and its pre-delay."""
        return 0.0 if self._response is None else self._response.frames / RATE + 0.5

    def copied(self) -> Embed:
        """The same effect, going its own way from here."""
        other = Embed(self._response)
        other._convolver = None if self._convolver is None else self._convolver.copied()
        other._line, other._place, other._before = self._line.copy(), self._place, self._before
        other._quiet, other._asleep = self._quiet, self._asleep
        return other


def _prepare(effect: Any, materials: Materials) -> Response | None:
    if effect.sound is None:
        return None
    s = effect.settings
    return materials.get(
        ResponseRequest(
            Stretch.of(effect.sound),
            speed=s.speed,
            length=s.length,
            fade_in_s=0.001 * s.fade_in,
            fade_out_s=0.001 * s.fade_out,
            tilt_db=s.tilt,
            reverse=s.direction == "backward",
            level=tuple(tuple(point) for point in effect.drawn_level),
        )
    )


KIND = EffectKind(
    "embed",
    "Embed",
    EMBED,
    Embed,
    "Heard through another sound, which is not heard itself.",
    "Space",
    prepare=_prepare,
    sound="one",
)
