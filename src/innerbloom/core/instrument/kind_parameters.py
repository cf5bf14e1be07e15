"""Parameters of each kind of layer: what its source does."""

from __future__ import annotations

from innerbloom.core.instrument.parameters import Choice, Declared
from innerbloom.core.instrument.parameters import Parameter as P
from innerbloom.core.scales import SCALES

CHORDS = {"major chord": (0, 4, 7), "minor chord": (0, 3, 7)}
LATTICE = {"anywhere": (), "octaves": (0,), **CHORDS, **SCALES}
"""Steps of an octave, in semitones above the key, that random detuning may land on."""

MOST_OSCILLATORS = 7
"""Waves of one note that sound together."""


def _sync(what: str, group: str) -> tuple[Declared, ...]:
    """Hard sync of what a layer reads."""
    return (
        Choice("sync", "restart", ("off", "with the note"), "off",
               f"Restarts {what} at every period of the note (hard sync).", group),
        P("sync_detune", "detune", group, "ct", -4_800, 4_800, 0,
          f"Pitch of {what} between restarts, against the note.", scope="voice",
          when=("sync", ("with the note",))),
    )  # fmt: skip


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
    *CHOOSING,
    Choice("pick", "picks", ("each note", "each grain"), "each note",
           "Whether a note keeps its sound or every grain picks anew.", "Choosing",
      when=("choose", ("in turn", "chance",))),
)

LOOP: tuple[Declared, ...] = (
    P("start", "start", "Where", "%", 0, 100, 0,
      "Where in the sound a note begins.", scope="voice"),
    P("start_scatter", "start scatter", "Where", "%", 0, 100, 0,
      "Random distance from the start, either way.", scope="voice", sign=True),
    Choice("motion", "motion", ("with pitch", "speed", "path"), "with pitch",
           "The read-head runs as fast as the pitch asks, at a speed of its own, or along the "
           "drawn path.", "Where"),
    P("speed", "speed", "Where", "x", -4, 4, 1,
      "Pace of the read-head apart from pitch; 1 is the recording's own.", scope="voice",
      when=("motion", ("speed",))),
    *PATH,
    Choice("loop", "loop", ("off", "forward", "backward", "back-and-forth"), "forward",
           "Which way the loop is read.", "Loop"),
    P("loop_start", "loop start", "Loop", "%", 0, 100, 20,
      "Where the loop begins.", scope="voice",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    P("loop_length", "loop length", "Loop", "ms", 0.05, 180_000, 1_000,
      "How long the loop lasts; short loops are tones of 1 / length.", "log", "voice",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    P("crossfade", "crossfade", "Loop", "%", 0, 100, 10,
      "Share of the loop that blends its end into its beginning.", scope="voice",
      when=("loop", ("forward", "backward",))),
    Choice("curve", "crossfade curve", ("equal power", "linear"), "equal power",
           "Equal power suits unlike sounds, linear those that match.", "Loop",
      when=("loop", ("forward", "backward",))),
    Choice("at_release", "at release", ("stay", "play on"), "stay",
           "Whether the loop goes on once the key is up, or the sound runs past it.", "Loop",
      when=("loop", ("forward", "backward", "back-and-forth",))),
    *_sync("the loop", "Sync"),
    *CHOOSING,
)

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
    *_sync("the wave", "Phase"),
    P("lean", "lean", "Phase", "%", -100, 100, 0,
      "Hurries through the beginning of the period and lingers in its end, or the other way round.",
      scope="voice"),
    P("squeeze", "squeeze", "Phase", "%", -100, 100, 0,
      "Hurries through the beginning and the middle and lingers between, or the other way round.",
      scope="voice"),
    P("mirror", "mirror", "Phase", "%", 0, 100, 0,
      "Lets the period be read there and back instead of round and round.", scope="voice"),
)

NOISE: tuple[Declared, ...] = (
    Choice("colour", "colour", ("white", "pink", "brown", "recording"), "white",
           "Equal level in every Hz, in every octave, falling 6 dB an octave, or shaped like the "
           "long-term spectrum of a recording.", "Noise"),
    P("width", "stereo width", "Noise", "%", 0, 100, 100,
      "From one signal in both channels to two unlike ones.", scope="voice"),
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
