"""Takes the pictures of this folder from the demo project: `make screenshots`; names of views take only those."""

from __future__ import annotations

import math
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parents[1]))
from tests.servers import running  # noqa: E402
from tests.ui.conftest import ARGUMENTS, CHROMIUM  # noqa: E402

from innerbloom.demo.project import make_demo_project  # noqa: E402

LIGHTS = {"day": "light", "dusk": "dark"}


def field(page: Page, url: str) -> None:
    page.goto(f"{url}/field")
    page.get_by_role("button", name="name", exact=True).click()
    row = page.locator("[data-recording]", has_text="Bowed fence wire")
    row.get_by_label("Listen to Bowed fence wire from here").click(position={"x": 90, "y": 20})
    page.wait_for_timeout(2_500)


def instrument(page: Page, url: str) -> None:
    page.goto(f"{url}/instrument/4")
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    page.wait_for_timeout(1_500)
    surface = page.get_by_test_id("surface").bounding_box()
    assert surface is not None
    for key in "zb":
        page.keyboard.down(key)
        page.wait_for_timeout(900)
    page.mouse.move(surface["x"] + surface["width"] * 0.52, surface["y"] + 30)
    page.mouse.down()
    page.wait_for_timeout(1_600)


def _tide(page: Page, url: str, way: str) -> None:
    """An instrument that lives by itself, with a note held for a while."""
    page.goto(f"{url}/instrument/7")
    page.get_by_role("radio", name=way, exact=True).click()
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    _hold(page)


def _hold(page: Page) -> None:
    surface = page.get_by_test_id("surface").bounding_box()
    assert surface is not None
    page.mouse.move(surface["x"] + surface["width"] * 0.4, surface["y"] + 30)
    page.mouse.down()
    page.wait_for_timeout(8_000)


def routes(page: Page, url: str) -> None:
    """Routes as sentences, with what moves one of them."""
    _tide(page, url, "routes")
    page.mouse.up()
    page.locator("[data-route]", has_text="Undertow").first.get_by_title("What moves this").click()
    _hold(page)


def bench(page: Page, url: str) -> None:
    page.goto(f"{url}/bench/3")
    page.get_by_test_id("picture").wait_for()
    page.locator("[data-step=loop] button").first.click()
    page.locator("[data-loop]").first.wait_for(timeout=60_000)
    page.get_by_role("button", name="Listen to the loop").click()
    page.wait_for_timeout(3_500)


def pieces(page: Page, url: str) -> None:
    page.goto(f"{url}/bench/10")
    page.get_by_test_id("picture").wait_for()
    page.get_by_role("button", name="Pieces").click()
    page.get_by_test_id("pieces").focus()
    for key in "kkdk":
        page.keyboard.press(key)
        page.wait_for_timeout(250)
    page.wait_for_timeout(2_500)


def _sounding(page: Page) -> None:
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()


def _mixed(page: Page, url: str, effect: str) -> None:
    """The mix while a chord is held, with an effect chosen."""
    page.goto(f"{url}/instrument/13")
    page.get_by_role("radio", name="mix", exact=True).click()
    _sounding(page)
    for key in "zb":
        page.keyboard.down(key)
        page.wait_for_timeout(1_500)
    page.locator("[data-effect]").filter(has_text=effect).first.click()
    page.wait_for_timeout(9_000)


def mix(page: Page, url: str) -> None:
    """By day with the room chosen, at dusk with an equaliser."""
    dusk = page.evaluate("matchMedia('(prefers-color-scheme: dark)').matches")
    _mixed(page, url, "Equaliser" if dusk else "Room")


def takes(page: Page, url: str) -> None:
    """A take with moments kept, one of them chosen."""
    number = page.request.get(f"{url}/api/takes").json()["takes"][-1]["id"]
    page.goto(f"{url}/takes/{number}")
    moments = page.get_by_test_id("moments")
    moments.locator("li").nth(1).click()
    page.wait_for_timeout(4_000)


def _stroke(page: Page) -> None:
    """A finger over the strip: up and down, and a little across."""
    surface = page.get_by_test_id("surface").bounding_box()
    assert surface is not None
    across, below = surface["x"] + surface["width"] * 0.45, surface["y"] + surface["height"]
    page.mouse.move(across, below - 10)
    page.mouse.down()
    for step in range(40):
        page.mouse.move(across + 2 * step, below - 40 + 28 * math.cos(step / 6))
        page.wait_for_timeout(50)
    page.mouse.up()


def taking(page: Page, url: str) -> None:
    """A take as it is recorded, a chord held and another struck."""
    page.goto(f"{url}/instrument/4")
    _sounding(page)
    page.get_by_role("link", name="Takes").click()
    page.get_by_label("Play strip").get_by_role("button", name="Record", exact=True).click()
    for chord in ("zb", "xn", "cm"):
        for key in chord:
            page.keyboard.down(key)
        page.wait_for_timeout(1_000)
        _stroke(page)
        for key in chord:
            page.keyboard.up(key)
        page.keyboard.press(".")
        page.wait_for_timeout(1_000)
    page.keyboard.down("z")
    page.wait_for_timeout(1_500)


def map_(page: Page, url: str) -> None:
    """Snapshots on their map while a chord is held: one has just stood near the middle."""
    lines = page.request.get(f"{url}/api/instruments").json()["instruments"]
    number = next(one["id"] for one in lines if one["name"] == "Four depths")
    page.goto(f"{url}/instrument/{number}")
    page.get_by_role("radio", name="snapshots", exact=True).click()
    _sounding(page)
    page.wait_for_timeout(2_000)
    page.locator("[data-snapshot]").nth(1).click()
    for key in "zb":
        page.keyboard.down(key)
        page.wait_for_timeout(1_500)
    page.wait_for_timeout(9_000)


def ensemble(page: Page, url: str) -> None:
    """A bed, a voice and a strike, with the voice's phrase in the strip."""
    page.goto(f"{url}/ensemble")
    _sounding(page)
    page.get_by_text("voices sound now").wait_for()
    page.get_by_role("button", name="Wire choir").first.click()
    page.get_by_label("Play strip").get_by_role("radio", name="Phrase").click()
    page.get_by_role("heading", name="Wire choir").click()
    for key in "zvr":
        page.keyboard.down(key)
        page.wait_for_timeout(700)
    page.wait_for_timeout(2_500)


def deliver(page: Page, url: str) -> None:
    """Drops on a lid, one of them heard."""
    page.goto(f"{url}/deliver")
    _sounding(page)
    page.locator("[data-line]").nth(3).get_by_role("button").first.click()
    page.wait_for_timeout(600)


def picture(page: Page, url: str) -> None:
    """The announcement film, its second scene heard, a clip chosen whose level is drawn."""
    page.goto(f"{url}/deliver/picture")
    page.locator("video").wait_for()
    _sounding(page)
    page.get_by_role("group", name="Scenes").get_by_role("button", name="Under the panes").click()
    page.wait_for_timeout(800)
    page.get_by_role("button", name="Play", exact=True).click()
    page.wait_for_timeout(3_600)


def samples(page: Page, url: str) -> None:
    """An instrument sampled where its timbre changes, one sample heard."""
    page.goto(f"{url}/deliver/samples")
    page.get_by_role("button", name="New set").click()
    page.get_by_role("menuitem", name="Ribs under water").click()
    page.get_by_role("button", name="Sample", exact=True).click()
    page.get_by_test_id("key-map").wait_for(timeout=300_000)
    _sounding(page)
    page.locator("[data-note]").nth(13).click()
    page.wait_for_timeout(1_500)


def swap(page: Page, url: str) -> None:
    """A choir of wires tried on the other recordings, one of them heard."""
    page.goto(f"{url}/swap/1")
    page.get_by_role("button", name="Pick all shown").click()
    page.get_by_role("button", name="Try on").click()
    page.get_by_test_id("swap-sheet").wait_for(timeout=300_000)
    _sounding(page)
    page.locator("[data-line]").nth(3).get_by_role("button").first.click()
    page.wait_for_timeout(1_500)


VIEWS = {"samples": samples, "swap": swap, "picture": picture, "map": map_, "deliver": deliver, "ensemble": ensemble, "takes": takes, "taking": taking, "mix": mix, "field": field, "bench": bench, "pieces": pieces, "instrument": instrument,
         "routes": routes}  # fmt: skip
DUSK_ONLY = ("taking",)
DAY_ONLY = (
    "takes",
    "field",
    "bench",
    "pieces",
    "routes",
    "deliver",
    "samples",
    "swap",
)


def take(browser: Browser, url: str, wanted: list[str]) -> None:
    for light, scheme in LIGHTS.items():
        for name, show in VIEWS.items():
            if (wanted and name not in wanted) or name in (
                DAY_ONLY if light == "dusk" else DUSK_ONLY
            ):
                continue
            size = {"width": 1280, "height": 800}
            page = browser.new_context(viewport=size, color_scheme=scheme).new_page()  # type: ignore[arg-type]
            show(page, url)
            page.screenshot(path=HERE / f"{name}-{light}.png")
            page.context.close()


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "demo"
        make_demo_project(root, fresh=False, say=print)
        with running(root) as server, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            take(browser, server.url, sys.argv[1:])
            browser.close()


if __name__ == "__main__":
    main()
