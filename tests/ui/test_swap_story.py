"""An instrument tried on other recordings: ranked, heard, kept."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import expect

from tests.servers import Server, running
from tests.ui.test_access import violations
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on

pytestmark = pytest.mark.ui
_LONG_MS = 120_000


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    with running(tmp_path_factory.mktemp("ui-swap") / "project") as one:
        for name in ("low wire.wav", "high wire.wav"):
            one.add(sounds / name)
        one.made = one.json("POST", "/api/recordings/1/instrument", {})["id"]
        yield one


def test_it_is_tried_on_others_heard_and_kept(page, stage):
    page.goto(f"{stage.url}/instrument/{stage.made}")
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Swap sheet").click()
    expect(page.get_by_text("Would it work over another recording too?")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Pick all shown").click()
    page.get_by_label("Seconds that it is held").fill("1.5")
    page.get_by_role("button", name="Try on 2 recordings").click()
    sheet = page.get_by_test_id("swap-sheet")
    expect(sheet).to_be_visible(timeout=_LONG_MS)
    rows = page.locator("[data-line]")
    expect(rows).to_have_count(3)
    expect(rows.first).to_contain_text("as it is")
    sound_on(page)
    sheet.focus()
    sheet.press("ArrowDown")
    expect(page.get_by_role("button", name="Stop ").first).to_be_visible()
    sheet.press("ArrowDown")
    sheet.press("k")
    expect(page.get_by_text("is kept among the instruments")).to_be_visible()
    assert violations(page) == []
    assert inside(page)
    page.get_by_role("button", name="Open ", exact=False).first.click()
    expect(page).not_to_have_url(f"{stage.url}/instrument/{stage.made}")
    expect(page.get_by_role("heading", level=1)).to_contain_text(",")


def test_the_sheet_is_there_when_one_comes_back(page, stage):
    page.goto(f"{stage.url}/swap/{stage.made}")
    expect(page.locator("[data-line]")).to_have_count(3)
    page.get_by_role("button", name="Back to the instrument").click()
    expect(page).to_have_url(f"{stage.url}/instrument/{stage.made}")
