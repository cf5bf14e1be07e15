"""Envelope: rises and falls with each note."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.envelope import envelope
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.dsp.envelope import advance_envelope, begin_envelope, let_go, retrigger
from innerbloom.core.dsp.state import HELD
from innerbloom.core.modulators.common import PER_NOTE, starts
from innerbloom.core.modulators.kind import ModulatorKind

ENVELOPE: tuple[Declared, ...] = envelope("", "Shape", "the envelope")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at, voice = modulator.at, now.voice
    new_note = state.begun == 0 or state.serial != voice.serial
    if starts(state, voice, now.phrase, PER_NOTE):
        if new_note:
            begin_envelope(state.envelope, row, at)
        retrigger(state.envelope)
    if voice.state != HELD:
        let_go(state.envelope)
    out[0] = state.envelope.level
    advance_envelope(state.envelope, row, at)


KIND = ModulatorKind("envelope", "envelope", ENVELOPE, advance, "Rises and falls with each note.")
