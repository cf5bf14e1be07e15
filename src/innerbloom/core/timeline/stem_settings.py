"""How stems are handed over: how loud, in which files."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

from innerbloom.core.declare.parameters import Choice, Declared, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
STEMS: tuple[Declared, ...] = (
    Choice("level", "level", ("to a loudness", "as mixed"), "to a loudness",
           "All stems are raised or lowered alike, so that the whole has this loudness.", "Level"),
    P("loudness", "loudness", "Level", "LUFS", -40, -8, -23,
      "Of the whole; EBU R 128 asks for -23.", "decibel", when=("level", ("to a loudness",))),
    P("ceiling", "true peak", "Level", "dBTP", -20, 0, -1,
      "What no peak of the whole may rise above.", "decibel"),
    Choice("form", "files", ("WAV 24-bit", "WAV float"), "WAV 24-bit",
           "Float holds peaks above full scale.", "Files"),
)
# fmt: on

StemSettings: type[Settings] = settings_model("StemSettings", STEMS)
if TYPE_CHECKING:
    StemModel: TypeAlias = Settings
else:
    StemModel = StemSettings
