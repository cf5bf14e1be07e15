"""The mixer: from the streams of layers through shared buses and the main bus to one output.

A layer's stream passes its effects, then its level, and goes to the main bus, to a shared bus, or
past all effects; sends take it to shared buses besides. Shared buses go to the main bus, whose
effects, level and limiter come last. Paths of unlike latency are brought together.
"""

from __future__ import annotations

import copy

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.chain import Chain
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.kernels.finish import QUIETEST_DB
from innerbloom.core.engine.kernels.mixing import add_groups, add_ramped
from innerbloom.core.engine.program import BusProgram, LayerProgram, Program
from innerbloom.core.instrument.catalogue import LAYER, SEND
from innerbloom.core.instrument.owners import MAIN, WHOLE_ID

_STEP = 0.15
"""Share of the way made in a tick where a stream is taken elsewhere, muted or soloed."""

_PAST_EFFECTS = option(LAYER, "effects", "past")
_BEFORE = option(SEND, "tap", "before the level")
PAST = "past"
"""Where streams go that no shared effect may touch."""


_OPEN, _SHUT = np.ones(SPAN), np.zeros(SPAN)


class Fader:
    """A gain on its way to 0 or 1, a step a tick."""

    def __init__(self, value: float) -> None:
        self.value = value

    def ramp(self, wanted: float, ticks: int) -> NDArray[np.float64]:
        """The gain at the end of each tick, shape (SPAN,)."""
        if self.value == wanted:
            return _OPEN if wanted else _SHUT
        made = np.full(SPAN, self.value)
        for tick in range(ticks):
            self.value += _STEP * (wanted - self.value)
            if abs(wanted - self.value) < 1e-4:
                self.value = wanted
            made[tick] = self.value
        return made


def gains_of(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear gains of levels in dB, where the lowest is silence."""
    return np.where(levels <= QUIETEST_DB, 0.0, 10.0 ** (levels / 20.0))


class Delay:
    """So many frames of silence, and then what went in."""

    def __init__(self) -> None:
        self._line = np.zeros((0, 2), np.float32)

    def process(self, audio: NDArray[np.float32], frames: int) -> None:
        """Delay whole ticks in place; where the delay changes, what waits is kept or cut."""
        if frames == 0 and not len(self._line):
            return
        if len(self._line) != frames:
            kept = self._line[-frames:] if frames else self._line[:0]
            silence = np.zeros((frames - len(kept), 2), np.float32)
            self._line = np.concatenate((silence, kept))
        joined = np.concatenate((self._line, audio))
        audio[:] = joined[: len(audio)]
        self._line = joined[len(audio) :]

    def ringing(self) -> bool:
        """Whether something waits."""
        return len(self._line) > 0 and bool(self._line.any())

    @property
    def empty(self) -> bool:
        """Whether it leaves everything as it is."""
        return not len(self._line)


class Way:
    """One way that a stream takes: to which bus, how far it is open, and its last gain."""

    def __init__(self, bus: str, open_: float) -> None:
        self.bus = bus
        self.fader = Fader(open_)
        self.level = np.ones(SPAN)
        self._last: float | None = None

    def add(
        self, out: NDArray[np.float32], audio: NDArray[np.float32], gains: NDArray[np.float64]
    ) -> None:
        """Add whole ticks of a stream, its gain moving on from where it was."""
        ticks = len(audio) // TICK
        before = float(gains[0]) if self._last is None else self._last
        self._last = float(gains[ticks - 1])
        if before or self._last or gains[:ticks].any():
            add_ramped(out, audio, before, gains)

    def add_groups(
        self, out: NDArray[np.float32], bus: NDArray[np.float32], ticks: int,
        gains: NDArray[np.float64],
    ) -> None:  # fmt: skip
        """Add what both groups of a layer's voices added up to."""
        before = float(gains[0]) if self._last is None else self._last
        self._last = float(gains[ticks - 1])
        add_groups(out, bus, ticks, before, gains)

    def pass_by(self, gains: NDArray[np.float64], ticks: int) -> None:
        """Note the gain where there is nothing to add."""
        self._last = float(gains[ticks - 1])


class Strip:
    """What one layer passes on its way to the buses.

    Parameters
    ----------
    program : LayerProgram
    presence : float
        Whether it is heard at first, by mute and solo.
    """

    def __init__(self, program: LayerProgram, presence: float) -> None:
        self.program = program
        self.chain = Chain(program.effects)
        self.presence = Fader(presence)
        self.heard = np.ones(SPAN)
        self._own, self._level = np.ones(SPAN), np.nan
        self._plain = self._own
        self._plain_of: tuple[object, object] = (None, None)
        self._delay = Delay()
        self._outputs: dict[str, Way] = {}
        self._sends: dict[str, Way] = {}
        self._taps: dict[str, Fader] = {}

    def change(self, program: LayerProgram) -> None:
        """Go on as another program of the same layer says."""
        self.program = program
        self.chain.change(program.effects)

    def copied(self) -> Strip:
        """The same, going its own way from here."""
        other = copy.deepcopy(self, {id(self.chain): None, id(self.program): self.program})
        other.chain = self.chain.copied()
        return other

    def ringing(self) -> bool:
        """Whether something is still to come out."""
        return self.chain.ringing() or self._delay.ringing()

    def hear(self, wanted: float, ticks: int) -> NDArray[np.float64]:
        """Step mute and solo on; the gain at the end of each tick."""
        self.heard = self.presence.ramp(wanted, ticks)
        return self.heard

    def plain_way(self, moment: Moment) -> Way | None:
        """The one way the stream takes, where nothing stands in it and nothing else is to do."""
        if not self.chain.empty or not self._delay.empty or self.program.sends or self._sends:
            return None
        if len(self._outputs) != 1:
            return None
        past = moment.base[0, moment.layout.column(self.program.id, "effects")] == _PAST_EFFECTS
        return self._outputs.get(PAST if past else self.program.output)

    def pass_plainly(
        self, bus: NDArray[np.float32] | None, moment: Moment, mixer: Mixer, way: Way
    ) -> None:
        """The same as :meth:`pass_on`, straight from the groups of voices, if any sound."""
        own = self._own_gains(moment)
        if own is not self._plain_of[0] or self.heard is not self._plain_of[1]:
            self._plain, self._plain_of = own * self.heard, (own, self.heard)
        if bus is None:
            way.pass_by(self._plain, moment.ticks)
        else:
            way.add_groups(mixer.input_of(way.bus), bus, moment.ticks, self._plain)

    def pass_on(self, audio: NDArray[np.float32], moment: Moment, mixer: Mixer) -> None:
        """Send whole ticks of the layer's voices through its effects and to the buses."""
        self.chain.process(audio, moment)
        self._delay.process(audio, mixer.wait_of(self.chain.latency))
        gains = self._own_gains(moment) * self.heard
        past = moment.base[0, moment.layout.column(self.program.id, "effects")] == _PAST_EFFECTS
        silent = not audio.any()
        self._to_outputs(audio, PAST if past else self.program.output, gains, mixer, silent)
        if self.program.sends or self._sends:
            self._to_sends(audio, moment, gains, mixer, silent)

    def _own_gains(self, moment: Moment) -> NDArray[np.float64]:
        """Gains of the layer's own level; a voice that differs from it brings the difference."""
        column = moment.layout.column(self.program.id, "level")
        if moment.base[0, column] == moment.base[-1, column] == self._level:
            return self._own
        levels = moment.base[:, column]
        self._own = self._padded(10.0 ** (np.maximum(levels, QUIETEST_DB) / 20.0))
        self._level = np.nan
        if levels[0] == levels[-1]:
            # what has settled stays as it is
            self._level = levels[0]
            self._own[:] = self._own[0]
        return self._own

    @staticmethod
    def _padded(values: NDArray[np.float64]) -> NDArray[np.float64]:
        made = np.ones(SPAN)
        made[: len(values)] = values
        return made

    def _to_outputs(
        self, audio: NDArray[np.float32], output: str, gains: NDArray[np.float64],
        mixer: Mixer, silent: bool,
    ) -> None:  # fmt: skip
        ticks = len(audio) // TICK
        if output not in self._outputs:
            self._outputs[output] = Way(output, 0.0 if self._outputs else 1.0)
        for bus, way in list(self._outputs.items()):
            opened = way.fader.ramp(1.0 if bus == output else 0.0, ticks)
            if silent:
                way.pass_by(gains * opened, ticks)
            else:
                way.add(mixer.input_of(bus), audio, gains * opened)
            if bus != output and way.fader.value == 0.0:
                del self._outputs[bus]

    def _to_sends(
        self, audio: NDArray[np.float32], moment: Moment, gains: NDArray[np.float64],
        mixer: Mixer, silent: bool,
    ) -> None:  # fmt: skip
        ticks, now = len(audio) // TICK, dict(self.program.sends)
        for send, bus in now.items():
            if send not in self._sends or self._sends[send].bus != bus:
                self._sends[send] = Way(bus, 0.0)
        past = self._outputs.get(PAST)
        through = 1.0 - (past.fader.value if past is not None else 0.0)
        for send, way in list(self._sends.items()):
            tapped = self.heard
            if send in now and moment.knows(send):
                values = moment.settings_of(send)
                way.level = self._padded(gains_of(values["level"]))
                wanted = 0.0 if values["tap"][0] == _BEFORE else 1.0
                after = self._taps.setdefault(send, Fader(wanted)).ramp(wanted, ticks)
                tapped = self.heard + after * (gains - self.heard)
            opened = way.fader.ramp(through if send in now else 0.0, ticks)
            if silent:
                way.pass_by(tapped * way.level * opened, ticks)
            else:
                way.add(mixer.input_of(way.bus), audio, tapped * way.level * opened)
            if send not in now and way.fader.value == 0.0:
                del self._sends[send]


class BusStrip:
    """A shared bus."""

    def __init__(self, program: BusProgram) -> None:
        self.program = program
        self.chain = Chain(program.effects)
        self.input = np.zeros((SPAN * TICK, 2), np.float32)
        self.way = Way(MAIN, 1.0)
        self.delay = Delay()

    def pass_on(self, out: NDArray[np.float32], moment: Moment, wait: int, stays: bool) -> bool:
        """Send what came in through its effects to the main bus; whether it is still open."""
        audio = self.input[: len(out)]
        self.chain.process(audio, moment)
        self.delay.process(audio, wait)
        if stays:
            self.way.level = Strip._padded(gains_of(moment.settings_of(self.program.id)["level"]))
        opened = self.way.fader.ramp(1.0 if stays else 0.0, moment.ticks)
        self.way.add(out, audio, opened * self.way.level)
        audio[:] = 0.0
        return stays or self.way.fader.value > 0.0


class Mixer:
    """The buses of a section.

    Parameters
    ----------
    program : Program
    """

    def __init__(self, program: Program) -> None:
        self.program = program
        self.buses = {one.id: BusStrip(one) for one in program.buses}
        self.main = Chain(program.effects)
        self._main = np.zeros((SPAN * TICK, 2), np.float32)
        self._past = np.zeros((SPAN * TICK, 2), np.float32)
        self._past_delay, self._direct_delay = Delay(), Delay()
        self._used = self._past_used = False
        self._output = Way(MAIN, 1.0)
        self._latest, self._level, self._gains = 0, np.nan, np.ones(SPAN)

    def change(self, program: Program) -> None:
        """Go on as another program says; buses that are gone fade out."""
        self.program = program
        for one in program.buses:
            if one.id in self.buses:
                self.buses[one.id].program = one
                self.buses[one.id].chain.change(one.effects)
            else:
                self.buses[one.id] = BusStrip(one)
        self.main.change(program.effects)

    def input_of(self, bus: str) -> NDArray[np.float32]:
        """Where streams to a bus are added up; the main bus's where it is not there."""
        self._used = True
        if bus == PAST:
            self._past_used = True
            return self._past
        return self.buses[bus].input if bus in self.buses else self._main

    def wait_of(self, latency: int) -> int:
        """Frames that a stream of a latency waits for the slowest one."""
        return self._latest - latency

    @property
    def _slowest_bus(self) -> int:
        return max((bus.chain.latency for bus in self.buses.values()), default=0)

    def latency(self, strips: list[Strip]) -> int:
        """Frames by which the output lags behind, ahead of the limiter."""
        slowest = max((strip.chain.latency for strip in strips), default=0)
        return slowest + self._slowest_bus + self.main.latency

    def begin(self, ticks: int, strips: list[Strip]) -> None:
        """Before a span: empty buses."""
        self._latest = max((strip.chain.latency for strip in strips), default=0)
        if self._used:
            self._main[:] = self._past[:] = 0.0
        self._used = self._past_used = False

    def end(self, out: NDArray[np.float32], moment: Moment) -> None:
        """Add everything that came in to ``out``, through shared buses and the main bus."""
        if not self._used and self._rests(moment):
            return
        main, past = self._main[: len(out)], self._past[: len(out)]
        stay = {one.id for one in self.program.buses}
        self._direct_delay.process(main, self._slowest_bus)
        for id_, bus in list(self.buses.items()):
            wait = self._slowest_bus - bus.chain.latency
            if not bus.pass_on(main, moment, wait, id_ in stay):
                del self.buses[id_]
        self.main.process(main, moment)
        self._past_delay.process(past, self._slowest_bus + self.main.latency)
        self._past_used = self._past_used or not self._past_delay.empty
        if self._past_used:
            main += past
        self._output.add(out, main, self._levels(moment))
        self._used = True

    def _levels(self, moment: Moment) -> NDArray[np.float64]:
        """Gains of the instrument's level at the end of each tick."""
        levels = moment.moved[:, moment.layout.column(WHOLE_ID, "level")]
        if levels[0] == levels[-1] == self._level:
            return self._gains
        self._gains = Strip._padded(gains_of(levels))
        self._level = np.nan
        if levels[0] == levels[-1]:
            # what has settled stays as it is
            self._level = levels[0]
            self._gains[:] = self._gains[0]
        return self._gains

    def _rests(self, moment: Moment) -> bool:
        """Whether nothing is on its way and nothing moves, so that a silent span is none."""
        if self.buses or not self.main.empty or not self._past_delay.empty:
            return False
        column = moment.layout.column(WHOLE_ID, "level")
        first, last = moment.moved[0, column], moment.moved[-1, column]
        return bool(first == last == self._level and self._direct_delay.empty)

    def ringing(self) -> bool:
        """Whether something is still to come out."""
        chains = [self.main, *(bus.chain for bus in self.buses.values())]
        delays = [self._past_delay, self._direct_delay, *(b.delay for b in self.buses.values())]
        waiting = any(delay.ringing() for delay in delays)
        return waiting or any(chain.ringing() for chain in chains)

    def tail_s(self, strips: list[Strip]) -> float:
        """At most how long it sounds on once no voice does."""
        slowest = max((strip.chain.tail_s() for strip in strips), default=0.0)
        shared = max((bus.chain.tail_s() for bus in self.buses.values()), default=0.0)
        return slowest + shared + self.main.tail_s()
