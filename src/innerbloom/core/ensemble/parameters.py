"""Parameters of an ensemble and of its members."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
ENSEMBLE: tuple[Declared, ...] = (
    P("level", "level", "Whole", "dB", -60, 6, 0,
      "Level of all members together ahead of the limiter.", "decibel", "whole", movable=False),
    P("ceiling", "ceiling", "Whole", "dBTP", -12, 0, -1,
      "Highest true peak that the limiter lets out.", scope="whole", movable=False),
    P("tempo", "tempo", "Whole", "bpm", 20, 300, 90,
      "Beats a minute, for all members and their phrases.", scope="whole", movable=False),
)

PLAYER: tuple[Declared, ...] = (
    P("level", "level", "Sound", "dB", -60, 12, 0, "Level among the others; -60 is silence.",
      "decibel", "whole", movable=False),
    P("pan", "pan", "Sound", "%", -100, 100, 0,
      "Lowers the other side; two players an octave apart, far left and right, are one wide sound.",
      scope="whole", movable=False),
    Choice("mute", "muted", ("off", "on"), "off", "Plays on, unheard.", "Sound"),
    P("transpose", "transposed", "Sound", "st", -48, 48, 0, "Added to every key.",
      scope="whole", whole_number=True, movable=False),
    P("seed", "seed", "Sound", "", 0, 999_999, 1,
      "Start of its chance, whatever that of its instrument is.", scope="whole",
      whole_number=True, movable=False),
    P("key_low", "lowest key", "Answers to", "key", 0, 127, 0, "Lowest key that it answers to.",
      scope="whole", whole_number=True, movable=False),
    P("key_high", "highest key", "Answers to", "key", 0, 127, 127, "Highest key that it answers to.",
      scope="whole", whole_number=True, movable=False),
    P("velocity_low", "softest", "Answers to", "", 0, 127, 0, "Softest velocity that it answers to.",
      scope="whole", whole_number=True, movable=False),
    P("velocity_high", "hardest", "Answers to", "", 0, 127, 127,
      "Hardest velocity that it answers to.", scope="whole", whole_number=True, movable=False),
    P("channel", "MIDI channel", "Answers to", "", 0, 16, 0,
      "The only channel that it answers to; 0 is all of them.", scope="whole", whole_number=True,
      movable=False),
)
"""What one member is set to."""
# fmt: on
