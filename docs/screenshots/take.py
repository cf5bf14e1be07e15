"""Takes the pictures of this folder from the demo project: `make screenshots`; names of views take only those."""

from __future__ import annotations

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


def instruments(page: Page, url: str) -> None:
    """All instruments, each with the spectrogram of one note."""
    page.goto(f"{url}/instrument/7")
    page.get_by_role("button", name="Instruments", exact=True).click()
    page.locator("[data-instrument] canvas").nth(11).wait_for(timeout=120_000)
    page.wait_for_timeout(500)


def layer(page: Page, url: str) -> None:
    """One layer open: a cloud of three sounds, its ranges below."""
    page.goto(f"{url}/instrument/6")
    page.get_by_test_id("layer").first.wait_for()
    page.get_by_role("button", name="Key and velocity ranges").click()
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    page.keyboard.down("z")
    page.wait_for_timeout(2_500)


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


def grid(page: Page, url: str) -> None:
    _tide(page, url, "grid")


def rule(page: Page, url: str) -> None:
    """A rule with its band, beside the picture of what sounds."""
    page.goto(f"{url}/instrument/7")
    page.get_by_role("radio", name="layers", exact=True).click()
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    page.locator("[data-parameter=position]").focus()
    page.keyboard.press("Shift+Enter")
    _hold(page)


def portrait(page: Page, url: str) -> None:
    page.goto(f"{url}/instrument/6")
    page.get_by_test_id("layer").first.wait_for()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Portrait").click()
    page.get_by_test_id("portrait").wait_for(timeout=120_000)
    page.get_by_test_id("portrait").get_by_role("button").nth(39).hover()
    page.wait_for_timeout(600)


def bench(page: Page, url: str) -> None:
    page.goto(f"{url}/bench/3")
    page.get_by_test_id("picture").wait_for()
    page.locator("[data-step=loop] button").first.click()
    page.locator("[data-loop]").first.wait_for(timeout=60_000)
    page.get_by_role("button", name="Listen to the loop").click()
    page.wait_for_timeout(3_500)


def seam(page: Page, url: str) -> None:
    """The enlarged seam alone, four milliseconds either side."""
    bench(page, url)
    page.get_by_role("radio", name="4", exact=True).click()
    page.wait_for_timeout(1_000)


def pieces(page: Page, url: str) -> None:
    page.goto(f"{url}/bench/10")
    page.get_by_test_id("picture").wait_for()
    page.get_by_role("button", name="Pieces").click()
    page.get_by_test_id("pieces").focus()
    for key in "kkdk":
        page.keyboard.press(key)
        page.wait_for_timeout(250)
    page.wait_for_timeout(2_500)


def table(page: Page, url: str) -> None:
    """A wavetable of a recording while it is played."""
    page.goto(f"{url}/bench/11")
    page.get_by_test_id("table-map").wait_for()
    page.get_by_role("slider", name="Position in the table").focus()
    for _ in range(4):
        page.keyboard.press("PageUp")
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    strip = page.get_by_label("Play strip").bounding_box()
    assert strip
    page.mouse.move(strip["x"] + 0.4 * strip["width"], strip["y"] + 0.6 * strip["height"])
    page.mouse.down()
    page.get_by_test_id("voice").first.wait_for()
    page.wait_for_timeout(600)


def wave(page: Page, url: str) -> None:
    """A wave layer that moves through a wavetable."""
    page.goto(f"{url}/instrument/9")
    page.get_by_test_id("table-map").first.wait_for()
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()
    _hold(page)


def _sounding(page: Page) -> None:
    page.get_by_role("button", name="Sound off").click()
    page.get_by_role("button", name="Sound on", exact=True).wait_for()


def spectrum(page: Page, url: str) -> None:
    """The kettle lid taken apart, its partials heard alone."""
    page.goto(f"{url}/bench/14")
    page.get_by_test_id("bench-summary").filter(has_text="partials").wait_for()
    page.get_by_role("radio", name="Partials", exact=True).click()
    page.get_by_role("button", name="Listen", exact=True).click()
    page.wait_for_timeout(2_000)


def morph(page: Page, url: str) -> None:
    """A way through three sounds, some seconds into its minute."""
    page.goto(f"{url}/instrument/11")
    _sounding(page)
    page.get_by_test_id("morph").filter(has_text="%").wait_for()
    _hold(page)
    page.wait_for_timeout(6_000)


def segments(page: Page, url: str) -> None:
    """Pebbles that speak as the morph above them does."""
    page.goto(f"{url}/instrument/11")
    page.get_by_test_id("layer").nth(2).get_by_role("button", name="Pebbles").click()
    page.get_by_test_id("segments").wait_for()
    _sounding(page)
    _hold(page)


VIEWS = {"spectrum": spectrum, "morph": morph, "segments": segments, "table": table, "wave": wave, "field": field, "bench": bench, "pieces": pieces, "instrument": instrument,
         "layer": layer, "portrait": portrait, "routes": routes, "grid": grid, "rule": rule, "instruments": instruments}  # fmt: skip
DAY_ONLY = (
    "grid",
    "rule",
    "table",
    "wave",
    "spectrum",
    "segments",
    "pieces",
    "portrait",
    "routes",
    "layer",
    "instruments",
)
DUSK_ONLY = ("morph",)


def take(browser: Browser, url: str, wanted: list[str]) -> None:
    for light, scheme in LIGHTS.items():
        for name, show in VIEWS.items():
            left_out = DAY_ONLY if light == "dusk" else DUSK_ONLY
            if (wanted and name not in wanted) or name in left_out:
                continue
            size = {"width": 1280, "height": 800}
            page = browser.new_context(viewport=size, color_scheme=scheme).new_page()  # type: ignore[arg-type]
            show(page, url)
            page.screenshot(path=HERE / f"{name}-{light}.png")
            page.context.close()
    if wanted:
        return
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    seam(page, url)
    page.get_by_label("The seam", exact=True).screenshot(path=HERE / "seam-day.png")
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
