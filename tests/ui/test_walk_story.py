"""What somebody new to it stumbles over, walked again: choosing, sorting, picking, asking, letters."""

from __future__ import annotations

import re

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.conftest import RATE, harmonic_tone
from tests.servers import running
from tests.ui.conftest import stored

pytestmark = pytest.mark.ui

COUNT = 24


@pytest.fixture(scope="module")
def shelf(tmp_path_factory):
    """Two dozen sounds with the names of field files, one over full scale, one very short."""
    folder = tmp_path_factory.mktemp("walk")
    rng = np.random.default_rng(7)
    for number in range(COUNT):
        tone = harmonic_tone(110.0 * 2 ** (number / 12), 0.5 + 0.1 * number)
        sf.write(folder / f"GH07_{number:02d}.wav", 0.5 * tone, RATE, "PCM_24")
    sf.write(folder / "hot_wire.wav", 6.0 * harmonic_tone(220.0, 1.0), RATE, "FLOAT")
    sf.write(folder / "drop_01.wav", 0.3 * rng.standard_normal(2_400), RATE, "PCM_24")
    with running(folder / "project") as server:
        for path in sorted(folder.glob("*.wav")):
            assert server.add(path)["state"] == "done"
        server.json("POST", "/api/recordings/1/instrument", {})
        yield server


def field(page: Page, shelf) -> None:
    page.goto(f"{shelf.url}/field")
    expect(page.locator("[data-recording]").first).to_be_visible()


@pytest.mark.parametrize(
    ("query", "count"), [("GH07_0", 10), ("gh07_01", 1), ("mono", 26), ("A2", 1), ("noisy", 1)]
)
def test_underscores_and_words_of_the_measured_are_found(page, shelf, query, count):
    field(page, shelf)
    page.get_by_label("Find recordings").fill(query)
    words = f"{count} recording{'s' if count > 1 else ''} found"
    expect(page.get_by_text(words)).to_be_visible()


def test_the_ledger_says_what_is_over_and_what_is_short(page, shelf):
    field(page, shelf)
    # the newest stand first
    expect(page.locator("[data-recording]").first).to_contain_text("hot_wire")
    expect(page.locator("[data-recording]", has_text="hot_wire")).to_contain_text("over")
    short = page.locator("[data-recording]", has_text="drop_01")
    page.get_by_label("Find recordings").fill("drop")
    expect(short).to_contain_text("50 ms")
    expect(short).to_contain_text("momentary")
    # nothing lies below the page to scroll to
    height = page.evaluate("document.documentElement.scrollHeight - innerHeight")
    assert height <= 0


def test_headings_sort_and_shift_and_ctrl_pick(page, shelf):
    field(page, shelf)
    rows = page.locator("[data-recording]")
    page.get_by_role("button", name="length").click()
    expect(rows.first).to_contain_text("GH07_23")
    page.get_by_role("button", name="length").click()
    expect(rows.first).to_contain_text("drop_01")
    name = {"x": 60, "y": 12}
    rows.nth(1).click(position=name)
    rows.nth(4).click(position=name, modifiers=["Shift"])
    expect(page.get_by_text("4 picked")).to_be_visible()
    rows.nth(6).click(position=name, modifiers=["Control"])
    expect(page.get_by_text("5 picked")).to_be_visible()
    page.get_by_role("button", name="length").click()
    expect(rows.first).to_contain_text("hot_wire")


def test_keys_go_with_the_chosen_line_and_letters_are_its_commands(page, shelf):
    field(page, shelf)
    letters = page.get_by_test_id("letters")
    expect(letters).to_have_text("Letters play")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    expect(letters).to_have_text("Letters are commands")
    chosen = page.locator("[data-recording] button[aria-current=true]")
    expect(chosen).to_be_focused()
    page.keyboard.press("F2")
    expect(page.get_by_label("Name of the recording")).to_be_focused()
    page.keyboard.press("Escape")
    # a click on what is said makes them notes again
    chosen.focus()
    letters.click()
    expect(letters).to_have_text("Letters play")


@pytest.mark.parametrize("size", [(1280, 800), (1024, 700)])
def test_the_chooser_fits_scrolls_and_is_left_with_escape(page, shelf, size):
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.goto(f"{shelf.url}/instrument/1")
    page.get_by_role("button", name="Swap").first.click()
    dialog = page.get_by_role("dialog")
    search = page.get_by_role("searchbox", name="Search the shelf")
    expect(search).to_be_focused()
    for _ in range(COUNT):
        page.keyboard.press("ArrowDown")
    box, frame = page.locator("[data-chooser]").bounding_box(), dialog.bounding_box()
    assert box["y"] + box["height"] <= size[1]
    assert frame["y"] >= 0
    assert page.locator("[data-chooser]").evaluate("box => box.scrollTop") > 0
    search.fill("gh07_05")
    expect(dialog.locator("[data-pick]")).to_have_count(1)
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)
    page.get_by_role("button", name="Swap").first.click()
    search.fill("gh07_05")
    expect(dialog.locator("[data-pick]")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("GH07_05")


def test_a_step_asks_for_its_stretch_and_is_left_with_escape(page, shelf):
    page.goto(f"{shelf.url}/bench/2")
    page.get_by_role("button", name="+ Step").click()
    page.get_by_role("menuitem", name="Quieten noise").click()
    expect(page.get_by_test_id("asks")).to_be_visible()
    stored(page)
    steps = shelf.json("GET", "/api/recordings/2/bench")["document"]["steps"]
    assert [step["do"] for step in steps] == ["cut", "denoise", "normalise"]
    # it blocks nothing
    expect(page.get_by_role("button", name="Keep as material")).to_be_enabled(timeout=120_000)
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("asks")).to_have_count(0)
    expect(page.get_by_role("radio", name="After")).to_be_checked()


def test_a_crossfade_without_room_says_so_and_offers_to_make_some(page, shelf):
    page.goto(f"{shelf.url}/bench/24")
    page.get_by_role("button", name="Find loops").click()
    rule = page.locator('[role=slider][data-parameter="crossfade"]')
    rule.focus()
    page.keyboard.press("Enter")
    page.get_by_label("crossfade, typed").fill("400")
    page.keyboard.press("Enter")
    said = page.get_by_test_id("crossfade-room")
    expect(said).to_contain_text("Only 0 ms lie before the loop")
    page.get_by_role("button", name="Take from inside").click()
    expect(said).to_have_count(0)
    stored(page)
    loop = shelf.json("GET", "/api/recordings/24/bench")["document"]["steps"][-1]
    assert loop["start"] == pytest.approx(0.4, abs=0.001)


def test_a_capture_belongs_to_the_page_that_makes_it(page, shelf):
    page.goto(f"{shelf.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Capture").click()
    page.get_by_role("button", name="Open the microphone").click()
    page.get_by_role("button", name="Start in 3 seconds").click()
    expect(page.get_by_text("s safe")).to_contain_text(
        re.compile(r"[1-9]\.\d s safe"), timeout=60_000
    )
    other = page.context.new_page()
    other.goto(f"{shelf.url}/field")
    other.get_by_role("button", name="Add recordings").click()
    other.get_by_role("menuitem", name="Capture").click()
    left = other.get_by_label("Captures that were cut short")
    expect(left).to_contain_text("running in another window")
    expect(left.get_by_role("button", name="Throw away")).to_have_count(0)
    page.close()
    expect(left.get_by_role("button", name="Throw away")).to_be_visible()
    other.close()


def test_a_movement_that_finds_no_control_asks_what_it_should_move(page, shelf):
    made = shelf.json("POST", "/api/recordings/3/instrument", {})
    shelf.json(
        "POST", f"/api/instruments/{made['id']}/movement",
        {"action": {"revision": 0, "do": "add modulator", "kind": "lfo", "name": "Slow tide"}},
    )  # fmt: skip
    shelf.json(
        "POST", f"/api/instruments/{made['id']}/movement",
        {"action": {"revision": 1, "do": "route", "source": "m:m3", "target": "l1",
                                   "parameter": "position"}},
    )  # fmt: skip
    kept = shelf.json("POST", "/api/movements", {"instrument": made["id"], "modulator": "m3"})
    # an instrument of noise has no position
    noise = shelf.json("POST", "/api/recordings/4/instrument", {})
    action = {"revision": 0, "do": "add", "kind": "noise", "recording": None, "shape": "pink"}
    shelf.json("POST", f"/api/instruments/{noise['id']}/layers", {"action": action})
    shelf.json(
        "POST", f"/api/instruments/{noise['id']}/layers",
        {"action": {"revision": 1, "do": "remove", "layer": 0}},
    )  # fmt: skip
    page.goto(f"{shelf.url}/instrument/{noise['id']}")
    page.get_by_role("radio", name="routes").click()
    page.get_by_role("button", name="+ Modulator").click()
    page.get_by_role("menuitem", name=re.compile(kept["name"])).click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("position")
    dialog.get_by_role("button", name=re.compile("·")).first.click()
    expect(dialog).to_have_count(0)
    routes = shelf.json("GET", f"/api/instruments/{noise['id']}")["document"]["routes"]
    assert routes[-1]["source"] == "m:m3"


def test_what_is_prepared_leaves_as_a_file_and_several_as_a_zip(page, shelf):
    field(page, shelf)
    rows = page.locator("[data-recording]")
    rows.nth(0).click(position={"x": 60, "y": 12}, modifiers=["Control"])
    rows.nth(1).click(position={"x": 60, "y": 12}, modifiers=["Control"])
    page.get_by_role("button", name="Export", exact=True).click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Names").fill("{tempo}")
    dialog.get_by_role("button", name="Export").click()
    expect(dialog.get_by_role("alert")).to_contain_text("no {tempo}")
    dialog.get_by_label("Names").fill("{number}_{name}")
    dialog.get_by_role("radio", name="WAV float").click()
    with page.expect_download(timeout=120_000) as zipped:
        dialog.get_by_role("button", name="Export").click()
    assert zipped.value.suggested_filename == "2 sounds.zip"
    page.keyboard.press("Escape")
    page.goto(f"{shelf.url}/bench/5")
    expect(page.get_by_role("button", name="Keep as material")).to_be_enabled(timeout=120_000)
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Out as a file").click()
    dialog.get_by_role("radio", name="FLAC").click()
    dialog.get_by_label("Names").fill("{name} prepared")
    with page.expect_download(timeout=120_000) as made:
        dialog.get_by_role("button", name="Export").click()
    assert made.value.suggested_filename == "GH07_04 prepared.flac"
