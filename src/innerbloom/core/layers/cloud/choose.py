"""Which sound a grain is taken from, and where one lies that sounds alike."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.layers.cloud.parameters import CLOUD, DESCRIBED
from innerbloom.core.layers.shared import CHOOSING

COLUMNS = 2 + len(DESCRIBED)
"""Of a segment: its sound, its place in seconds, and what describes it."""

_IN_TURN, _BY_CHANCE = option(CHOOSING, "choose", "in turn"), option(CHOOSING, "choose", "chance")
_BY_CONTROL = option(CHOOSING, "choose", "control")
_BLENDED = option(CHOOSING, "borders", "crossfaded")
_EACH_GRAIN = option(CLOUD, "pick", "each grain")


@borrowing
def sound_for(state, s, zone, key, base, sounds):
    """Which sound a grain is taken from."""
    count = len(sounds)
    if count == 1:
        return 0
    draw = uniform(key, base + np.uint64(6))
    if s.choose == _BY_CONTROL:
        place = s.choice * 0.01 * (count - 1)
        below = min(np.int64(place), count - 2)
        blend = place - below
        return below + (draw < blend if s.borders == _BLENDED else blend >= 0.5)
    if s.pick == _EACH_GRAIN and s.choose == _IN_TURN:
        return (state.last + 1) % count
    if s.pick == _EACH_GRAIN and s.choose == _BY_CHANCE:
        return _drawn(state.last, draw, sounds)
    return zone.second if draw < zone.share else zone.first


@borrowing
def _drawn(last, draw, sounds):
    """A sound by weight, other than the last one."""
    count = len(sounds)
    whole = sounds[count - 1].weight
    skipped = 0.0
    if last >= 0:
        skipped = sounds[last].weight - (sounds[last - 1].weight if last > 0 else 0.0)
    if whole - skipped <= 1e-9:
        return max(last, 0)
    aim = draw * (whole - skipped)
    for i in range(count):
        if i == last:
            continue
        passed = sounds[i].weight - (skipped if last >= 0 and i > last else 0.0)
        if aim < passed:
            return i
    return count - 1 if last != count - 1 else count - 2


@borrowing
def alike(segments, s, draw):
    """Where the row of a segment begins that lies by the point on the map, one of those in
    reach."""
    across, up = 2 + np.int64(s.across_is), 2 + np.int64(s.up_is)
    x, y = 0.01 * s.across, 0.01 * s.up
    reach = (0.01 * s.reach) ** 2
    inside, nearest, found = 0, 1e9, 0
    for at in range(0, len(segments), COLUMNS):
        far = (segments[at + across] - x) ** 2 + (segments[at + up] - y) ** 2
        if far <= reach:
            inside += 1
        if far < nearest:
            nearest, found = far, at
    if inside < 2:
        return found
    left = np.int64(draw * inside)
    for at in range(0, len(segments), COLUMNS):
        far = (segments[at + across] - x) ** 2 + (segments[at + up] - y) ** 2
        if far <= reach:
            if left == 0:
                return at
            left -= 1
    return found
