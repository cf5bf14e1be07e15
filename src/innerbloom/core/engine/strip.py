"""The strip of a layer: effects, level, mute and solo, and where its stream goes."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.chain import Chain
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.kernels.mixing import peak_of
from innerbloom.core.engine.program import LayerProgram
from innerbloom.core.engine.ways import Delay, Fader, LevelGains, Way, audible_gains_of
from innerbloom.core.instrument.catalogue import LAYER, SEND

_PAST_EFFECTS = option(LAYER, "effects", "past")
_BEFORE = option(SEND, "tap", "before the level")
PAST = "past"
"""Where streams go that no shared effect may touch."""


class Buses(Protocol):
    """What a strip knows of the mixer."""

    def input_of(self, bus: str) -> NDArray[np.float32]:
        """Where streams to a bus are added up."""

    def wait_of(self, latency: int) -> int:
        """Frames that a stream of a latency waits for the slowest one."""


StreamTap = Callable[[NDArray[np.float32]], None]
"""Is shown what leaves a stream, shape (n, 2)."""


def show(tap: StreamTap, audio: NDArray[np.float32], gains: NDArray[np.float64]) -> None:
    """Show whole ticks of a stream to whoever watches, at the gain of each tick."""
    each = np.repeat(gains[: len(audio) // TICK], TICK).astype(np.float32)
    tap(audio * each[:, None])


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
        self._own = LevelGains(audible_gains_of)
        self._plain = np.ones(SPAN)
        self._plain_of: tuple[object, object] = (None, None)
        # the way and the fader's gain of a span in which nothing moved: good until something does
        self._still: tuple[Way | None, object] = (None, None)
        self._delay = Delay()
        self._outputs: dict[str, Way] = {}
        self._sends: dict[str, Way] = {}
        self._taps: dict[str, Fader] = {}
        self.peak = 0.0
        self.watch: StreamTap | None = None

    def change(self, program: LayerProgram) -> None:
        """Go on as another program of the same layer says."""
        self.program, self._still = program, (None, None)
        self.chain.change(program.effects)

    def copied(self) -> Strip:
        """The same, going its own way from here."""
        kept = {id(self.chain): None, id(self.watch): None, id(self.program): self.program}
        other = copy.deepcopy(self, kept)
        other.chain = self.chain.copied()
        return other

    def come_in(self) -> None:
        """Be heard anew, as after a mute."""
        self.presence.value = 0.0
        for way in (*self._outputs.values(), *self._sends.values()):
            way.come_in()

    def ringing(self) -> bool:
        """Whether something is still to come out."""
        return self.chain.ringing() or self._delay.ringing()

    def hear(self, wanted: float, ticks: int) -> NDArray[np.float64]:
        """Step mute and solo on; the gain at the end of each tick."""
        self.heard = self.presence.ramp(wanted, ticks)
        return self.heard

    def plain_way(self, moment: Moment) -> Way | None:
        """The one way the stream takes, where nothing stands in it and nothing else is to do."""
        if moment.still and self._still[0] is not None:
            return self._still[0]
        if not self.chain.empty or not self._delay.empty or self.program.sends or self._sends:
            return None
        if len(self._outputs) != 1:
            return None
        past = moment.base[0, moment.layout.column(self.program.id, "effects")] == _PAST_EFFECTS
        return self._outputs.get(PAST if past else self.program.output)

    def pass_plainly(
        self, bus: NDArray[np.float32] | None, moment: Moment, mixer: Buses, way: Way
    ) -> None:
        """The same as :meth:`pass_on`, straight from the groups of voices, if any sound."""
        if not (moment.still and self._still[1] is self.heard):
            own = self._own_gains(moment)
            if own is not self._plain_of[0] or self.heard is not self._plain_of[1]:
                self._plain, self._plain_of = own * self.heard, (own, self.heard)
            self._still = (way, self.heard) if moment.still else (None, None)
        self.peak = -1.0
        if bus is not None and self.watch is not None:
            show(self.watch, bus.sum(axis=0)[: moment.ticks * TICK], self._plain)
        if bus is None:
            way.pass_by(self._plain, moment.ticks)
        else:
            way.add_groups(mixer.input_of(way.bus), bus, moment.ticks, self._plain)

    def pass_on(self, audio: NDArray[np.float32], moment: Moment, mixer: Buses) -> None:
        """Send whole ticks of the layer's voices through its effects and to the buses."""
        self._still = (None, None)
        self.chain.process(audio, moment)
        self._delay.process(audio, mixer.wait_of(self.chain.latency))
        # what still waits in the delay counts too
        self.peak = float(peak_of(audio))
        gains = self._own_gains(moment) * self.heard
        if self.watch is not None:
            show(self.watch, audio, gains)
        past = bool(
            moment.base[0, moment.layout.column(self.program.id, "effects")] == _PAST_EFFECTS
        )
        silent = self.peak == 0.0
        if not self._outputs:
            # what is sent from the beginning does not ease in
            opened = 0.0 if past else 1.0
            self._sends = {send: Way(bus, opened) for send, bus in self.program.sends}
        self._to_outputs(audio, PAST if past else self.program.output, gains, mixer, silent)
        if self.program.sends or self._sends:
            self._to_sends(audio, moment, gains, mixer, silent, past)

    def _own_gains(self, moment: Moment) -> NDArray[np.float64]:
        """Gains of the layer's own level; a voice that differs from it brings the difference."""
        return self._own.at(moment.base[:, moment.layout.column(self.program.id, "level")])

    def _to_outputs(
        self,
        audio: NDArray[np.float32],
        output: str,
        gains: NDArray[np.float64],
        mixer: Buses,
        silent: bool,
    ) -> None:
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
        self,
        audio: NDArray[np.float32],
        moment: Moment,
        gains: NDArray[np.float64],
        mixer: Buses,
        silent: bool,
        past: bool,
    ) -> None:
        ticks, now = len(audio) // TICK, dict(self.program.sends)
        for send, bus in now.items():
            if send not in self._sends or self._sends[send].bus != bus:
                self._sends[send] = Way(bus, 0.0)
        through = 0.0 if past else 1.0
        for send, way in list(self._sends.items()):
            tapped = self.heard
            if send in now and moment.knows(send):
                way.level = way.of_level.at(moment.levels_of(send))
                tap = moment.moved[0, moment.layout.column(send, "tap")]
                wanted = 0.0 if tap == _BEFORE else 1.0
                after = self._taps.setdefault(send, Fader(wanted))
                tapped = after.between(self.heard, gains, wanted, ticks)
            else:
                # one that is gone keeps the level it had in the end
                way.keep_level()
            opened = way.fader.ramp(through if send in now else 0.0, ticks)
            opened = tapped * way.level * opened
            if silent:
                way.pass_by(opened, ticks)
            else:
                way.add(mixer.input_of(way.bus), audio, opened)
            if send not in now and way.fader.value == 0.0:
                del self._sends[send]
