"""Waves whose phase is bent or restarted, at four times the rate and brought back.

A bent phase reaches beyond the harmonics that the table holds, and a restart beyond all; both
are made at FINE times the rate and brought back by a low-pass. A restart crosses over within
a few fine samples, so that what it adds above the audible falls steeply (band-limiting of
hard sync: E. Brandt, "Hard sync without aliasing", ICMC 2001, here by a short crossfade).
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.state import FINE, FINE_TAPS
from innerbloom.core.dsp.windowed_sinc import lowpass_taps
from innerbloom.core.layers.kind import LINK_PHASE, LINK_RATE
from innerbloom.core.layers.wave.oscillator import add_wave, read_once

_TAPS = lowpass_taps(FINE_TAPS, 21_000 / (0.5 * FINE * RATE), 9.6).astype(np.float32)
_TAPS.setflags(write=False)
_MANY = np.uint64(FINE * TICK)
_FRAMES = np.uint64(TICK)
_TURN = 1.0 / (2.0 * math.pi)
_CROSSING, _CROSSING_HIGH = 8, 16
"""Fine samples over which a restart crosses over, half of them before it: for low notes and, where
aliasing is stronger against fewer harmonics, from 2 kHz up; at most half a period."""

_HIGHEST_STEP = 0.42
"""Periods a frame above which a wave that restarts is not read: 20 kHz."""

LEAN_RADIANS, SQUEEZE_RADIANS = 2.5, 1.25
"""Peak phase deviation at 100 %."""


@borrowing
def _sine(turns):
    """sin(2 pi x), by its series (error below 4e-6 of 1), so that loops vectorise."""
    x = turns - np.floor(turns + 0.5)
    # folded to a quarter turn either way
    x = math.copysign(0.25 - abs(abs(x) - 0.25), x) * (2.0 * math.pi)
    s = x * x
    return x * (1.0 + s * (-1.0 / 6.0 + s * (1.0 / 120.0 + s * (-1.0 / 5040.0 + s / 362880.0))))


@borrowing
def fine_phases(room, start, motion, before, link):
    """Phases of a tick at the fine rate, into ``room``.

    Parameters
    ----------
    room : WAVE_SCRATCH record
        ``fine_phases`` is filled with where the wave is read, ``fine_turned`` with where it is
        read there and back.
    start : float
        Periods of the note at the beginning of the tick.
    motion : Motion
    before : float
        What moved it at the frame before.
    link : int
        That of ``motion``, or 0 for the wave as it is unmodulated.

    Returns
    -------
    widest : float
        The widest step between two frames, in periods.
    place : float
        Periods of the note at the end of the tick.
    """
    now, step, moved_step = room.wave, motion.step, motion.to_step
    modulation = motion.modulation
    lean = now.lean * (LEAN_RADIANS * _TURN)
    squeeze = now.squeeze * (SQUEEZE_RADIANS * _TURN)
    ratio = _ratio(now, max(step, moved_step))
    slope = (moved_step - step) / (FINE * TICK)
    place = start
    widest = 0.0
    last = np.nan
    for i in range(_MANY):
        frame = np.int64(i) // FINE
        share = (np.int64(i) % FINE + 1.0) / FINE
        earlier = modulation[frame - 1] if frame > 0 else before
        by = earlier + share * (modulation[frame] - earlier)
        pace = (step + slope * (np.float64(i) + 1.0)) / FINE
        place += pace * (1.0 + by) if link == LINK_RATE else pace
        at = (place - np.floor(place)) * ratio if now.sync == 1 else place
        if link == LINK_PHASE:
            at += by * _TURN
        away = abs(at - last)
        # a restart is no step of the wave
        if away < 0.5 and away > widest:
            widest = away
        last = at
        bent = at + lean * _sine(at) + squeeze * _sine(2.0 * at)
        room.fine_phases[i] = bent
        if now.mirror > 0.0:
            # there and back within a period
            room.fine_turned[i] = 0.5 - 0.5 * _sine(bent + 0.25)
    # at its steepest, wherever in the period this tick lies
    steep = 1.0 + abs(now.lean) * LEAN_RADIANS + 2.0 * abs(now.squeeze) * SQUEEZE_RADIANS
    return FINE * widest * steep * (math.pi if now.mirror > 0.0 else 1.0), place


@borrowing
def _ratio(now, step):
    """Periods of a wave in one of the note, held below 20 kHz."""
    return min(now.ratio, max(_HIGHEST_STEP / max(step, 1e-9), 1.0))


@borrowing
def add_fine(into, table, level, ramp, room):
    """Add the wave at fine phases, as one level has it; as :func:`.oscillator.add_wave`."""
    mirror, (gain, slope) = room.wave.mirror, ramp
    if mirror < 1.0:
        shared = ((1.0 - mirror) * gain, (1.0 - mirror) * slope)
        add_wave(into, _MANY, room.fine_phases, table, level, shared, room)
    if mirror > 0.0:
        add_wave(into, _MANY, room.fine_turned, table, level, (mirror * gain, mirror * slope), room)


@borrowing
def soften_restarts(into, table, level, room, start, motion, wrapped):
    """Cross over from the wave that runs on to the one that begins, about each restart.

    What lies in ``into`` is the one that ran on before a restart, and the new one after it; the
    other's share of the difference is added. The crossing is the integral of a Blackman window.
    ``wrapped`` says whether the note has come round before.
    """
    now, step, moved_step = room.wave, motion.step, motion.to_step
    ratio = _ratio(now, max(step, moved_step))
    slope = (moved_step - step) / (FINE * TICK)
    place = start
    pace = max(step, 1e-9)
    span = _CROSSING + (_CROSSING_HIGH - _CROSSING) * min(pace * 24.0, 1.0)
    half = 0.5 * min(span, 0.5 * FINE / pace)
    for i in range(_MANY):
        place += (step + slope * (np.float64(i) + 1.0)) / FINE
        inside = place - math.floor(place)
        gone, ahead = inside * FINE / pace, (1.0 - inside) * FINE / pace
        after = gone < half and (place >= 1.0 or wrapped == 1)
        if not after and ahead >= half:
            continue
        share = _crossing(0.5 - 0.5 * (gone if after else ahead) / half)
        frame = now.frame + (now.to_frame - now.frame) * (np.float64(i) + 1.0) / (FINE * TICK)
        here = _value(inside * ratio, table, level, frame, room)
        beyond = inside + 1.0 if after else inside - 1.0
        other = _value(beyond * ratio, table, level, frame, room)
        into[i] += np.float32(share) * (other - here)


@borrowing
def _crossing(x):
    """From 0 at 0 to 1 at 1, one half at one half: a Blackman window summed up."""
    turn = 2.0 * math.pi * x
    return x - (0.5 * math.sin(turn) - 0.04 * math.sin(2.0 * turn)) / (0.42 * 2.0 * math.pi)


@borrowing
def _value(at, table, level, frame, room):
    """The wave at one phase, bent."""
    now = room.wave
    bent = at + now.lean * (LEAN_RADIANS * _TURN) * math.sin(2.0 * math.pi * at)
    bent += now.squeeze * (SQUEEZE_RADIANS * _TURN) * math.sin(4.0 * math.pi * at)
    value = (1.0 - now.mirror) * _pulsed(bent, table, level, frame, room)
    if now.mirror > 0.0:
        turned = 0.5 - 0.5 * math.cos(2.0 * math.pi * bent)
        value += now.mirror * _pulsed(turned, table, level, frame, room)
    return np.float32(value)


@borrowing
def _pulsed(phase, table, level, frame, room):
    value = read_once(table, level, frame, phase, room)
    if room.wave.pulse == 1:
        value -= read_once(table, level, frame, phase - room.wave.width, room)
    return value


@borrowing
def bring_back(out, at, channel, fine, memory, ramp):
    """Low-pass a tick of fine samples and add every FINE-th to an interleaved signal.

    Parameters
    ----------
    out : float32 array; at : int; channel : int
        Stereo frames, the first one, and which side.
    fine : float32 array, shape (FINE_TAPS + FINE * TICK,)
        The new samples lie from FINE_TAPS on.
    memory : float32 array, shape (FINE_TAPS,)
        The last ones of the tick before; changed in place.
    ramp : (gain, slope)
        Gain before the first frame, and what is added to it each time.
    """
    gain, slope = ramp
    for k in range(np.uint64(FINE_TAPS)):
        fine[k] = memory[k]
    for k in range(np.uint64(FINE_TAPS)):
        memory[k] = fine[np.uint64(FINE * TICK) + k]
    level = np.float32(gain)
    first = np.uint64(2 * at + channel)
    for i in range(_FRAMES):
        level += np.float32(slope)
        begin = np.uint64(FINE) * (i + np.uint64(1))
        total = np.float32(0.0)
        for k in range(np.uint64(FINE_TAPS)):
            total += _TAPS[k] * fine[begin + k]
        out[first + np.uint64(2) * i] += level * total
