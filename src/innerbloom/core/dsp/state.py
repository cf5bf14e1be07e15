"""Records that hold everything sounding. Kernels read and write them by field name."""

from __future__ import annotations

import numpy as np

FINE = 4
"""How many times the rate waves are made at where their phase is bent or restarted."""

FINE_TAPS = 192
"""Taps of the low-pass that brings them back: 18 kHz passes, 24 kHz does not."""

MAX_GRAINS = 64
"""Grains that one voice of one layer can sound at once."""

PATH_STEPS = 257
"""Places of a drawn path, at even steps of time."""

FREE, HELD, RELEASED, DYING = 0, 1, 2, 3
"""Life of a voice; a dying one fades out within a few milliseconds to make room."""

VOICE = np.dtype(
    [
        ("state", np.int64),
        ("note", np.int64),  # the player's id of the sounding note
        ("serial", np.uint64),  # counts voices since the start; keys all chance
        ("trigger", np.int64),  # counts strikes of one voice in mono
        ("member", np.int64),  # place in the stack
        ("key", np.float64),  # where the pitch is going, as a note number
        ("pitch", np.float64),  # where it is
        ("glide", np.float64),  # semitones moved in a tick; 0 arrives at once
        ("velocity", np.float64),
        ("release_velocity", np.float64),
        ("bend", np.float64),
        ("pressure", np.float64),
        ("slide", np.float64),
        ("random", np.float64),
        ("place", np.float64),  # in the stack, -1..1
        ("lifted", np.int64),  # the key is up, but a pedal keeps the note
        ("kept", np.int64),  # held by the sostenuto pedal
        ("age", np.float64),  # seconds
    ],
    align=True,
)

ENVELOPE = np.dtype(
    [
        ("stage", np.int64),
        ("progress", np.float64),  # through the stage, 0..1
        ("level", np.float64),  # 0..1
        ("from_level", np.float64),  # where the stage began
    ],
    align=True,
)
"""An envelope as it runs."""

WAIT, ATTACK, HOLD, DECAY, SUSTAIN, RELEASE, DONE = 0, 1, 2, 3, 4, 5, 6

LAYER_VOICE = np.dtype(
    [
        ("serial", np.uint64),  # the voice it last belonged to
        ("trigger", np.int64),
        ("active", np.int64),
        ("ticks", np.int64),  # ticks to render in the present span
        ("ended", np.int64),  # ticks until one whose source has come to its end fades, and 1
        ("fade", np.float64),  # 1, falling to 0 while dying
        ("left", np.float64),  # gains at the end of the last tick
        ("right", np.float64),
        ("position", np.float64),  # where it reads, 0..1, for pictures
        ("sound", np.int64),  # which sound it reads, for pictures
        ("envelope", ENVELOPE),
        ("tone_envelope", ENVELOPE),
    ],
    align=True,
)
"""One layer of one voice: what every kind has."""

ZONE = np.dtype(
    [
        ("gain", np.float64),  # 0 outside the layer's ranges
        ("first", np.int64),
        ("second", np.int64),
        ("share", np.float64),  # of the second sound
    ],
    align=True,
)
"""What a note has picked of one layer."""

GRAIN = np.dtype(
    [
        ("place", np.float64),  # reading place, seconds of recording
        ("ratio", np.float64),  # its own share of speed; below zero reads backward
        ("age", np.float64),  # frames since it began
        ("length", np.float64),  # frames
        ("rise", np.float64),  # frames of fade at its beginning
        ("fall", np.float64),  # and at its end
        ("left", np.float64),
        ("right", np.float64),
        ("offset", np.int64),  # first frame within its first tick
        ("level", np.int64),  # mip level
        ("sound", np.int64),
    ],
    align=True,
)

SOUND = np.dtype(
    [
        ("address", np.uint64),  # of the first sample of its mip levels
        ("samples", np.int64),
        ("channels", np.int64),
        ("octaves_up", np.int64),
        ("pitched", np.float64),
        ("seconds", np.float64),
        ("root", np.float64),  # note number at which it plays as recorded
        ("trim", np.float64),
        ("power", np.uint64),  # address of the first of its powers over time
        ("hops", np.int64),  # how many there are
        ("loud", np.float64),  # power of its loud places
        ("weight", np.float64),  # running sum of weights, for chance
        ("frames", np.int64),  # of a wavetable
        ("stride", np.int64),  # samples from one frame to the next
    ],
    align=True,
)
"""One sound of a layer."""

WAVE_TICK = np.dtype(
    [
        ("frame", np.float64),  # place in the table at the beginning of the tick, in frames
        ("to_frame", np.float64),  # and at its end
        ("width", np.float64),  # of a pulse, in periods
        ("to_width", np.float64),
        ("pulse", np.int64),
        ("sync", np.int64),
        ("ratio", np.float64),  # periods of the wave in one of the note, where they are in sync
        ("lean", np.float64),  # -1..1
        ("squeeze", np.float64),
        ("mirror", np.float64),  # 0..1
    ],
    align=True,
)
"""What all waves of one voice share in a tick."""
