"""Parameters of noise."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
NOISE: tuple[Declared, ...] = (
    Choice("colour", "colour", ("white", "pink", "brown", "recording"), "white",
           "Equal level in every Hz, in every octave, falling 6 dB an octave, or shaped like the "
           "long-term spectrum of a recording.", "Noise"),
    P("width", "stereo width", "Noise", "%", 0, 100, 100,
      "From one signal in both channels to two unlike ones.", scope="voice"),
)
# fmt: on
