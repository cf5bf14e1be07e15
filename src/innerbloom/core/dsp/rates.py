"""How time is divided: the one place that says so."""

from __future__ import annotations

RATE = 48_000
"""Frames a second of everything that sounds."""

TICK = 64
"""Frames in a control tick. Events and control values land on this grid."""

BLOCK = 256
"""Frames in a live block."""

SPAN = BLOCK // TICK
"""Most ticks rendered in one go."""

TICK_S = TICK / RATE
TICK_MS = 1000.0 * TICK_S

GROUPS = 2
"""Voices are rendered in two groups, by even and odd slots, and the groups' sums are added:
one core or two give the same samples."""
