"""A sound card for benchmarks: takes a block from a live session when one is due, counts those that are not there."""

from __future__ import annotations

import json
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

from websockets.exceptions import ConnectionClosed

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.api.test_live import Page

RING = 6
BLOCK_S = 256 / 48_000


class Card:
    """Takes a block every 5.3 ms, six asked for ahead.

    Attributes
    ----------
    late : int
        Dropouts of the last :meth:`play`.
    loads : list of float
        What the engine said of its load meanwhile, as shares of a block's duration.
    """

    def __init__(self, page: Page) -> None:
        self._page, self._got, self._played = page, 0, 0
        self.late = 0
        self.loads: list[float] = []
        threading.Thread(target=self._receive, daemon=True).start()
        page.say(do="credit", blocks=RING)

    def _receive(self) -> None:
        try:
            while True:
                data = self._page.connection.recv()
                if isinstance(data, bytes):
                    self._got += 1
                elif '"is": "look"' in data:
                    self.loads.append(json.loads(data)["load"])
        except ConnectionClosed:
            return

    def play(self, seconds: float, beside: Callable[[float], None] | None = None) -> None:
        """Play on for so long; ``beside`` is called every millisecond with the time, s."""
        self.late = 0
        self.loads.clear()
        time.sleep(0.1)
        start = time.perf_counter()
        begin = start - self._played * BLOCK_S
        while (now := time.perf_counter()) - start < seconds:
            while self._played * BLOCK_S < now - begin:
                if self._got <= self._played:
                    self.late += 1
                    # as a worklet, it waits until the ring is full again
                    while self._got <= self._played:
                        time.sleep(0.001)
                    begin = time.perf_counter() - self._played * BLOCK_S
                    break
                self._played += 1
                self._page.say(do="credit", blocks=1)
            if beside is not None:
                beside(now - start)
            time.sleep(0.001)
