"""An hour of playing, moving, editing, listening and recording: what grows meanwhile, and what was late.

Run as ``python bench/soak.py PROJECT --minutes 60`` on a copy of a project, beside nothing else. Printed are the slopes
of memory, open files and threads of each process after the first ten minutes (a sixth of a shorter run), and
dropouts beside what the machine itself stalled for.
"""

from __future__ import annotations

import argparse
import random
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path

import numpy as np

from common import stolen
from map_live import Card

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.api.test_live import Page, opened
from tests.servers import Server, running

EVERY_S = 10.0


class Watched:
    """Memory in MB, open files and threads of the processes of a server, looked at now and then."""

    def __init__(self, server: Server) -> None:
        self._server, self._began = server, time.monotonic()
        self.seen: dict[str, list[tuple[float, float, int, int]]] = {}

    def look(self) -> None:
        engines = set(self._server.engine_pids())
        for pid in self._server.processes():
            with suppress(OSError):
                status = Path(f"/proc/{pid}/status").read_text()
                fields = dict(line.split(":\t", 1) for line in status.splitlines() if ":\t" in line)
                name = "engine" if pid in engines else f"web {pid}"
                memory = int(fields["VmRSS"].split()[0]) / 1024
                files = len(list(Path(f"/proc/{pid}/fd").iterdir()))
                at = time.monotonic() - self._began
                self.seen.setdefault(name, []).append((at, memory, files, int(fields["Threads"])))

    def tell(self, after_s: float) -> None:
        print(f"{'':14} {'memory':>22} {'files':>20} {'threads':>20}")
        for name, rows in self.seen.items():
            table = np.array([row for row in rows if row[0] >= after_s])
            if len(table) < 3:
                continue
            slopes = np.polyfit(table[:, 0] / 3600.0, table[:, 1:], 1)[0]
            ends = [
                f"{table[0, k]:.0f} to {table[-1, k]:.0f}, {slopes[k - 1]:+.1f}/h"
                for k in (1, 2, 3)
            ]
            print(f"{name:14} {ends[0]:>19} MB {ends[1]:>20} {ends[2]:>20}")


class Player(threading.Thread):
    """Whoever sits before it: everything by chance, by a seed."""

    def __init__(self, server: Server, page: Page, minutes: float) -> None:
        super().__init__(daemon=True)
        self._server, self._page, self._until = server, page, time.monotonic() + 60 * minutes
        self._chance = random.Random(1)
        self._instruments = [
            one["id"] for one in server.json("GET", "/api/instruments")["instruments"]
        ]
        self._sounds = [
            one["digest"] for one in server.json("GET", "/api/recordings")["recordings"]
        ]
        self._number = self._instruments[0]
        self.counts = dict.fromkeys(("notes", "moves", "edits", "loads", "listens", "takes"), 0)
        self._recording = False

    def run(self) -> None:
        down: list[int] = []
        note = 0
        while time.monotonic() < self._until:
            dice = self._chance.random()
            if dice < 0.25:
                note += 1
                self._page.say(do="on", note=note, key=self._chance.randint(36, 84), value=0.7)
                down.append(note)
                if len(down) > 4:
                    self._page.say(do="off", note=down.pop(0))
                self.counts["notes"] += 1
            elif dice < 0.93:
                level = self._chance.uniform(-30, 0)
                self._page.say(do="set", owner="instrument", parameter="level", value=level)
                self.counts["moves"] += 1
            elif dice < 0.97:
                self._edit()
            elif dice < 0.985:
                self._page.say(do="listen", id=note, recording=self._chance.choice(self._sounds))
                self.counts["listens"] += 1
            elif dice < 0.99:
                self._recording = not self._recording
                self._page.say(
                    do="record", on=self._recording, instrument=self._number, name="Soak"
                )
                self.counts["takes"] += self._recording
            else:
                self._number = self._chance.choice(self._instruments)
                self._load()
            time.sleep(0.05)
        for one in down:
            self._page.say(do="off", note=one)

    def _edit(self) -> None:
        now = self._server.json("GET", f"/api/instruments/{self._number}")
        value = round(self._chance.uniform(-20, 0), 2)
        patch = [{"op": "replace", "path": "/layers/0/settings/level", "value": value}]
        body = {"revision": now["revision"], "label": "Level", "patch": patch}
        answer = self._server.json("PATCH", f"/api/instruments/{self._number}", body)
        self._page.say(do="load", document=answer["document"])
        self.counts["edits"] += 1

    def _load(self) -> None:
        document = self._server.json("GET", f"/api/instruments/{self._number}")["document"]
        self._page.say(do="load", document=document)
        self.counts["loads"] += 1


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("project", type=Path)
    parser.add_argument("--minutes", type=float, default=60.0)
    asked = parser.parse_args()
    with running(asked.project) as server, opened(server) as connection:
        page = Page(connection)
        number = server.json("GET", "/api/instruments")["instruments"][0]["id"]
        page.say(do="load", document=server.json("GET", f"/api/instruments/{number}")["document"])
        page.answer("loaded")
        card, player, watched = Card(page), Player(server, page, asked.minutes), Watched(server)
        player.start()
        late, before = 0, stolen()
        while player.is_alive():
            card.play(EVERY_S, 0)
            late += card.late
            watched.look()
        all_, kept = (now - then for now, then in zip(stolen(), before, strict=True))
        watched.tell(60 * min(10.0, asked.minutes / 6))
        print(", ".join(f"{count} {what}" for what, count in player.counts.items()))
        print(f"{late} dropouts, the host kept {100 * kept / all_:.1f} % for itself")


if __name__ == "__main__":
    main()
