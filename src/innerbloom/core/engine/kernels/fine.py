"""Waves whose phase is bent or restarted, at four times the rate and brought back.

A bent phase reaches beyond the harmonics that the table holds, and a restart beyond all; both
are made at FINE times the rate and brought back by a low-pass. A restart crosses over within
a few fine samples, so that what it adds above the audible falls steeply (band-limiting of
hard sync: E. Brandt, "Hard sync without aliasing", ICMC 2001, here by a short crossfade).
"""

from __future__ import annotations

import math

import numpy as np
from scipy.signal import firwin

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.oscillator import add_places, put_places, read_once
from innerbloom.core.engine.state import FINE, FINE_TAPS, TICK

_TAPS = firwin(FINE_TAPS, 21_000, fs=FINE * 48_000, window=("kaiser", 9.6)).astype(np.float32)
_TAPS.setflags(write=False)
_MANY = np.uint64(FINE * TICK)
_FRAMES = np.uint64(TICK)
_CROSSING = 8
"""Fine samples over which a restart crosses over, half of them before it; less where periods are
short."""

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
def fine_phases(phases, turned, start, step, moved_step, ratio, sync, moved, before, turns, lean,
                squeeze, mirror):  # fmt: skip
    """Phases of a tick at the fine rate; gives the widest step between two, in periods.

    Parameters
    ----------
    phases, turned : float64 arrays, shape (FINE * TICK,)
        Filled: where the wave is read, and where it is read there and back.
    start : float
        Periods of the note at the beginning of the tick.
    step, moved_step : float
        Periods a frame at its beginning and end.
    ratio : float
        Periods of the wave in one of the note, where ``sync``.
    moved : float64 array; before : float
        Phase (radians) or rate that moves it, at each frame and at the one before.
    turns : int
        1 where it moves the phase, 2 the rate, else 0.
    lean, squeeze : float
        -1..1.
    mirror : bool
    """
    slope = (moved_step - step) / (FINE * TICK)
    place = start
    widest = 0.0
    last = np.nan
    for i in range(_MANY):
        frame = np.int64(i) // FINE
        share = (np.int64(i) % FINE + 1.0) / FINE
        earlier = moved[frame - 1] if frame > 0 else before
        by = earlier + share * (moved[frame] - earlier)
        now = (step + slope * (np.float64(i) + 1.0)) / FINE
        place += now * (1.0 + by) if turns == 2 else now
        at = (place - np.floor(place)) * ratio if sync else place
        if turns == 1:
            at += by / (2.0 * math.pi)
        bent = at + lean * (LEAN_RADIANS / (2.0 * math.pi)) * _sine(at)
        bent += squeeze * (SQUEEZE_RADIANS / (2.0 * math.pi)) * _sine(2.0 * at)
        phases[i] = bent
        away = abs(at - last)
        # a restart is no step of the wave
        if away < 0.5 and away > widest:
            widest = away
        last = at
        if mirror:
            # there and back within a period
            turned[i] = 0.5 - 0.5 * _sine(bent + 0.25)
    # at its steepest, wherever in the period this tick lies
    steep = 1.0 + abs(lean) * LEAN_RADIANS + 2.0 * abs(squeeze) * SQUEEZE_RADIANS
    return FINE * widest * steep * (math.pi if mirror else 1.0), place


@borrowing
def add_fine(into, audio, sound, copy, frame, moved_frame, width, moved_width, pulse, phases, turned,
             mirror, room, gain, slope):  # fmt: skip
    """Add the wave at fine phases, as one level has it; as :func:`.oscillator.add_places`."""
    first, size = copy.offset, copy.frames
    for way in range(2):
        share = mirror if way == 1 else 1.0 - mirror
        if share <= 0.0:
            continue
        read = turned if way == 1 else phases
        put_places(read, _MANY, 0.0, 0.0, frame, moved_frame, sound, size, room)
        add_places(into, _MANY, audio, first, sound, frame, moved_frame, room,
                   share * gain, share * slope)  # fmt: skip
        if pulse:
            put_places(read, _MANY, width, moved_width, frame, moved_frame, sound, size, room)  # fmt: skip
            add_places(into, _MANY, audio, first, sound, frame, moved_frame, room,
                       -share * gain, -share * slope)  # fmt: skip


@borrowing
def soften_restarts(into, audio, sound, copy, frame, moved_frame, width, pulse, start, step, moved_step,
                    ratio, lean, squeeze, mirror, wrapped, room):  # fmt: skip
    """Cross over from the wave that runs on to the one that begins, about each restart.

    What lies in ``into`` is the one that ran on before a restart, and the new one after it; the
    other's share of the difference is added. ``wrapped`` says whether the note has come round
    before.
    """
    slope = (moved_step - step) / (FINE * TICK)
    place = start
    half = 0.5 * min(_CROSSING, 0.5 * FINE / max(step, 1e-9))
    for i in range(_MANY):
        place += (step + slope * (np.float64(i) + 1.0)) / FINE
        inside = place - math.floor(place)
        gone = inside * FINE / max(step, 1e-9)
        ahead = (1.0 - inside) * FINE / max(step, 1e-9)
        after = gone < half and (place >= 1.0 or wrapped == 1)
        if not after and ahead >= half:
            continue
        away = gone if after else ahead
        share = 0.5 - 0.5 * math.sin(0.5 * math.pi * away / half)
        at_frame = frame + (moved_frame - frame) * (np.float64(i) + 1.0) / (FINE * TICK)
        here = _value(inside * ratio, lean, squeeze, mirror, audio, sound, copy, at_frame, width, pulse,
                      room)  # fmt: skip
        beyond = inside + 1.0 if after else inside - 1.0
        other = _value(beyond * ratio, lean, squeeze, mirror, audio, sound, copy, at_frame, width, pulse,
                       room)  # fmt: skip
        into[i] += np.float32(share) * (other - here)


@borrowing
def _value(at, lean, squeeze, mirror, audio, sound, copy, frame, width, pulse, room):
    """The wave at one phase, bent."""
    bent = at + lean * (LEAN_RADIANS / (2.0 * math.pi)) * math.sin(2.0 * math.pi * at)
    bent += squeeze * (SQUEEZE_RADIANS / (2.0 * math.pi)) * math.sin(4.0 * math.pi * at)
    total = np.float32(0.0)
    for way in range(2):
        share = np.float32(mirror if way == 1 else 1.0 - mirror)
        if share <= 0.0:
            continue
        read = 0.5 - 0.5 * math.cos(2.0 * math.pi * bent) if way == 1 else bent
        total += share * read_once(audio, copy.offset, sound, copy.frames, frame, read, room)
        if pulse:
            total -= share * read_once(audio, copy.offset, sound, copy.frames, frame, read - width,
                                       room)  # fmt: skip
    return total


@borrowing
def bring_back(out, at, channel, fine, memory, gain, slope):
    """Low-pass a tick of fine samples and add every FINE-th to an interleaved signal.

    Parameters
    ----------
    out : float32 array; at : int; channel : int
        Stereo frames, the first one, and which side.
    fine : float32 array, shape (FINE_TAPS + FINE * TICK,)
        The new samples lie from FINE_TAPS on.
    memory : float32 array, shape (FINE_TAPS,)
        The last ones of the tick before; changed in place.
    gain, slope : float
    """
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
