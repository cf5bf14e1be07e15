"""The one registry: parameters of the whole, of every layer, and of each kind of layer.

A new parameter is one entry here and its use in a kernel. A new kind of layer is one
entry in :data:`KINDS` and its kernel.
"""

from __future__ import annotations

from innerbloom.core.instrument.parameters import Parameter as P
from innerbloom.core.instrument.parameters import Settings, settings_model

# fmt: off
WHOLE: tuple[P, ...] = (
    P("level", "level", "Output", "dB", -60, 6, -6,
      "Level of the whole instrument ahead of the ceiling.", "decibel", "whole"),
    P("voices", "voices", "Voices", "", 1, 64, 24,
      "How many notes may sound at once; the oldest gives way.", scope="whole",
      whole_number=True, movable=False),
    P("tuning", "reference pitch", "Voices", "Hz", 400, 480, 440,
      "Frequency of A4; every key follows.", scope="whole", movable=False),
    P("bend_range", "bend range", "Voices", "st", 0, 48, 2,
      "How far a full turn of a keyboard's bend wheel reaches.", scope="whole", movable=False),
    P("seed", "seed", "Voices", "", 0, 999_999, 1,
      "Start of all chance: the same seed and notes give the same samples.", scope="whole",
      whole_number=True, movable=False),
)

LAYER: tuple[P, ...] = (
    P("level", "level", "Output", "dB", -60, 12, 0, "Level of the layer.", "decibel"),
    P("pan", "pan", "Output", "%", -100, 100, 0,
      "Place between left (-100) and right (100), at equal power."),
    P("velocity_level", "velocity to level", "Touch", "%", 0, 100, 60,
      "How much a softer key lowers the level."),
    P("pressure_level", "pressure to level", "Touch", "dB", 0, 12, 6,
      "Gain added at full pressure.", "decibel"),
    P("slide_position", "slide to position", "Touch", "%", -50, 50, 15,
      "How far a finger at full height moves the position.", sign=True),
    P("attack", "attack", "Shape", "ms", 1, 20_000, 180,
      "Time to rise to full level.", "log", "voice"),
    P("attack_curve", "attack curve", "Shape", "%", -100, 100, 20,
      "Below zero the rise starts slowly, above it starts fast.", scope="voice"),
    P("decay", "decay", "Shape", "ms", 1, 20_000, 800,
      "Time to fall from full level to the sustain level.", "log", "voice"),
    P("decay_curve", "decay curve", "Shape", "%", -100, 100, 50,
      "Below zero the fall starts slowly, above it starts fast.", scope="voice"),
    P("sustain", "sustain", "Shape", "%", 0, 100, 85,
      "Level held while the key is down.", scope="voice"),
    P("release", "release", "Shape", "ms", 5, 30_000, 1_400,
      "Time to fall to silence once the key is up.", "log", "voice"),
    P("release_curve", "release curve", "Shape", "%", -100, 100, 60,
      "Below zero the fall starts slowly, above it starts fast.", scope="voice"),
)

CLOUD: tuple[P, ...] = (
    P("position", "position", "Where", "%", 0, 100, 35,
      "Where in the sound grains are taken from.", scope="voice"),
    P("position_scatter", "scatter", "Where", "%", 0, 50, 4,
      "Random distance from the position, either way.", scope="voice", sign=True),
    P("drift", "drift", "Where", "x", -4, 4, 0,
      "How fast the position travels while a note lasts; 1 is the recording's own pace.",
      scope="voice"),
    P("size", "size", "Grain", "ms", 5, 2_000, 140,
      "Length of a grain.", "log", "voice"),
    P("density", "density", "Grain", "/s", 0.5, 200, 24,
      "Grains started each second in one voice.", "log", "voice"),
    P("regularity", "regularity", "Grain", "%", 0, 100, 30,
      "0 starts grains at random moments, 100 at even ones.", scope="voice"),
    P("softness", "softness", "Grain", "%", 0, 100, 100,
      "How much of a grain is spent fading in and out; low settings let each grain be heard.",
      scope="voice"),
    P("direction", "backward", "Grain", "%", 0, 100, 0,
      "Chance that a grain plays backward.", scope="voice"),
    P("pitch", "shift", "Pitch", "st", -36, 36, 0,
      "Transposition against the key.", scope="voice"),
    P("fine", "fine", "Pitch", "ct", -100, 100, 0,
      "Transposition in cents.", scope="voice"),
    P("pitch_scatter", "scatter", "Pitch", "ct", 0, 1_200, 6,
      "Random detuning of each grain, either way.", scope="voice", sign=True),
    P("stereo_scatter", "stereo scatter", "Spread", "%", 0, 100, 50,
      "How far grains land from the middle, either way.", scope="voice", sign=True),
    P("level_scatter", "level scatter", "Spread", "dB", 0, 24, 3,
      "How much quieter a grain may be, at random.", scope="voice"),
)
# fmt: on

KINDS: dict[str, tuple[P, ...]] = {"cloud": CLOUD + LAYER}
"""Parameters of each kind of layer, in the order of the engine's records."""

WholeSettings: type[Settings] = settings_model("WholeSettings", WHOLE)
LAYER_SETTINGS: dict[str, type[Settings]] = {
    kind: settings_model(f"{kind.title()}Settings", parameters)
    for kind, parameters in KINDS.items()
}
