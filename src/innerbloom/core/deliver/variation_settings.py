"""What a set of variations is set to: how many, what may vary, how each ends, how loud it is."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

from innerbloom.core.declare.parameters import Choice, Declared, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
VARIATIONS: tuple[Declared, ...] = (
    P("drawn", "drawn", "How many", "", 1, 400, 48, "How many are drawn to choose from.",
      whole_number=True, movable=False),
    P("kept", "kept", "How many", "", 1, 200, 12,
      "How many are kept of them: those that are most unlike one another.", whole_number=True,
      movable=False),
    P("seed", "seed", "How many", "", 0, 999_999, 1, "Start of all that is drawn.",
      whole_number=True, movable=False),
    Choice("chance", "chance", ("another each", "the same"), "another each",
           "Whether grains, draws and random modulators fall otherwise in each.", "What varies"),
    P("key_low", "lowest key", "What varies", "key", 0, 127, 48, "Lowest key that is struck.",
      whole_number=True, movable=False),
    P("key_high", "highest key", "What varies", "key", 0, 127, 60, "Highest key that is struck.",
      whole_number=True, movable=False),
    P("velocity_low", "softest", "What varies", "", 1, 127, 60, "Softest velocity.",
      whole_number=True, movable=False),
    P("velocity_high", "hardest", "What varies", "", 1, 127, 110, "Hardest velocity.",
      whole_number=True, movable=False),
    P("macros", "macros", "What varies", "%", 0, 100, 0,
      "How far every macro may lie from where it is set, either way.", sign=True, movable=False),
    Choice("snapshots", "snapshots", ("as it is set", "any of them", "each in turn", "anywhere on the map"),
           "as it is set", "In which state of the instrument each is played.", "What varies"),
    P("seconds", "held", "How it ends", "s", 0.02, 120, 1.5,
      "How long the key is held; of a loop, how long the loop is.", "log", movable=False),
    Choice("ends", "ends", ("rings out", "is cut", "loops"), "rings out",
           "A loop's tail is folded onto its start, so that it goes on without a seam.",
           "How it ends"),
    Choice("level", "level", ("equally loud", "as played"), "equally loud",
           "Equally loud as measured by ITU-R BS.1770.", "How loud"),
    P("loudness", "loudness", "How loud", "LUFS", -50, -8, -20,
      "Loudness of each; all are quieter where one of them would pass -1 dBTP.", "decibel",
      movable=False, when=("level", ("equally loud",))),
)
# fmt: on

VariationSettings: type[Settings] = settings_model("VariationSettings", VARIATIONS)
if TYPE_CHECKING:
    VariationModel: TypeAlias = Settings
else:
    VariationModel = VariationSettings
