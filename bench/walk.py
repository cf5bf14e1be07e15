"""A newcomer's first walk, by the clock: twenty recordings dropped, one of them a tuned loop in a file.

Counts what a hand does and how long it takes in headless Chromium, from an empty project served
here; the recordings come from the package openttd-opensfx.
"""

from __future__ import annotations

import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import soundfile as sf
from playwright.sync_api import Page, expect, sync_playwright

from common import say, stolen

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.recordings import effects
from tests.servers import Server, running
from tests.ui.conftest import ARGUMENTS, CHROMIUM

from innerbloom.core.sound.sampler import read_sampler

COUNT = 20


@dataclass
class Hand:
    """What is done on a page, and when."""

    page: Page
    begun: float = field(default_factory=time.monotonic)
    actions: list[str] = field(default_factory=list)

    def did(self, what: str) -> None:
        self.actions.append(what)
        print(f"{time.monotonic() - self.begun:6.1f} s  {what}")

    def click(self, role: Any, name: str, **more: Any) -> None:
        """One click, as soon as it can be made."""
        target = self.page.get_by_role(role, name=name, **more)
        expect(target).to_be_enabled(timeout=120_000)
        target.click()
        self.did(name)


def twenty(folder: Path) -> list[Path]:
    """The first recordings of the package, named as recorders name them."""
    first = effects()[:COUNT]
    paths = [folder / f"GH07_{number:02}.wav" for number in range(len(first))]
    for path, (samples, rate) in zip(paths, first, strict=True):
        sf.write(path, samples, rate, "PCM_24")
    return paths


def pitched(server: Server, count: int) -> dict[str, Any]:
    """Once all are in, the longest one in whose row a root stands."""
    while len(found := server.json("GET", "/api/recordings")["recordings"]) < count:
        time.sleep(0.2)
    return max((one for one in found if one["root_hz"]), key=lambda one: one["duration_s"])


def walk(page: Page, server: Server, paths: list[Path], out: Path) -> Hand:
    page.goto(f"{server.url}/field")
    expect(page.get_by_role("button", name="Add recordings")).to_be_visible()
    hand = Hand(page)
    page.get_by_test_id("files").set_input_files([str(path) for path in paths])
    hand.did(f"{len(paths)} recordings dropped")
    chosen = pitched(server, len(paths))
    page.locator(f"[data-recording='{chosen['id']}']").click()
    hand.did(f"its row: {chosen['name']}")
    hand.click("link", "Put it on the bench")
    hand.click("button", "+ Step")
    hand.click("menuitem", "Pull to pitch")
    hand.click("button", "Find loops")
    first = page.locator("[data-loop='0']").get_by_role("button").first
    expect(first).to_be_visible(timeout=120_000)
    first.click()
    hand.did("the first loop")
    hand.click("button", "Keep as material")
    hand.click("button", "More", exact=True)
    hand.click("menuitem", "Out as a file")
    with page.expect_download(timeout=120_000) as made:
        hand.click("button", "Export")
    made.value.save_as(out)
    hand.did("the file is there")
    hand.actions.pop()
    return hand


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    paths, out = twenty(folder), folder / "out.wav"
    with running(folder / "project") as server, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        before = stolen()
        hand = walk(page, server, paths, out)
        seconds = time.monotonic() - hand.begun
        ticks, taken = (now - then for now, then in zip(stolen(), before, strict=True))
        say("from drop to a file", f"{seconds:.0f} s, {len(hand.actions)} actions")
        say("kept by the machine's host meanwhile", f"{taken / ticks:.0%}")
        told = read_sampler(out)
        say(
            "loops in the file", f"{[(one.start, one.end) for one in told.loops]}, root {told.root}"
        )
        browser.close()


if __name__ == "__main__":
    main()
