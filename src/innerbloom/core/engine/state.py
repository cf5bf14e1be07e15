"""Records that hold everything sounding. Kernels read and write them by field name."""

from __future__ import annotations

import numpy as np

TICK = 64
"""Frames in a control tick. Events and control values land on this grid."""

BLOCK = 256
"""Frames in a live block."""

MAX_GRAINS = 64
"""Grains that one voice of one layer can sound at once."""

FREE, HELD, RELEASED, DYING = 0, 1, 2, 3
"""Life of a voice; a dying one fades out within a few milliseconds to make room."""

VOICE = np.dtype(
    [
        ("state", np.int64),
        ("note", np.int64),  # the player's id of the sounding note
        ("serial", np.uint64),  # counts notes since the start; keys all chance
        ("key", np.float64),
        ("velocity", np.float64),
        ("bend", np.float64),
        ("pressure", np.float64),
        ("slide", np.float64),
        ("lifted", np.int64),  # the key is up, but hold keeps the note
    ],
    align=True,
)

PART = np.dtype(
    [
        ("serial", np.uint64),  # the note this part last belonged to
        ("stage", np.int64),
        ("progress", np.float64),  # through the stage, 0..1
        ("level", np.float64),  # envelope, 0..1
        ("from_level", np.float64),  # envelope where the stage began
        ("fade", np.float64),  # 1, falling to 0 while dying
        ("left", np.float64),  # gains at the end of the last tick
        ("right", np.float64),
        ("onset", np.float64),  # progress towards the next grain
        ("threshold", np.float64),  # where the next grain starts
        ("travel", np.float64),  # distance drifted, seconds of recording
        ("position", np.float64),  # where grains now come from, 0..1
        ("counter", np.uint64),  # grains started
        ("grains", np.int64),  # grains sounding, packed at the front
        ("active", np.int64),
    ],
    align=True,
)
"""One layer of one voice."""

GRAIN = np.dtype(
    [
        ("place", np.float64),  # reading place, seconds of recording
        ("ratio", np.float64),  # its own share of speed; below zero reads backward
        ("age", np.float64),  # frames since it began
        ("length", np.float64),  # frames
        ("taper", np.float64),  # frames of fade at either end
        ("left", np.float64),
        ("right", np.float64),
        ("offset", np.int64),  # first frame within its first tick
        ("copy", np.int64),
    ],
    align=True,
)

ATTACK, DECAY, SUSTAIN, RELEASE, DONE = 0, 1, 2, 3, 4
