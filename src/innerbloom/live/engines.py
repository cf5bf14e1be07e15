"""What a session asks of its engine, be it an instrument's or an ensemble's."""

from __future__ import annotations

from innerbloom.core.declare.parameters import refusal
from innerbloom.core.deliver.playable import AnyEngine, AnyProgram
from innerbloom.core.engine import Engine, Program
from innerbloom.core.engine.ensemble_program import declared_of
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.midi import MANAGER_BEND
from innerbloom.live import messages as m


def plays(engine: AnyEngine, program: AnyProgram) -> bool:
    """Whether an engine can go on with a program."""
    return isinstance(engine, Engine) == isinstance(program, Program)


def bend_range(engine: AnyEngine) -> float:
    """Semitones at a full turn of a keyboard's bend wheel."""
    if isinstance(engine, Engine):
        return engine.section.setting(WHOLE_ID, "bend_range")
    return MANAGER_BEND


def refused(engine: AnyEngine, asked: m.Set) -> str | None:
    """One sentence on why a control cannot be moved there; None if it can."""
    if isinstance(engine, Engine):
        owner = engine.section.layout.owners.get(asked.owner)
        declared = None if owner is None else owner.declared
    else:
        known = any(owner == asked.owner for owner, _ in engine.values)
        declared = declared_of(asked.owner) if known else None
    if declared is None:
        return "What this control belongs to is no longer there."
    found = next((one for one in declared if one.id == asked.parameter), None)
    if found is None:
        return f"There is no setting '{asked.parameter}' here."
    return refusal(found, asked.value)


def program_change(data: bytes, engine: AnyEngine) -> m.Recall | None:
    """A keyboard's program change asks for the snapshot of that number, if there is one."""
    if not isinstance(engine, Engine) or len(data) < 2 or data[0] & 0xF0 != 0xC0:
        return None
    ids = list(engine.section.program.snapshots.states)
    return m.Recall(do="recall", snapshot=ids[data[1]]) if data[1] < len(ids) else None
