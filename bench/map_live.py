"""A minute of a map moved sixty times a second in a live session, recorded or not: how many blocks came too late.

Run as ``python bench/map_live.py PROJECT`` beside nothing else. The session is asked for blocks as a sound
card would, six ahead; a block that is not there when it is due is a dropout. What the machine itself
stalls for is shown by the same minute without a move.
"""

from __future__ import annotations

import math
import sys
import time
from pathlib import Path

from card import Card
from common import stolen
from innerbloom.core.performance.take import RATE
from innerbloom.store.files import FileStore
from innerbloom.store.take_folders import TakeFolders

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.api.test_live import Page, opened
from tests.servers import Server, running

SECONDS, MOVES_S = 60.0, 60


class Mover:
    """Moves the map by so many messages a second."""

    def __init__(self, page: Page, moves: int) -> None:
        self._page, self._moves, self._moved = page, moves, 0

    def __call__(self, now: float) -> None:
        while self._moves and self._moved < now * self._moves:
            self._move(self._moved / self._moves)
            self._moved += 1

    def _move(self, at: float) -> None:
        for parameter, value in (
            ("map_across", math.sin(2.1 * at)),
            ("map_up", math.sin(1.3 * at)),
        ):
            self._page.say(do="set", owner="instrument", parameter=parameter, value=50 + 50 * value)


def instrument(server: Server) -> dict:
    lines = server.json("GET", "/api/instruments")["instruments"]
    number = next(one["id"] for one in lines if one["name"] == "Four depths")
    return server.json("GET", f"/api/instruments/{number}")["document"]


def minute(card: Card, page: Page, words: str, moves: int) -> None:
    """Play for a minute, and say how many blocks came too late."""
    before, recorded = stolen(), words.endswith("recorded")
    if recorded:
        page.say(do="record", on=True, instrument=1, name="a minute")
    card.play(SECONDS, Mover(page, moves))
    if recorded:
        page.say(do="record", on=False)
    all_, kept = (now - then for now, then in zip(stolen(), before, strict=True))
    load = sorted(card.loads)
    print(
        f"{words}: {card.late} dropouts in {SECONDS:.0f} s, load {load[len(load) // 2]:.2f}, "
        f"the host kept {100 * kept / all_:.1f} % for itself"
    )


def main() -> None:
    root = Path(sys.argv[1])
    folders = TakeFolders(FileStore(root))
    with running(root) as server, opened(server) as connection:
        page, known = Page(connection), folders.ids()
        page.say(do="load", document=instrument(server))
        page.answer("loaded")
        for note, key in enumerate((48, 55, 60), 1):
            page.say(do="on", note=note, key=key, value=0.7)
        card = Card(page)
        moved = f"moved {MOVES_S} times a second"
        for _ in range(2):
            for words, moves in (("still", 0), (moved, MOVES_S), (f"{moved}, recorded", MOVES_S)):
                minute(card, page, words, moves)
        # takes are written once a second
        time.sleep(3.0)
    for one in folders.ids():
        if one not in known:
            take = folders.read(one).take
            print(f"recorded: {take.frames / RATE:.1f} s, {len(take.events)} events")


if __name__ == "__main__":
    main()
