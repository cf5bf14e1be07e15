"""Projects with very many sounds and instruments, for tests and for bench/shelf.py."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.sound.writing import write_sound
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.importing import IMPORT
from innerbloom.store import documents
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording
from tests.sounds import RATE

MADE = 60
WORDS = ("Pane", "Rib", "Sluice", "Reed", "Moss", "Lamp", "Pump", "Ice", "Jar", "Wire")


def made_up(number: int) -> np.ndarray:
    """A short sound: a tone, noise, or something between, at a level of its own."""
    rng = np.random.default_rng(number)
    t = np.arange(round(RATE * rng.uniform(0.3, 2.0))) / RATE
    hz, tonal = 55.0 * 2 ** rng.uniform(0, 5), rng.uniform()
    tone = sum(np.sin(2 * np.pi * k * hz * t) / k for k in range(1, 12) if k * hz < 20_000)
    sound = tonal * tone + (1 - tonal) * rng.standard_normal(len(t))
    sound *= np.exp(-t * rng.uniform(0, 4)) * 10 ** (rng.uniform(-30, -3) / 20)
    return (sound / np.abs(sound).max() * 0.9).astype(np.float32)[:, None]


def fill(root: Path, sounds: int, instruments: int) -> None:
    """A project with so many sounds: sixty are made and measured, the others are links to them."""
    store = FileStore(root)
    with open_database(store.database)() as db:
        for number in range(min(MADE, sounds)):
            path = store.new_incoming("made.wav")
            write_sound(path, [made_up(number)], RATE, 1)
            name = f"{WORDS[number % 10]}_{number:04d}.wav"
            do_at_once(db, store, IMPORT, {"path": path.name, "filename": name, "tuning": 440.0})
        first = db.query(Recording).all()
        for number in range(len(first), sounds):
            db.add(_linked(store, first[number % len(first)], number))
        db.commit()
        _grow(db, first, instruments)


def _linked(store: FileStore, row: Recording, number: int) -> Recording:
    digest = hashlib.sha256(str(number).encode()).hexdigest()
    original = store.find(row.digest)
    assert original is not None
    target = store.originals / digest[:2] / f"{digest}{original.suffix}"
    target.parent.mkdir(exist_ok=True)
    if not target.exists():
        os.link(original, target)
    for name in ("peaks", "spectrum", "onsets"):
        picture = store.derived / f"{digest}.{name}.npy"
        if not picture.exists():
            os.link(store.derived / f"{row.digest}.{name}.npy", picture)
    return Recording(
        digest=digest,
        name=f"{WORDS[number % 10]} {number}",
        filename=f"{WORDS[number % 10]}_{number:04d}.wav",
        measured=row.measured,
        place=f"Place {number % 25}",
        tags=["made up"],
    )


def _grow(db: Session, rows: list[Recording], count: int) -> None:
    for number in range(count):
        row = rows[number % len(rows)]
        document = grow_cloud(
            f"Instrument {number}",
            duration_s=row.measured["duration_s"],
            root=57.0,
            loudness_lufs=row.measured["lufs"],
            recording=row.digest,
        )
        documents.create(db, INSTRUMENT, document)
