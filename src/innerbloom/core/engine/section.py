"""A section: all that sounds for one program, which owns its state.

An edit hands over from one section to its successor: layers that stay go on there, the others
fade out in the section that leaves, on copies of whatever both of them need.
"""

from __future__ import annotations

import copy
from functools import partial

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import Bound
from innerbloom.core.dsp.chance import draw_of
from innerbloom.core.dsp.rates import GROUPS, SPAN, TICK
from innerbloom.core.dsp.state import LAYER_VOICE, ZONE
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.controls import WIDTH, Controls
from innerbloom.core.engine.kernels.control import (
    Slots,
    Turn,
    Values,
    control,
    follow_newest,
    lead,
    settle,
)
from innerbloom.core.engine.layers import COMMON, LayerState, SettingsViews
from innerbloom.core.engine.layout import Key
from innerbloom.core.engine.mixer import Mixer
from innerbloom.core.engine.modulation import Modulation
from innerbloom.core.engine.program import LayerProgram, Program
from innerbloom.core.engine.snapshots import Standing
from innerbloom.core.engine.strip import Strip
from innerbloom.core.engine.voices import VoiceBook
from innerbloom.core.engine.ways import padded
from innerbloom.core.engine.worker import Worker
from innerbloom.core.engine.zones import layer_gain
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.layers.kind import Span, Voices
from innerbloom.core.performance.events import Event

_CHANCE_OF_ZONES = 1 << 21
_RETIRE_TICKS = 64
_PLAYED = ("control", "pad_across", "pad_up", "pad_let_go")


class Section(Controls):
    """All that sounds for one program.

    Parameters
    ----------
    program : Program
    before : Section or None
        The one that it goes on from.
    serial : int
        How many voices have been struck before, where it goes on from none.
    """

    def __init__(self, program: Program, before: Section | None = None, *, serial: int = 0) -> None:
        self.program, self.layout = program, program.layout
        self.clock: int = 0 if before is None else before.clock
        self.wanted = self.layout.row.copy()
        self.now = self.wanted.copy()
        self._instrument = np.zeros(WIDTH)
        self.settings = self.layout.view(WHOLE_ID, self._instrument[None, :])
        self._seed = np.uint64(0)
        self._note_instrument(None)
        if before is None:
            self.voices = VoiceBook(self.settings, program.members, program.tuning, serial)
        else:
            self.voices = before.voices
        slots = self.voices.slots
        kept = [_same(layer, before) for layer in program.layers]
        self.layers: list[LayerState] = [
            LayerState(layer, slots) if old is None or before is None else before.layers[old]
            for layer, old in zip(program.layers, kept, strict=True)
        ]
        self._make_room(slots)
        self.modulation = Modulation(program.modulation, self.layout, slots)
        self.own_depths = self._depths()
        self._presences: list[float] = []
        self.difference: str | None = None if before is None else before.difference
        self.standing: Standing = Standing(
            program.snapshots, self.layout, None if before is None else before.standing
        )
        self._is_moved = program.snapshots.moved
        self._refresh()
        self._compensate()
        if before is not None:
            self._go_on(before, kept)
        else:
            self.mixer = Mixer(program)
            for state, wanted in zip(self.layers, self._presences, strict=True):
                state.strip.presence.value = wanted
            self.now[:] = self.wanted
        self.left_behind: list[Section] = []
        self._running = self._audible = set(range(len(self.layers)))
        self._link_bundles()
        if self.difference is not None:
            self.hear_difference(self.difference)

    def _make_room(self, slots: int) -> None:
        """Everything whose shape depends on the program."""
        width, layers = len(self.wanted), len(self.layers)
        self.rows = np.zeros((SPAN, width))
        # a megabyte that nobody reads before it is written: clearing it would take a tenth of an edit
        self.moved = np.empty((slots, SPAN, self.layout.of_voices))
        self.led = np.zeros((SPAN, width))
        self._amps = np.zeros((layers, slots, SPAN))
        self._reference = np.zeros(SPAN)
        self.last_tick = 0
        self.slots = Slots(
            self.voices.records,
            np.zeros((layers, slots), LAYER_VOICE),
            np.zeros((layers, slots), ZONE),
            np.zeros((slots, SPAN)),
        )
        starts = [self.layout.starts[one.id] for one in self.program.layers]
        self.values = Values(
            base=self.rows,
            moved=self.moved,
            led=self.led,
            offsets=np.array(starts, np.int64),
            amps=self._amps,
            reference=self._reference,
            tuning=self.program.filled_tuning,
        )

    def _link_bundles(self) -> None:
        """What kernels are given of each layer, put together once."""
        self._voices = Voices(self.voices.records, self.slots.pitches)
        self._controls = [Bound(control) for _ in range(GROUPS)]
        self._settling, self._leading = Bound(settle), Bound(lead)
        spread = self.layout.view(WHOLE_ID, self.led)["unison_spread"]
        for index in self._running:
            state = self.layers[index]
            id_ = state.program.id
            settings = SettingsViews(
                self.layout.view(id_, self.moved), self.layout.view(id_, self.moved, COMMON)
            )
            level = self.layout.view(id_, self.rows)["level"]
            state.bundle(index, self.slots, settings, self._amps[index], level, spread)
        self._note_links()

    # -- what is played ------------------------------------------------------------

    def play(self, event: Event) -> None:
        """Apply one gesture."""
        self._note_instrument(self.led[self.last_tick])
        if event.kind in _PLAYED:
            momentum = float(self.settings["momentum"][0])
            self.modulation.play(event, self.clock, momentum)
            return
        self.voices.retire(self.slots.layers)
        struck = self.voices.play(event)
        if struck:
            for index in range(len(self.layers)):
                self._pick(index, struck)

    def _pick(self, index: int, slots: list[int]) -> None:
        """What voices pick of a layer, one after the other."""
        state, zones = self.layers[index], self.slots.zones[index]
        keys, velocities, serials = (
            self.voices.records[name][slots] for name in ("key", "velocity", "serial")
        )
        which = np.uint64(_CHANCE_OF_ZONES + index)
        for slot, key, velocity, serial in zip(
            slots, keys.tolist(), velocities.tolist(), serials, strict=True
        ):
            gain = layer_gain(state.program.zones, key, velocity)
            if gain == 0.0:
                zones["gain"][slot] = 0.0
                continue
            draw = draw_of(self._seed, serial, which)
            zones[slot] = (gain, *state.chooser.pick(key, velocity, draw))

    # -- sound -----------------------------------------------------------------------

    def advance(self, ticks: int, worker: Worker | None) -> Moment:
        """Move everything a span of ticks on; the voices' sound lies on the buses of layers."""
        if worker is not None:
            worker.wake()
        if self.clock % _RETIRE_TICKS == 0:
            self.voices.retire(self.slots.layers)
        if self._is_moved and self.clock % SPAN == 0:
            self._stand()
        self.last_tick = ticks - 1
        still = self._settling(ticks, self.wanted, self.now, self.layout.stepped, self.rows)
        for index in self._running:
            # where a section leaves, the others belong to the one that goes on
            self.layers[index].hear(self._presences[index], ticks)
        self._lead(ticks)
        if self._alive:
            self._sound_voices(ticks, worker)
        else:
            for index in self._running:
                self.layers[index].sounded = False
        self.modulation.sidechain.end(self.clock, ticks)
        base, moved = self.rows[:ticks], self.led[:ticks]
        moment = Moment(
            self.clock, ticks, self.layout, base, moved, still, self.voices, self._stream_of
        )
        self.clock += ticks
        return moment

    def _stream_of(self, layer: str, frames: int) -> NDArray[np.float32] | None:
        """What the voices of a layer add up to in the span just made; None where it is not there."""
        found = next((state for state in self.layers if state.program.id == layer), None)
        return None if found is None else found.collect(frames)

    def mix(self, moment: Moment, mixer: Mixer, gains: NDArray[np.float64] | None = None) -> None:
        """Send the layers' streams to a mixer's buses; ``gains`` at the end of each tick lie over what
        comes out of their effects."""
        frames = moment.ticks * TICK
        for index in sorted(self._audible):
            state, strip = self.layers[index], self.layers[index].strip
            way = strip.plain_way(moment) if gains is None else None
            if way is not None:
                strip.pass_plainly(state.bus if state.sounded else None, moment, mixer, way)
                continue
            audio = state.collect(frames)
            if gains is not None:
                strip.heard = strip.heard * padded(gains)
            strip.pass_on(audio, moment, mixer)

    @property
    def strips(self) -> list[Strip]:
        """What each layer passes."""
        return [state.strip for state in self.layers]

    def _lead(self, ticks: int) -> None:
        """What all notes share, a span on."""
        modulation = self.modulation
        modulation.fill_played(self.clock, self.voices.keys_held(), self.standing.place)
        modulation.sidechain.begin(self.clock, ticks, self.rows[0], len(self.layers))
        if modulation.sidechain.follows:
            for index in self._running:
                sidechain = modulation.sidechain
                self.layers[index].listen(sidechain.meter_of(index), sidechain.tap_of(index))
        self._alive = follow_newest(self.voices.records, self.voices.leader)
        turn = self._turn(0, 1, ticks)
        fresh = not modulation.begun
        schedule, routing, leader = modulation.lead_schedule, modulation.routing, self.voices.leader
        self._leading(turn, leader, schedule, routing, self.values, fresh)
        modulation.begun = True
        if self._is_moved:
            self.standing.note(self.rows[ticks - 1], self.led[ticks - 1])

    def _turn(self, first: int, step: int, ticks: int) -> Turn:
        return Turn(first, step, ticks, self.voices.phrase, self._seed)

    def _sound_voices(self, ticks: int, worker: Worker | None) -> None:
        for index in self._running:
            self.layers[index].begin(ticks * TICK)
        if worker is None:
            self._run_voices(0, 1, ticks)
            return
        one, other = (partial(self._run_voices, group, GROUPS, ticks) for group in range(GROUPS))
        worker.both(one, other)

    def _run_voices(self, first: int, step: int, ticks: int) -> None:
        """Every ``step``-th voice; each adds to the bus of its own group."""
        turn = self._turn(first, step, ticks)
        self._controls[first](turn, self.slots, self.modulation.routing, self.values)
        span = Span(first, step, self._seed, self._reference)
        for index in sorted(self._running, reverse=True):
            self.layers[index].sound(span, self._voices)

    # -- handing over ------------------------------------------------------------------

    def successor(self, program: Program) -> tuple[Section, Section | None]:
        """The section that goes on with another program, and what of this one fades out."""
        kept = {_same(layer, self) for layer in program.layers}
        going = [index for index in range(len(self.layers)) if index not in kept]
        sounding = bool(going) and self._is_heard()
        leaving = self._leaving(going) if sounding else None
        return Section(program, self), leaving

    def _is_heard(self) -> bool:
        """Whether something may sound or ring, without looking at each voice's layers."""
        return self.voices.living().size > 0 or any(one.ringing() for one in self.strips)

    def _go_on(self, before: Section, kept: list[int | None]) -> None:
        self.modulation.take_over(before.modulation)
        self.mixer = before.mixer
        self.mixer.change(self.program)
        self.voices.configure(self.settings, self.program.members, self.program.tuning)
        for new, old in enumerate(kept):
            if old is not None:
                self.layers[new].take_over(self.program.layers[new])
                self.slots.layers[new] = before.slots.layers[old]
                self.slots.zones[new] = before.slots.zones[old]
            else:
                self.layers[new].strip.presence.value = self._presences[new]
                self._pick(new, self.voices.living().tolist())
        self._keep_settings(before, kept)

    def _keep_settings(self, before: Section, kept: list[int | None]) -> None:
        """Settings of what stays go on from where they are, so that nothing jumps."""
        fresh = {self.program.layers[i].id for i, old in enumerate(kept) if old is None}
        for owner, at in self.layout.starts.items():
            if owner in fresh or not self.layout.kept(owner, before.layout):
                continue
            if self.layout.owners[owner].role == "route":
                # what a route brings goes on from where it was: see Modulation.take_over
                continue
            was, width = before.layout.starts[owner], len(self.layout.owners[owner].declared)
            self.now[at : at + width] = before.now[was : was + width]

    def _pass_over(self, changing: list[int]) -> None:
        """Let layers as they are fade out, while the same layers come in as they will be."""
        if changing and self.sounding():
            self.left_behind.append(self._leaving(changing, copied=True))
            for index in changing:
                self.layers[index].strip.come_in()

    def _leaving(self, going: list[int], *, copied: bool = False) -> Section:
        """A copy in which only some layers are heard, and those that modulate them go on.

        With ``copied`` those that are heard go on here too.
        """
        other = Section.__new__(Section)
        other.__dict__.update(self.__dict__)
        other.voices = self.voices.copied()
        other.modulation = self.modulation.copied()
        other.wanted, other.now = self.wanted.copy(), self.now.copy()
        needed = self._needed_by(going)
        # what does not run is only there to keep its place, and goes on here
        other.layers = [
            state.copied() if i in needed and (copied or i not in going) else state
            for i, state in enumerate(self.layers)
        ]
        other._running, other._audible, other.left_behind = needed, set(going), []
        # whoever goes stays where it is on the map
        other.standing, other._is_moved = copy.copy(self.standing), False
        other._make_room(self.voices.slots)
        other.led[:] = self.led
        other.slots.layers[:], other.slots.zones[:] = self.slots.layers, self.slots.zones
        for index in range(len(other.layers)):
            if index not in needed:
                other.slots.layers[index]["active"] = 0
                other.slots.layers[index]["serial"] = other.voices.records["serial"]
        other._link_bundles()
        return other

    def _needed_by(self, going: list[int]) -> set[int]:
        """Layers that have to run for some to sound as they did: each one's modulators too."""
        needed = set(going)
        for index in going:
            below = index
            while below + 1 < len(self.layers) and self.layers[below].signals.link > 0:
                below += 1
                needed.add(below)
        return needed

    def ticks_until_border(self) -> int:
        """Ticks that a span may have at most: voices that have ended are freed, and the map is
        looked at, at fixed moments however time is cut."""
        every = SPAN if self.program.snapshots.moved else _RETIRE_TICKS
        return every - self.clock % every

    # -- looking in --------------------------------------------------------------------

    def sounding(self) -> int:
        """How many voices sound now, counting those being let go."""
        return self.voices.sounding(self.slots.layers)

    def is_led(self, key: Key) -> bool:
        """Whether only the leader moves a target."""
        owner = self.layout.owners[key[0]]
        if owner.role == "modulator":
            ids = self.modulation.program.ids
            return bool(self.modulation.program.modulators["shared"][ids.index(owner.id)] == 1)
        return owner.role not in ("layer", "route")

    def last_row(self, slot: int) -> NDArray[np.float64]:
        """All settings with movement in them, of one voice or the leader, at the last tick."""
        row: NDArray[np.float64] = self.led[self.last_tick].copy()
        if slot < len(self.moved):
            row[: self.layout.of_voices] = self.moved[slot, self.last_tick]
        return row

    def last_settings(self) -> NDArray[np.float64]:
        """All settings before anything moves them, at the last tick."""
        row: NDArray[np.float64] = self.rows[self.last_tick]
        return row


def _same(layer: LayerProgram, before: Section | None) -> int | None:
    """Which layer of a section goes on as another program's; None for none."""
    if before is None:
        return None
    found = [i for i, state in enumerate(before.layers) if state.fits(layer)]
    return found[0] if found else None
