"""Parameters that several kinds of layer share, and those of each of a layer's sounds."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P

MAX_SOUNDS = 64
"""Sounds that a layer can choose among."""

# fmt: off
CHOOSING: tuple[Declared, ...] = (
    Choice("choose", "choose by", ("range", "in turn", "chance", "control"), "range",
           "How a note picks among the layer's sounds: by key and velocity, one after another, "
           "at random without repeating, or by a control.", "Choosing"),
    Choice("borders", "borders", ("hard", "crossfaded"), "hard",
           "Whether neighbouring sounds change over at once or blend.", "Choosing"),
    P("choice", "control", "Choosing", "%", 0, 100, 0,
      "Which sound is chosen, from the first (0) to the last (100).", scope="voice",
      when=("choose", ("control",)), instant=True),
)

PATH: tuple[Declared, ...] = (
    P("path_time", "path time", "Where", "ms", 10, 600_000, 8_000,
      "How long the drawn path takes.", "log", "voice",
      when=("motion", ("age", "path",))),
    Choice("path_end", "path", ("once", "looped"), "once",
           "Whether the drawn path stops at its end or starts again.", "Where",
      when=("motion", ("age", "path",))),
)

def sync(what: str, group: str) -> tuple[Declared, ...]:
    """Hard sync of what a layer reads."""
    return (
        Choice("sync", "hard sync", ("off", "with the note"), "off",
               f"Restarts {what} at every period of the note.", group),
        P("sync_detune", "sync detune", group, "ct", -4_800, 4_800, 0,
          f"Pitch of {what} between restarts, against the note.", scope="voice",
          when=("sync", ("with the note",))),
    )

ENTRY: tuple[P, ...] = (
    P("weight", "weight", "Sound", "", 0, 100, 1, "How often chance picks the sound."),
    P("key_low", "lowest key", "Sound", "key", 0, 127, 0, "Lowest key that picks the sound.",
      whole_number=True),
    P("key_high", "highest key", "Sound", "key", 0, 127, 127, "Highest key that picks the sound.",
      whole_number=True),
    P("velocity_low", "softest", "Sound", "", 0, 127, 0, "Softest velocity that picks the sound.",
      whole_number=True),
    P("velocity_high", "hardest", "Sound", "", 0, 127, 127,
      "Hardest velocity that picks the sound.", whole_number=True),
)
"""What says when one of a layer's many sounds is picked."""
# fmt: on
