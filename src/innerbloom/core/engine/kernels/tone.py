"""What every layer does after its source: grit, filter, level, and moving the layer above."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.filter import (
    COEFFICIENTS,
    run_section,
    section_q,
    set_section,
)
from innerbloom.core.engine.kernels.grit import GRIT, reduce, saturate
from innerbloom.core.engine.kernels.memory import copy_into
from innerbloom.core.engine.kernels.reading import RATE
from innerbloom.core.engine.state import GROUPS, TICK
from innerbloom.core.sound.levels import k_weighting

TONE_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("amp", np.float64),  # envelope at the end of the last tick
        ("link", np.float64),  # amount at the end of the last tick
        ("phase", np.float64),  # of the reduced sample rate
        ("grit", GRIT, (2,)),
        ("wiring", np.int64),  # which effects were in the way; -1 at the start
        ("coefficients", np.float64, (2, COEFFICIENTS)),
        ("filter", np.float64, (2, 2, 2)),  # section, channel, state
        ("weighted", np.float64, (2, 2, 2)),  # moved or still, section, state
        ("power", np.float64, (2,)),
        ("held", np.float64),  # gain of the loudness hold
    ],
    align=True,
)
"""What one layer of one voice remembers after its source."""

UNIT = 10.0 ** (-12.0 / 20.0)
"""A wave of amplitude 1 leaves its layer at -12 dBFS, so that chords keep below full scale."""

_QUIETEST_DB = -60.0
_K = np.ascontiguousarray(k_weighting(RATE))
_POWER_SHARE = 1.0 - math.exp(-TICK / RATE / 0.1)
_MOST_HOLD = 10.0 ** (24.0 / 20.0)


@borrowing
def _weigh(x, at, channels, state):
    """K-weighted power of a tick (BS.1770-4), of the sum of both channels."""
    total = 0.0
    for i in range(TICK):
        value = np.float64(x[at + i * channels])
        if channels == 2:
            value = 0.5 * (value + x[at + 2 * i + 1])
        for section in range(len(_K)):
            c = _K[section]
            out = c[0] * value + state[section, 0]
            state[section, 0] = c[1] * value - c[4] * out + state[section, 1]
            state[section, 1] = c[2] * value - c[5] * out
            value = out
        total += value * value
    return total / TICK


@borrowing
def _hold_loudness(x, still, at, channels, state):
    """Bring a moved signal to the loudness of the same one unmoved."""
    for which in range(2):
        signal = x if which == 0 else still
        power = _weigh(signal, at, channels, state.weighted[which])
        state.power[which] += _POWER_SHARE * (power - state.power[which])
    wanted = math.sqrt((state.power[1] + 1e-12) / (state.power[0] + 1e-12))
    wanted = min(max(wanted, 1.0 / _MOST_HOLD), _MOST_HOLD)
    step = (wanted - state.held) / TICK
    for i in range(TICK):
        gain = np.float32(state.held + step * (i + 1))
        for c in range(channels):
            x[at + i * channels + c] *= gain
    state.held = wanted


@borrowing
def _wiring(s):
    """Which effects are in the way now: bit 0 reduction, bit 1 saturation, then the filter."""
    if s.effects > 0.5:
        return 0
    wiring = np.int64(s.filter) * 4
    if s.reduced_rate < RATE or s.bits < 23.999:
        wiring += 1
    if s.drive > 0.02:
        wiring += 2
    return wiring


@borrowing
def _forget(state):
    """Empty what the effects remember."""
    for c in range(2):
        memory = state.grit[c]
        memory.line[:] = np.float32(0.0)
        memory.odd[:] = np.float32(0.0)
        memory.even[:] = np.float32(0.0)
    state.filter[:] = 0.0
    state.coefficients[:] = -1.0


@borrowing
def _apply(x, at, channels, state, s, wiring, new, between):
    """One tick through the effects that are in the way."""
    if wiring & 1:
        phase = state.phase
        for c in range(channels):
            memory = state.grit[c]
            state.phase = reduce(x[at + c :], channels, memory, phase, s.reduced_rate, s.bits)
    if wiring & 2:
        gain = max(10.0 ** (s.drive / 20.0) - 1.0, 1e-3)
        for c in range(channels):
            saturate(x[at + c :], channels, state.grit[c], between, gain, 0.01 * s.drive_shape,
                     0.01 * s.asymmetry)  # fmt: skip
    for section in range(wiring >> 2):
        q = section_q((wiring >> 2) - 1, section, s.resonance)
        set_section(new, s.cutoff, q, s.blend)
        old = state.coefficients[section]
        if old[0] < 0.0:
            copy_into(old, new)
        run_section(x, at, channels, old, new, state.filter[section])
        copy_into(old, new)


@borrowing
def _effects(x, at, channels, state, s, new, dry, between):
    """Effects of one tick; where one was switched, the old way blends into the new one."""
    wiring = _wiring(s)
    if state.wiring < 0:
        _forget(state)
    elif wiring != state.wiring:
        for i in range(TICK * channels):
            dry[i] = x[at + i]
        _apply(dry, 0, channels, state, s, state.wiring, new, between)
        _forget(state)
        _apply(x, at, channels, state, s, wiring, new, between)
        for i in range(TICK * channels):
            share = np.float32((i // channels + 1) / TICK)
            x[at + i] = dry[i] + share * (x[at + i] - dry[i])
        state.wiring = wiring
        return
    state.wiring = wiring
    if wiring > 0:
        _apply(x, at, channels, state, s, wiring, new, between)


@borrowing
def _signal_out(signal, x, at, frame, channels, state, amp, amount):
    """What this layer sends the one above: its signal times its envelope and amount."""
    amp_step = (amp - state.amp) / TICK
    step = (amount - state.link) / TICK
    for i in range(TICK):
        value = np.float64(x[at + i * channels])
        if channels == 2:
            value = 0.5 * (value + x[at + 2 * i + 1])
        level = (state.amp + amp_step * (i + 1)) * (state.link + step * (i + 1))
        signal[frame + i] = value * level


@borrowing
def _mix(bus, frame, x, at, channels, part, left, right):
    """Add a tick to the bus, gains moving straight from the last tick's."""
    step_l = (left - part.left) / TICK
    step_r = (right - part.right) / TICK
    for i in range(TICK):
        first = x[at + i * channels]
        second = x[at + i * channels + channels - 1]
        bus[frame + i, 0] += first * np.float32(part.left + step_l * (i + 1))
        bus[frame + i, 1] += second * np.float32(part.right + step_r * (i + 1))
    part.left = left
    part.right = right


@borrowing
def _listen(x, at, channels, gain, heard):
    """Add the mean power of a tick, and that of the differences from sample to sample."""
    power = change = before = 0.0
    for i in range(TICK):
        value = np.float64(x[at + i * channels])
        if channels == 2:
            value = 0.5 * (value + x[at + 2 * i + 1])
        power += value * value
        if i > 0:
            change += (value - before) ** 2
        before = value
    heard[0] += gain * gain * power / TICK
    heard[1] += gain * gain * change / (TICK - 1)


@borrowing
def _overhear(x, at, channels, gain, ear):
    """Add a tick of the signal as it is heard, both channels as one."""
    level = np.float32(gain / channels)
    for i in range(TICK):
        value = x[at + i * channels]
        if channels == 2:
            value += x[at + 2 * i + 1]
        ear[i] += level * value


@borrowing
def _begin(state, serial, amount):
    state.serial = serial
    state.amp = 0.0
    state.link = amount
    state.phase = 1.0
    state.wiring = -1
    state.weighted[:] = 0.0
    state.power[:] = 0.0
    state.held = 1.0
    for c in range(2):
        state.grit[c].held = np.float32(0.0)


@borrowing
def finish_layer(
    first, step, x, still, buses, signal, channels, sends, hold, voices, parts, chosen, own, now, amps,
    presence, compensation, spread, scratch, meter, ear,
):  # fmt: skip
    """Take a layer's signals from its source to the buses, for some of the voices.

    Parameters
    ----------
    first, step : int
        Every ``step``-th voice from the ``first`` on.
    x, still : float32 arrays, shape (slots, 2 * BLOCK)
        The source's signals, interleaved where it has two channels; changed in place.
    buses : float32 array, shape (GROUPS, frames, 2)
        Added to, that of the voice's group.
    signal : float64 array, shape (slots, BLOCK)
        Filled with what moves the layer above, where ``sends``.
    channels : int
    sends, hold : bool
        Whether the layer above listens, and whether loudness is held.
    voices, parts, chosen, own, now : record arrays
        ``own`` of TONE_STATE; ``now`` the layer's settings of shape (slots, SPAN).
    amps : float64 array, shape (slots, SPAN)
    presence : float64 array, shape (SPAN,)
        Gain of mute and solo at the end of each tick.
    compensation : float
        Gain that makes up for the size of the stack.
    spread : float
        Unison spread in %.
    scratch : SCRATCH array, shape (GROUPS,)
    meter : float64 array, shape (GROUPS, SPAN, 2) or of no groups
        Added to, for those who listen: power of the signal, and of its differences.
    ear : float32 array, shape (GROUPS, SPAN * TICK) or of no groups
        Added to, for those who listen to the pitch: the signal itself.
    """
    new, dry, between = scratch[first].new, scratch[first].dry, scratch[first].between
    for v in range(first, len(voices), step):
        part, state, voice = parts[v], own[v], voices[v]
        bus = buses[v % GROUPS]
        for tick in range(part.ticks):
            s = now[v, tick]
            if state.serial != voice.serial:
                _begin(state, voice.serial, s.link_amount)
            frame = tick * TICK
            at = frame * channels
            if hold:
                _hold_loudness(x[v], still[v], at, channels, state)
            _effects(x[v], at, channels, state, s, new, dry, between)
            amp = amps[v, tick]
            if sends:
                _signal_out(signal[v], x[v], at, frame, channels, state, amp, s.link_amount)
            state.amp, state.link = amp, s.link_amount
            level = 0.0 if s.level <= _QUIETEST_DB else 10.0 ** (s.level / 20.0)
            gain = amp * level * UNIT * chosen[v].gain * compensation * presence[tick]
            pan = min(max(0.01 * (s.pan + spread * voice.place), -1.0), 1.0)
            angle = (pan + 1.0) * math.pi * 0.25
            left, right = math.sqrt(2.0) * math.cos(angle), math.sqrt(2.0) * math.sin(angle)
            if len(meter) > 0:
                _listen(x[v], at, channels, gain, meter[v % GROUPS, tick])
            if len(ear) > 0:
                _overhear(x[v], at, channels, gain, ear[v % GROUPS, frame:])
            _mix(bus, frame, x[v], at, channels, part, gain * left, gain * right)
        if sends and part.ticks * TICK < signal.shape[1]:
            signal[v, part.ticks * TICK :] = 0.0
