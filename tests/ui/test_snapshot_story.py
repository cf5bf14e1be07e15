"""Three states of one instrument: taken, recalled, put on a map, stood between, rolled."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def stage(full_server) -> Server:
    """A server with an instrument of its own, of which nothing has been kept yet."""
    full_server.staged = full_server.json("POST", "/api/recordings/1/instrument", {})["id"]
    return full_server


def document(server) -> dict:
    return server.json("GET", f"/api/instruments/{server.staged}")["document"]


def opened(page: Page, server) -> None:
    page.goto(f"{server.url}/instrument/{server.staged}")
    page.get_by_role("radio", name="snapshots", exact=True).click()


def set_size(page: Page, server, ms: int) -> None:
    """Set the grains' size as a user types it."""
    page.get_by_role("radio", name="layers", exact=True).click()
    rule = page.get_by_role("slider", name="Grain size", exact=True).first
    rule.focus()
    rule.press("Enter")
    page.keyboard.type(str(ms))
    page.keyboard.press("Enter")
    stored(page)
    assert document(server)["layers"][0]["settings"]["size"] == ms
    page.get_by_role("radio", name="snapshots", exact=True).click()


def snapshot(page: Page, name: str):
    return page.locator(f'[data-snapshot="{name}"]')


def test_states_are_taken_and_named_and_recalled(page, stage):
    opened(page, stage)
    expect(page.get_by_text("A snapshot keeps how everything is set")).to_be_visible()
    assert violations(page) == []
    set_size(page, stage, 40)
    page.get_by_role("button", name="Take a snapshot").click()
    expect(snapshot(page, "Snapshot 1")).to_contain_text("now")
    set_size(page, stage, 400)
    page.get_by_role("button", name="Take one").click()
    expect(snapshot(page, "Snapshot 2")).to_contain_text("now")
    page.keyboard.press("Alt+1")
    expect(snapshot(page, "Snapshot 1")).to_contain_text("now")
    stored(page)
    assert document(stage)["layers"][0]["settings"]["size"] == 40
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(snapshot(page, "Snapshot 2")).to_contain_text("now")


def test_on_the_map_one_stands_between_them(page, stage):
    opened(page, stage)
    page.get_by_role("button", name="Put all on the map").click()
    expect(page.locator("[data-on-map]")).to_have_count(2)
    stored(page)
    expect(page.get_by_label("What the map moves", exact=True)).to_contain_text("size")
    area = page.get_by_test_id("map").bounding_box()
    page.mouse.click(area["x"] + area["width"] / 2, area["y"] + area["height"] / 2)
    stored(page)
    page.wait_for_function(
        "async (url) => { const d = (await (await fetch(url)).json()).document;"
        " return d.settings.map_across > 40 && d.layers[0].settings.size < 400"
        " && d.layers[0].settings.size > 40; }",
        arg=f"/api/instruments/{stage.staged}",
    )
    # whoever asks what moves a control hears of the map too
    page.get_by_role("radio", name="layers", exact=True).click()
    page.get_by_role("slider", name="Grain size").first.press("Shift+Enter")
    expect(page.get_by_test_id("mapped")).to_contain_text("40 ms, 400 ms")
    page.keyboard.press("Escape")
    page.get_by_role("radio", name="snapshots", exact=True).click()
    # a snapshot is dragged elsewhere, and nothing else moves
    before = document(stage)
    leaf = page.locator('[data-on-map="Snapshot 1"]').bounding_box()
    page.mouse.move(leaf["x"] + leaf["width"] / 2, leaf["y"] + 11)
    page.mouse.down()
    page.mouse.move(area["x"] + area["width"] * 0.5, area["y"] + area["height"] * 0.9, steps=8)
    page.mouse.up()
    stored(page)
    after = document(stage)
    assert after["snapshots"][0]["place"] == pytest.approx([0.5, 0.1], abs=0.03)
    assert after["layers"] == before["layers"]
    assert violations(page) == []
    assert inside(page)


def test_while_a_note_sounds_the_map_is_heard_and_a_bar_is_waited_for(page, stage):
    opened(page, stage)
    sound_on(page)
    page.get_by_role("radio", name="on the bar").click()
    page.get_by_test_id("map").focus()
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    stored(page)
    snapshot(page, "Snapshot 2").click()
    expect(snapshot(page, "Snapshot 2")).to_contain_text("now")
    stored(page)
    assert document(stage)["layers"][0]["settings"]["size"] == 400
    page.get_by_role("radio", name="at once").click()


def test_one_is_rolled_between_two_replaced_and_removed(page, stage):
    opened(page, stage)
    snapshot(page, "Snapshot 1").click()
    expect(snapshot(page, "Snapshot 1")).to_contain_text("now")
    page.get_by_role("button", name="Roll one").click()
    rolled = page.locator('[data-snapshot^="Between"]')
    expect(rolled).to_be_visible()
    rolled.click()
    expect(rolled).to_contain_text("now")
    assert 40 <= document(stage)["layers"][0]["settings"]["size"] <= 400
    set_size(page, stage, 77)
    expect(page.get_by_text("1 setting is otherwise now:")).to_be_visible()
    page.get_by_role("button", name="Replace it").click()
    expect(rolled).to_contain_text("now")
    page.get_by_label("Snapshots").get_by_role("button", name="Remove").click()
    expect(rolled).to_have_count(0)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(rolled).to_be_visible()
