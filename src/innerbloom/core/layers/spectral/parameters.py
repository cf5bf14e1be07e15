"""Parameters of the *spectral* layer: where in its spectra it is, and what becomes of them."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.layers.shared import PATH
from innerbloom.core.scales import LATTICE

QUIETEST_DB = -60.0
"""Level of a part at which it is silent."""

MOST_ON_PATH = 8
"""Sounds that one layer can morph through."""

_LOOPED = ("loop", "back-and-forth")

# fmt: off
SPECTRAL: tuple[Declared, ...] = (
    P("morph", "morph", "Morph", "%", 0, 100, 0,
      "Place on the way through the layer's sounds, from the first to the last.", scope="voice"),
    P("morph_amount", "amount", "Morph", "%", 0, 100, 100,
      "How far the morph leads away from the first sound.", scope="voice"),
    Choice("matching", "matching", ("by itself", "by ratio", "by frequency"), "by itself",
           "Partials that turn into each other: at the same multiple of their roots, or at the same "
           "frequency; by itself, by ratio where every sound has a root.", "Morph"),
    P("position", "position", "Where", "%", 0, 100, 0,
      "Where in the sound a note begins, or stays.", scope="voice"),
    Choice("motion", "motion", ("speed", "still", "path"), "speed",
           "The place travels at a speed, stays frozen, or follows the drawn path.", "Where"),
    P("speed", "speed", "Where", "x", -4, 4, 1,
      "Pace apart from pitch; 1 is the recording's own, below zero runs backward.", scope="voice",
      when=("motion", ("speed",))),
    *PATH,
    Choice("at_end", "at the end", ("stay", "end", *_LOOPED), "loop",
           "What happens where the sound ends: it stays in its last moment, the note ends, or it goes "
           "round between the loop points.", "Loop", when=("motion", ("speed",))),
    P("loop_start", "loop start", "Loop", "%", 0, 100, 20, "Where the loop begins.", scope="voice",
      when=("at_end", _LOOPED)),
    P("loop_length", "loop length", "Loop", "ms", 20, 180_000, 180_000,
      "How long the loop lasts at its own pace; it ends with the sound at the latest.", "log", "voice",
      when=("at_end", _LOOPED)),
    P("loop_blend", "blend", "Loop", "%", 0, 50, 25,
      "Share of the loop over which its end turns into its beginning.", scope="voice",
      when=("at_end", ("loop",))),
    P("most", "strongest", "Partials", "", 1, MOST_PARTIALS, MOST_PARTIALS,
      "How many partials are kept, the strongest first.", "log", "voice"),
    P("gate", "gate", "Partials", "dB", -90, 0, -90,
      "Partials that lie farther below the strongest are left out.", scope="voice"),
    P("stretch", "stretch", "Partials", "%", -50, 50, 0,
      "Spreads partials apart or draws them together about the root, as a power of their ratio.",
      scope="voice", sign=True),
    P("shift", "shift", "Partials", "Hz", -2_000, 2_000, 0, "Moves every partial by as many hertz.",
      scope="voice", sign=True),
    P("odd_even", "odd and even", "Partials", "%", -100, 100, 0,
      "Below zero only the odd multiples of the root, above it only the even ones.", scope="voice",
      sign=True),
    P("detune", "detune", "Partials", "ct", 0, 200, 0, "Random detuning of each partial, either way.",
      "cubic", "voice"),
    Choice("steps", "drawn to", tuple(LATTICE), "fifths",
           "Intervals from the key that partials are drawn to.", "Partials"),
    P("pull", "pull", "Partials", "%", 0, 100, 0,
      "How far partials are drawn to the nearest of these intervals.", scope="voice"),
    P("phases", "phases", "Partials", "%", 0, 100, 0,
      "Turns every partial to a phase of its own, which takes the edge off.", scope="voice"),
    P("balance", "balance", "Parts", "%", -100, 100, 0,
      "From partials alone to noise alone.", scope="voice", sign=True),
    P("strikes", "strikes", "Parts", "dB", QUIETEST_DB, 12, 0,
      "Level of beginnings that are kept as they were; lowest is off.", "decibel", "voice"),
    P("smear", "smear", "Parts", "%", 0, 100, 0,
      "Turns strikes into noise that lasts as long as the blur.", scope="voice"),
    P("blur_time", "blur in time", "Blur", "ms", 0, 4_000, 0, "Levels are the mean of so long.",
      "cubic", "voice"),
    P("blur_frequency", "blur in frequency", "Blur", "%", 0, 100, 0,
      "Levels are shared out among neighbouring partials and bands.", scope="voice"),
    P("tilt", "tilt", "Colour", "dB", -12, 12, 0, "Added with every octave above the root.",
      scope="voice", sign=True),
    Choice("formants", "formants", ("with pitch", "kept"), "with pitch",
           "Whether the outline of the spectrum moves with the pitch or stays.", "Colour"),
    P("formant_shift", "formant shift", "Colour", "st", -24, 24, 0, "Moves the outline by itself.",
      scope="voice", sign=True),
    P("drawn", "drawn filter", "Colour", "%", 0, 100, 0,
      "How much of the drawn filter is heard.", scope="voice"),
    P("placed", "as recorded", "Space", "%", 0, 100, 100,
      "How far the parts of a stereo recording stand where they stood; the rest goes by spread and "
      "width.", scope="voice"),
    P("spread", "spread", "Space", "%", 0, 100, 40, "How far partials lie from the middle, the root stays.",
      scope="voice"),
    P("width", "noise width", "Space", "%", 0, 100, 80,
      "From one noise in both channels to two unlike ones.", scope="voice"),
)
# fmt: on
