"""A bed, a voice and a strike at once, each on its keys; a chord held becomes a pattern."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server, running
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    with running(tmp_path_factory.mktemp("ui-ensembles") / "project") as one:
        one.add(sounds / "low wire.wav")
        one.add(sounds / "high wire.wav")
        one.bed = one.json("POST", "/api/recordings/1/instrument", {})["id"]
        one.voice = one.json("POST", "/api/recordings/2/instrument", {})["id"]
        yield one


def document(server) -> dict:
    first = server.json("GET", "/api/ensembles")["ensembles"][0]["id"]
    return server.json("GET", f"/api/ensembles/{first}")["document"]


def picture(page: Page, name: str):
    return page.locator(f'[data-player="{name}"]')


def test_an_ensemble_begins_with_the_instrument_in_hand_and_grows(page, stage):
    page.goto(f"{stage.url}/instrument/{stage.bed}")
    page.get_by_role("link", name="Ensembles").click()
    expect(page.get_by_text("An ensemble is several instruments")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Begin one with low wire").click()
    expect(picture(page, "low wire")).to_be_visible()
    page.get_by_role("button", name="+ Player").click()
    page.get_by_role("menuitem", name="high wire").click()
    expect(picture(page, "high wire")).to_be_visible()
    expect(page.get_by_role("heading", level=2, name="high wire")).to_be_visible()
    stored(page)
    assert [one["settings"]["seed"] for one in document(stage)["players"]] == [1, 2]
    assert violations(page) == []
    assert inside(page)


def test_players_are_put_on_their_keys_and_at_their_level_by_hand(page, stage):
    page.goto(f"{stage.url}/ensemble")
    expect(picture(page, "low wire")).to_be_visible()
    area = page.get_by_test_id("players").bounding_box()
    shape = picture(page, "low wire").bounding_box()
    # the right edge to the middle of the keys
    page.mouse.move(area["x"] + area["width"] - 2, shape["y"] + shape["height"] / 2)
    page.mouse.down()
    page.mouse.move(area["x"] + area["width"] / 2, shape["y"] + shape["height"] / 2, steps=6)
    page.mouse.up()
    stored(page)
    high = document(stage)["players"][0]["settings"]["key_high"]
    assert 60 <= high <= 66
    page.mouse.move(area["x"] + area["width"] / 4, shape["y"] + 20)
    page.mouse.down()
    page.mouse.move(area["x"] + area["width"] / 4, shape["y"] + shape["height"] / 2, steps=6)
    page.mouse.up()
    stored(page)
    assert document(stage)["players"][0]["settings"]["level"] < -10
    page.get_by_role("button", name="Undo", exact=True).click()
    stored(page)
    assert document(stage)["players"][0]["settings"]["level"] == 0
    assert document(stage)["players"][0]["settings"]["key_high"] == high


def test_held_chords_become_a_pattern_and_the_take_holds_its_notes(page, stage):
    page.goto(f"{stage.url}/ensemble")
    sound_on(page)
    expect(page.get_by_text("voices sound now")).to_be_visible()
    page.get_by_role("button", name="Shape it in the strip").click()
    strip = page.get_by_label("Play strip")
    strip.get_by_role("radio", name="up", exact=True).click()
    stored(page)
    assert document(stage)["players"][0]["phrase"]["pattern"] == "up"
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("record")).to_contain_text("Stop")
    for key in "zcb":
        page.keyboard.down(key)
    wait_for_level(page, -60)
    expect(page.get_by_text("% of a core")).to_be_visible()
    page.wait_for_timeout(2_500)
    for key in "zcb":
        page.keyboard.up(key)
    page.get_by_test_id("record").click()
    page.get_by_role("button", name="Show it").click()
    expect(page.get_by_text("1 take")).to_have_count(0)
    take = stage.json("GET", "/api/takes")["takes"][0]
    notes = stage.json("GET", f"/api/takes/{take['id']}/hands")["notes"]
    assert len(notes) > 4


def test_one_whose_instrument_is_deleted_is_said_and_replaced(page, stage):
    stage.json("DELETE", f"/api/instruments/{stage.voice}")
    page.goto(f"{stage.url}/ensemble")
    expect(page.get_by_text("its instrument is gone")).to_be_visible()
    page.get_by_role("button", name="high wire").click()
    expect(page.get_by_text("Its instrument was deleted")).to_be_visible()
    page.get_by_role("button", name="Replace").click()
    page.get_by_role("menuitem", name="low wire").click()
    expect(page.get_by_text("its instrument is gone")).to_have_count(0)
    stored(page)
    # back at the instrument it is the instrument that is played
    page.get_by_role("link", name="Open the instrument").click()
    expect(page.get_by_label("Play strip").get_by_text("low wire")).to_be_visible()


def test_the_strips_phrase_is_for_instruments(page, stage):
    page.goto(f"{stage.url}/instrument/{stage.bed}")
    sound_on(page)
    strip = page.get_by_label("Play strip")
    strip.get_by_role("radio", name="Phrase").click()
    strip.get_by_role("radio", name="trill", exact=True).click()
    strip.get_by_role("radio", name="in Hz", exact=True).click()
    expect(strip.get_by_role("slider", name="Phrase rate")).to_be_visible()
    expect(strip.get_by_role("radio", name="Phrase on")).to_be_visible()
    page.keyboard.down("z")
    page.keyboard.down("c")
    wait_for_level(page, -60)
    page.keyboard.up("z")
    page.keyboard.up("c")
    assert violations(page) == []
    strip.get_by_role("radio", name="off", exact=True).click()
