"""Parameters of clouds of grains."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.layers.shared import CHOOSING, PATH
from innerbloom.core.scales import LATTICE

# fmt: off
DESCRIBED = ("loudness", "brightness", "pitch", "noisiness", "flatness")
"""What segments of a sound are described by, in the order of their columns."""

_BY_PLACE, _BY_SOUND = ("gather", ("a place",)), ("gather", ("a likeness",))

CLOUD: tuple[Declared, ...] = (
    Choice("gather", "grains from", ("a place", "a likeness"), "a place",
           "From around a place in time, or from wherever the sound is like a point on the map.",
           "Where"),
    P("across", "across", "Where", "%", 0, 100, 50, "Point on the map, from left to right.",
      scope="voice", when=_BY_SOUND),
    P("up", "up", "Where", "%", 0, 100, 50, "Point on the map, from bottom to top.",
      scope="voice", when=_BY_SOUND),
    P("reach", "reach", "Where", "%", 0, 50, 6,
      "How far from the point segments may lie; the nearest is taken where there is none.",
      "cubic", scope="voice", when=_BY_SOUND),
    Choice("across_is", "across is", DESCRIBED, "brightness",
           "What the map shows from left to right.", "Where", when=_BY_SOUND),
    Choice("up_is", "up is", DESCRIBED, "loudness",
           "What the map shows from bottom to top.", "Where", when=_BY_SOUND),
    P("position", "position", "Where", "%", 0, 100, 35,
      "Where in the sound grains are taken from.", scope="voice", when=_BY_PLACE),
    P("position_scatter", "scatter", "Where", "%", 0, 50, 4,
      "Random distance from the position, either way.", scope="voice", sign=True),
    Choice("motion", "motion", ("still", "speed", "age", "path"), "still",
           "The position stays, travels at a speed, goes to the end place with the age of the "
           "note, or follows the drawn path.", "Where", when=_BY_PLACE),
    P("drift", "speed", "Where", "x", -4, 4, 0,
      "How fast the position travels while a note lasts; 1 is the recording's own pace.",
      scope="voice",
      when=("motion", ("speed",))),
    P("position_end", "end place", "Where", "%", 0, 100, 100,
      "Where the position arrives after the path time.", scope="voice",
      when=("motion", ("age",))),
    *PATH,
    P("size", "size", "Grain", "ms", 5, 2_000, 140,
      "Length of a grain.", "log", "voice"),
    P("density", "density", "Grain", "/s", 0.5, 200, 24,
      "Grains started each second in one voice.", "log", "voice"),
    P("regularity", "regularity", "Grain", "%", 0, 100, 30,
      "0 starts grains at random moments, 100 at even ones.", scope="voice"),
    P("alignment", "alignment", "Grain", "%", 0, 100, 0,
      "Chance that a grain starts where it goes on with the wave of the one before, so that tones "
      "do not flutter.", scope="voice"),
    P("softness", "softness", "Grain", "%", 0, 100, 100,
      "How much of a grain is spent fading in and out; low settings are flat and let each grain "
      "be heard.", scope="voice"),
    P("skew", "skew", "Grain", "%", -100, 100, 0,
      "Below zero grains fade in fast, above it they fade out fast.", scope="voice"),
    P("direction", "backward", "Grain", "%", 0, 100, 0,
      "Chance that a grain plays backward.", scope="voice"),
    P("pitch_scatter", "scatter", "Pitch", "ct", 0, 3_600, 6,
      "Random detuning of each grain, either way.", "cubic", scope="voice", sign=True),
    Choice("steps", "scatter lands on", tuple(LATTICE), "anywhere",
           "Intervals from the key that random detuning is drawn to.", "Pitch"),
    P("stereo_scatter", "stereo scatter", "Spread", "%", 0, 100, 50,
      "How far grains land from the middle, either way.", scope="voice", sign=True),
    P("level_scatter", "level scatter", "Spread", "dB", 0, 24, 3,
      "How much quieter a grain may be, at random.", scope="voice"),
    P("evenness", "evenness", "Spread", "%", 0, 100, 0,
      "Raises grains from quiet places to the level of loud ones.", scope="voice"),
    *CHOOSING,
    Choice("pick", "picks", ("each note", "each grain"), "each note",
           "Whether a note keeps its sound or every grain picks anew.", "Choosing",
      when=("choose", ("in turn", "chance",))),
)
# fmt: on
