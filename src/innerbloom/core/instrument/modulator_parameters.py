"""Parameters of the modulators. The order within a kind is that of the engine's rows."""

from __future__ import annotations

from innerbloom.core.instrument.parameters import Choice, Declared
from innerbloom.core.instrument.parameters import Parameter as P
from innerbloom.core.instrument.shared_parameters import envelope

_RESTART = Choice("restart", "starts again", ("with each note", "with each phrase", "never"),
                  "with each note", "A phrase begins when a key goes down while none is.",
                  "Start")  # fmt: skip
_ONCE = Choice("once", "runs", ("round and round", "once"), "round and round",
               "Once stays where it ends.", "Start")  # fmt: skip


def _clock(rate: float, beats: float, of: str, per: str) -> tuple[Declared, ...]:
    """How fast a modulator runs; read by the engine in this order."""
    return (
        Choice("clock", "counts in", ("Hz", "beats"), "Hz",
               "Whether the pace is set by itself or by the tempo.", "Pace"),
        P("rate", "rate", "Pace", "Hz", 0.001, 60, rate, f"{of} a second.", "log",
          when=("clock", ("Hz",))),
        P("beats", "length", "Pace", "beats", 0.0625, 256, beats, f"Beats {per}.", "log",
          when=("clock", ("beats",))),
        P("key_rate", "follows the key", "Pace", "%", -100, 100, 0,
          "How far the pace follows the key: at 100 % an octave up is twice as fast."),
    )  # fmt: skip


# fmt: off
LFO: tuple[Declared, ...] = (
    *_clock(0.2, 8, "Cycles", "a cycle"),
    Choice("wave", "wave",
           ("sine", "triangle", "ramp", "pulse", "steps of chance", "curves of chance", "drawn"),
           "sine", "The shape of a cycle.", "Wave"),
    P("width", "pulse width", "Wave", "%", 1, 99, 50, "Share of the cycle spent at the top.",
      when=("wave", ("pulse",))),
    P("phase", "phase", "Start", "%", 0, 100, 0, "Where in the cycle it starts."),
    P("delay", "delay", "Start", "ms", 0, 60_000, 0, "Wait before it begins.", "cubic"),
    P("fade", "fade in", "Start", "ms", 0, 60_000, 0, "Time to swing out fully.", "cubic"),
    _RESTART,
    _ONCE,
    P("right_phase", "phase apart", "Other side", "%", -100, 100, 25,
      "How far the other side runs ahead, in cycles."),
    P("right_rate", "pace apart", "Other side", "oct", -2, 2, 0,
      "How much faster the other side runs."),
)

SHAPE: tuple[Declared, ...] = (
    Choice("clock", "counts in", ("ms", "beats"), "ms",
           "Whether the length is set by itself or by the tempo.", "Pace"),
    P("time", "length", "Pace", "ms", 10, 600_000, 4_000, "How long the whole shape takes.", "log",
      when=("clock", ("ms",))),
    P("beats", "length", "Pace", "beats", 0.0625, 256, 8, "Beats the whole shape takes.", "log",
      when=("clock", ("beats",))),
    Choice("loop", "loop", ("off", "until release", "always", "wait there"), "off",
           "Repeats the stretch below, or waits at its end for the key to go up.", "Loop"),
    P("loop_from", "from", "Loop", "%", 0, 100, 25, "Where the repeated stretch begins.",
      when=("loop", ("until release", "always"))),
    P("loop_to", "to", "Loop", "%", 0, 100, 75, "Where it ends.",
      when=("loop", ("until release", "always", "wait there"))),
    _RESTART,
)

STEPS: tuple[Declared, ...] = (
    *_clock(4, 0.5, "Steps", "a step"),
    P("glide", "glide", "Steps", "%", 0, 100, 0, "Share of a step spent on the way to the next."),
    _RESTART,
    _ONCE,
)

RANDOM: tuple[Declared, ...] = (
    Choice("reach", "reaches", ("0 to 1", "-1 to 1"), "0 to 1", "One side or both.", "Chance"),
    Choice("spread", "spread", ("even", "bell"), "even",
           "Whether all values are as likely, or those in the middle more so.", "Chance"),
)

DRIFT: tuple[Declared, ...] = (
    P("pull", "comes home in", "Drift", "ms", 20, 600_000, 4_000,
      "Time constant of the pull towards the middle.", "log"),
    P("reach", "reaches", "Drift", "%", 0, 100, 40, "Usual distance from the middle."),
    P("ease", "eased", "Drift", "ms", 0, 60_000, 400, "Smooths the walk.", "cubic"),
    _RESTART,
)

FOLLOWER: tuple[Declared, ...] = (
    Choice("measure", "listens for", ("level", "brightness", "pitch"), "level",
           "Level counts in dB, brightness in octaves from 50 Hz to 12.8 kHz, pitch from C1 to C8. "
           "Where no pitch is clear, the one before stays.", "Listen"),
    P("floor", "from", "Listen", "dB", -80, -6, -48, "Level that reads as nothing.",
      when=("measure", ("level",))),
    P("rise", "rise", "Listen", "ms", 0, 10_000, 20, "Time constant of the way up.", "cubic"),
    P("fall", "fall", "Listen", "ms", 0, 10_000, 200, "Time constant of the way down.", "cubic"),
)
# fmt: on

LOWEST_BRIGHTNESS_HZ, BRIGHTNESS_OCTAVES = 50.0, 8.0
"""Where a follower of brightness reads 0, and how many octaves above it 1."""

LOWEST_PITCH_HZ = 440.0 * 2.0 ** (-45 / 12)
"""C1, where a follower of pitch reads 0."""

PITCH_OCTAVES = 7.0

# fmt: off
CONTOUR: tuple[Declared, ...] = (
    *FOLLOWER,
    P("pace", "pace", "Pace", "oct", -6, 4, 0, "How much faster than the recording it runs."),
    _RESTART,
    _ONCE,
)
# fmt: on


def _input(id_: str, name: str, default: float = 0) -> P:
    return P(
        id_, name, "In", "", -1, 1, default, "What it stands at before routes move it.", sign=False
    )


# fmt: off
COMBINE: tuple[Declared, ...] = (
    Choice("how", "gives", ("sum", "product", "least", "greatest"), "sum",
           "What is made of the two.", "In"),
    _input("a", "one"),
    _input("b", "other"),
)
LAG: tuple[Declared, ...] = (
    _input("a", "in"),
    P("rise", "rise", "Lag", "ms", 0, 60_000, 200, "Time constant of the way up.", "cubic"),
    P("fall", "fall", "Lag", "ms", 0, 60_000, 200, "Time constant of the way down.", "cubic"),
)
QUANTISE: tuple[Declared, ...] = (
    _input("a", "in"),
    P("levels", "levels", "Levels", "", 2, 64, 5, "How many levels from -1 to 1.",
      whole_number=True),
)
SAMPLE: tuple[Declared, ...] = (
    _input("a", "in"),
    _input("trigger", "taken when this rises"),
)
MACRO: tuple[Declared, ...] = (
    P("value", "setting", "Macro", "%", 0, 100, 0, "Where the handle stands."),
    P("other", "other setting", "Macro", "%", 0, 100, 0, "Where it stands at a morph of 100 %."),
)
ENVELOPE: tuple[Declared, ...] = envelope("", "Shape", "the envelope")
# fmt: on
