"""Wavetables of the demo, and the two instruments that move through them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from innerbloom.core.instrument import layering
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.demo.layered import Find
from innerbloom.demo.saying import said, with_modulator


@dataclass(frozen=True)
class TablePlan:
    """A wavetable: its name, what it is taken from if anything, and the rest of its recipe."""

    name: str
    recording: str | None
    source: dict[str, Any]
    steps: list[dict[str, Any]] = field(default_factory=list)


TABLES = (
    TablePlan("Wire, its cycles", "Bowed fence wire",
              {"kind": "recording", "frames": 64, "start": 0.4, "end": 11.0, "by": "cycles"}),
    TablePlan("Lid, its whole life", "Kettle lid",
              {"kind": "recording", "frames": 48, "by": "spectra", "root": 48, "spread": "timbre",
               "end": 3.5}),
    TablePlan("Drowned bell", None,
              {"kind": "waves", "frames": 64, "operators": [
                  {"id": "o1", "harmonic": 1, "start": 1, "end": 0.7},
                  {"id": "o2", "harmonic": 3, "start": 0.001, "end": 2.4, "bend": -30, "into": "o1"},
                  {"id": "o3", "harmonic": 7, "start": 0.001, "end": 0.9, "into": "o2"},
                  {"id": "o4", "wave": "triangle", "harmonic": 2, "start": 0.05, "end": 0.4}]}),
)  # fmt: skip


def _wave(document: Instrument, table: Any, name: str, **settings: Any) -> Instrument:
    return layering.add_layer(
        document, "wave", name=name, sound=table, settings={"shape": "table", **settings}
    )


def _first(name: str, notes: str, table: Any, **settings: Any) -> Instrument:
    layer = {"id": "l1", "name": table.name, "kind": "wave", "petal": "iris",
             "sounds": [table.model_dump(mode="json")],
             "settings": {"shape": "table", **settings}}  # fmt: skip
    return parse_instrument({"version": 4, "name": name, "notes": notes, "layers": [layer]})


def wire_choir(find: Find) -> Instrument:
    """Five bowed wires a note, each place in the bow's stroke its own timbre."""
    made = _first(
        "Wire choir", "The bowed wire as a wavetable, five to a note; lift a finger to bow on.",
        find("Wire, its cycles")[0], frame=30, unison=5, unison_detune=11, unison_width=85, level=-3,
        attack=700, release=3_200, filter="12 dB", cutoff=3_200, resonance=8,
    )  # fmt: skip
    made = _wave(made, find("Drowned bell")[0], "Drowned bell", frame=10, octave=-1, level=-12,
                 attack=1_400, release=4_000, squeeze=20)  # fmt: skip
    made = with_modulator(made, "lfo", "Bow", rate=0.061, wave="curves of chance")
    made = with_modulator(made, "drift", "Current", pull=7_000, reach=45, ease=1_800)
    return said(
        made,
        "bow > wire position 28 %",
        "slide > wire position 45 %, eased 40 ms",
        "current > wire cutoff 1.2 octaves",
        "current > drowned bell position 40 %",
        "bow, other side > drowned bell level 5 dB",
        "mod wheel > wire unison detune 30 cents, eased 40 ms",
    )


def lid_lantern(find: Find) -> Instrument:
    """The kettle lid's whole ring under the hand: each note falls through it, then lingers."""
    made = _first(
        "Lid lantern", "Each note falls through the lid's ring, then wanders in its end.",
        find("Lid, its whole life")[0], frame=0, unison=3, unison_detune=7, level=8.5, octave=1,
        attack=3, decay=5_000, sustain=35, release=2_600, filter="24 dB", cutoff=3_000,
    )  # fmt: skip
    fall = {"points": [(0.0, 0.0, 60.0), (0.5, 0.7, 0.0), (1.0, 0.85, 0.0)]}
    made = with_modulator(made, "shape", "Fall", fall, time=6_000)
    made = with_modulator(made, "lfo", "Wander", rate=0.13, wave="curves of chance", fade=4_000)
    made = with_modulator(made, "lfo", "Tide", rate=0.047, restart="never")
    made = with_modulator(made, "random", "Each strike", reach="-1 to 1")
    return said(
        made,
        "fall > lid position 80 %",
        "wander > lid position 26 %",
        "tide, other side > lid cutoff 2 octaves",
        "tide > lid squeeze 60 %",
        "each strike > lid lean 22 %",
        "wander, other side > lid mirror 70 %, one-sided",
        "velocity > lid cutoff 1.5 octaves",
        "mod wheel > lid lean 80 %, eased 40 ms",
    )


WAVING: tuple[Callable[[Find], Instrument], ...] = (wire_choir, lid_lantern)
