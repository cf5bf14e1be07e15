"""A minute of a map moved sixty times a second in a live session: how many blocks came too late.

Run as ``python bench/map_live.py PROJECT`` beside nothing else. The session is asked for blocks as a sound
card would, six ahead; a block that is not there when it is due is a dropout. What the machine itself
stalls for is shown by the same minute without a move.
"""

from __future__ import annotations

import math
import sys
from pathlib import Path

from card import Card
from common import stolen

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


def main() -> None:
    with running(Path(sys.argv[1])) as server, opened(server) as connection:
        page = Page(connection)
        page.say(do="load", document=instrument(server))
        page.answer("loaded")
        for note, key in enumerate((48, 55, 60), 1):
            page.say(do="on", note=note, key=key, value=0.7)
        card = Card(page)
        for words, moves in (("still", 0), (f"moved {MOVES_S} times a second", MOVES_S)) * 2:
            before = stolen()
            card.play(SECONDS, Mover(page, moves))
            all_, kept = (now - then for now, then in zip(stolen(), before, strict=True))
            load = sorted(card.loads)
            print(
                f"{words}: {card.late} dropouts in {SECONDS:.0f} s, load {load[len(load) // 2]:.2f}, "
                f"the host kept {100 * kept / all_:.1f} % for itself"
            )


if __name__ == "__main__":
    main()
