"""Live sound in headless Chromium: note to sound, and dropouts: idle, while a take is recorded, a render runs, a batch does.

All are measured in turns of a few seconds, since a machine shared with others comes and goes;
*stolen* is the share of processor time that the machine's host kept for itself meanwhile.
"""

from __future__ import annotations

import argparse
import shutil
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile as sf
from playwright.sync_api import Page, expect, sync_playwright

from common import say, stolen

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.conftest import RATE, harmonic_tone
from tests.servers import Server, running
from tests.ui.conftest import ARGUMENTS, CHROMIUM

TURN_S = 6.0
SETTLE_MS = 3_000

# the worklet says when its output turns from silence to sound, and back
LISTEN = """
window.turned = [];
const Real = window.AudioWorkletNode;
window.AudioWorkletNode = class extends Real {
  constructor(...args) {
    super(...args);
    this.port.addEventListener("message", ({ data }) => {
      if (data.sounding !== undefined) window.turned.push([data.sounding, performance.now()]);
    });
  }
};
window.addEventListener("keydown", (e) => { if (e.code === "KeyZ" && !e.repeat) window.pressed = performance.now(); }, true);
"""


def note_to_sound(page: Page) -> float | None:
    """One note: ms from key down to the block with sound leaving the worklet."""
    page.evaluate("window.turned = []")
    page.keyboard.down("z")
    page.wait_for_timeout(350)
    found = page.evaluate("(window.turned.find(([on]) => on) || [])[1] - window.pressed")
    page.keyboard.up("z")
    page.wait_for_timeout(400)
    return found


def dropouts(page: Page) -> int:
    text = page.locator("header").inner_text()
    words = [line for line in text.replace("%", "%\n").splitlines() if "dropout" in line]
    return int(words[0].split()[0]) if words else 0


@dataclass
class Turns:
    """What was seen in the turns of one state."""

    times: list[float] = field(default_factory=list)
    seconds: float = 0.0
    dropouts: int = 0
    ticks: int = 0
    stolen: int = 0

    def take(self, page: Page, seconds: float) -> None:
        before, (ticks, lost), start = dropouts(page), stolen(), time.monotonic()
        while time.monotonic() < start + seconds:
            found = note_to_sound(page)
            # a note that begins before the last one is silent turns nothing
            if found is not None and np.isfinite(found):
                self.times.append(found)
        after = stolen()
        self.seconds += time.monotonic() - start
        self.dropouts += dropouts(page) - before
        self.ticks += after[0] - ticks
        self.stolen += after[1] - lost

    def tell(self, name: str) -> None:
        p50, p95 = np.percentile(self.times, [50, 95])
        say(f"{name}: note to sound, {len(self.times)} notes", f"p50 {p50:.0f}, p95 {p95:.0f} ms")
        lost = f"{100 * self.stolen / max(1, self.ticks):.1f} % stolen"
        say(f"{name}: dropouts in {self.seconds:.0f} s", f"{self.dropouts}, {lost}")


def recorded(page: Page, turns: Turns, seconds: float) -> None:
    """A take recorded while notes are played; what follows on it is waited for."""
    record = page.get_by_test_id("record")
    record.click()
    expect(record).to_contain_text("Stop")
    turns.take(page, seconds)
    record.click()
    expect(record).to_have_text("Record", timeout=20_000)
    page.wait_for_timeout(SETTLE_MS)


def prepared(server: Server, folder: Path) -> None:
    sf.write(folder / "tone.wav", harmonic_tone(110.0, 6.0), RATE, "PCM_24")
    server.add(folder / "tone.wav")
    grown = server.json("POST", "/api/recordings/1/instrument", {})
    patch = [
        {"op": "replace", "path": f"/layers/0/settings/{key}", "value": value}
        for key, value in (("attack", 1), ("release", 20), ("softness", 20))
    ]
    server.json("PATCH", "/api/instruments/1", {"revision": grown["revision"], "patch": patch})


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--seconds", type=float, default=60)
    seconds = parser.parse_args().seconds
    folder = Path(tempfile.mkdtemp())
    with running(folder / "project") as server, sync_playwright() as playwright:
        prepared(server, folder)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page()
        page.add_init_script(LISTEN)
        page.goto(f"{server.url}/instrument/1")
        page.get_by_role("button", name="Sound off").click()
        page.get_by_role("button", name="Sound on", exact=True).wait_for()
        page.wait_for_timeout(3_000)
        idle, recording, busy, batch = Turns(), Turns(), Turns(), Turns()
        samples = server.json("POST", "/api/samples", {"instrument": 1, "name": ""})["id"]
        long = [{"op": "replace", "path": "/settings/seconds", "value": 30}]
        server.json(
            "PATCH", f"/api/samples/{samples}", {"revision": 0, "label": "Long", "patch": long}
        )
        for turn in range(max(1, round(seconds / TURN_S)) + 1):
            idle.take(page, TURN_S)
            recorded(page, recording, TURN_S)
            job = server.json("POST", "/api/instruments/1/render", {"seconds": 3_600})["job"]
            # the first turn only loads what the worker needs
            (busy if turn else Turns()).take(page, TURN_S)
            server.json("DELETE", f"/api/jobs/{job}")
            job = server.json("POST", f"/api/samples/{samples}/make")["job"]
            (batch if turn else Turns()).take(page, TURN_S)
            server.json("DELETE", f"/api/jobs/{job}")
            server.ended(job)
        idle.tell("idle")
        recording.tell("while recording")
        busy.tell("while rendering")
        batch.tell("while a batch runs")
        say(
            "latency shown",
            page.locator("header").inner_text().split("ms")[0].split("\n")[-1].strip() + " ms",
        )
        browser.close()
    shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
