"""Variations of one effect for a game: drawn, heard, chosen from, handed over."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server, running
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    with running(tmp_path_factory.mktemp("ui-deliver") / "project") as one:
        one.add(sounds / "low wire.wav")
        one.made = one.json("POST", "/api/recordings/1/instrument", {})["id"]
        yield one


def drawn(server) -> dict:
    first = server.json("GET", "/api/variations")["sets"][0]["id"]
    return server.json("GET", f"/api/variations/{first}/drawn")


def typed(page: Page, rule: str, value: object) -> None:
    slider = page.get_by_role("slider", name=rule, exact=True)
    slider.focus()
    slider.press("Enter")
    page.keyboard.type(str(value))
    page.keyboard.press("Enter")
    stored(page)


def test_an_empty_page_says_what_to_do(page, stage):
    page.goto(f"{stage.url}/deliver")
    expect(page.get_by_text("A game needs many variations")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="New set").click()
    page.get_by_role("menuitem", name="low wire").click()
    expect(page.get_by_text("Nothing has been drawn yet.")).to_be_visible()
    assert violations(page) == []


def test_they_are_drawn_heard_and_chosen_from(page, stage):
    page.goto(f"{stage.url}/deliver")
    expect(page.get_by_text("Nothing has been drawn yet.")).to_be_visible()
    typed(page, "How many drawn", 10)
    typed(page, "How many kept", 4)
    typed(page, "How it ends held", 0.4)
    page.get_by_role("button", name="Draw 10").click()
    rows = page.locator("[data-line]")
    expect(rows).to_have_count(4)
    expect(page.get_by_text("4 of 10 drawn of low wire")).to_be_visible()
    sound_on(page)
    ledger = page.get_by_test_id("variations")
    ledger.focus()
    ledger.press("ArrowDown")
    first = rows.first.get_attribute("data-line")
    expect(page.get_by_role("button", name=f"Stop {first}")).to_be_visible()
    ledger.press("d")
    stored(page)
    expect(page.locator(f'[data-line="{first}"]')).to_have_count(0)
    # another takes its place
    expect(rows).to_have_count(4)
    page.get_by_role("button", name="Show all that were drawn").click()
    expect(rows).to_have_count(10)
    expect(page.locator(f'[data-line="{first}"]')).to_contain_text("dropped")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.locator(f'[data-line="{first}"]')).to_contain_text("kept")
    assert violations(page) == []
    assert inside(page)


def test_what_is_not_right_is_said_and_the_rest_handed_over(page, stage):
    page.goto(f"{stage.url}/deliver")
    names = page.get_by_label("names", exact=True)
    names.fill("{name}")
    names.press("Enter")
    expect(page.get_by_text("put {number} into it")).to_be_visible()
    hand_over = page.get_by_role("button", name="Hand over 4 variations")
    expect(hand_over).to_be_disabled()
    names.fill("{name} {number}")
    names.press("Enter")
    expect(hand_over).to_be_enabled()
    page.get_by_text("1 thing is not right yet").click()
    expect(page.get_by_text("It is not known of 'low wire'")).to_be_visible()
    page.get_by_label("Format").get_by_role("radio", name="FLAC").click()
    stored(page)
    hand_over.click()
    expect(page.get_by_text("It is ready")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    assert download.value.suggested_filename.endswith(".zip")
    assert drawn(stage)["kept"] == 4
