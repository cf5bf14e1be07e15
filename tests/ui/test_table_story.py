"""Wavetables in a browser: taken from a recording, built, drawn, scrubbed, played, written, read."""

from __future__ import annotations

import json

import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_story import parameter, sound_on

pytestmark = pytest.mark.ui


def table_of(page: Page, server: Server) -> dict:
    """The wavetable on the bench, as the server has it."""
    page.wait_for_url("**/bench/*")
    number = int(page.url.rsplit("/", 1)[1])
    return server.json("GET", f"/api/recordings/{number}/table")


def frames_shown(page: Page, count: int) -> None:
    expect(page.get_by_role("heading", level=1).locator("xpath=following-sibling::span[1]")).to_contain_text(f"{count} frames", timeout=120_000)  # fmt: skip


def opened(page: Page, server: Server, name: str) -> None:
    row = next(
        one for one in server.json("GET", "/api/recordings")["recordings"] if one["name"] == name
    )
    page.goto(f"{server.url}/bench/{row['id']}")
    page.get_by_test_id("table-map").wait_for(timeout=120_000)


def test_a_recording_becomes_a_table_and_its_frames_are_chosen(page, full_server):
    page.goto(f"{full_server.url}/field")
    page.get_by_role("button", name="low wire", exact=True).first.click()
    page.get_by_role("button", name="Take a wavetable from it").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("radio", name="frames along it")).to_be_checked()
    dialog.get_by_role("button", name="Make the wavetable").click()
    page.get_by_test_id("table-map").wait_for(timeout=120_000)
    frames_shown(page, 64)
    expect(page.get_by_label("Wavetable", exact=True)).to_contain_text("retraces within")
    rule = parameter(page, "frames")
    rule.focus()
    page.keyboard.press("Home")
    frames_shown(page, 2)
    page.get_by_role("button", name="Undo", exact=True).click()
    frames_shown(page, 64)
    page.get_by_role("radio", name="hand", exact=True).click()
    page.get_by_role("button", name="Begin with one").click()
    expect(page.get_by_label("Wavetable", exact=True)).to_contain_text("1 frame by its own cycles")
    taken = page.get_by_test_id("taken-from").bounding_box()
    for share in (0.2, 0.7):
        page.mouse.click(taken["x"] + share * taken["width"], taken["y"] + 20)
    frames_shown(page, 3)
    assert len(table_of(page, full_server)["document"]["source"]["places"]) == 3
    page.get_by_role("radio", name="time", exact=True).click()
    frames_shown(page, 64)


def test_the_table_sounds_from_the_strip_and_is_scrubbed(page, full_server):
    opened(page, full_server, "low wire, wavetable")
    sound_on(page)
    strip = page.get_by_label("Play strip").bounding_box()
    expect(page.get_by_label("Play strip")).to_contain_text("low wire, wavetable")
    x = strip["x"] + 0.4 * strip["width"]
    page.mouse.move(x, strip["y"] + 0.8 * strip["height"])
    page.mouse.down()
    needle = page.get_by_test_id("voice")
    expect(needle).to_have_count(1, timeout=60_000)
    before = needle.bounding_box()["x"]
    page.mouse.move(x, strip["y"] + 0.25 * strip["height"], steps=4)
    page.wait_for_timeout(600)
    assert needle.bounding_box()["x"] > before + 50
    page.mouse.up()
    table = page.get_by_role("slider", name="Position in the table")
    table.focus()
    page.keyboard.press("End")
    expect(table).to_have_attribute("aria-valuetext", "frame 64 of 64")
    expect(page.get_by_label("Wavetable", exact=True)).to_contain_text("frame 64 of 64")
    page.get_by_role("button", name="Hear the table swept").click()
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    page.get_by_role("button", name="Stop", exact=True).click()


def test_frames_are_edited_and_harmonics_drawn(page, full_server):
    opened(page, full_server, "low wire, wavetable")
    page.get_by_role("button", name="+ Edit").click()
    page.get_by_role("menuitem", name="Reverse").click()
    expect(page.locator("[data-edit=arrange]")).to_be_visible()
    page.get_by_role("button", name="+ Edit").click()
    page.get_by_role("menuitem", name="tilt").click()
    parameter(page, "db_per_octave").focus()
    page.keyboard.press("End")
    ledger = page.get_by_test_id("harmonics").bounding_box()
    page.mouse.move(ledger["x"] + 0.8 * ledger["width"], ledger["y"] + 10)
    page.mouse.down()
    page.mouse.move(ledger["x"] + 0.9 * ledger["width"], ledger["y"] + 30, steps=3)
    page.mouse.up()
    expect(page.locator("[data-edit=draw]")).to_contain_text("drawn in frame 1")
    stored(page)
    steps = table_of(page, full_server)["document"]["steps"]
    assert [one["do"] for one in steps] == ["arrange", "tilt", "draw"]
    assert steps[1]["db_per_octave"] == 24
    for _ in range(4):
        page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("Nothing is done to the frames yet.")).to_be_visible()


def test_waves_are_stacked_into_a_table_that_says_when_it_is_silent(page, full_server):
    page.goto(f"{full_server.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Build a wavetable from waves").click()
    page.get_by_test_id("table-map").wait_for(timeout=120_000)
    page.get_by_role("button", name="+ Wave", exact=True).click()
    expect(page.locator("[data-operator=o3]")).to_contain_text("moves A")
    page.get_by_label("Where it goes").select_option(label="to be heard")
    expect(page.locator("[data-operator=o3]")).to_contain_text("heard")
    page.get_by_role("button", name="Remove", exact=True).first.click()
    page.locator("[data-operator=o1]").click()
    for at in ("start", "end"):
        parameter(page, at).focus()
        page.keyboard.press("Home")
    expect(page.get_by_role("alert")).to_contain_text("Nothing would be heard")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_table_is_written_read_again_and_grown_into_an_instrument(page, full_server, tmp_path):
    opened(page, full_server, "Built wavetable")
    page.get_by_role("button", name="File", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="Save as WAV").click()
    written = tmp_path / download.value.suggested_filename
    assert written.name == "Built wavetable 2048.wav"
    download.value.save_as(written)
    samples, rate = sf.read(written)
    # another sound, so that it is no copy of what the shelf has
    sf.write(tmp_path / "from-afar-2048.wav", 0.5 * samples, rate, subtype="FLOAT")
    page.get_by_role("button", name="File", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="Save the recipe").click()
    recipe = json.loads(download.value.path().read_text())
    assert recipe["format"] == "inner-bloom/wavetable"
    full_server.add(tmp_path / "from-afar-2048.wav")
    page.goto(f"{full_server.url}/field")
    page.get_by_role("button", name="from-afar-2048").first.click()
    page.get_by_role("button", name="Take a wavetable from it").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("radio", name="frames end to end")).to_be_checked()
    expect(dialog).to_contain_text("64 frames of 2048 samples: its name says so")
    dialog.get_by_role("button", name="Make the wavetable").click()
    page.get_by_test_id("table-map").wait_for(timeout=120_000)
    frames_shown(page, 64)
    assert table_of(page, full_server)["document"]["source"]["kind"] == "cycles"
    page.get_by_role("button", name="Grow an instrument from it").click()
    page.wait_for_url("**/instrument/*")
    expect(page.get_by_test_id("stratum").get_by_test_id("table-map")).to_be_visible()
