"""Parameters of waves and wavetables."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.layers.shared import sync

# fmt: off
MOST_OSCILLATORS = 7
"""Waves of one note that sound together."""

WAVE: tuple[Declared, ...] = (
    Choice("shape", "wave", ("sine", "triangle", "saw", "pulse", "table"), "sine",
           "A plain wave, or the frames of a stored wavetable.", "Wave"),
    P("width", "width", "Wave", "%", 2, 98, 50, "Share of a pulse's period that is high.",
      scope="voice",
      when=("shape", ("pulse",))),
    P("frame", "position", "Wave", "%", 0, 100, 0, "Place in the wavetable.", scope="voice",
      when=("shape", ("table",))),
    Choice("begins", "begins", ("at its phase", "where it was"), "at its phase",
           "Each note at the phase below, or wherever the last one left the wave.", "Wave"),
    P("phase", "phase", "Wave", "%", 0, 100, 0, "Where in its period the wave begins.",
      scope="voice"),
    P("phase_scatter", "phase scatter", "Wave", "%", 0, 100, 0,
      "Random share of a period added at the start.", scope="voice"),
    P("unison", "waves", "Unison", "", 1, MOST_OSCILLATORS, 1, "How many waves sound together.",
      scope="voice", whole_number=True),
    P("unison_detune", "detune", "Unison", "ct", 0, 100, 14,
      "How far the outermost are detuned, either way.", scope="voice"),
    P("unison_width", "width", "Unison", "%", 0, 100, 70, "How far they lie apart in stereo.",
      scope="voice"),
    *sync("the wave", "Phase"),
    P("lean", "lean", "Phase", "%", -100, 100, 0,
      "Hurries through the beginning of the period and lingers in its end, or the other way round.",
      scope="voice"),
    P("squeeze", "squeeze", "Phase", "%", -100, 100, 0,
      "Hurries through the beginning and the middle and lingers between, or the other way round.",
      scope="voice"),
    P("mirror", "mirror", "Phase", "%", 0, 100, 0,
      "Lets the period be read there and back instead of round and round.", scope="voice"),
)
# fmt: on
