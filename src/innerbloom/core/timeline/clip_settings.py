"""What is set of a clip: its level and its fades."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P

DECLICK_S = 0.005
"""A clip's edges fade at least so long unless that is changed: none begins with a click."""

CURVES = ("linear", "equal power", "slow start", "slow end")

# fmt: off
LEVEL = P("gain", "level", "Clip", "dB", -60, 24, 0, "Level of the whole clip.", "decibel",
          movable=False)
_FADE = ("Clip", "s", 0.0, 600.0, DECLICK_S)
CLIP: tuple[Declared, ...] = (
    LEVEL,
    P("fade_in", "fade in", *_FADE, "How long it rises; longer where it crosses over from another.",
      "cubic", movable=False),
    P("fade_out", "fade out", *_FADE, "How long it falls; longer where it crosses over to another.",
      "cubic", movable=False),
    Choice("curve_in", "rises", CURVES, "equal power", "The shape of its rise.", "Clip"),
    Choice("curve_out", "falls", CURVES, "equal power", "The shape of its fall.", "Clip"),
)
# fmt: on

Decibels = Annotated[float, Field(ge=LEVEL.low, le=LEVEL.high)]
FadeSeconds = Annotated[float, Field(ge=_FADE[2], le=_FADE[3])]
