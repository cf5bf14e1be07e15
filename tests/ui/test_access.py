"""Every view in both lights: an accessibility scan, nothing cut off, all of it by keyboard."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.ui

AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
VIEWS = ["/field", "/bench/1", "/instrument/1"]


def violations(page: Page) -> list[str]:
    """What axe-core finds against WCAG 2.1 A and AA, one line each."""
    page.evaluate(AXE.read_text("utf-8"))
    found = page.evaluate(
        "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']})"
    )["violations"]
    return [
        f"{one['id']}: {node['target']} {node['failureSummary']}"
        for one in found
        for node in one["nodes"]
    ]


@pytest.mark.parametrize("light", ["light", "dark"])
@pytest.mark.parametrize("view", VIEWS)
def test_views_pass_the_scan(browser, full_server, view, light):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme=light)
    page = context.new_page()
    page.goto(full_server.url + view)
    page.wait_for_timeout(800)
    assert violations(page) == []
    if view.startswith("/instrument"):
        for face in ("tone", "shape", "touch", "whole"):
            page.get_by_role("radio", name=face, exact=True).click()
            assert violations(page) == []
        _read_movement(page)
        page.get_by_role("radio", name="Keyboard").click()
        page.get_by_role("button", name="Render").click()
        page.wait_for_timeout(300)
        assert violations(page) == []
    if view.startswith("/bench"):
        _bench_as_at_first(full_server)
        page.reload()
        page.get_by_role("button", name="Find loops").click()
        page.locator("[data-loop]").first.wait_for()
        assert violations(page) == []
        page.get_by_role("button", name="Pieces").click()
        page.get_by_test_id("pieces").wait_for()
        assert violations(page) == []
        _bench_as_at_first(full_server)
    context.close()


@pytest.mark.parametrize("light", ["light", "dark"])
def test_dialogs_pass_the_scan_and_stay_in_the_window(browser, full_server, light):
    """At 1024 by 700, the smallest window: capture, card, export; add, colour, variants, portrait."""
    context = browser.new_context(viewport={"width": 1024, "height": 700}, color_scheme=light)
    page = context.new_page()
    page.goto(f"{full_server.url}/field")
    page.locator("[data-recording]").first.wait_for()
    for choice in ("Capture from the microphone", "Take off a recorder's card"):
        page.get_by_role("button", name="Add recordings").click()
        page.get_by_role("menuitem", name=choice).click()
        _scan_dialog(page)
    page.get_by_role("button", name="Out as a file").click()
    _scan_dialog(page)
    page.goto(f"{full_server.url}/instrument/1")
    page.get_by_role("button", name="+ Layer").click()
    _scan_dialog(page)
    page.get_by_role("radio", name="tone", exact=True).click()
    page.get_by_role("button", name="Colour it by another sound").click()
    _scan_dialog(page)
    for choice in ("Variants", "Portrait"):
        page.get_by_role("button", name="More", exact=True).click()
        page.get_by_role("menuitem", name=choice).click()
        _scan_dialog(page)
    context.close()


def _scan_dialog(page: Page) -> None:
    dialog = page.get_by_role("dialog")
    expect(dialog.locator(".floating")).to_be_visible()
    page.wait_for_timeout(400)  # what it fades in with is no colour of its own
    assert violations(page) == []
    box = dialog.locator(".floating").bounding_box()
    assert box["x"] >= 0
    assert box["y"] >= 0
    assert box["x"] + box["width"] <= 1024
    assert box["y"] + box["height"] <= 700
    page.get_by_role("button", name="Close", exact=True).click()
    expect(dialog).to_have_count(0)


def _read_movement(page: Page) -> None:
    """Routes as sentences and as a grid, what moves one of them, and the handles."""
    page.get_by_role("radio", name="Handles").click()
    for way in ("grid", "routes"):
        page.get_by_role("radio", name=way, exact=True).click()
        page.wait_for_timeout(400)
        assert violations(page) == []
    page.get_by_title("What moves this").first.click()
    page.wait_for_timeout(400)
    assert violations(page) == []
    page.get_by_role("button", name="Back").click()
    page.get_by_role("radio", name="layers", exact=True).click()


def _bench_as_at_first(server) -> None:
    now = server.json("GET", "/api/recordings/1/bench")
    patch = [{"op": "replace", "path": "/steps", "value": [{"do": "cut"}, {"do": "normalise"}]}]
    body = {"revision": now["revision"], "patch": patch, "label": "Begin again"}
    server.json("PATCH", "/api/recordings/1/bench", body)


@pytest.mark.parametrize("width", [1024, 1280, 1600])
@pytest.mark.parametrize("view", VIEWS)
def test_nothing_runs_over_the_edge(browser, full_server, view, width):
    context = browser.new_context(viewport={"width": width, "height": 800})
    page = context.new_page()
    page.goto(full_server.url + view)
    page.wait_for_timeout(500)
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    assert page.evaluate("document.documentElement.scrollHeight") <= 800
    context.close()


@pytest.mark.parametrize("light", ["light", "dark"])
def test_wavetables_pass_the_scan_and_fit(browser, full_server, light):
    operators = [{"id": "a"}, {"id": "b", "into": "a", "harmonic": 3}]
    built = {"name": f"Bell, {light}", "source": {"kind": "waves", "operators": operators},
             "steps": [{"do": "tilt"}]}  # fmt: skip
    asked = ({"recordings": [1], "name": f"Wire, {light}"}, {"document": built})
    context = browser.new_context(viewport={"width": 1024, "height": 800}, color_scheme=light)
    page = context.new_page()
    for one in asked:
        job = full_server.json("POST", "/api/tables", one)["job"]
        made = full_server.ended(job)["result"]["recording"]
        page.goto(f"{full_server.url}/bench/{made}")
        page.get_by_test_id("table-map").wait_for(timeout=120_000)
        page.wait_for_timeout(500)
        assert violations(page) == []
        assert page.evaluate("document.documentElement.scrollWidth") <= 1024
        assert page.evaluate("document.documentElement.scrollHeight") <= 800
        full_server.json(
            "POST", "/api/recordings/batch", {"recordings": [made], "action": "delete"}
        )
    page.locator("[data-edit=tilt] button").first.click()
    assert violations(page) == []
    context.close()


@pytest.mark.parametrize("light", ["light", "dark"])
def test_the_mix_passes_the_scan_and_fits_with_a_panel_of_each_sort(browser, full_server, light):
    made = full_server.json("POST", "/api/recordings/1/instrument", {})
    url = f"/api/instruments/{made['id']}"

    def act(**action):
        revision = full_server.json("GET", url)["revision"]
        full_server.json("POST", f"{url}/mix", {"action": {**action, "revision": revision}})

    layer = full_server.json("GET", url)["document"]["layers"][0]["id"]
    act(do="add bus", name="Shared")
    act(do="send", layer=layer, bus="b1")
    for kind in ("equaliser", "compressor", "embed", "drive", "hold"):
        act(do="add effect", chain=layer, kind=kind)
    act(do="body then room", chain="b1")
    context = browser.new_context(viewport={"width": 1024, "height": 700}, color_scheme=light)
    page = context.new_page()
    page.goto(f"{full_server.url}/instrument/{made['id']}")
    page.get_by_role("radio", name="mix", exact=True).click()
    page.wait_for_timeout(800)
    assert violations(page) == []
    for effect in ("Equaliser", "Compressor", "Embed"):
        page.locator("[data-effect]").filter(has_text=effect[:4]).first.click()
        page.wait_for_timeout(500)
        assert violations(page) == [], effect
    for stream in ("Shared", "The whole"):
        page.locator('button[title^="Its "]').filter(has_text=stream).click()
        page.wait_for_timeout(300)
        assert violations(page) == [], stream
    assert page.evaluate("document.documentElement.scrollWidth") <= 1_024
    page.get_by_role("button", name="Add an effect to the whole").click()
    menu = page.get_by_role("menu").bounding_box()
    assert menu
    assert menu["x"] + menu["width"] <= 1_024
    assert menu["y"] + menu["height"] <= 700
    context.close()


def test_lights_switch_and_stay(page, full_server):
    page.goto(f"{full_server.url}/field")
    page.get_by_role("button", name="Dusk").click()
    assert page.evaluate("document.documentElement.dataset.light") == "dusk"
    page.reload()
    assert page.evaluate("document.documentElement.dataset.light") == "dusk"
    ground = page.evaluate("getComputedStyle(document.body).backgroundColor")
    assert ground == "rgb(25, 31, 29)"


def test_fonts_are_our_own_and_nothing_comes_from_elsewhere(page, full_server):
    asked = []
    page.on("request", lambda request: asked.append(request.url))
    page.goto(f"{full_server.url}/field")
    page.wait_for_timeout(800)
    assert all(url.startswith(full_server.url) for url in asked)
    assert page.evaluate("document.fonts.check('15px \"Newsreader Variable\"')")
    assert page.evaluate("document.fonts.check('13px \"Instrument Sans Variable\"')")


def test_field_by_keyboard_alone(page, full_server):
    page.goto(f"{full_server.url}/field")
    rows = page.locator("[data-recording]")
    expect(rows.first).to_be_visible()
    rows.nth(1).get_by_role("button").first.focus()
    expect(page.get_by_role("complementary").get_by_role("heading").first).to_have_text(
        rows.nth(1).get_by_role("button").first.inner_text()
    )
    page.keyboard.press("g")
    expect(page.get_by_role("button", name="Render")).to_be_visible()


def test_the_sheet_of_keys_opens_and_closes(page, full_server):
    page.goto(f"{full_server.url}/field")
    page.locator("[data-recording]").first.wait_for()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("Keys and gestures")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
