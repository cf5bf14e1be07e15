"""Parameters of loops."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.layers.shared import CHOOSING, PATH, sync

# fmt: off
LOOP: tuple[Declared, ...] = (
    P("start", "start", "Where", "%", 0, 100, 0,
      "Where in the sound a note begins.", scope="voice"),
    P("start_scatter", "start scatter", "Where", "%", 0, 100, 0,
      "Random distance from the start, either way.", scope="voice", sign=True),
    Choice("motion", "motion", ("with pitch", "speed", "path"), "with pitch",
           "The read-head runs as fast as the pitch asks, at a speed of its own, or along the "
           "drawn path.", "Where"),
    P("speed", "speed", "Where", "x", -4, 4, 1,
      "Pace of the read-head apart from pitch; 1 is the recording's own.", scope="voice",
      when=("motion", ("speed",))),
    *PATH,
    Choice("loop", "loop", ("off", "forward", "backward", "back-and-forth"), "forward",
           "Which way the loop is read.", "Loop"),
    P("loop_start", "loop start", "Loop", "%", 0, 100, 20,
      "Where the loop begins.", scope="voice",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    P("loop_length", "loop length", "Loop", "ms", 0.05, 180_000, 1_000,
      "How long the loop lasts; short loops are tones of 1 / length.", "log", "voice",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    P("crossfade", "crossfade", "Loop", "%", 0, 100, 10,
      "Share of the loop that blends its end into its beginning.", scope="voice",
      when=("loop", ("forward", "backward",))),
    Choice("curve", "crossfade curve", ("equal power", "linear"), "equal power",
           "Equal power suits unlike sounds, linear those that match.", "Loop",
      when=("loop", ("forward", "backward",))),
    Choice("at_release", "at release", ("stay", "play on"), "stay",
           "Whether the loop goes on once the key is up, or the sound runs past it.", "Loop",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    *sync("the loop", "Hard sync"),
    *CHOOSING,
)
# fmt: on
