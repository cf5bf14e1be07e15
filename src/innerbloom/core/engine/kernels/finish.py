"""What every layer does after its source: bitcrush, drive, filter, gain, and moving the layer
above."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.bitcrush import FINEST_BITS, bitcrush
from innerbloom.core.dsp.drive import DRIVE, DRIVE_SCRATCH, drive, drive_finely
from innerbloom.core.dsp.filter import (
    COEFFICIENTS,
    run_section,
    section_q,
    set_section,
)
from innerbloom.core.dsp.memory import copy_into
from innerbloom.core.dsp.rates import GROUPS, RATE, TICK
from innerbloom.core.instrument.catalogue import LAYER
from innerbloom.core.sound.levels import k_weighting

TONE_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("amp", np.float64),  # envelope at the end of the last tick
        ("link", np.float64),  # amount at the end of the last tick
        ("phase", np.float64),  # of the reduced sample rate
        ("crushed", np.float32, (2, 1)),  # the sample that bitcrush holds of each channel
        ("drive", DRIVE, (2,)),
        ("wiring", np.int64),  # which effects were in the way; -1 at the start
        ("coefficients", np.float64, (2, COEFFICIENTS)),
        ("filter", np.float64, (2, 2, 2)),  # section, channel, state
        ("weighted", np.float64, (2, 2, 2)),  # modulated or not, section, state
        ("power", np.float64, (2,)),
        ("held", np.float64),  # gain of the loudness hold
    ],
    align=True,
)
"""What one layer of one voice remembers after its source."""

UNIT = 10.0 ** (-12.0 / 20.0)
"""A wave of amplitude 1 leaves its layer at -12 dBFS, so that chords keep below full scale."""

FINISH_SCRATCH = np.dtype(
    [
        ("coefficients", np.float64, (COEFFICIENTS,)),
        ("dry", np.float32, (2 * TICK,)),
        ("drive", DRIVE_SCRATCH),
    ],
    align=True,
)
"""Room for finishing a tick."""

QUIETEST_DB = -60.0
"""Level that is silence."""

_TICK = np.float32(TICK)
_PAST = option(LAYER, "effects", "past")
_FINE = option(LAYER, "oversampling", "4x")
_K = np.ascontiguousarray(k_weighting(RATE))
_POWER_SHARE = 1.0 - math.exp(-TICK / RATE / 0.1)
_MOST_HOLD = 10.0 ** (24.0 / 20.0)


class Strip(NamedTuple):
    """Where a layer's signals go, and at which gains.

    bus : float32 array, shape (GROUPS, frames, 2)
        Added to, that of the voice's group.
    sent : float64 array, shape (slots, BLOCK)
        Filled with what modulates the layer above, where ``sends``.
    sends : bool
    amps : float64 array, shape (slots, SPAN)
    level : float64 array, shape (SPAN,)
        The layer's own level in dB, which its bus brings; a voice brings what differs from it.
    presence : float64 array, shape (SPAN,)
        Gain of mute and solo at the end of each tick, which the bus brings too.
    spread : float64 array, shape (SPAN,)
        Unison spread in %.
    compensation : float
        Gain that makes up for the size of the stack.
    meter : float64 array, shape (GROUPS, SPAN, 2) or of no groups
        Added to, for those who listen: power of the signal as heard, and of its differences.
    tap : float32 array, shape (GROUPS, SPAN * TICK) or of no groups
        Added to, for those who listen to the pitch: the signal itself.
    """

    bus: NDArray[np.float32]
    sent: NDArray[np.float64]
    sends: bool
    amps: NDArray[np.float64]
    level: NDArray[np.float64]
    presence: NDArray[np.float64]
    spread: NDArray[np.float64]
    compensation: float
    meter: NDArray[np.float64]
    tap: NDArray[np.float32]


@borrowing
def _weigh(x, at, state):
    """K-weighted power of a tick (BS.1770-4), of the sum of both channels."""
    total = 0.0
    for i in range(TICK):
        value = 0.5 * (np.float64(x[at + 2 * i]) + x[at + 2 * i + 1])
        for section in range(len(_K)):
            c = _K[section]
            out = c[0] * value + state[section, 0]
            state[section, 0] = c[1] * value - c[4] * out + state[section, 1]
            state[section, 1] = c[2] * value - c[5] * out
            value = out
        total += value * value
    return total / TICK


@borrowing
def _hold_loudness(x, unmodulated, at, state):
    """Bring a modulated signal to the loudness of the same one without modulation."""
    for which in range(2):
        signal = x if which == 0 else unmodulated
        power = _weigh(signal, at, state.weighted[which])
        state.power[which] += _POWER_SHARE * (power - state.power[which])
    wanted = math.sqrt((state.power[1] + 1e-12) / (state.power[0] + 1e-12))
    wanted = min(max(wanted, 1.0 / _MOST_HOLD), _MOST_HOLD)
    step = (wanted - state.held) / TICK
    for i in range(TICK):
        gain = np.float32(state.held + step * (i + 1))
        x[at + 2 * i] *= gain
        x[at + 2 * i + 1] *= gain
    state.held = wanted


@borrowing
def _wiring(s):
    """What is in the way now: bit 0 bitcrush, bit 1 drive, bit 2 at four times the rate, then the
    filter's sections."""
    if s.effects == _PAST:
        return 0
    wiring = np.int64(s.filter) * 8
    if s.reduced_rate < RATE or s.bits < FINEST_BITS:
        wiring += 1
    if s.drive > 0.02:
        wiring += 6 if s.oversampling == _FINE else 2
    return wiring


@borrowing
def _forget(state):
    """Empty what the effects remember."""
    for c in range(2):
        memory = state.drive[c]
        memory.line[:] = np.float32(0.0)
        memory.lines[:] = np.float32(0.0)
        memory.curve[:] = 0.0
    state.filter[:] = 0.0
    state.coefficients[:] = -1.0


@borrowing
def _apply(x, at, state, s, wiring, room):
    """One tick through what is in the way."""
    if wiring & 1:
        phase = state.phase
        for c in range(2):
            state.phase = bitcrush(x[at + c :], 2, state.crushed[c], phase, s.reduced_rate, s.bits)
    if wiring & 2:
        gain = max(10.0 ** (s.drive / 20.0) - 1.0, 1e-3)
        hard, lean = 0.01 * s.drive_shape, 0.01 * s.asymmetry
        for c in range(2):
            if wiring & 4:
                drive_finely(x[at + c :], state.drive[c], room.drive, gain, hard, lean)
            else:
                drive(x[at + c :], state.drive[c], room.drive, gain, hard, lean)
    new = room.coefficients
    for section in range(wiring >> 3):
        q = section_q((wiring >> 3) - 1, section, s.resonance)
        set_section(new, s.cutoff, q, s.blend)
        old = state.coefficients[section]
        if old[0] < 0.0:
            copy_into(old, new)
        run_section(x, at, 2, old, new, state.filter[section])
        copy_into(old, new)


@borrowing
def _shape(x, at, state, s, room):
    """One tick of tone; where something was switched, the old way blends into the new one."""
    wiring, dry = _wiring(s), room.dry
    if state.wiring < 0:
        _forget(state)
    elif wiring != state.wiring:
        for i in range(2 * TICK):
            dry[i] = x[at + i]
        _apply(dry, 0, state, s, state.wiring, room)
        _forget(state)
        _apply(x, at, state, s, wiring, room)
        for i in range(2 * TICK):
            share = np.float32((i // 2 + 1) / TICK)
            x[at + i] = dry[i] + share * (x[at + i] - dry[i])
        state.wiring = wiring
        return
    state.wiring = wiring
    if wiring > 0:
        _apply(x, at, state, s, wiring, room)


@borrowing
def _send(sent, x, at, frame, state, amp, amount):
    """What this layer sends the one above: its signal times its envelope and amount."""
    amp_step = (amp - state.amp) / TICK
    step = (amount - state.link) / TICK
    for i in range(TICK):
        value = 0.5 * (np.float64(x[at + 2 * i]) + x[at + 2 * i + 1])
        level = (state.amp + amp_step * (i + 1)) * (state.link + step * (i + 1))
        sent[frame + i] = value * level


@borrowing
def _mix(bus, frame, x, at, layer_voice, left, right):
    """Add a tick to the bus, gains moving straight from the last tick's."""
    # read once: the compiler cannot know that a bus is no part of the record
    was_l, was_r = np.float32(layer_voice.left), np.float32(layer_voice.right)
    step_l, step_r = (np.float32(left) - was_l) / _TICK, (np.float32(right) - was_r) / _TICK
    for i in range(TICK):
        n = np.float32(i + 1)
        bus[frame + i, 0] += x[at + 2 * i] * (was_l + step_l * n)
        bus[frame + i, 1] += x[at + 2 * i + 1] * (was_r + step_r * n)
    layer_voice.left = left
    layer_voice.right = right


@borrowing
def _measure(x, at, gain, heard):
    """Add the mean power of a tick, and that of the differences from sample to sample."""
    power = change = before = 0.0
    for i in range(TICK):
        value = 0.5 * (np.float64(x[at + 2 * i]) + x[at + 2 * i + 1])
        power += value * value
        if i > 0:
            change += (value - before) ** 2
        before = value
    heard[0] += gain * gain * power / TICK
    heard[1] += gain * gain * change / (TICK - 1)


@borrowing
def _overhear(x, at, gain, tap):
    """Add a tick of the signal as it is heard, both channels as one."""
    level = np.float32(0.5 * gain)
    for i in range(TICK):
        tap[i] += level * (x[at + 2 * i] + x[at + 2 * i + 1])


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
    state.crushed[:] = np.float32(0.0)


@borrowing
def level_gain(db):
    """Linear gain of a level in dB, where the lowest is silence."""
    return 0.0 if db <= QUIETEST_DB else 10.0 ** (db / 20.0)


@borrowing
def _place(bus, x, at, frame, layer_voice, gain, pan):
    """Add a tick to the bus at a gain and a place of -1..1, by constant power."""
    angle = (min(max(pan, -1.0), 1.0) + 1.0) * math.pi * 0.25
    left, right = math.sqrt(2.0) * math.cos(angle), math.sqrt(2.0) * math.sin(angle)
    _mix(bus, frame, x, at, layer_voice, gain * left, gain * right)


@borrowing
def finish_layer(span, voices, layer, signals, strip, scratch):
    """Take a layer's signals from its source to its bus, for some of the voices.

    Parameters
    ----------
    span : Span; voices : Voices
    layer : LayerNow
        ``own`` is of TONE_STATE, ``settings`` those of every layer.
    signals : Signals
        The source's, changed in place.
    strip : Strip
    scratch : FINISH_SCRATCH array, shape (GROUPS,)
    """
    room = scratch[span.first]
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, state, voice = layer.voices[v], layer.own[v], voices.records[v]
        x, group = signals.out[v], v % GROUPS
        for tick in range(layer_voice.ticks):
            s, frame = layer.settings[v, tick], tick * TICK
            at = 2 * frame
            if state.serial != voice.serial:
                _begin(state, voice.serial, s.link_amount)
            if signals.hold:
                _hold_loudness(x, signals.unmodulated[v], at, state)
            _shape(x, at, state, s, room)
            amp = strip.amps[v, tick]
            if strip.sends:
                _send(strip.sent[v], x, at, frame, state, amp, s.link_amount)
            state.amp, state.link = amp, s.link_amount
            own = max(strip.level[tick], QUIETEST_DB)
            apart = 1.0
            if s.level != own or own <= QUIETEST_DB:
                apart = 0.0 if s.level <= QUIETEST_DB else 10.0 ** ((s.level - own) / 20.0)
            gain = amp * apart * UNIT * layer.zones[v].gain * strip.compensation
            if len(strip.meter) > 0:
                heard = gain * 10.0 ** (own / 20.0) * strip.presence[tick]
                _measure(x, at, heard, strip.meter[group, tick])
                if len(strip.tap) > 0:
                    _overhear(x, at, heard, strip.tap[group, frame:])
            pan = 0.01 * (s.pan + strip.spread[tick] * voice.place)
            _place(strip.bus[group], x, at, frame, layer_voice, gain, pan)
        if strip.sends and layer_voice.ticks * TICK < strip.sent.shape[1]:
            strip.sent[v, layer_voice.ticks * TICK :] = 0.0
