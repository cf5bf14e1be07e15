"""From an ensemble document to what is run: a program for each player."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from innerbloom.core.declare.parameters import Declared, engine_value
from innerbloom.core.engine.program import Program, compile_program
from innerbloom.core.ensemble.document import ENSEMBLE_ID, Ensemble, instrument_of
from innerbloom.core.ensemble.parameters import ENSEMBLE, PLAYER
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.materials.protocol import Materials

Values = dict[tuple[str, str], float]
"""Settings by the ids of owner and parameter, as the engine holds them."""


@dataclass(frozen=True)
class PlayerProgram:
    """One player; without an instrument and a program where that is gone."""

    id: str
    instrument: Instrument | None
    program: Program | None
    phrase: Any


@dataclass(frozen=True)
class EnsembleProgram:
    """A whole ensemble, ready to run.

    Attributes
    ----------
    players : tuple of PlayerProgram
    values : dict of (owner, parameter) to float
        Settings of the ensemble and of its players.
    """

    players: tuple[PlayerProgram, ...]
    values: Values


def declared_of(owner: str) -> tuple[Declared, ...]:
    """What an owner of an ensemble's settings is set to."""
    return ENSEMBLE if owner == ENSEMBLE_ID else PLAYER


def compile_ensemble(
    document: Ensemble, materials: Materials, before: EnsembleProgram | None = None
) -> EnsembleProgram:
    """Turn a document, its instruments in it, into a program.

    Parameters
    ----------
    before : EnsembleProgram, optional
        What it takes the place of: players whose instrument is as it was keep their program, and
        are not edited at all. A stream replays to the same samples if it is compiled likewise.

    Raises
    ------
    BloomError
        If an instrument cannot be read or a material cannot be found; says of which player.
    """
    values: Values = {}
    for owner, settings in [(ENSEMBLE_ID, document.settings),
                            *((one.id, one.settings) for one in document.players)]:  # fmt: skip
        for declared in declared_of(owner):
            values[owner, declared.id] = engine_value(declared, getattr(settings, declared.id))
    known = {} if before is None else {one.id: one for one in before.players}
    players = []
    for one in document.players:
        try:
            instrument = instrument_of(document, one)
            was = known.get(one.id)
            if was is not None and was.instrument == instrument:
                program = was.program
            else:
                program = None if instrument is None else compile_program(instrument, materials)
        except BloomError as error:
            raise BloomError(f"{one.name}: {error}") from error
        players.append(PlayerProgram(one.id, instrument, program, one.phrase))
    return EnsembleProgram(tuple(players), values)
