"""Drawn shape: any curve over time, once or with a loop in it."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.dsp.state import HELD
from innerbloom.core.modulators.common import RESTART, place_of, starts, table_at
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
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
    RESTART,
)
# fmt: on
_CLOCK, _TIME, _BEATS = (place_of(SHAPE, one) for one in ("clock", "time", "beats"))
_LOOP, _FROM, _TO, _RESTART = (
    place_of(SHAPE, one) for one in ("loop", "loop_from", "loop_to", "restart")
)
_BY_BEATS = option(SHAPE, "clock", "beats")
_UNTIL, _ALWAYS = (option(SHAPE, "loop", one) for one in ("until release", "always"))
_WAIT = option(SHAPE, "loop", "wait there")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at = modulator.at
    if starts(state, now.voice, now.phrase, row[at + _RESTART]):
        state.phase = 0.0
    out[0] = max(table_at(drawn.tables[modulator.table], state.phase), 0.0)
    seconds = 0.001 * row[at + _TIME]
    if row[at + _CLOCK] == _BY_BEATS:
        seconds = row[at + _BEATS] * 60.0 / now.tempo
    loop, held = row[at + _LOOP], now.voice.state == HELD
    begin, end = 0.01 * row[at + _FROM], 0.01 * row[at + _TO]
    before = state.phase
    state.phase = min(state.phase + TICK_S / seconds, 1.0)
    if loop == _WAIT and held and before <= end:
        state.phase = min(state.phase, end)
    elif (loop == _ALWAYS or (loop == _UNTIL and held)) and end > begin and state.phase >= end:
        state.phase = begin + (state.phase - end) % (end - begin)


KIND = ModulatorKind(
    "shape",
    "drawn shape",
    SHAPE,
    advance,
    "Any curve over time, once or with a loop in it.",
    needs="shape",
)
