"""What a set of samples is set to: which keys and velocities, how long, how it ends."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

from innerbloom.core.declare.parameters import Choice, Declared, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P

RATES = {"44.1 kHz": 44_100, "48 kHz": 48_000}

# fmt: off
SAMPLES: tuple[Declared, ...] = (
    P("key_low", "lowest key", "Keys", "key", 0, 127, 36, "Lowest key that is sampled.",
      whole_number=True, movable=False),
    P("key_high", "highest key", "Keys", "key", 0, 127, 96, "Highest key that is sampled.",
      whole_number=True, movable=False),
    P("step", "most apart", "Keys", "st", 1, 12, 4,
      "Most semitones from one sampled key to the next.", whole_number=True, movable=False),
    Choice("placing", "placed", ("where the timbre changes", "evenly"), "where the timbre changes",
           "Where a sample moved to the next one's pitch would not pass for it, more are taken between.",
           "Keys"),
    P("velocities", "velocities", "Velocities", "", 1, 8, 2,
      "Layers of velocity; within each the level follows the instrument's.", whole_number=True,
      movable=False),
    P("turns", "round robins", "Velocities", "", 1, 8, 1,
      "Samples of each note, each by another chance, that take turns.", whole_number=True,
      movable=False),
    P("seconds", "held", "How it is played", "s", 0.1, 60, 5,
      "How long each key is held.", "log", movable=False),
    Choice("loops", "loops", ("found", "none"), "found",
           "Whether what is held is looped, so that a key may be held for ever.",
           "How it is played"),
    Choice("release", "release", ("a sample of its own", "an envelope"), "a sample of its own",
           "What follows when the key is let go: as it was played, or the held sound faded as fast.",
           "How it is played"),
    Choice("rate", "rate", tuple(RATES), "48 kHz", "Frames a second.", "Files"),
)
# fmt: on

SampleSettings: type[Settings] = settings_model("SampleSettings", SAMPLES)
if TYPE_CHECKING:
    SampleModel: TypeAlias = Settings
else:
    SampleModel = SampleSettings
