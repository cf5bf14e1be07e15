"""The handbook: from each view's title at its page, by the keys, searched."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.ui.test_access import violations

pytestmark = pytest.mark.ui


@pytest.mark.parametrize(
    ("view", "title"),
    [
        ("field", "Field"),
        ("instrument/1", "Instrument"),
        ("takes", "Takes"),
        ("deliver/picture", "Deliver"),
    ],
)
def test_each_view_leads_to_its_page(page, full_server, view, title):
    page.goto(f"{full_server.url}/{view}")
    page.get_by_role("button", name="? Handbook").click()
    book = page.get_by_role("dialog")
    expect(book.get_by_role("heading", level=1)).to_contain_text(title)
    picture = book.locator("img").first
    page.wait_for_function("() => document.querySelector('[role=dialog] img').naturalWidth > 800")
    expect(picture).to_be_visible()
    assert violations(page) == []
    page.keyboard.press("Escape")
    expect(book).to_have_count(0)


def test_it_is_searched_and_stands_beside_the_keys(page, full_server):
    page.goto(f"{full_server.url}/field")
    page.locator("[data-recording]").first.wait_for()
    page.keyboard.press("?")
    page.get_by_role("dialog").get_by_role("button", name="the handbook").click()
    search = page.get_by_role("searchbox", name="Find in the handbook")
    search.fill("checksums")
    found = page.get_by_role("list", name="Found in the handbook")
    expect(found.get_by_role("button").first).to_contain_text("Deliver")
    assert violations(page) == []
    search.fill("nothing of the kind")
    expect(found).to_contain_text("No page has all of these words.")
    search.fill("checksums")
    found.get_by_role("button").first.click()
    expect(page.get_by_role("dialog").get_by_role("heading", level=1)).to_contain_text("Deliver")
    page.get_by_role("button", name="keys and gestures").click()
    expect(page.get_by_role("dialog")).to_contain_text("Keys and gestures")
