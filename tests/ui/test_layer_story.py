"""Building an instrument of four layers in a browser, playing it, and finding it again."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_story import level_db, parameter, sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def built(full_server) -> Server:
    """A server with an instrument of its own, so that other stories find theirs as it was."""
    first = full_server.json("GET", "/api/recordings")["recordings"][0]
    made = full_server.json("POST", f"/api/recordings/{first['id']}/instrument", {})
    full_server.layered = made["id"]
    return full_server


def opened(page: Page, server) -> None:
    page.goto(f"{server.url}/instrument/{server.layered}")
    expect(page.get_by_test_id("layer").first).to_be_visible()


def document(server) -> dict:
    return server.json("GET", f"/api/instruments/{server.layered}")["document"]


def face(page: Page, name: str) -> None:
    page.get_by_role("radio", name=name, exact=True).click()


def choose(page: Page, id_: str, word: str) -> None:
    page.locator(f'[data-parameter="{id_}"]').get_by_role("radio", name=word, exact=True).click()


def add(page: Page, kind: str) -> None:
    page.get_by_role("button", name="+ Layer").click()
    page.get_by_role("dialog").get_by_role("radio", name=kind, exact=True).click()


def test_four_layers_from_two_recordings(page, built):
    opened(page, built)
    layers = page.get_by_test_id("layer")
    add(page, "loop")
    page.get_by_role("searchbox", name="Search the shelf").fill("high")
    page.locator('[data-pick="high wire"]').click()
    expect(layers).to_have_count(2)
    add(page, "tuned wave")
    page.get_by_role("dialog").get_by_role("radio", name="\u22121", exact=True).click()
    page.get_by_role("button", name="Add", exact=True).click()
    expect(layers).to_have_count(3)
    expect(layers.nth(2)).to_contain_text("Sine under")
    add(page, "wave")
    page.get_by_role("dialog").get_by_role("radio", name="saw", exact=True).click()
    page.get_by_role("button", name="Add", exact=True).click()
    expect(layers).to_have_count(4)
    kinds = [layer["kind"] for layer in document(built)["layers"]]
    assert kinds == ["cloud", "loop", "wave", "wave"]
    assert document(built)["layers"][2]["settings"]["octave"] == -1


def test_a_chain_and_mono_legato_are_set_and_kept(page, built):
    opened(page, built)
    page.get_by_test_id("layer").nth(3).click()
    face(page, "sound")
    choose(page, "link", "phase")
    parameter(page, "link_amount").focus()
    page.keyboard.press("Home")
    page.keyboard.press("PageUp")
    page.keyboard.press("PageUp")
    page.get_by_test_id("layer").nth(2).click()
    choose(page, "loudness_hold", "on")
    face(page, "whole")
    choose(page, "mode", "legato")
    choose(page, "glide", "by time")
    page.get_by_label("Voices a note").get_by_role("radio", name="2", exact=True).click()
    expect(page.get_by_text("24 voices leave 12 notes at once.")).to_be_visible()
    stored(page)
    page.reload()
    kept = document(built)
    assert kept["layers"][3]["settings"]["link"] == "phase"
    assert 0 < kept["layers"][3]["settings"]["link_amount"] < 1
    assert kept["layers"][2]["settings"]["loudness_hold"] == "on"
    assert (kept["settings"]["mode"], kept["settings"]["glide"]) == ("legato", "by time")
    assert len(kept["stack"]) == 2
    expect(page.get_by_test_id("layer").nth(3)).to_contain_text("moves Sine under")


def test_it_sounds_and_one_voice_takes_over_from_the_other(page, built):
    opened(page, built)
    sound_on(page)
    page.keyboard.down("KeyZ")
    wait_for_level(page, -50)
    page.keyboard.down("KeyB")
    page.wait_for_timeout(600)
    # two members of one note: legato never sounds two
    expect(page.get_by_text("of which 2 sound now")).to_be_visible()
    page.keyboard.up("KeyB")
    page.keyboard.up("KeyZ")
    assert level_db(page) > -60


def test_solo_mute_order_duplicate_remove_and_undo(page, built):
    opened(page, built)
    layers = page.get_by_test_id("layer")
    layers.nth(1).click()
    layers.nth(1).get_by_role("button", name="Mute").click()
    expect(layers.nth(1).get_by_role("button", name="Mute")).to_have_attribute(
        "aria-pressed", "true"
    )
    layers.nth(1).get_by_role("button", name="Duplicate").click()
    expect(layers).to_have_count(5)
    layers.nth(1).get_by_role("button", name="Remove").click()
    expect(layers).to_have_count(4)
    page.get_by_role("button", name="Undo").click()
    expect(layers).to_have_count(5)
    page.get_by_role("button", name="Undo").click()
    expect(layers).to_have_count(4)
    page.get_by_role("button", name="Undo").click()
    stored(page)
    assert document(built)["layers"][1]["settings"]["mute"] == "off"


def test_a_keyboard_stand_in_learns_a_controller_and_plays_a_gesture(page, built):
    opened(page, built)
    sound_on(page)
    page.get_by_test_id("layer").nth(0).click()
    face(page, "touch")
    page.get_by_role("button", name="Change").click()
    page.get_by_role("button", name="Learn").first.click()
    # there is no keyboard here: it says what may be used instead
    expect(page.get_by_test_id("notice")).to_contain_text("stand-in")
    page.get_by_role("radio", name="Keyboard").click()
    page.get_by_label("wheel").fill("90")
    expect(page.get_by_role("slider", name="Route controller 1 to")).to_be_visible()
    stored(page)
    sources = [route["source"] for route in document(built)["routes"]]
    assert "controller:1" in sources
    page.get_by_role("button", name="Rising slide").click()
    lit = page.locator('[data-testid=keyboard] button[style*="--petal"]')
    expect(lit.first).to_be_visible(timeout=60_000)
    expect(page.get_by_role("button", name="Rising slide")).to_be_visible(timeout=60_000)


def test_ranges_are_dragged_on_the_picture_and_typed_as_notes(page, built):
    opened(page, built)
    page.get_by_role("button", name="Key and velocity ranges").click()
    box = page.get_by_test_id("ranges").bounding_box()
    page.get_by_test_id("layer").nth(0).click()
    edge = box["x"] + box["width"] - 3
    page.mouse.move(edge, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=6)
    page.keyboard.press("Escape")
    page.mouse.up()
    page.mouse.move(edge, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 72.5 / 128, box["y"] + box["height"] / 2, steps=6)
    page.mouse.up()
    stored(page)
    highs = [layer["settings"]["key_high"] for layer in document(built)["layers"]]
    assert sorted(highs)[0] in (71, 72)
    face(page, "touch")
    expect(parameter(page, "key_low")).to_have_attribute("aria-valuetext", "C\u22121")


def test_many_sounds_are_added_and_spread(page, built):
    opened(page, built)
    face(page, "sound")
    page.get_by_role("button", name="+ Sound").click()
    page.locator('[data-pick="high wire"]').click()
    sounds = page.get_by_role("region", name="Sounds")
    expect(sounds).to_contain_text("2 sounds")
    sounds.get_by_role("button", name="by key").click()
    expect(sounds).to_contain_text("C\u22121 to D♯4")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    expect(sounds).not_to_contain_text("2 sounds")


def test_variants_are_heard_and_one_is_kept(page, built):
    opened(page, built)
    sound_on(page)
    before = document(built)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Variants").click()
    sheet = page.get_by_test_id("variants")
    expect(sheet.get_by_role("button")).to_have_count(9)
    page.keyboard.press("2")
    expect(sheet.get_by_role("button", name="Variant 2")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("[role=meter]")).not_to_have_attribute("aria-valuetext", "silent")
    page.get_by_role("button", name="Close").click()
    assert document(built) == before
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Variants").click()
    sheet.get_by_role("button", name="Variant 3").click()
    page.get_by_role("button", name="Keep variant 3").click()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "title", "Undo Keep a variant (Ctrl Z)"
    )
    assert document(built)["layers"] != before["layers"]


def test_a_portrait_shows_every_key(page, built):
    opened(page, built)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Portrait").click()
    portrait = page.get_by_test_id("portrait")
    expect(portrait).to_be_visible(timeout=180_000)
    expect(portrait.get_by_role("button")).to_have_count(88)
    portrait.get_by_role("button").nth(39).hover()
    expect(portrait).to_contain_text("C4:")


def test_a_scala_scale_is_opened(page, built):
    opened(page, built)
    face(page, "whole")
    scale = {"name": "five.scl", "mimeType": "text/plain",
             "buffer": b"five even steps\n5\n240.\n480.\n720.\n960.\n2/1\n"}  # fmt: skip
    page.get_by_test_id("scala").set_input_files(scale)
    expect(page.get_by_text("five even steps")).to_be_visible()
    page.get_by_role("button", name="Equal", exact=True).click()
    expect(page.get_by_text("equal temperament")).to_be_visible()
