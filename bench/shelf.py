"""The shelf at size: 5,000 sounds and 300 instruments, listed, found, compared, scrolled.

`python bench/shelf.py --fill FOLDER [SOUNDS [INSTRUMENTS]]` fills a project and leaves it, to be
served and looked at.
"""

from __future__ import annotations

import hashlib
import os
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from sqlalchemy.orm import Session

from common import say
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.sound.writing import write_sound
from innerbloom.jobs.at_once import do_at_once
from innerbloom.jobs.importing import IMPORT
from innerbloom.store import documents
from innerbloom.store.database import open_database
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.servers import Server, running
from tests.ui.conftest import ARGUMENTS, CHROMIUM

RATE = 48_000
MADE = 60
WORDS = ("Pane", "Rib", "Sluice", "Reed", "Moss", "Lamp", "Pump", "Ice", "Jar", "Wire")
SCROLL = """
async (seconds) => {
  const box = document.querySelector("[data-ledger]");
  const gaps = [];
  let last = performance.now();
  const end = last + 1000 * seconds;
  while (performance.now() < end) {
    box.scrollTop = (box.scrollTop + 90) % (box.scrollHeight - box.clientHeight);
    await new Promise((done) => requestAnimationFrame(done));
    const now = performance.now();
    gaps.push(now - last);
    last = now;
  }
  gaps.sort((a, b) => a - b);
  return { frames: gaps.length / seconds, p95: gaps[Math.floor(0.95 * gaps.length)] };
}
"""


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


def best_ms(server: Server, path: str, times: int = 5) -> float:
    """The quickest of several answers, in ms."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        server.json("GET", path)
        taken.append(1e3 * (time.perf_counter() - start))
    return min(taken)


def answers(server: Server) -> None:
    say("list of all sounds", f"{best_ms(server, '/api/recordings'):.0f} ms")
    say("list of all instruments", f"{best_ms(server, '/api/instruments'):.0f} ms")
    say("find by a word", f"{best_ms(server, '/api/recordings/found?q=ice_00'):.0f} ms")
    say("find what is noisy", f"{best_ms(server, '/api/recordings/found?character=noisy'):.0f} ms")
    say("more like one", f"{best_ms(server, '/api/recordings/found?like=7'):.0f} ms")
    say("all about one", f"{best_ms(server, '/api/recordings/7'):.0f} ms")


def page(server: Server) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        field = browser.new_page(viewport={"width": 1280, "height": 800})
        start = time.perf_counter()
        field.goto(f"{server.url}/field")
        field.locator("[data-recording]").first.wait_for()
        say("Field shows its first line", f"{1e3 * (time.perf_counter() - start):.0f} ms")
        found = field.evaluate(SCROLL, 5)
        rate, p95 = found["frames"], found["p95"]
        say("scrolling", f"{rate:.1f} frames a second, 95 % within {p95:.0f} ms")
        browser.close()


def main() -> None:
    if "--fill" in sys.argv:
        given = sys.argv[sys.argv.index("--fill") + 1 :]
        fill(Path(given[0]), *(int(one) for one in (*given[1:], 2_000, 40)[:2]))
        return
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "project"
        fill(root, 5_000, 300)
        with running(root) as server:
            answers(server)
            page(server)


if __name__ == "__main__":
    main()
