"""A demo set of samples of one instrument, and the same instrument tried on other recordings."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session

from innerbloom.core.deliver.samples.document import KIND as SAMPLES
from innerbloom.core.deliver.samples.document import parse_samples
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.sampling import SAMPLE
from innerbloom.jobs.swapping import SWAP
from innerbloom.store import documents
from innerbloom.store.files import FileStore
from innerbloom.store.models import Document, Recording
from innerbloom.store.recordings import sound_of

TRIED = ("Blown jar", "Sluice wheel", "Reed stems in a gust")
"""Recordings that the instrument is tried on."""


def sample_over_keys(db: Session, files: FileStore, instrument: Document) -> None:
    """Make a set for a game's engine and sample it."""
    settings = {"key_low": 48, "key_high": 72, "step": 12, "placing": "evenly", "velocities": 2,
                "seconds": 2.0}  # fmt: skip
    made = parse_samples({
        "name": f"{instrument.name}, keys", "instrument": instrument.id,
        "instrument_name": instrument.name, "names": "ribs_{root}_{velocity}", "settings": settings,
    })  # fmt: skip
    row = documents.create(db, SAMPLES, made)
    asked = {"set": row.content, "instrument": instrument.content}
    do_at_once(db, files, SAMPLE, {"samples": row.id}, asked)


def try_on_others(
    db: Session, files: FileStore, instrument: Document, named: Callable[[str], Recording]
) -> None:
    """Make a swap sheet."""
    rows = [named(one) for one in TRIED]
    candidates = [
        {"digest": row.digest, "name": row.name, "root": sound_of(row)[0].root} for row in rows
    ]
    params = {"instrument": instrument.id, "name": instrument.name, "key": 60, "seconds": 2.0,
              "scheduler": ""}  # fmt: skip
    asked = {"instrument": instrument.content, "candidates": candidates, "problems": []}
    do_at_once(db, files, SWAP, params, asked)
