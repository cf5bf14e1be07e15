"""Where a spectral voice reads, and what it finds there: partials, noise and outline."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.cosine import cosine
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK_S
from innerbloom.core.layers.reading import on_path, root_of
from innerbloom.core.layers.shared import PATH
from innerbloom.core.layers.spectral.morph import begin_mix, end_mix, mix_in
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.layers.spectral.room import MOST_READERS, SILENT, TAPS
from innerbloom.core.materials.spectrum.bands import BANDS, PER_OCTAVE
from innerbloom.core.materials.spectrum.envelope import EVERY, ORDER, WARP_HZ
from innerbloom.core.materials.spectrum.model import MOMENTS_S
from innerbloom.core.materials.spectrum.prepared import (
    HZ,
    LEVEL,
    NOISE,
    NOISE_SIDE,
    OUTLINE,
    PARTIAL_SIDE,
    PHASE,
    STRUCK,
)

_SPEED, _PATH = option(SPECTRAL, "motion", "speed"), option(SPECTRAL, "motion", "path")
_LOOPED = option(PATH, "path_end", "looped")
_END, _LOOP = option(SPECTRAL, "at_end", "end"), option(SPECTRAL, "at_end", "loop")
_KEPT = option(SPECTRAL, "formants", "kept")
_TOP = RATE / 2.0
_LEAST_POWER = 1e-14


class Moment(NamedTuple):
    """Where a voice is at a tick.

    place : float
        Share of the sound, 0..1.
    seconds : float
        Length of what sounds.
    note, reference : float
        Note number, and semitones of the reference pitch above A4 = 440 Hz.
    key : uint64
        Of its chance.
    """

    place: float
    seconds: float
    note: float
    reference: float
    key: np.uint64


@borrowing
def travel(state, s, seconds, path):
    """A tick on; gives the place as a share of the sound, and whether the sound has ended."""
    base = 0.01 * s.position
    state.age += TICK_S
    if s.motion == _PATH:
        return on_path(path, state.age, s.path_time, s.path_end == _LOOPED), False
    if s.motion != _SPEED:
        return min(max(base + state.travel, 0.0), 1.0), False
    state.travel += state.way * s.speed * TICK_S / seconds
    place = base + state.travel
    if s.at_end >= _LOOP:
        place = _round(state, s, place, seconds)
        state.travel = place - base
        return place, False
    ended = place >= 1.0 if state.way * s.speed > 0.0 else place <= 0.0
    place = min(max(place, 0.0), 1.0)
    state.travel = place - base
    return place, ended and s.at_end == _END


@borrowing
def _loop_of(s, seconds):
    """First and last place of the loop."""
    start = min(0.01 * s.loop_start, 1.0 - 1e-3)
    return start, min(start + max(0.001 * s.loop_length / seconds, 1e-4), 1.0)


@borrowing
def _round(state, s, place, seconds):
    """The place within the loop, once it has been reached."""
    start, end = _loop_of(s, seconds)
    forward = state.way * s.speed >= 0.0
    if s.at_end == _LOOP:
        if (forward and place > end) or (not forward and place < start):
            return start + (place - start) % (end - start)
        return place
    if place > end and forward:
        state.way = -state.way
        return max(2.0 * end - place, start)
    if place < start and not forward:
        state.way = -state.way
        return min(2.0 * start - place, end)
    return place


@borrowing
def _turning(s, state, place, seconds):
    """The other place that a loop turns into here, and its share; the share is 0 elsewhere."""
    if s.motion != _SPEED or s.at_end != _LOOP or s.loop_blend <= 0.0 or s.speed == 0.0:
        return place, 0.0
    start, end = _loop_of(s, seconds)
    length = end - start
    span = 0.01 * s.loop_blend * length
    if state.way * s.speed > 0.0:
        share = (place - (end - span)) / span
        other = place - length
    else:
        share = ((start + span) - place) / span
        other = place + length
    if share <= 0.0 or place > end or place < start:
        return place, 0.0
    return min(max(other, 0.0), 1.0), min(share, 1.0)


@borrowing
def mixed_seconds(weights, sounds, count):
    """Length of what sounds, between those of the sounds it is made of."""
    total = 0.0
    for i in range(count):
        total += weights[i] * sounds[i].seconds
    return total


@borrowing
def put_readers(room, s, state, moment, sounds):
    """Everything that is read at this tick; gives how many.

    The last of ``sounds`` is the noise that bands are made of.
    """
    place = moment.place
    other, share = _turning(s, state, place, moment.seconds)
    made = 0
    for i in range(len(sounds) - 1):
        if room.weights[i] <= 0.0:
            continue
        sound = sounds[i]
        ratio = 2.0 ** ((moment.note - root_of(sound, moment.reference)) / 12.0)
        for way in range(2):
            weight = room.weights[i] * (share if way == 1 else 1.0 - share)
            if weight <= 0.0 or made >= MOST_READERS:
                continue
            reader = room.readers[made]
            reader.sound, reader.ratio, reader.weight = i, ratio, weight
            reader.moment = (other if way == 1 else place) * sound.seconds * MOMENTS_S
            made += 1
    return made


@borrowing
def put_outline(room, lines, log_gain, count):
    """Power of an outline at the frequencies in ``room.at``, into ``room.outlined``.

    ``lines`` are the cosines of its line spectral frequencies. Frequencies are taken side by side,
    line by line, which compilers turn into vector code.
    """
    for p in range(count):
        held = min(max(room.at[p], 0.0), _TOP)
        # half a turn from 0 Hz to the top of the axis
        cycles = 0.5 * held * (WARP_HZ + _TOP) / (_TOP * (WARP_HZ + held))
        room.cosine[p] = cosine(cycles)
        room.even[p] = room.odd[p] = 1.0
    for j in range(0, ORDER, 2):
        one, other = lines[j], lines[j + 1]
        for p in range(count):
            a, b = 2.0 * (room.cosine[p] - one), 2.0 * (room.cosine[p] - other)
            room.even[p] *= a * a
            room.odd[p] *= b * b
    gain = math.exp(2.0 * log_gain)
    for p in range(count):
        c = room.cosine[p]
        size = 0.5 * (1.0 + c) * room.even[p] + 0.5 * (1.0 - c) * room.odd[p]
        room.outlined[p] = gain / max(size, 1e-12)


@borrowing
def _row(levels, part, moment):
    """First sample of the row at or before a moment, its width, and how far on to the next."""
    row = levels[part]
    last = max(row.frames - 2, 0)
    held = min(max(moment, 0.0), np.float64(row.frames - 1))
    below = min(np.int64(held), last)
    return row.offset + below * np.int64(row.rate), np.int64(row.rate), held - below


@borrowing
def _clear(room):
    """Nothing has been found yet."""
    room.placed = 0.0
    for p in range(len(room.power)):
        room.power[p] = room.hz[p] = room.spare_hz[p] = room.start[p] = 0.0
        room.in_phase[p] = room.quadrature[p] = 0.0
    for b in range(BANDS):
        room.noise[b] = room.side[b] = room.alike[b] = 0.0
    for j in range(ORDER + 1):
        room.outline[j] = 0.0


@borrowing
def gather(room, s, state, readers, played, outlined):
    """Add up what all readers find; the powers of partials are then flat where ``outlined``.

    Gives the power that the partials would have without an outline, and the widest row.
    """
    sounds, levels = played.sounds, played.levels
    widest = 0
    _clear(room)
    heaviest = -1.0
    morphs = readers > 0 and room.readers[0].sound != room.readers[readers - 1].sound
    if morphs:
        begin_mix(room)
    own = whole = 0.0
    for r in range(readers):
        reader = room.readers[r]
        own += reader.weight
        sound = sounds[reader.sound]
        audio = samples_at(sound.address, sound.samples)
        parts = levels[reader.sound]
        if outlined:
            _add_outline(room, reader, audio, parts, sound.trim)
        _put_mean_powers(room, s, reader, audio, parts, LEVEL)
        power, width = _add_partials(room, reader, audio, parts, sound.trim, outlined)
        _add_sides(room, s, reader, audio, parts)
        whole += power
        if reader.weight > heaviest:
            _put_beginnings(room, state, reader, audio, parts, width)
        heaviest = max(heaviest, reader.weight)
        widest = max(widest, width)
        _add_noise(room, s, reader, audio, parts, sound.trim)
        last = r + 1 == readers or room.readers[r + 1].sound != reader.sound
        if morphs and last:
            _mixed_in(room, widest, own, whole)
            own = whole = 0.0
    intended = end_mix(room, widest) if morphs else whole
    _divide_by_powers(room, widest)
    return intended, widest


@borrowing
def _divide_by_powers(room, width):
    """Sums that were weighted by powers become frequencies, sides and shares."""
    for p in range(width):
        if room.power[p] > _LEAST_POWER:
            room.hz[p] /= room.power[p]
        else:
            room.hz[p] = room.spare_hz[p]
    if room.placed <= 0.0:
        return
    for p in range(width):
        if room.power[p] > _LEAST_POWER:
            room.in_phase[p] /= room.power[p]
            room.quadrature[p] /= room.power[p]
    for b in range(BANDS):
        if room.noise[b] > 0.0:
            room.side[b] /= room.noise[b]
            room.alike[b] /= room.noise[b]


@borrowing
def _mixed_in(room, width, own, whole):
    """Mix in one sound, gathered by shares that add up to ``own``."""
    for p in range(width):
        room.power[p] /= own
        room.hz[p] /= own
        room.in_phase[p] /= own
        room.quadrature[p] /= own
    for b in range(BANDS):
        room.noise[b] /= own
        room.side[b] /= own
        room.alike[b] /= own
    mix_in(room, width, own, whole / own)


@borrowing
def _add_outline(room, reader, audio, parts, trim):
    """Add a sound's outline by its share, and leave its own for the partials to be divided by."""
    at, width, share = _row(parts, OUTLINE, reader.moment / EVERY)
    more = width if parts[OUTLINE].frames > 1 else 0
    for j in range(ORDER + 1):
        value = audio[at + j] + share * (audio[at + more + j] - audio[at + j])
        room.cosines[j] = math.cos(value) if j < ORDER else value
        room.outline[j] += reader.weight * (value if j < ORDER else value + math.log(trim))


@borrowing
def _put_mean_powers(room, s, reader, audio, parts, part):
    """Squares of the levels of one part, the mean over the blur, into ``room.found``."""
    taps = 1 if s.blur_time <= 0.0 else TAPS
    reach = 0.001 * s.blur_time * MOMENTS_S / TAPS
    scale, found = np.float32(1.0 / taps), room.found
    found[:] = 0.0
    for tap in range(taps):
        at, width, share = _row(parts, part, reader.moment + (tap - taps // 2) * reach)
        more = width if parts[part].frames > 1 else 0
        f = np.float32(share)
        for p in range(width):
            level = audio[at + p] + f * (audio[at + more + p] - audio[at + p])
            found[p] += scale * level * level


@borrowing
def _add_partials(room, reader, audio, parts, trim, outlined):
    hz_at, width, share = _row(parts, HZ, reader.moment)
    more = width if parts[HZ].frames > 1 else 0
    f = np.float32(share)
    total = 0.0
    # what stands in records is read once: the compiler cannot know that it stays as it is
    weight, ratio, own = reader.weight, reader.ratio, trim * trim
    for p in range(width):
        room.at[p] = audio[hz_at + p] + f * (audio[hz_at + more + p] - audio[hz_at + p])
        total += room.found[p]
    if outlined:
        put_outline(room, room.cosines, room.cosines[ORDER], width)
    for p in range(width):
        worth = 1.0 / room.outlined[p] if outlined else own
        power = room.found[p] * weight * worth
        room.found[p] = power
        room.power[p] += power
        room.hz[p] += power * room.at[p] * ratio
    total *= weight * own
    return total, width


@borrowing
def _add_sides(room, s, reader, audio, parts):
    """Add the sides of partials, by the powers that :func:`_add_partials` has left."""
    # a sound without a side has no rows there
    if parts[PARTIAL_SIDE].frames == 0 or s.placed <= 0.0:
        return
    placed = 0.01 * s.placed
    room.placed += reader.weight * placed
    at, both, share = _row(parts, PARTIAL_SIDE, reader.moment)
    more = both if parts[PARTIAL_SIDE].frames > 1 else 0
    f, width = np.float32(share), both // 2
    for p in range(width):
        power = placed * room.found[p]
        room.in_phase[p] += power * (audio[at + p] + f * (audio[at + more + p] - audio[at + p]))
    at += width
    for p in range(width):
        power = placed * room.found[p]
        room.quadrature[p] += power * (audio[at + p] + f * (audio[at + more + p] - audio[at + p]))


@borrowing
def _put_beginnings(room, state, reader, audio, parts, width):
    """Frequencies where there is no power, and phases, in cycles, where partials are born here."""
    at, _, _ = _row(parts, PHASE, reader.moment)
    hz_at, _, share = _row(parts, HZ, reader.moment)
    ratio = reader.ratio
    for p in range(width):
        room.spare_hz[p] = room.at[p] * ratio
        # most of them sound already
        if state.left[p] + state.right[p] < SILENT:
            turned = audio[at + p] / (2.0 * math.pi) + share * audio[hz_at + p] / MOMENTS_S
            room.start[p] = turned - np.floor(turned)


@borrowing
def _add_noise(room, s, reader, audio, parts, trim):
    smear = 0.01 * s.smear
    if smear > 0.0:
        _put_mean_powers(room, s, reader, audio, parts, STRUCK)
        for b in range(BANDS):
            room.spare[b] = smear * room.found[b]
    _put_mean_powers(room, s, reader, audio, parts, NOISE)
    ratio = 1.0 if s.formants == _KEPT else reader.ratio
    move = PER_OCTAVE * (math.log2(ratio) + s.formant_shift / 12.0)
    gain = reader.weight * trim * trim
    stereo = parts[NOISE_SIDE].frames > 0 and s.placed > 0.0
    side_at, both, side_share = _row(parts, NOISE_SIDE, reader.moment)
    more = both if parts[NOISE_SIDE].frames > 1 else 0
    for b in range(BANDS):
        power = room.found[b] + (room.spare[b] if smear > 0.0 else 0.0)
        if power <= 0.0:
            continue
        place = b + move
        low = math.floor(place)
        part = place - low
        first = np.int64(low)
        power *= gain
        side = alike = 0.0
        if stereo:
            at, to = side_at + b, side_at + both // 2 + b
            side = 0.01 * s.placed * (audio[at] + side_share * (audio[at + more] - audio[at]))
            alike = side * (audio[to] + side_share * (audio[to + more] - audio[to]))
        if 0 <= first < BANDS:
            room.noise[first] += (1.0 - part) * power
            room.side[first] += (1.0 - part) * power * side
            room.alike[first] += (1.0 - part) * power * alike
        if 0 <= first + 1 < BANDS:
            room.noise[first + 1] += part * power
            room.side[first + 1] += part * power * side
            room.alike[first + 1] += part * power * alike
