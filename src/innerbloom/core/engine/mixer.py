"""The mixer: from the streams of layers through shared buses and the main bus to one output.

A layer's stream passes its effects, then its level, and goes to the main bus, to a shared bus, or
past all effects; sends take it to shared buses besides. Shared buses go to the main bus, whose
effects, level and limiter come last. Paths of unlike latency are brought together.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.chain import Chain
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.effect_slot import Tap
from innerbloom.core.engine.kernels.mixing import peak_of
from innerbloom.core.engine.program import BusProgram, Program
from innerbloom.core.engine.strip import PAST, StreamTap, Strip, show
from innerbloom.core.engine.ways import Delay, Fader, LevelGains, Way, padded
from innerbloom.core.instrument.owners import MAIN, WHOLE_ID

_LEFT_BY = 64
"""Ticks by which streams to a bus that is gone have faded out."""


class BusStrip:
    """A shared bus."""

    def __init__(self, program: BusProgram) -> None:
        self.program = program
        self.chain = Chain(program.effects)
        self.input = np.zeros((SPAN * TICK, 2), np.float32)
        self.way = Way(MAIN, 1.0)
        self.delay = Delay()
        self._gone = 0
        self.peak = 0.0
        self.watch: StreamTap | None = None

    def pass_on(self, out: NDArray[np.float32], moment: Moment, wait: int, stays: bool) -> bool:
        """Send what came in through its effects to the main bus; whether it is still open."""
        audio = self.input[: len(out)]
        self.chain.process(audio, moment)
        self.peak = max(self.peak, float(peak_of(audio)))
        self.delay.process(audio, wait)
        if stays:
            self.way.level = self.way.of_level.at(moment.levels_of(self.program.id))
        else:
            self.way.keep_level()
        opened = self._opened(moment.ticks, stays)
        gains = opened * self.way.level
        if self.watch is not None:
            show(self.watch, audio, gains)
        self.way.add(out, audio, gains)
        audio[:] = 0.0
        return stays or self.way.fader.value > 0.0

    def _opened(self, ticks: int, stays: bool) -> NDArray[np.float64]:
        """How far it is open: one that is gone first waits until all streams have left it."""
        if stays:
            self._gone = 0
            return self.way.fader.ramp(1.0, ticks)
        each = []
        for _ in range(ticks):
            self._gone += 1
            wanted = 1.0 if self._gone <= _LEFT_BY else 0.0
            each.append(float(self.way.fader.ramp(wanted, 1)[0]))
        return padded(np.array(each))


class Mixer:
    """The buses of a section.

    Parameters
    ----------
    program : Program

    Attributes
    ----------
    stream : str or None
        The one shared bus that is heard, or :data:`MAIN` for what goes past all of them; else all. The
        main bus's effects come after it, as ever.
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
        self._latest, self._level = 0, LevelGains()
        self.stream: str | None = None
        self._alone: str | None = None
        self._others = Fader(1.0)

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
        if not self.buses:
            return 0
        return max(bus.chain.latency for bus in self.buses.values())

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
        slowest = self._slowest_bus
        self._direct_delay.process(main, slowest)
        if self._alone is not None or self._others.value < 1.0:
            self._quieten(main, past)
        if self.stream is not None:
            self._leave_stream(main, past)
        if self.buses:
            self._pass_buses(main, moment, slowest)
        self.main.process(main, moment)
        self._past_delay.process(past, slowest + self.main.latency)
        self._past_used = self._past_used or not self._past_delay.empty
        if self._past_used:
            main += past
        self._output.add(out, main, self._level.at(moment.levels_of(WHOLE_ID)))
        self._used = True

    def _pass_buses(self, main: NDArray[np.float32], moment: Moment, slowest: int) -> None:
        """Add the shared buses to the main one; those that are gone are kept until they are shut."""
        stay = {one.id for one in self.program.buses}
        for id_, bus in list(self.buses.items()):
            if not bus.pass_on(main, moment, slowest - bus.chain.latency, id_ in stay):
                del self.buses[id_]

    def hear_difference(self, effect: str | None) -> None:
        """Let only what one effect changes be heard; other streams are silent where it is shared."""
        self._alone = None
        self.main.hear_difference(effect)
        for id_, bus in self.buses.items():
            if bus.chain.hear_difference(effect):
                self._alone = id_

    def watch(self, effect: str | None, tap: Tap | None) -> None:
        """As :meth:`.Chain.watch`, in shared buses and the main bus."""
        for chain in (self.main, *(bus.chain for bus in self.buses.values())):
            chain.watch(effect, tap)

    def watch_stream(self, stream: str | None, tap: StreamTap | None) -> None:
        """Show what leaves one shared bus."""
        for id_, bus in self.buses.items():
            bus.watch = tap if id_ == stream else None

    def _quieten(self, main: NDArray[np.float32], past: NDArray[np.float32]) -> None:
        """Take away what does not pass the shared bus that is heard alone."""
        ticks, from_ = len(main) // TICK, self._others.value
        ends = self._others.ramp(1.0 if self._alone is None else 0.0, ticks)[:ticks]
        steps = np.arange(1, len(main) + 1) / TICK
        gains = np.interp(steps, np.arange(ticks + 1), np.concatenate(([from_], ends)))
        quieter = gains.astype(np.float32)[:, None]
        main *= quieter
        past *= quieter
        for id_, bus in self.buses.items():
            if id_ != self._alone:
                bus.input[: len(main)] *= quieter

    def _leave_stream(self, main: NDArray[np.float32], past: NDArray[np.float32]) -> None:
        """Empty all but the stream that is heard."""
        if self.stream != MAIN:
            main[:] = past[:] = 0.0
        for id_, bus in self.buses.items():
            if id_ != self.stream:
                bus.input[: len(main)] = 0.0

    def shown(self) -> dict[str, list[float]]:
        """What pictures of the effects on shared buses and the main bus show now."""
        chains = [self.main, *(bus.chain for bus in self.buses.values())]
        return {id_: shown for chain in chains for id_, shown in chain.shown().items()}

    def levels(self) -> dict[str, float]:
        """Peaks of the shared buses since the last look, as linear gain, by their ids."""
        found = {id_: bus.peak for id_, bus in self.buses.items()}
        for bus in self.buses.values():
            bus.peak = 0.0
        return found

    def _rests(self, moment: Moment) -> bool:
        """Whether nothing is on its way and nothing moves, so that a silent span is none."""
        if self.buses or not self.main.empty or not self._past_delay.empty:
            return False
        return self._direct_delay.empty and self._level.rests_at(moment.levels_of(WHOLE_ID))

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
