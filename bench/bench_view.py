"""The Bench on an hour of sound: making its pictures, opening it, zooming and scrolling it."""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf
from playwright.sync_api import Page, sync_playwright

from common import say
from innerbloom.core.analysis.spectrogram import BaseCollector, pyramid
from innerbloom.core.sound.files import read_blocks, sound_info
from innerbloom.core.sound.peaks import PeakCollector

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.servers import running
from tests.ui.conftest import ARGUMENTS, CHROMIUM

RATE, SECONDS = 48_000, 3_600
FRAMES = """
async (seconds) => {
  const gaps = [];
  let last = performance.now();
  const end = last + 1000 * seconds;
  const target = document.querySelector("[data-testid=picture]");
  const box = target.getBoundingClientRect();
  let turn = 0;
  while (performance.now() < end) {
    const zoom = turn % 120 < 60 ? -90 : 90;
    const wheel = turn % 3 ? { deltaY: zoom } : { deltaY: 40, shiftKey: true };
    target.dispatchEvent(new WheelEvent("wheel", { ...wheel, clientX: box.x + 400, clientY: box.y + 80, bubbles: true, cancelable: true }));
    turn++;
    await new Promise((done) => requestAnimationFrame(done));
    const now = performance.now();
    gaps.push(now - last);
    last = now;
  }
  gaps.sort((a, b) => a - b);
  return { frames: gaps.length / seconds, median: gaps[gaps.length >> 1], p95: gaps[Math.floor(0.95 * gaps.length)] };
}
"""


def write_hour(path: Path) -> None:
    rng = np.random.default_rng(3)
    t = np.arange(10 * RATE) / RATE
    block = 0.1 * np.sin(2 * np.pi * 220 * t) + rng.normal(0, 0.02, len(t))
    with sf.SoundFile(path, "w", RATE, 2, "PCM_24") as out:
        for k in range(SECONDS // 10):
            level = 0.3 + 0.7 * np.sin(k / 7) ** 2
            out.write((level * np.stack((block, np.roll(block, 99)), 1)).astype(np.float32))


def pictures(path: Path) -> None:
    """Run in a process of its own, so that its memory is its own."""
    info = sound_info(path)
    spectrum, peaks = BaseCollector(info.frames, info.rate), PeakCollector()
    start = time.perf_counter()
    for block in read_blocks(path):
        peaks.feed(block)
        spectrum.feed(block)
    pyramid(spectrum.columns())
    peaks.pairs()
    taken = time.perf_counter() - start
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    say("spectrogram and peaks of an hour, 48 kHz stereo", f"{taken:.1f} s, {memory:.0f} MB")


def opened(page: Page, url: str) -> None:
    start = time.perf_counter()
    page.goto(url)
    page.wait_for_selector("[data-testid=picture]")
    page.wait_for_function(
        "Number(document.querySelector('[data-testid=picture]').dataset.drawn) > 1"
    )
    say("opening the Bench on it, to the first picture", f"{time.perf_counter() - start:.2f} s")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.wav"
        write_hour(path)
        subprocess.run([sys.executable, __file__, str(path)], check=True)
        with running(Path(folder) / "project") as server, sync_playwright() as playwright:
            data = path.read_bytes()
            answer = server.json("POST", "/api/recordings?name=hour.wav", data=data)
            start = time.perf_counter()
            assert server.ended(answer["job"], 900)["state"] == "done"
            say("measuring it on the way in", f"{time.perf_counter() - start:.0f} s")
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"{server.url}/field")
            page.wait_for_selector("[data-recording]")
            opened(page, f"{server.url}/bench/1")
            page.wait_for_timeout(2_000)
            found = page.evaluate(FRAMES, 10)
            say(
                "zooming and scrolling",
                f"{found['frames']:.0f} frames a second, gaps {found['median']:.1f} ms p50, "
                f"{found['p95']:.1f} ms p95",
            )
            browser.close()


if __name__ == "__main__":
    if len(sys.argv) > 1:
        pictures(Path(sys.argv[1]))
    else:
        main()
