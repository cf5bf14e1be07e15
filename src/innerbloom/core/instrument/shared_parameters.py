"""Parameters of the whole instrument, of every layer, of stack members and of routes."""

from __future__ import annotations

from innerbloom.core.instrument.parameters import Choice, Declared
from innerbloom.core.instrument.parameters import Parameter as P

# fmt: off
WHOLE: tuple[Declared, ...] = (
    P("level", "level", "Output", "dB", -60, 6, -6,
      "Level of the whole instrument ahead of the ceiling.", "decibel", "whole"),
    Choice("mode", "notes", ("poly", "mono", "legato"), "poly",
           "Poly sounds every key; mono and legato one, and legato starts its envelopes only "
           "when all keys were up.", "Voices"),
    Choice("priority", "priority", ("last", "low", "high"), "last",
           "Which held key sounds in mono and legato.", "Voices",
      when=("mode", ("mono", "legato",))),
    P("voices", "voices", "Voices", "", 1, 64, 24,
      "How many voices may sound at once; a stack takes one for each member.", scope="whole",
      whole_number=True, movable=False),
    Choice("glide", "glide", ("off", "by time", "by rate"), "off",
           "Slides from the last key: in a set time, or at a set pace.", "Glide"),
    Choice("glide_when", "glides", ("always", "when legato"), "when legato",
           "Whether a key struck after all were up glides too.", "Glide",
      when=("glide", ("by time", "by rate",))),
    P("glide_time", "time", "Glide", "ms", 1, 10_000, 120,
      "How long a glide lasts, whatever the interval.", "log", "whole", movable=False,
      when=("glide", ("by time",))),
    P("glide_rate", "rate", "Glide", "st/s", 1, 1_200, 60,
      "How fast a glide moves, whatever the interval.", "log", "whole", movable=False,
      when=("glide", ("by rate",))),
    P("unison_detune", "detune", "Stack", "ct", 0, 100, 12,
      "How far the outer members of a stack lie from the key, either way.", "linear", "whole",
      movable=False, sign=True),
    P("unison_spread", "spread", "Stack", "%", 0, 100, 60,
      "How far the outer members of a stack lie from the middle, either way.", "linear", "whole",
      movable=False, sign=True),
    P("tempo", "tempo", "Motion", "bpm", 20, 300, 90,
      "Beats a minute, for all that counts in beats.", scope="whole", movable=False),
    Choice("routes", "routes", ("on", "off"), "on",
           "Off lets nothing move anything, touch included.", "Motion"),
    P("morph", "morph", "Motion", "%", 0, 100, 0,
      "Moves every macro from its setting to its other one.", scope="whole", movable=False),
    P("momentum", "momentum", "Motion", "ms", 0, 10_000, 900,
      "How long the gesture pad drifts on when it is let go.", "cubic", "whole", movable=False),
    P("tuning", "reference pitch", "Tuning", "Hz", 400, 480, 440,
      "Frequency of A4; every key follows.", scope="whole", movable=False),
    P("bend_range", "bend range", "Tuning", "st", 0, 96, 2,
      "How far a full turn of a keyboard's bend wheel reaches.", scope="whole", movable=False),
    P("seed", "seed", "Chance", "", 0, 999_999, 1,
      "Start of all chance: the same seed and notes give the same samples.", scope="whole",
      whole_number=True, movable=False),
)


def envelope(prefix: str, group: str, of: str, **defaults: float) -> tuple[Declared, ...]:
    """The thirteen settings of an envelope, in the order the engine reads them."""
    def time(id_: str, name: str, help_: str, low: float, high: float, default: float) -> P:
        scale = "log" if low > 0 else "cubic"
        return P(prefix + id_, name, group, "ms", low, high, defaults.get(id_, default), help_,
                 scale, "voice")  # type: ignore[arg-type]

    def share(id_: str, name: str, help_: str, default: float, low: float = 0) -> P:
        return P(prefix + id_, name, group, "%", low, 100, defaults.get(id_, default), help_,
                 scope="voice")

    bend = "Below zero it starts slowly, above it starts fast."
    return (
        time("delay", "delay", f"Wait before {of} begins.", 0, 20_000, 0),
        time("attack", "attack", "Time to rise to the peak.", 0.5, 20_000, 180),
        time("hold", "hold", "Time spent at the peak.", 0, 20_000, 0),
        time("decay", "decay", "Time to fall from the peak to the sustain level.", 1, 20_000, 800),
        share("sustain", "sustain", "Level held while the key is down.", 85),
        time("release", "release", "Time to the end level once the key is up.", 1, 30_000, 1_400),
        share("attack_curve", "attack curve", f"Curve of the rise. {bend}", 20, -100),
        share("decay_curve", "decay curve", f"Curve of the fall to sustain. {bend}", 50, -100),
        share("release_curve", "release curve", f"Curve of the end. {bend}", 60, -100),
        share("start_level", "start", "Level at which the rise begins.", 0),
        share("peak_level", "peak", "Level at which the rise ends.", 100),
        share("end_level", "end", f"Level at which {of} comes to rest.", 0),
        Choice(prefix + "repeat", "repeat", ("off", "on"), "off",
               "Starts again after the decay for as long as the key is down.", group),
    )


LAYER: tuple[Declared, ...] = (
    P("level", "level", "Output", "dB", -60, 12, 0, "Level of the layer; -60 is silence.",
      "decibel"),
    P("pan", "pan", "Output", "%", -100, 100, 0,
      "Place between left (-100) and right (100), at equal power."),
    Choice("mute", "mute", ("off", "on"), "off",
           "Silences the layer; it still moves the layer above it.", "Output"),
    Choice("solo", "solo", ("off", "on"), "off",
           "Sounds only this layer and others with solo on.", "Output"),
    Choice("effects", "effects", ("through", "past"), "through",
           "Past keeps the layer out of its own filter, drive and reduction, and of shared "
           "effects, so that a low end stays clean.", "Output"),
    P("octave", "octave", "Pitch", "", -5, 5, 0, "Transposition in octaves.",
      whole_number=True, movable=False),
    P("pitch", "shift", "Pitch", "st", -36, 36, 0,
      "Transposition against the key.", scope="voice"),
    P("fine", "fine", "Pitch", "ct", -100, 100, 0,
      "Transposition in cents.", scope="voice"),
    Choice("tracking", "key", ("follows", "fixed"), "follows",
           "Whether the pitch follows the key, or every key sounds alike.", "Pitch"),
    P("key_low", "lowest key", "Range", "key", 0, 127, 0, "Lowest key that sounds the layer.",
      whole_number=True, movable=False),
    P("key_high", "highest key", "Range", "key", 0, 127, 127, "Highest key that sounds the layer.",
      whole_number=True, movable=False),
    P("key_fade", "key fade", "Range", "st", 0, 48, 0,
      "Keys over which the layer fades out within each end of its range.", movable=False),
    P("velocity_low", "softest", "Range", "", 0, 127, 0, "Softest velocity that sounds the layer.",
      whole_number=True, movable=False),
    P("velocity_high", "hardest", "Range", "", 0, 127, 127,
      "Hardest velocity that sounds the layer.", whole_number=True, movable=False),
    P("velocity_fade", "velocity fade", "Range", "", 0, 64, 0,
      "Velocities over which the layer fades out within each end of its range.", movable=False),
    *envelope("", "Shape", "the sound"),
    Choice("filter", "filter", ("off", "12 dB", "24 dB"), "off",
           "Steepness of the filter, in dB an octave.", "Tone"),
    P("cutoff", "cutoff", "Tone", "Hz", 20, 20_000, 2_400, "Corner of the filter.", "log", "voice",
      when=("filter", ("12 dB", "24 dB",))),
    P("blend", "filter shape", "Tone", "", 0, 3, 0,
      "From low-pass through band-pass and high-pass to notch, without a step.", scope="voice",
      marks=((0, "low"), (1, "band"), (2, "high"), (3, "notch")),
      when=("filter", ("12 dB", "24 dB",))),
    P("resonance", "resonance", "Tone", "%", 0, 100, 0, "How much the corner rings.",
      scope="voice",
      when=("filter", ("12 dB", "24 dB",))),
    *envelope("tone_", "Tone shape", "the envelope", attack=5, decay=600, sustain=0, release=400,
              attack_curve=0),
    P("drive", "drive", "Grit", "dB", 0, 48, 0,
      "Saturation; a signal that peaks at -12 dB keeps its peak.", "decibel", "voice"),
    P("drive_shape", "shape", "Grit", "%", 0, 100, 0, "From soft (0) to hard corners (100).",
      scope="voice"),
    P("asymmetry", "asymmetry", "Grit", "%", -100, 100, 0,
      "Leans the saturation to one side, which adds even harmonics.", scope="voice"),
    P("reduced_rate", "sample rate", "Grit", "Hz", 200, 48_000, 48_000,
      "Holds samples at a lower rate; 48 kHz leaves the sound alone.", "log", "voice"),
    P("bits", "bits", "Grit", "", 1, 24, 24, "Steps of level; 24 leaves the sound alone.",
      scope="voice"),
    P("colour_amount", "amount", "Colouring", "%", 0, 100, 100,
      "How much of the other sound's outline is taken on."),
    P("colour_detail", "detail", "Colouring", "%", 0, 100, 35,
      "From broad outlines, as of a vowel, to every partial."),
    Choice("colour_from", "outline of", ("the whole", "its course", "a place"), "the whole",
           "The other sound all together, as it goes on beside the newest note, or at one place.",
           "Colouring"),
    P("colour_place", "place", "Colouring", "%", 0, 100, 50, "Where in the other sound.",
      when=("colour_from", ("a place",))),
    Choice("link", "moves the layer above", ("off", "phase", "rate"), "off",
           "Lets this layer's signal move the phase or the rate of the layer above it.", "Chain"),
    P("link_amount", "amount", "Chain", "", 0, 24, 1,
      "Radians of phase, or times the rate, at full signal.", "cubic", "voice",
      when=("link", ("phase", "rate",))),
    Choice("loudness_hold", "hold loudness", ("off", "on"), "off",
           "Keeps the loudness of this layer steady however strongly it is moved.", "Chain"),
)

MEMBER: tuple[P, ...] = (
    P("pitch", "pitch", "Member", "st", -24, 24, 0, "Added to the pitch."),
    P("start", "start", "Member", "%", -100, 100, 0, "Added to where the sound begins."),
    P("attack", "attack", "Member", "oct", -6, 6, 0, "Lengthens the attack, in doublings."),
    P("release", "release", "Member", "oct", -6, 6, 0, "Lengthens the release, in doublings."),
    P("cutoff", "cutoff", "Member", "oct", -6, 6, 0, "Moves the filter."),
    P("loop", "loop length", "Member", "oct", -6, 6, 0, "Lengthens the loop, in doublings."),
    P("pan", "pan", "Member", "%", -100, 100, 0, "Moves to the left or right."),
)
"""What sets one member of a stack apart from the others."""

MEMBER_TARGETS: dict[str, tuple[str, ...]] = {
    "pitch": ("pitch",), "start": ("position", "start", "phase"), "attack": ("attack",),
    "release": ("release",), "cutoff": ("cutoff",), "loop": ("loop_length",), "pan": ("pan",),
}
"""The parameters a member's offsets are added to, where a layer has them."""

DEPTH = P("depth", "depth", "Route", "", -200_000, 200_000, 0,
          "How far a source at 1 moves the target, in the target's own unit.", movable=False)
ROUTE: tuple[P, ...] = (
    P("amount", "amount", "Route", "%", 0, 200, 100, "Scales the depth; routes may move it."),
    P("rise", "rise", "Route", "ms", 0, 10_000, 0, "Time constant of the way up.", "cubic",
      movable=False),
    P("fall", "fall", "Route", "ms", 0, 10_000, 0, "Time constant of the way down.", "cubic",
      movable=False),
)
# fmt: on
