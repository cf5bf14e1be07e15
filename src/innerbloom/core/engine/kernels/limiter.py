"""A look-ahead limiter for true peaks.

Peaks between samples are found at four times the rate (ITU-R BS.1770-4, annex 2). What a tick
can bear is known LOOK_AHEAD ticks before it sounds, so that the gain comes down straight in dB and
is there in time; it is then held for longer than half a period of 20 Hz, so that it does not follow
the wave, and let go at a pace that follows the programme: soon after a lone peak, slowly where the
gain has been down for long (auto release, after D. Giannoulis, M. Massberg and J. D. Reiss,
"Digital dynamic range compressor design", JAES 60(6), 2012, section 2.4).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import TICK, TICK_MS
from innerbloom.core.dsp.windowed_sinc import lowpass_taps

LOOK_AHEAD = 4
"""Ticks by which the output lags behind: 5.3 ms."""

_RAMP = LOOK_AHEAD - 1
"""Ticks in which the gain may come down: a step of 0.1 dB a sample takes 19 dB."""

TIMES, TAPS = 4, 24
_BETWEEN = lowpass_taps(TIMES * TAPS - 1, 1.0 / TIMES, 8.0) * TIMES
PHASES = np.zeros((TIMES - 1, TAPS), np.float32)
"""Interpolation at each quarter between two samples, the newest sample last."""
for _quarter in range(1, TIMES):
    _taps = np.append(_BETWEEN, 0.0)[_quarter - 1 :: TIMES][:TAPS]
    PHASES[_quarter - 1] = _taps / _taps.sum()
PHASES.setflags(write=False)

_HOLD = 20
"""Ticks for which a gain is held at least: 27 ms."""

MEMORY = 32
"""Ticks whose needs are remembered; more than _HOLD and LOOK_AHEAD."""

_LET_GO = math.exp(-TICK_MS / 60.0)
_AVERAGE = 1.0 - math.exp(-TICK_MS / 400.0)
_MARGIN_DB = 0.3
"""Below the ceiling, for what four times the rate does not find."""


class LimiterState(NamedTuple):
    """What a limiter remembers.

    line : float32 array, shape ((LOOK_AHEAD + 1) * TICK, 2)
        The ticks that wait, oldest first, and the newest.
    recent : float32 array, shape (2, TAPS + TICK)
        The newest samples of each channel, for interpolation.
    needs : float64 array, shape (MEMORY,)
        The gain in dB that the peaks found at each tick can bear.
    gains : float64 array, shape (3,)
        Gain in dB at the end of the last tick, what the peaks could bear on average, and the
        lowest gain since it was read.
    ticks : int64 array, shape (1,)
        Ticks so far.
    """

    line: NDArray[np.float32]
    recent: NDArray[np.float32]
    needs: NDArray[np.float64]
    gains: NDArray[np.float64]
    ticks: NDArray[np.int64]


@borrowing
def _true_peak(recent, new, enough):
    """Highest absolute value of a tick and of what lies between its samples; 0 below ``enough``.

    What lies between the newest samples is found with the next tick.
    """
    highest = np.float32(0.0)
    for c in range(2):
        samples = recent[c]
        for i in range(TAPS):
            samples[i] = samples[TICK + i]
        for i in range(TICK):
            samples[TAPS + i] = new[i, c]
        for i in range(TAPS + TICK):
            highest = max(highest, abs(samples[i]))
    # interpolation at most doubles a sample
    if 2.0 * highest < enough:
        return 0.0
    for c in range(2):
        samples = recent[c]
        for phase in range(TIMES - 1):
            for i in range(TICK):
                total = np.float32(0.0)
                for k in range(TAPS):
                    total += PHASES[phase, k] * samples[i + 1 + k]
                highest = max(highest, abs(total))
    return np.float64(highest)


@borrowing
def _need(needs, tick):
    """What a tick can bear: its peaks are found as it comes, and with the tick after it."""
    return min(needs[tick % MEMORY], needs[(tick + 1) % MEMORY])


@borrowing
def _next_gain(state, tick):
    """Gain in dB at the end of a tick, every tick up to LOOK_AHEAD later being known."""
    needs, here = state.needs, state.gains[0]
    held = 0.0
    for away in range(-_HOLD, LOOK_AHEAD):
        held = min(held, needs[(tick + away) % MEMORY])
    wanted = here
    state.gains[1] += _AVERAGE * (held - state.gains[1])
    if held > here:
        # quickly up to how far it was down on average, and slowly from there
        quickly = held + (here - held) * _LET_GO
        wanted = max(here, min(quickly, state.gains[1]))
        if held == 0.0 and wanted > -1e-3:
            return 0.0
    for away in range(_RAMP):
        border = min(_need(needs, tick + away), _need(needs, tick + away + 1))
        wanted = min(wanted, here + (border - here) / (away + 1.0))
    return wanted


@borrowing
def limit(out, state, ceiling_db):
    """Limit whole ticks in place; the output comes LOOK_AHEAD ticks late.

    Parameters
    ----------
    out : float32 array, shape (ticks * TICK, 2)
    state : LimiterState
    ceiling_db : float
        Highest true peak, in dBTP.
    """
    line, gains = state.line, state.gains
    ceiling = ceiling_db - _MARGIN_DB
    enough = 10.0 ** (ceiling / 20.0)
    last = LOOK_AHEAD * TICK
    for begin in range(0, len(out), TICK):
        newest, now = out[begin : begin + TICK], state.ticks[0]
        peak = _true_peak(state.recent, newest, enough)
        bears = 0.0 if peak <= enough else ceiling - 20.0 * math.log10(peak)
        state.needs[now % MEMORY] = bears
        before = gains[0]
        after = _next_gain(state, now - LOOK_AHEAD)
        gains[0] = after
        gains[2] = min(gains[2], after)
        for i in range(TICK):
            line[last + i, 0] = newest[i, 0]
            line[last + i, 1] = newest[i, 1]
        _fade(newest, line, before, after)
        for i in range(last):
            line[i, 0] = line[i + TICK, 0]
            line[i, 1] = line[i + TICK, 1]
        state.ticks[0] = now + 1


@borrowing
def _fade(out, line, before, after):
    """The oldest tick of a line, at a gain that moves straight in dB."""
    if before == 0.0 and after == 0.0:
        for i in range(TICK):
            out[i, 0] = line[i, 0]
            out[i, 1] = line[i, 1]
        return
    gain = 10.0 ** (before / 20.0)
    ratio = 10.0 ** ((after - before) / (20.0 * TICK))
    for i in range(TICK):
        gain *= ratio
        level = np.float32(gain)
        out[i, 0] = line[i, 0] * level
        out[i, 1] = line[i, 1] * level
