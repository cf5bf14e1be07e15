"""A demo set of variations: drops on a kettle lid, drawn, the most unlike kept."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.deliver.variation_set import parse_variations
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.varying import DRAW
from innerbloom.store import documents
from innerbloom.store.files import FileStore
from innerbloom.store.models import Document


def draw_lid_drops(db: Session, files: FileStore, instrument: Document) -> None:
    """Make the set and draw it."""
    settings = {"drawn": 16, "kept": 8, "seed": 7, "seconds": 0.6, "key_low": 52, "key_high": 76,
                "velocity_low": 50, "velocity_high": 120}  # fmt: skip
    made = parse_variations({
        "name": "Lid drops", "instrument": instrument.id, "instrument_name": instrument.name,
        "names": "drop_{number}_{root}", "settings": settings,
    })  # fmt: skip
    row = documents.create(db, VARIATIONS, made)
    asked = {"set": row.content, "instrument": instrument.content, "take": None}
    do_at_once(db, files, DRAW, {"variations": row.id}, asked)
