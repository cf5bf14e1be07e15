"""Lists with 60 and with 2,000 sounds: found, scrolled, chosen by keys, compared; in the smallest window."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server, running
from tests.shelves import fill
from tests.ui.test_access import violations

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module", params=[60, 2_000])
def shelf(request, tmp_path_factory):
    """A project with so many sounds and a tenth as many instruments."""
    root = tmp_path_factory.mktemp("shelf") / "project"
    fill(root, request.param, request.param // 10)
    with running(root) as server:
        server.count = request.param
        yield server


@pytest.fixture
def page(browser):
    context = browser.new_context(viewport={"width": 1024, "height": 700})
    yield context.new_page()
    context.close()


def inside(page: Page) -> bool:
    return page.evaluate("document.documentElement.scrollHeight <= innerHeight && document.documentElement.scrollWidth <= innerWidth")  # fmt: skip


def field(page: Page, shelf: Server) -> None:
    page.goto(f"{shelf.url}/field")
    expect(page.locator("[data-recording]").first).to_be_visible()


def test_the_ledger_is_searched_sorted_and_stepped_through(page, shelf):
    field(page, shelf)
    assert page.locator("[data-recording]").count() < 40
    page.get_by_label("Find recordings").fill("ice_00")
    expect(page.locator("[data-recording]").first).to_contain_text(re.compile("Ice", re.IGNORECASE))
    page.get_by_label("Find recordings").fill("noisy")
    expect(page.get_by_text(re.compile(r"\d+ recordings found"))).to_be_visible()
    page.get_by_label("Find recordings").fill("")
    expect(page.get_by_text(f"{shelf.count} recordings,")).to_be_visible()
    field(page, shelf)
    page.locator("[data-recording]").first.get_by_role("button").first.focus()
    for _ in range(20):
        page.keyboard.press("ArrowDown")
    chosen = page.locator("[data-recording] [aria-current=true]")
    expect(chosen).to_be_in_viewport()
    ids = [one["id"] for one in shelf.json("GET", "/api/recordings")["recordings"]][::-1]
    expect(page.locator(f"[data-recording='{ids[20]}'] [aria-current=true]")).to_be_visible()
    assert inside(page)
    assert violations(page) == []


def test_the_nearest_stand_at_the_top_with_how_and_why(page, shelf):
    field(page, shelf)
    page.locator("[data-recording]").nth(3).get_by_role("button").first.click()
    name = page.locator("[data-recording]").nth(3).get_by_role("button").first.inner_text()
    expect(page.get_by_role("complementary", name=name, exact=True)).to_be_visible()
    page.get_by_role("button", name="More like this one").click()
    expect(page.locator("[data-recording]").first).to_contain_text(name)
    expect(page.locator("[data-recording]").nth(1)).to_contain_text(re.compile(r"\d+ %"))
    assert page.locator("[data-ledger]").evaluate("one => one.scrollTop") == 0


def test_all_of_them_are_picked_and_described_together(page, shelf):
    field(page, shelf)
    page.get_by_label("Pick all").click()
    expect(page.get_by_text(f"{shelf.count} picked")).to_be_visible()
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_role("menuitem", name="Collection, place and credits").click()
    page.get_by_role("dialog").get_by_label("Licence").fill("CC0")
    page.get_by_role("button", name="Say it of all").click()
    expect(page.get_by_text(f"{shelf.count} sounds described anew.")).to_be_visible()
    assert shelf.json("GET", "/api/recordings/1")["licence"] == "CC0"
    page.get_by_role("button", name="Undo", exact=True).last.click()
    expect(page.get_by_text(f"{shelf.count} sounds described anew.")).to_have_count(0)
    page.wait_for_function("async () => (await (await fetch('/api/recordings/1')).json()).licence === ''", timeout=60_000)  # fmt: skip


def test_a_chooser_scrolls_is_searched_and_taken_from_by_keys(page, shelf):
    page.goto(f"{shelf.url}/instrument/1")
    page.get_by_role("radio", name="tone", exact=True).click()
    page.get_by_role("button", name="Colour it by another sound").click()
    search = page.get_by_role("searchbox", name="Search the shelf")
    expect(search).to_be_focused()
    box = page.locator("[data-chooser]")
    # before the list is there, a wheel turns nothing
    expect(box.locator("[data-pick]").first).to_be_visible()
    page.mouse.move(512, 400)
    page.mouse.wheel(0, 800)
    page.wait_for_function("() => document.querySelector('[data-chooser]').scrollTop > 400")
    for _ in range(15):
        page.keyboard.press("ArrowDown")
    line = box.locator("li.flex").filter(has=page.locator("[data-pick]"))
    assert line.count() < 40
    search.fill("ice_00")
    expect(box.locator("[data-pick]").first).to_have_attribute("data-pick", re.compile("Ice"))
    assert inside(page)
    assert violations(page) == []
    name = box.locator("[data-pick]").first.get_attribute("data-pick")
    search.press("Enter")
    expect(page.get_by_test_id("coloured-by")).to_have_text(name)
    page.get_by_role("button", name="Take the colouring away").click()
    page.get_by_role("button", name="Colour it by another sound").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_instruments_are_seen_a_few_at_a_time(page, shelf):
    page.goto(f"{shelf.url}/instrument/1")
    page.get_by_role("button", name="Instruments", exact=True).click()
    expect(page.get_by_text(f"{shelf.count // 10} instruments", exact=True)).to_be_visible()
    # the one that is open is in view
    expect(page.locator("[data-instrument='1']")).to_be_in_viewport()
    assert page.locator("[data-instrument]").count() <= 24
    page.get_by_label("Find an instrument").fill("Instrument 5")
    expect(page.locator("[data-instrument]").first).to_contain_text(re.compile(r"Instrument \d*5"))
    assert inside(page)
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/instrument/(?!1$)"))
