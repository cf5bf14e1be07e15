"""Ensembles of a project: players name instruments by number, and are heard with their documents."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.core.ensemble.document import (
    KIND,
    Ensemble,
    instruments_in,
    parse_ensemble,
    with_instruments,
)
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.store import documents
from innerbloom.store.models import Document


def with_documents(db: Session, ensemble: Ensemble) -> Ensemble:
    """An ensemble with its instruments in it, as they are now; those that are gone are missing."""
    found: dict[str, Instrument] = {}
    for one in ensemble.players:
        row = None if one.instrument is None else db.get(Document, one.instrument)
        if row is not None and row.kind == INSTRUMENT.id and row.deleted is None:
            found[one.id] = parse_instrument(row.content)
    return with_instruments(ensemble, found)


def take_apart(db: Session, ensemble: Ensemble) -> Document:
    """Enter an ensemble that comes with its instruments: each becomes one of the project."""
    plain = ensemble.model_dump(mode="json")
    instruments = instruments_in(ensemble)
    for one in plain["players"]:
        one["document"] = one["instrument"] = None
        if one["id"] in instruments:
            row = documents.create(db, INSTRUMENT, instruments[one["id"]])
            one |= {"instrument": row.id, "name": row.name}
    return documents.create(db, KIND, parse_ensemble(plain))
