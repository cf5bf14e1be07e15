"""What a spectral voice remembers, and room for one tick of it."""

from __future__ import annotations

import numpy as np

from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.dsp.vectors import ABREAST
from innerbloom.core.layers.spectral.morph import MORPH_ROOM
from innerbloom.core.layers.spectral.parameters import MOST_ON_PATH
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.envelope import ORDER
from innerbloom.core.materials.spectrum.noise import GROUPS
from innerbloom.core.materials.spectrum.path import MOST_AT_ONCE

SILENT = np.float32(1e-7)
"""Sum of levels below which a partial or a band is not heard."""

TRANSIENTS_AT_ONCE = 8
BAND_PARTS = 3
"""What each band of noise has a level of: see :mod:`.noise`."""

MOST_READERS = 2 * MOST_AT_ONCE
"""All sounds of a morph that have a share, each at two places of a loop that turns into itself."""

_PARTIALS, _BANDS = (MOST_PARTIALS,), (BANDS,)

TRANSIENT = np.dtype(
    [
        ("sound", np.int64),
        ("at", np.int64),  # next pair of samples, in the array of all transients
        ("left", np.int64),  # pairs to go; 0 where nothing sounds
        ("wait", np.int64),  # frames before it begins
        ("gain", np.float64),
    ],
    align=True,
)
"""A transient as it sounds."""

SPECTRAL_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("begun", np.int64),
        ("age", np.float64),  # seconds
        ("travel", np.float64),  # from the position, as a share of the sound
        ("way", np.float64),  # 1 or -1, back and forth
        ("place", np.float64),  # share of the sound, at the last tick
        ("phase", np.float64, _PARTIALS),  # cycles
        ("turned", np.float64, _PARTIALS),  # phase that was added to it, in cycles
        ("hz", np.float64, _PARTIALS),  # at the end of the last tick, as are these:
        ("left", np.float32, _PARTIALS),
        ("right", np.float32, _PARTIALS),
        ("sine", np.float32, _PARTIALS),  # its level to the left, and less than none to the right
        ("width", np.int64),  # partials that the last tick had, and whether they had sines
        ("wide", np.int64),
        ("bands", np.float32, (BAND_PARTS, BANDS)),  # levels of noise
        ("noise_at", np.int64, (GROUPS,)),  # tick of each group's noise
        ("transients", TRANSIENT, (TRANSIENTS_AT_ONCE,)),
    ],
    align=True,
)
"""The spectrum of one voice."""

READER = np.dtype(
    [
        ("sound", np.int64),
        ("moment", np.float64),
        ("weight", np.float64),
        ("ratio", np.float64),  # played over recorded frequency
    ],
    align=True,
)
"""One moment of one sound, and its share of what sounds."""

PREFETCH = np.dtype(
    [
        ("address", np.uint64),  # of the noise, and how many samples it has
        ("samples", np.int64),
        ("starts", np.int64, (GROUPS, 2)),  # where a span of each group begins, of mid and side
        ("count", np.int64),  # groups that are wanted
        ("length", np.int64),  # samples of each
        ("group", np.int64),  # how far it is: group, and samples of it
        ("at", np.int64),
    ],
    align=True,
)
"""What of the noise is to be in the cache before it is added up."""

SPECTRAL_ROOM = np.dtype(
    [
        ("readers", READER, (MOST_READERS,)),
        ("weights", np.float64, (MOST_ON_PATH,)),
        ("power", np.float64, _PARTIALS),  # of partials, squared peak amplitude
        ("hz", np.float64, _PARTIALS),
        ("spare_hz", np.float64, _PARTIALS),  # where nothing sounds
        ("start", np.float64, _PARTIALS),  # phase to begin with, in cycles
        ("noise", np.float64, _BANDS),  # power of each band
        ("placed", np.float64),  # share of what sounds that stands as it was recorded, and there:
        ("in_phase", np.float64, _PARTIALS),  # side over mid, the part in phase with it
        ("quadrature", np.float64, _PARTIALS),  # and a quarter of a turn ahead
        ("side", np.float64, _BANDS),  # share of the power of noise in the side
        ("alike", np.float64, _BANDS),  # of that, what goes with the mid, by its correlation
        ("found", np.float64, (max(MOST_PARTIALS, BANDS),)),  # by one reader
        (
            "at",
            np.float64,
            _PARTIALS,
        ),  # frequencies an outline is asked for at, and its power there
        ("outlined", np.float64, _PARTIALS),
        ("cosine", np.float64, _PARTIALS),
        ("even", np.float64, _PARTIALS),
        ("odd", np.float64, _PARTIALS),
        ("spare", np.float64, (max(MOST_PARTIALS, BANDS),)),
        ("outline", np.float64, (ORDER + 1,)),
        ("lines", np.float64, (ORDER + 1,)),  # cosines of the outline in use
        ("cosines", np.float64, (ORDER + 1,)),
        ("to_left", np.float32, _PARTIALS),
        ("to_right", np.float32, _PARTIALS),
        ("to_sine", np.float32, _PARTIALS),
        ("bands", np.float32, (SPAN + 1, BAND_PARTS, BANDS)),  # levels, before and after each tick
        ("loud", np.float32, (SPAN + 1, BANDS // ABREAST)),  # sums of them, over some bands each
        ("loud_alike", np.float32, (SPAN + 1, BANDS // ABREAST)),
        ("mid", np.float32, (SPAN * TICK,)),  # noise of a span
        ("sides", np.float32, (SPAN * TICK,)),
        ("prefetch", PREFETCH),
        ("turn", np.float64, _PARTIALS),  # phase that is added, in cycles
        ("abreast", np.int32, _PARTIALS),  # 1 for those that are added several at a time
        ("alone", np.int32, _PARTIALS),  # and for those that are added one by one
        ("sounding", np.int64, _PARTIALS),  # the former, listed
        ("step", np.float32, _PARTIALS),  # cycles in a frame
        ("bent", np.float32, _PARTIALS),  # and what is added to it for each frame
        ("far_cosine", np.float32, _PARTIALS),  # of a vector of frames at the mean step
        ("far_sine", np.float32, _PARTIALS),
        ("out_left", np.float32, (TICK,)),
        ("out_right", np.float32, (TICK,)),
        ("shift", np.float32, (TICK,)),  # phase that another layer adds, in periods of the root
        ("counts", np.int64, (128,)),
        ("phase", np.float64, _PARTIALS),  # what partials remember, put aside
        ("turned", np.float64, _PARTIALS),
        ("old_hz", np.float64, _PARTIALS),
        ("left", np.float32, _PARTIALS),
        ("right", np.float32, _PARTIALS),
        ("sine", np.float32, _PARTIALS),
        *MORPH_ROOM,
    ],
    align=True,
)
"""Room for a tick of one voice."""
