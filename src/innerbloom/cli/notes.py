"""Notes as options of commands: C3, F#2, ``A2 +14``, 45.3, and several of them."""

from __future__ import annotations

from typing import Any

import click

from innerbloom.core.pitch_names import parse_note


class NoteType(click.ParamType[float]):
    """A key as a MIDI note number, with a fraction."""

    name = "note"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        if isinstance(value, float):
            return value
        try:
            return parse_note(value)
        except ValueError as error:
            self.fail(str(error), param, ctx)


class NotesType(click.ParamType[tuple[float, ...]]):
    """Keys with commas between them, as a tuple of MIDI note numbers."""

    name = "notes"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[float, ...]:
        if isinstance(value, tuple):
            return value
        found = tuple(NOTE.convert(one, param, ctx) for one in value.split(","))
        if len(set(found)) < len(found):
            self.fail(f"'{value}' names a key twice.", param, ctx)
        return found


NOTE, NOTES = NoteType(), NotesType()
