"""The one engine: live playing, bounces and tests all call :meth:`Engine.render`."""

from __future__ import annotations

import copy
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.choosing import layer_gain
from innerbloom.core.engine.kernels.ceiling import limit_ticks
from innerbloom.core.engine.kernels.chance import draw_of
from innerbloom.core.engine.kernels.control import control, settle
from innerbloom.core.engine.kernels.tone import finish_layer
from innerbloom.core.engine.layers import LayerState, Shared, view_of, wanted_presences
from innerbloom.core.engine.looking import held_notes, look_at
from innerbloom.core.engine.material import ENGINE_RATE
from innerbloom.core.engine.moving import Moving
from innerbloom.core.engine.program import Program
from innerbloom.core.engine.scratch import SCRATCH
from innerbloom.core.engine.state import BLOCK, FREE, GROUPS, SPAN, TICK
from innerbloom.core.engine.voices import VoiceBook
from innerbloom.core.instrument.catalogue import KINDS, WHOLE
from innerbloom.core.instrument.parameters import engine_value, settings_dtype
from innerbloom.core.performance.events import Event

DELAY = TICK
"""Frames by which the output lags behind, for the ceiling's look-ahead."""

_LEAVING_TICKS = 6
_CHANCE_OF_PICKS = 1 << 21


class Engine:
    """Everything that sounds, for one program.

    The output is 48 kHz, float32, stereo, within -0.5 dBFS. The same program and events
    give the same samples however the calls to :meth:`render` are cut, on one core or two.

    Parameters
    ----------
    program : Program
    cores : {1, 2}
        How many threads render; may be set at any time.
    """

    def __init__(self, program: Program, *, cores: int = 1) -> None:
        self.whole = program.whole.copy()
        self.voices = VoiceBook(self.whole, len(program.movement.members), program.tuning)
        slots = self.voices.slots
        self.layers = [LayerState(layer, slots) for layer in program.layers]
        self.shared = Shared(len(self.layers), slots)
        self.now = 0
        self.cores = cores
        self._leaving: list[tuple[Engine, int]] = []
        self._pool: ThreadPoolExecutor | None = None
        level = 10.0 ** (float(self.whole["level"][0]) / 20.0)
        self._ceiling = np.array([1.0, 1.0, level, 1.0])
        self._waiting = np.zeros((TICK, 2), np.float32)
        self._buses = np.zeros((GROUPS, BLOCK, 2), np.float32)
        self._scratch = np.zeros(GROUPS, SCRATCH)
        self._left_over = np.zeros((0, 2), np.float32)
        self._pending: list[Event] = []
        self._last_tick = 0
        self.moving = Moving(program.movement, slots)
        self._lay_out(program)
        self._places = program.movement.places
        self._row[:] = self._wanted
        for layer, presence in zip(self.layers, wanted_presences(self.layers), strict=True):
            layer.presence = presence

    def _lay_out(self, program: Program) -> None:
        """Everything whose shape depends on the program."""
        slots = self.voices.slots
        self.program = program
        self._wanted = program.row
        self._row = self._wanted.copy()
        self._rows = np.zeros((SPAN, len(self._row)))
        self._values = np.zeros((slots + 1, SPAN, len(self._row)))
        self._pitches = np.zeros((slots, SPAN))
        self._amps = np.zeros((len(self.layers), slots, SPAN))
        self._tuning = np.nan_to_num(program.tuning)
        self._views = [
            view_of(self._values, int(at), settings_dtype(KINDS[layer.program.kind]))
            for at, layer in zip(program.offsets, self.layers, strict=True)
        ]
        self._coloured = [i for i, one in enumerate(self.layers) if one.colouring is not None]
        self.moving.leads = self.moving.leads or bool(self._coloured)
        self._link()
        self._note_whole()

    def _note_whole(self) -> None:
        """What follows from the settings of the whole."""
        self._retune = 12.0 * float(np.log2(self.whole["tuning"][0] / 440.0))
        detune = float(self.whole["unison_detune"][0])
        members = self.program.movement.members
        self._compensations = [layer.compensation(members, detune) for layer in self.layers]

    def _link(self) -> None:
        """Note how each layer is moved by the one below it: 0 not at all, 1 phase, 2 rate."""
        below = [int(layer.setting("link")) for layer in self.layers[1:]]
        self._links = [*below, 0]
        self._holds = [
            turns > 0 and layer.setting("loudness_hold") > 0.5
            for turns, layer in zip(self._links, self.layers, strict=True)
        ]
        self._wanted_presences = wanted_presences(self.layers)

    # -- playing ---------------------------------------------------------------

    def render(self, frames: int, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next stretch of sound.

        Parameters
        ----------
        frames : int
            How many frames, any number from 0.
        events : iterable of Event
            What is played, at absolute times in frames; an event takes effect at the
            next tick at or after its time.

        Returns
        -------
        ndarray of float32, shape (frames, 2)
        """
        self._pending.extend(events)
        self._pending.sort(key=lambda event: event.time)
        missing = frames - len(self._left_over)
        ticks = max(0, -(-missing // TICK))
        fresh = np.zeros((ticks * TICK, 2), np.float32)
        done = 0
        while done < ticks:
            self._apply_due()
            span = self._ticks_until_event(min(SPAN, ticks - done))
            self._run(fresh[done * TICK : (done + span) * TICK])
            done += span
        sound = np.concatenate((self._left_over, fresh)) if len(self._left_over) else fresh
        self._left_over = sound[frames:].copy()
        return sound[:frames]

    def _apply_due(self) -> None:
        while self._pending and self._pending[0].time <= self.now:
            event = self._pending.pop(0)
            if event.kind in ("control", "pad_across", "pad_up", "pad_let_go"):
                self.moving.play(event, self.now, float(self.whole["momentum"][0]))
                continue
            self.voices.retire(self.shared.parts)
            for slot in self.voices.play(event):
                for index in range(len(self.layers)):
                    self._choose(index, slot)

    def _choose(self, index: int, slot: int) -> None:
        """What a voice picks of a layer."""
        layer, voice = self.layers[index], self.voices.records[slot]
        key, velocity = float(voice["key"]), float(voice["velocity"])
        chosen = self.shared.chosen[index, slot]
        chosen["gain"] = layer_gain(layer.program.picks, key, velocity)
        if chosen["gain"] > 0.0:
            seed = np.uint64(int(self.whole["seed"][0]))
            of_layer = np.uint64(_CHANCE_OF_PICKS + index)
            draw = draw_of(seed, voice["serial"], of_layer)
            picked = layer.chooser.pick(key, velocity, draw)
            chosen["first"], chosen["second"], chosen["share"] = picked

    def _ticks_until_event(self, most: int) -> int:
        if not self._pending:
            return most
        return min(most, -(-(self._pending[0].time - self.now) // TICK))

    def _run(self, out: NDArray[np.float32]) -> None:
        """A span of ticks, up to SPAN."""
        ticks = len(out) // TICK
        self._last_tick = ticks - 1
        settle(ticks, self._wanted, self._row, self.program.stepped, self._rows)
        presences = self._step_presences(ticks)
        self._lead(ticks)
        self._sound_voices(out, presences)
        self._add_leaving(out)
        self.moving.listening.end(self.now // TICK, ticks)
        limit_ticks(out, self._waiting, self._ceiling, float(self.whole["level"][0]))
        self.now += len(out)

    def _sound_voices(
        self, out: NDArray[np.float32], presences: list[NDArray[np.float64]]
    ) -> None:
        """Add all voices to a span of frames, those of coloured layers through their filters."""
        frames = len(out)
        for index in self._coloured:
            colouring = self.layers[index].colouring
            assert colouring is not None
            colouring.buses[:, :frames] = 0.0
        if (self.voices.records["state"] != FREE).any():
            self._run_groups(frames // TICK, presences)
            out += self._buses[0, :frames]
            out += self._buses[1, :frames]
        if self._coloured:
            self._add_coloured(out)

    def _add_coloured(self, out: NDArray[np.float32]) -> None:
        ticks = len(out) // TICK
        # a layer is coloured as a whole: what moves its colouring goes by the newest note
        row = self._values[self.voices.slots, :ticks]
        age = float(self.voices.leader["age"][0]) - len(out) / ENGINE_RATE
        for index in self._coloured:
            layer, at = self.layers[index], int(self.program.offsets[index])
            own = row[:, at : at + len(layer.row)]
            assert layer.colouring is not None
            layer.colouring.add_to(out, self.now // TICK, layer.colour_settings(own), age)

    def _lead(self, ticks: int) -> None:
        """What all notes share, a span on."""
        self.moving.lead(
            ticks, self.now, self.voices, self._rows, self._values, self.whole, len(self.layers)
        )

    def _run_groups(self, ticks: int, presences: list[NDArray[np.float64]]) -> None:
        self._buses[:, : ticks * TICK] = 0.0
        if self.cores < 2:
            self._run_voices(0, 1, ticks, presences)
            return
        if self._pool is None:
            self._pool = ThreadPoolExecutor(1, thread_name_prefix="voices")
        other = self._pool.submit(self._run_voices, 1, GROUPS, ticks, presences)
        self._run_voices(0, GROUPS, ticks, presences)
        other.result()

    def _run_voices(
        self, first: int, step: int, ticks: int, presences: list[NDArray[np.float64]]
    ) -> None:
        """Every ``step``-th voice; each adds to the bus of its own group."""
        records = self.voices.records
        program, shared = self.program, self.shared
        detune = 0.01 * float(self.whole["unison_detune"][0])
        moving = self.moving
        control(  # type: ignore[call-arg]
            first, step, ticks, records, shared.parts, shared.chosen, program.offsets, self._rows,
            self._values, self._pitches, self._amps, *moving.of_voices, self.voices.phrase, float(self.whole["tempo"][0]),
            int(self.whole["seed"][0]), self._tuning, detune, moving.named,
        )  # fmt: skip
        for index in reversed(range(len(self.layers))):
            self._run_layer(first, step, index, presences[index])

    def _run_layer(self, first: int, step: int, index: int, presence: NDArray[np.float64]) -> None:
        layer = self.layers[index]
        source, program = layer.source, layer.program
        parts, chosen, now = self.shared.parts[index], self.shared.chosen[index], self._views[index]
        turns = self._links[index]
        below = self.layers[index + 1].sent if turns else layer.sent
        hold = self._holds[index]
        source.kernel(
            first, step, layer.signal, layer.still, below, turns, hold, self.voices.records, parts,
            chosen, layer.own, now, self._pitches, program.sounds, program.copies, program.path,
            int(self.whole["seed"][0]), index, self._retune, self._scratch,
        )  # fmt: skip
        sends = index > 0 and self._links[index - 1] > 0
        buses = self._buses if layer.colouring is None else layer.colouring.buses
        finish_layer(
            first, step, layer.signal, layer.still, buses, layer.sent, source.channels, sends, hold,
            self.voices.records, parts, chosen, layer.tone, now, self._amps[index], presence,
            self._compensations[index],
            float(self.whole["unison_spread"][0]), self._scratch,
            self.moving.listening.meter_of(index), self.moving.listening.ear_of(index),
        )  # fmt: skip

    # -- layers that are muted, soloed, or going ---------------------------------

    def _step_presences(self, ticks: int) -> list[NDArray[np.float64]]:
        pairs = zip(self.layers, self._wanted_presences, strict=True)
        return [layer.step_presence(wanted, ticks) for layer, wanted in pairs]

    def _add_leaving(self, out: NDArray[np.float32]) -> None:
        going = []
        for leaving, left in self._leaving:
            ticks = len(out) // TICK
            sound = leaving._render_dry(len(out))
            ends = np.clip((left - np.arange(ticks + 1)) / _LEAVING_TICKS, 0.0, 1.0)
            ramp = np.interp(np.arange(1, len(out) + 1) / TICK, np.arange(ticks + 1), ends)
            out += sound * ramp[:, None].astype(np.float32)
            if left > ticks:
                going.append((leaving, left - ticks))
        self._leaving = going

    def _render_dry(self, frames: int) -> NDArray[np.float32]:
        """Whole ticks ahead of the ceiling, for layers that are on their way out."""
        out = np.zeros((frames, 2), np.float32)
        ticks = frames // TICK
        settle(ticks, self._wanted, self._row, self.program.stepped, self._rows)
        self._lead(ticks)
        self._sound_voices(out, self._step_presences(ticks))
        self.now += frames
        return out

    # -- shaping ---------------------------------------------------------------

    def set_value(self, layer: int | None, parameter: str, value: float | str) -> None:
        """Move one control: of a layer by its index, or of the whole when None.

        Raises
        ------
        KeyError
            If there is no such parameter.
        """
        if layer is None:
            declared = next(d for d in WHOLE if d.id == parameter)
            self.whole[parameter] = engine_value(declared, value)
            self._note_whole()
            if parameter == "voices":
                self.voices.respect_limit()
            elif parameter == "routes":
                self.moving.switch(value == "on")
            elif parameter == "morph":
                self._wanted[-1] = float(value)
            return
        at = int(self.program.offsets[layer]) + self.layers[layer].program.place_of(parameter)
        self._wanted[at] = self.layers[layer].set(parameter, value)
        self._link()

    def set_moved(self, owner: str, parameter: str, value: float | str) -> None:
        """Move one control of a modulator, or a route's depth or amount, by their ids.

        Raises
        ------
        KeyError
            If there is no such parameter.
        """
        if parameter == "depth":
            self.moving.set_depth(owner, float(value))
            return
        at, number = self.moving.setting(owner, parameter, value)
        if at is not None:
            self._wanted[at] = number

    def adopt(self, program: Program) -> None:
        """Take over another program while notes go on sounding.

        Layers that are the same go on; others fade out beside their successors, which
        join the keys that are down.
        """
        kept = self._rows_to_keep(program)
        going = [i for i in range(len(self.layers)) if i not in kept]
        if going and self.sounding():
            self._leaving.append((self._with_only(going), _LEAVING_TICKS))
        slots = self.voices.slots
        earlier, row, starts = self.layers, self._row, self.program.offsets
        moving = Moving(program.movement, slots)
        moving.take_over(self.moving)
        self.moving = moving
        self.layers = []
        for layer, old in zip(program.layers, kept, strict=True):
            state = LayerState(layer, slots) if old is None else earlier[old]
            state.take_over(layer)
            self.layers.append(state)
        self.shared = self.shared.rearranged(kept, slots)
        self.whole[:] = program.whole
        self._lay_out(program)
        for new, old in enumerate(kept):
            if old is not None:
                width = len(program.layers[new].row)
                now, was = int(program.offsets[new]), int(starts[old])
                self._row[now : now + width] = row[was : was + width]
            else:
                for slot in self.voices.living():
                    self._choose(new, int(slot))
        self._keep_places(program, row)
        self.voices.configure(len(program.movement.members), program.tuning)

    def _keep_places(self, program: Program, row: NDArray[np.float64]) -> None:
        """Settings of modulators that stay go on from where they are, so that none jumps."""
        earlier = self._places
        self._places = program.movement.places
        for key, at in self._places.items():
            if key in earlier and at >= len(program.layers_stepped):
                self._row[at] = row[earlier[key]]
        self._row[-1] = row[-1]

    def _with_only(self, going: list[int]) -> Engine:
        """A copy in which only some layers go on sounding."""
        other = copy.copy(self)
        other.voices = self.voices.copied()
        other.shared = self.shared.rearranged(list(range(len(self.layers))), self.voices.slots)
        for index in range(len(self.layers)):
            if index not in going:
                other.shared.parts[index]["active"] = 0
                other.shared.parts[index]["serial"] = other.voices.records["serial"]
        other._buses = np.zeros_like(self._buses)
        other._coloured = [i for i in going if self.layers[i].colouring is not None]
        other._pool, other._leaving, other.cores = None, [], 1
        return other

    def _rows_to_keep(self, program: Program) -> list[int | None]:
        found: list[int | None] = []
        for layer in program.layers:
            same = [i for i, old in enumerate(self.layers) if old.fits(layer)]
            found.append(same[0] if same else None)
        return found

    # -- looking in ------------------------------------------------------------

    def sounding(self) -> int:
        """How many voices sound now, counting those being let go."""
        self.voices.retire(self.shared.parts)
        return self.voices.sounding()

    def notes(self) -> list[list[float]]:
        """Rows of [note id, pitch, slide, pressure] of the notes that keys hold down."""
        return held_notes(self.voices.records)

    def silent(self) -> bool:
        """Whether nothing sounds and nothing is due."""
        ringing = any(one.colouring is not None and one.colouring.ringing() for one in self.layers)
        return not (self.sounding() or self._pending or ringing or self._waiting.any())

    def held_down_db(self) -> float:
        """Most that the ceiling took away since the last call, in dB, 0 or below."""
        lowest = float(self._ceiling[3])
        self._ceiling[3] = self._ceiling[0]
        return 20.0 * float(np.log10(max(lowest, 1e-6)))

    def last_row(self, slot: int) -> NDArray[np.float64]:
        """All settings with movement in them, of one voice, at the last tick."""
        row: NDArray[np.float64] = self._values[slot, self._last_tick]
        return row

    def last_settings(self) -> NDArray[np.float64]:
        """All settings before anything moves them, at the last tick."""
        row: NDArray[np.float64] = self._rows[self._last_tick]
        return row

    def look(self, most: int = 256) -> list[dict[str, Any]]:
        """What each layer is doing, for pictures; see :mod:`.looking`."""
        return [look_at(layer, self.shared.parts[i], most) for i, layer in enumerate(self.layers)]
