"""What a room is set to."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
ROOM: tuple[Declared, ...] = (
    P("size", "size", "Room", "m", 1, 60, 14,
      "How far sound goes from wall to wall, on average; moved, its pitch glides.", "log"),
    P("decay", "decay", "Room", "ms", 20, 60_000, 2_200,
      "Until it has died away by 60 dB, at 1 kHz.", "log"),
    P("low", "low decay", "Room", "%", 10, 300, 115, "Decay at 125 Hz, against that at 1 kHz.",
      "log"),
    P("high", "high decay", "Room", "%", 5, 150, 60, "Decay at 4 kHz, against that at 1 kHz.",
      "log"),
    P("freeze", "freeze", "Room", "%", 0, 100, 0,
      "At 100 what is there stays for ever, and nothing goes in."),
    P("pre_delay", "pre-delay", "Build", "ms", 0, 250, 12, "Until the first sound comes back.",
      "cubic"),
    P("early", "early part", "Build", "dB", -40, 6, -8, "Level of the first reflections; -40 is none."),
    P("diffusion", "diffusion", "Build", "%", 0, 100, 85, "From single echoes to a cloud of them."),
    P("movement", "movement", "Build", "%", 0, 100, 30,
      "How far the walls sway, so that nothing rings."),
    P("width", "width", "Output", "%", 0, 150, 100, "From one channel to all around."),
    P("mix", "mix", "Output", "%", 0, 100, 30, "How much of it is the room."),
)
# fmt: on
