"""What a section keeps of one layer."""

from __future__ import annotations

import copy
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import Bound
from innerbloom.core.declare.parameters import option, settings_dtype
from innerbloom.core.dsp.rates import BLOCK, GROUPS, SPAN
from innerbloom.core.engine.kernels.control import Slots
from innerbloom.core.engine.kernels.finish import FINISH_SCRATCH, TONE_STATE, finish_layer
from innerbloom.core.engine.kernels.finish import Strip as StripBundle
from innerbloom.core.engine.program import LayerProgram
from innerbloom.core.engine.strip import Strip
from innerbloom.core.engine.zones import Chooser
from innerbloom.core.instrument.catalogue import LAYER
from innerbloom.core.layers.kind import LayerNow, Signals, Span, Voices

_MUTED, _SOLO = option(LAYER, "mute", "on"), option(LAYER, "solo", "on")
COMMON = settings_dtype(LAYER)
"""Settings that every layer has, first among those of its kind."""

_NO_METER = np.zeros((0, SPAN, 2))
_NO_TAP = np.zeros((0, BLOCK), np.float32)


class SettingsViews(NamedTuple):
    """The settings of a layer in the rows of all voices: its kind's, and those of every layer."""

    own: NDArray[Any]
    common: NDArray[Any]


class LayerState:
    """One layer: its program, its source's state, the signals it makes, and its strip.

    Parameters
    ----------
    program : LayerProgram
    slots : int
        Voices it keeps state for.
    """

    def __init__(self, program: LayerProgram, slots: int) -> None:
        self.program = program
        kind = program.kind
        self.own, self.tone = np.zeros(slots, kind.state), np.zeros(slots, TONE_STATE)
        self.scratch = np.zeros(GROUPS, kind.scratch)
        self.finish_scratch = np.zeros(GROUPS, FINISH_SCRATCH)
        # sources fill these before anyone reads them
        self.out = np.empty((slots, 2 * BLOCK), np.float32)
        self.unmodulated = np.empty((slots, 2 * BLOCK), np.float32)
        self.sent = np.zeros((slots, BLOCK))
        self.bus = np.zeros((GROUPS, BLOCK, 2), np.float32)
        self.chooser = Chooser(program.zones)
        self.strip = Strip(program, 1.0)
        self.sounded = False
        self._compensation = 1.0

    def fits(self, program: LayerProgram) -> bool:
        """Whether what sounds can go on with another program."""
        now = self.program
        ours, theirs = now.prepared.materials, program.prepared.materials
        return (
            now.id == program.id
            and now.kind is program.kind
            and len(ours) == len(theirs)
            and all(one is other for one, other in zip(ours, theirs, strict=True))
        )

    def take_over(self, program: LayerProgram) -> None:
        """Go on with another program that :meth:`fits`."""
        self.program = program
        self.chooser.zones = program.zones
        self.strip.change(program)

    def copied(self) -> LayerState:
        """The same layer, going its own way from here."""
        other = copy.copy(self)
        for name in ("own", "tone", "out", "unmodulated", "sent", "bus"):
            setattr(other, name, getattr(self, name).copy())
        other.strip = self.strip.copied()
        return other

    # -- what kernels are given ----------------------------------------------------

    def bundle(
        self,
        number: int,
        slots: Slots,
        settings: SettingsViews,
        amps: NDArray[np.float64],
        level: NDArray[np.float64],
        spread: NDArray[np.float64],
    ) -> None:
        """Put together what kernels are given of the layer, from views of its section's arrays."""
        voices, zones = slots.layers[number], slots.zones[number]
        self.renders = [Bound(self.program.kind.render) for _ in range(GROUPS)]
        self.finishes = [Bound(finish_layer) for _ in range(GROUPS)]
        self.layer = LayerNow(number, voices, zones, self.own, settings.own)
        # what comes after the source is compiled once for all kinds
        self.finish = LayerNow(number, voices, zones, self.tone, settings.common)
        self.strip_bundle = StripBundle(
            bus=self.bus,
            sent=self.sent,
            sends=False,
            amps=amps,
            level=level,
            presence=self.strip.heard,
            spread=spread,
            compensation=self._compensation,
            meter=_NO_METER,
            tap=_NO_TAP,
        )

    def link(self, below: NDArray[np.float64], link: int, hold: bool, sends: bool) -> None:
        """What the layer below sends, how it is used, and whether the one above listens."""
        self.signals = Signals(self.out, self.unmodulated, below, link, hold)
        self.strip_bundle = self.strip_bundle._replace(sends=sends)

    def hear(self, wanted: float, ticks: int) -> None:
        """Step mute and solo on."""
        heard, now = self.strip.hear(wanted, ticks), self.strip_bundle
        if heard is now.presence and self._compensation == now.compensation:
            return
        self.strip_bundle = self.strip_bundle._replace(
            presence=heard, compensation=self._compensation
        )

    def listen(self, meter: NDArray[np.float64], tap: NDArray[np.float32]) -> None:
        """Where the layer is measured for a span, if anyone listens to it."""
        if meter is not self.strip_bundle.meter or tap is not self.strip_bundle.tap:
            self.strip_bundle = self.strip_bundle._replace(meter=meter, tap=tap)

    def compensate(self, members: NDArray[np.float64], detune: float) -> None:
        """Note the gain that keeps a stack as loud as one voice.

        Voices that make equal signals add up in amplitude, others in power; ``members``
        holds what sets each apart, shape (members, anything).
        """
        count = len(members)
        if count == 1:
            self._compensation = 1.0
        elif not self.program.kind.alike or (detune != 0.0 and count > 1):
            self._compensation = 1.0 / float(np.sqrt(count))
        else:
            _, sizes = np.unique(members, axis=0, return_counts=True)
            self._compensation = 1.0 / float(np.sqrt((sizes.astype(float) ** 2).sum()))

    # -- sound -----------------------------------------------------------------------

    def sound(self, span: Span, voices: Voices) -> None:
        """Add some of the voices to the bus of their group."""
        self.renders[span.first](
            span, voices, self.layer, self.program.played, self.signals, self.scratch
        )
        self.finishes[span.first](
            span, voices, self.finish, self.signals, self.strip_bundle, self.finish_scratch
        )

    def begin(self, frames: int) -> None:
        """Before a span in which voices sound."""
        self.bus[:, :frames] = 0.0
        self.sounded = True

    def collect(self, frames: int) -> NDArray[np.float32]:
        """What the voices added up to in a span."""
        if not self.sounded:
            return np.zeros((frames, 2), np.float32)
        return np.asarray(self.bus[0, :frames] + self.bus[1, :frames])


def wanted_presences(mutes: list[float], solos: list[float]) -> list[float]:
    """1 for the layers that are to be heard, by mute and solo, 0 for the others."""
    alone = [solo == _SOLO for solo in solos]
    heard = alone if any(alone) else [mute != _MUTED for mute in mutes]
    return [1.0 if one else 0.0 for one in heard]
