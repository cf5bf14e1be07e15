"""Whatever can be played, an instrument or an ensemble: from plain data to an engine."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from innerbloom.core.declare.model import json_text
from innerbloom.core.engine import Engine, Program, compile_program
from innerbloom.core.engine.ensemble import EnsembleEngine
from innerbloom.core.engine.ensemble_program import EnsembleProgram, compile_ensemble
from innerbloom.core.engine.recording import moved_to
from innerbloom.core.ensemble.document import Ensemble, is_ensemble, parse_ensemble
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.midi import MANAGER_BEND
from innerbloom.core.performance.take import Moved

Plain = dict[str, Any]
Playable = Instrument | Ensemble
SEEDS = 1_000_000
AnyProgram = Program | EnsembleProgram
AnyEngine = Engine | EnsembleEngine


def parse_playable(data: Any) -> Playable:
    """Validate an instrument or an ensemble, as plain data or JSON text, whichever it says it is.

    Raises
    ------
    DocumentError
    """
    plain = json_text(data, "This is not an instrument document", DocumentError)
    named = isinstance(plain, dict) and is_ensemble(plain)
    return parse_ensemble(plain) if named else parse_instrument(plain)


def compile_playable(
    document: Playable, materials: Materials, before: AnyProgram | None = None
) -> AnyProgram:
    """Turn an instrument, or an ensemble with its instruments in it, into a program.

    ``before`` is what it takes the place of; see :func:`.compile_ensemble`.

    Raises
    ------
    BloomError
        If a recording cannot be found.
    """
    if isinstance(document, Ensemble):
        known = before if isinstance(before, EnsembleProgram) else None
        return compile_ensemble(document, materials, known)
    return compile_program(document, materials)


def engine_for(program: AnyProgram, *, limited: bool = True, serial: int = 0) -> AnyEngine:
    """An engine that plays a program; see :class:`.Engine`."""
    if isinstance(program, EnsembleProgram):
        return EnsembleEngine(program, limited=limited)
    return Engine(program, limited=limited, serial=serial)


def with_moved(program: AnyProgram, moved: tuple[Moved, ...]) -> AnyProgram:
    """A program with some controls elsewhere; those it does not have are left out."""
    if isinstance(program, Program):
        return moved_to(program, moved)
    elsewhere = {
        (owner, one): value for owner, one, value in moved if (owner, one) in program.values
    }
    return replace(program, values={**program.values, **elsewhere})


def bend_range_of(document: Playable) -> float:
    """How far a full turn of a keyboard's bend wheel reaches, in semitones."""
    if isinstance(document, Ensemble):
        return MANAGER_BEND
    return float(document.settings.bend_range)  # type: ignore[attr-defined]


def seed_of(document: Playable) -> int:
    """Where its chance starts; of an ensemble that of its first player."""
    if isinstance(document, Ensemble):
        return int(document.players[0].settings.seed) if document.players else 0  # type: ignore[attr-defined]
    return int(document.settings.seed)  # type: ignore[attr-defined]


def with_seed(document: Playable, seed: int) -> Playable:
    """The same with another chance; players of an ensemble count up from it."""
    plain = document.model_dump(mode="json")
    if isinstance(document, Ensemble):
        for number, one in enumerate(plain["players"]):
            one["settings"]["seed"] = (seed + number) % SEEDS
    else:
        plain["settings"]["seed"] = seed
    return parse_playable(plain)
