"""A served project and a page in headless Chromium."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
import soundfile as sf
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.conftest import RATE, harmonic_tone
from tests.servers import Server, running

# machines that run tests are slow at times; no test judges time
expect.set_options(timeout=60_000)

CHROMIUM = (
    os.environ.get("BLOOM_CHROMIUM")
    or shutil.which("chromium-headless-shell")
    or shutil.which("chromium")
    or "/usr/bin/chromium"
)
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    # a microphone that beeps, and a browser that allows it
    "--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream",
]  # fmt: skip


def stored(page: Page) -> None:
    """Wait until all that was done on the page has been stored."""
    nothing_on_its_way = (
        "() => document.querySelector('main')?.getAttribute('aria-busy') === 'false'"
    )
    page.wait_for_function(nothing_on_its_way, timeout=120_000)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield chromium
        chromium.close()


@pytest.fixture(scope="session")
def sounds(tmp_path_factory) -> Path:
    """A long tone, so that listening to it outlasts a slow machine, a second tone and no sound."""
    folder = tmp_path_factory.mktemp("sounds")
    sf.write(folder / "low wire.wav", harmonic_tone(110.0, 40.0), RATE, "PCM_24")
    sf.write(folder / "high wire.wav", harmonic_tone(440.0, 3.0), RATE, "PCM_24")
    (folder / "list.wav").write_text("milk, bread")
    return folder


@pytest.fixture(scope="session")
def server(tmp_path_factory) -> Iterator[Server]:
    """An empty project; tests of a module follow the story in order."""
    with running(tmp_path_factory.mktemp("ui") / "project") as one:
        yield one


@pytest.fixture(scope="session")
def full_server(tmp_path_factory, sounds) -> Iterator[Server]:
    """A project with a recording and an instrument."""
    with running(tmp_path_factory.mktemp("ui-full") / "project") as one:
        for name in ("low wire.wav", "high wire.wav"):
            path = sounds / name
            answer = one.json(
                "POST", f"/api/recordings?name={name.replace(' ', '%20')}", data=path.read_bytes()
            )
            assert one.ended(answer["job"])["state"] == "done"
        one.json("POST", "/api/recordings/1/instrument", {})
        yield one


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    page = context.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.on(
        "console",
        lambda message: (
            problems.append(message.text)
            # what is refused, cut off or without room on purpose is part of the story
            if message.type == "error"
            and not re.search("400|409|507|ERR_FAILED|WebSocket", message.text)
            else None
        ),
    )
    yield page
    context.close()
    assert problems == []
