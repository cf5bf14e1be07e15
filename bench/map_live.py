"""A minute of a map moved sixty times a second in a live session: how many blocks came too late.

Run as ``python bench/map_live.py PROJECT`` beside nothing else. The session is asked for blocks as a sound
card would, six ahead; a block that is not there when it is due is a dropout. What the machine itself
stalls for is shown by the same minute without a move.
"""

from __future__ import annotations

import json
import math
import sys
import threading
import time
from pathlib import Path

from websockets.exceptions import ConnectionClosed

from common import stolen

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.api.test_live import Page, opened
from tests.servers import Server, running

SECONDS, MOVES_S, RING = 60.0, 60, 6
_BLOCK_S = 256 / 48_000


class Card:
    """Takes a block every 5.3 ms; counts those that are not there."""

    def __init__(self, page: Page) -> None:
        self._page, self.got, self.late = page, 0, 0
        self.loads: list[float] = []
        threading.Thread(target=self._receive, daemon=True).start()

    def _receive(self) -> None:
        try:
            while True:
                data = self._page.connection.recv()
                if isinstance(data, bytes):
                    self.got += 1
                elif '"is": "look"' in data:
                    self.loads.append(json.loads(data)["load"])
        except ConnectionClosed:
            return

    def play(self, seconds: float, moves: int) -> None:
        self.got = self.late = 0
        self.loads.clear()
        self._page.say(do="credit", blocks=RING)
        time.sleep(0.1)
        begin, played, moved = time.perf_counter(), 0, 0
        while (now := time.perf_counter() - begin) < seconds:
            while played * _BLOCK_S < now:
                if self.got <= played:
                    self.late += 1
                    # as a worklet, it waits until the ring is full again
                    while self.got <= played:
                        time.sleep(0.001)
                    begin = time.perf_counter() - played * _BLOCK_S
                    break
                played += 1
                self._page.say(do="credit", blocks=1)
            while moves and moved < now * moves:
                self._move(moved / moves)
                moved += 1
            time.sleep(0.001)

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
            card.play(SECONDS, moves)
            all_, kept = (now - then for now, then in zip(stolen(), before, strict=True))
            load = sorted(card.loads)
            print(
                f"{words}: {card.late} dropouts in {SECONDS:.0f} s, load {load[len(load) // 2]:.2f}, "
                f"the host kept {100 * kept / all_:.1f} % for itself"
            )


if __name__ == "__main__":
    main()
