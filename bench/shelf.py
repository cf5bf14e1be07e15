"""The shelf at size: 5,000 sounds and 300 instruments, or as many as are named, listed, found, compared, scrolled.

`python bench/shelf.py [SOUNDS]`; `python bench/shelf.py --fill FOLDER [SOUNDS [INSTRUMENTS]]` fills a project and leaves it, to be
served and looked at.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from playwright.sync_api import sync_playwright

from common import say

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.servers import Server, running
from tests.shelves import fill
from tests.ui.conftest import ARGUMENTS, CHROMIUM

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
    say("find by two letters", f"{best_ms(server, '/api/recordings/found?q=ic'):.0f} ms")
    say("by loudness", f"{best_ms(server, '/api/recordings/found?order=loudness'):.0f} ms")
    say("find what is noisy", f"{best_ms(server, '/api/recordings/found?character=noisy'):.0f} ms")
    say("more like one", f"{best_ms(server, '/api/recordings/found?like=7'):.0f} ms")
    say("all about one", f"{best_ms(server, '/api/recordings/7'):.0f} ms")


def memory(server: Server) -> None:
    """What the server's processes hold in memory, the largest first."""
    say(
        "memory of the server's processes", ", ".join(f"{one} MB" for one in server.memory_mb()[:3])
    )


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
        fill(root, int(sys.argv[1]) if len(sys.argv) > 1 else 5_000, 300)
        with running(root) as server:
            start = time.perf_counter()
            server.json("GET", "/api/recordings")
            say("first list", f"{time.perf_counter() - start:.1f} s")
            answers(server)
            memory(server)
            page(server)


if __name__ == "__main__":
    main()
