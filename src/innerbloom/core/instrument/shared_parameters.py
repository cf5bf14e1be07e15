"""Parameters of the whole instrument, of stack members and of routes."""

from __future__ import annotations

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
INSTRUMENT: tuple[Declared, ...] = (
    P("level", "level", "Output", "dB", -60, 6, -6,
      "Level of the whole instrument ahead of the limiter.", "decibel", "whole"),
    P("ceiling", "ceiling", "Output", "dBTP", -12, 0, -1,
      "Highest true peak that the limiter lets out.", scope="whole", movable=False),
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
      "How long a glide lasts, whatever the interval.", "log", "whole",
      when=("glide", ("by time",))),
    P("glide_rate", "rate", "Glide", "st/s", 1, 1_200, 60,
      "How fast a glide moves, whatever the interval.", "log", "whole",
      when=("glide", ("by rate",))),
    P("unison_detune", "detune", "Stack", "ct", 0, 100, 12,
      "How far the outer members of a stack lie from the key, either way.", "linear", "whole",
      sign=True),
    P("unison_spread", "spread", "Stack", "%", 0, 100, 60,
      "How far the outer members of a stack lie from the middle, either way.", "linear", "whole",
      sign=True),
    P("tempo", "tempo", "Motion", "bpm", 20, 300, 90,
      "Beats a minute, for all that counts in beats.", scope="whole"),
    Choice("routes", "routes", ("on", "off"), "on",
           "Off lets nothing move anything, touch included.", "Motion"),
    P("morph", "macro blend", "Motion", "%", 0, 100, 0,
      "Moves every macro from its setting to its other one.", scope="whole"),
    P("momentum", "momentum", "Motion", "ms", 0, 10_000, 900,
      "How long the gesture pad drifts on when it is let go.", "cubic", "whole", movable=False),
    P("map_across", "across the map", "Map", "%", 0, 100, 50,
      "Where between the snapshots on the map one stands, from left to right.", scope="whole"),
    P("map_up", "up the map", "Map", "%", 0, 100, 50,
      "Where between the snapshots on the map one stands, from bottom to top.", scope="whole"),
    P("tuning", "reference pitch", "Tuning", "Hz", 400, 480, 440,
      "Frequency of A4; every key follows.", scope="whole"),
    P("bend_range", "bend range", "Tuning", "st", 0, 96, 2,
      "How far a full turn of a keyboard's bend wheel reaches.", scope="whole", movable=False),
    P("seed", "seed", "Chance", "", 0, 999_999, 1,
      "Start of all chance: the same seed and notes give the same samples.", scope="whole",
      whole_number=True, movable=False),
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

SEND: tuple[Declared, ...] = (
    P("level", "level", "Send", "dB", -60, 12, -12, "How much goes to the bus; -60 is nothing.",
      "decibel"),
    Choice("tap", "taken", ("after the level", "before the level"), "after the level",
           "Whether the level of the layer counts for what is sent.", "Send"),
)
"""What one layer sends to one shared bus."""

BUS: tuple[Declared, ...] = (
    P("level", "level", "Bus", "dB", -60, 12, 0, "Level after the effects; -60 is silence.",
      "decibel"),
)
"""A shared bus."""

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
