"""An hour of playing, moving, editing, listening and recording: what grows meanwhile, and what was late.

Run as ``python bench/soak.py PROJECT --minutes 60`` on a copy of a project, beside nothing else. Printed are the slopes
of memory, open files and threads of each process after the first ten minutes (a sixth of a shorter run), and
dropouts beside what the machine itself stalled for. Memory is what a process holds of its own; recordings that are
mapped from disk, which the system takes back when it wants to, are a column of their own.
"""

from __future__ import annotations

import argparse
import multiprocessing
import queue
import random
import sys
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from card import Card
from common import stolen

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.api.test_live import Page, opened
from tests.servers import Server, running

EVERY_S = 10.0
REST, REST_S = 0.002, 8.0
"""How likely a rest is at each turn (20 a second), and how long it is."""

COLUMNS = (("own memory", "MB"), ("mapped", "MB"), ("files", ""), ("threads", ""))


class Watched:
    """Memory, open files and threads of the processes of a server, looked at now and then."""

    def __init__(self, server: Server) -> None:
        self._server, self._began = server, time.monotonic()
        self.seen: dict[str, list[tuple[float, ...]]] = {}

    def look(self) -> None:
        engines = set(self._server.engine_pids())
        for pid in self._server.processes():
            with suppress(OSError):
                name = "engine" if pid in engines else f"other {pid}"
                at = time.monotonic() - self._began
                self.seen.setdefault(name, []).append((at, *_held(pid)))

    def tell(self, after_s: float) -> None:
        print(f"{'':14}" + "".join(f"{name:>26}" for name, _ in COLUMNS))
        for name, rows in self.seen.items():
            table = np.array([row for row in rows if row[0] >= after_s])
            if len(table) < 3:
                continue
            slopes = np.polyfit(table[:, 0] / 3600.0, table[:, 1:], 1)[0]
            cells = [
                f"{table[0, k]:.0f} to {table[-1, k]:.0f} {unit}, {slopes[k - 1]:+.1f}/h"
                for k, (_, unit) in enumerate(COLUMNS, 1)
            ]
            print(f"{name:14}" + "".join(f"{cell:>26}" for cell in cells))

    def write(self, path: Path) -> None:
        """Every look as a line, for a picture."""
        lines = [
            " ".join([name.replace(" ", "-"), *(f"{value:.1f}" for value in row)])
            for name, rows in self.seen.items()
            for row in rows
        ]
        path.write_text("\n".join(lines) + "\n")


def _held(pid: int) -> tuple[float, float, int, int]:
    status = Path(f"/proc/{pid}/status").read_text()
    fields = dict(line.split(":\t", 1) for line in status.splitlines() if ":\t" in line)
    mb = {name: int(fields[name].split()[0]) / 1024 for name in ("RssAnon", "RssFile", "RssShmem")}
    files = len(list(Path(f"/proc/{pid}/fd").iterdir()))
    return mb["RssAnon"], mb["RssFile"] + mb["RssShmem"], files, int(fields["Threads"])


@dataclass
class Remote:
    """The server as the player's process knows it: by its address."""

    url: str
    json = Server.json


class Player:
    """Whoever sits before it: everything by chance, by a seed; messages go out through the card."""

    def __init__(self, server: Any, messages: Any, minutes: float) -> None:
        self._server, self._messages = server, messages
        self._until = time.monotonic() + 60 * minutes
        self._chance = random.Random(1)
        self._instruments = [
            one["id"] for one in server.json("GET", "/api/instruments")["instruments"]
        ]
        self._sounds = [
            one["digest"] for one in server.json("GET", "/api/recordings")["recordings"]
        ]
        self._number = self._instruments[0]
        names = ("notes", "moves", "edits", "loads", "listens", "takes", "rests")
        self.counts = dict.fromkeys(names, 0)
        self._recording = False

    def run(self) -> None:
        down: list[int] = []
        note = 0
        while time.monotonic() < self._until:
            dice = self._chance.random()
            if dice < REST:
                # nobody plays for an hour without a silence, and much is kept until there is one
                while down:
                    self._say(do="off", note=down.pop())
                self.counts["rests"] += 1
                time.sleep(REST_S)
            elif dice < 0.25:
                note += 1
                self._say(do="on", note=note, key=self._chance.randint(36, 84), value=0.7)
                down.append(note)
                if len(down) > 4:
                    self._say(do="off", note=down.pop(0))
                self.counts["notes"] += 1
            elif dice < 0.93:
                level = self._chance.uniform(-30, 0)
                self._say(do="set", owner="instrument", parameter="level", value=level)
                self.counts["moves"] += 1
            elif dice < 0.97:
                self._edit()
            elif dice < 0.985:
                self._say(do="listen", id=note, recording=self._chance.choice(self._sounds))
                self.counts["listens"] += 1
            elif dice < 0.99:
                self._recording = not self._recording
                self._say(do="record", on=self._recording, instrument=self._number, name="Soak")
                self.counts["takes"] += self._recording
            else:
                self._number = self._chance.choice(self._instruments)
                self._load()
            time.sleep(0.05)
        for one in down:
            self._say(do="off", note=one)

    def _say(self, **message: Any) -> None:
        self._messages.put(message)

    def _edit(self) -> None:
        now = self._server.json("GET", f"/api/instruments/{self._number}")
        value = round(self._chance.uniform(-20, 0), 2)
        patch = [{"op": "replace", "path": "/layers/0/settings/level", "value": value}]
        body = {"revision": now["revision"], "label": "Level", "patch": patch}
        answer = self._server.json("PATCH", f"/api/instruments/{self._number}", body)
        self._say(do="load", document=answer["document"])
        self.counts["edits"] += 1

    def _load(self) -> None:
        document = self._server.json("GET", f"/api/instruments/{self._number}")["document"]
        self._say(do="load", document=document)
        self.counts["loads"] += 1


def play(url: str, messages: Any, minutes: float) -> None:
    """The player's process; ends with what it did, then None."""
    player = Player(Remote(url), messages, minutes)
    player.run()
    messages.put(player.counts)
    messages.put(None)


class Relay:
    """Sends what the player says; keeps what comes last."""

    def __init__(self, page: Page, messages: Any) -> None:
        self._page, self._messages = page, messages
        self.counts: dict[str, int] | None = None
        self.ended = False

    def __call__(self, _: float) -> None:
        with suppress(queue.Empty):
            while not self.ended:
                message = self._messages.get_nowait()
                if message is None:
                    self.ended = True
                elif "do" in message:
                    self._page.say(**message)
                else:
                    self.counts = message


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("project", type=Path)
    parser.add_argument("--minutes", type=float, default=60.0)
    parser.add_argument("--table", type=Path, help="Every look as a line of this file.")
    asked = parser.parse_args()
    spawned = multiprocessing.get_context("spawn")
    messages = spawned.Queue()
    with running(asked.project) as server, opened(server) as connection:
        page = Page(connection)
        number = server.json("GET", "/api/instruments")["instruments"][0]["id"]
        page.say(do="load", document=server.json("GET", f"/api/instruments/{number}")["document"])
        page.answer("loaded")
        card, relay, watched = Card(page), Relay(page, messages), Watched(server)
        player = spawned.Process(target=play, args=(server.url, messages, asked.minutes))
        player.start()
        late, before = 0, stolen()
        while not relay.ended:
            card.play(EVERY_S, relay)
            late += card.late
            watched.look()
        player.join()
        all_, kept = (now - then for now, then in zip(stolen(), before, strict=True))
        watched.tell(60 * min(10.0, asked.minutes / 6))
        print(", ".join(f"{count} {what}" for what, count in (relay.counts or {}).items()))
        print(f"{late} dropouts, the host kept {100 * kept / all_:.1f} % for itself")
        if asked.table:
            watched.write(asked.table)


if __name__ == "__main__":
    main()
