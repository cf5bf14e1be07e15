"""Many sounds at once in Field, and what goes round between Field and Instrument."""

from __future__ import annotations

import re

import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.conftest import RATE, harmonic_tone
from tests.servers import running
from tests.ui.conftest import stored
from tests.ui.test_access import violations

pytestmark = pytest.mark.ui

COUNT = 25


@pytest.fixture(scope="module")
def shelf(tmp_path_factory):
    folder = tmp_path_factory.mktemp("many")
    for number in range(COUNT):
        tone = harmonic_tone(110.0 * 2 ** (number / 12), 0.6 + 0.02 * number)
        sf.write(folder / f"pane_{number:02d}.wav", 0.5 * tone, RATE, "PCM_24")
    with running(folder / "project") as server:
        for path in sorted(folder.glob("*.wav")):
            assert server.add(path)["state"] == "done"
        yield server


def field(page: Page, shelf) -> None:
    page.goto(f"{shelf.url}/field")
    expect(page.locator("[data-recording]").first).to_be_visible()


def pick(page: Page, *names: str) -> None:
    for name in names:
        page.get_by_label(f"Pick {name}", exact=True).click()


def menu(page: Page, word: str, choice: str) -> None:
    page.get_by_role("button", name=word, exact=True).click()
    page.get_by_role("menuitem", name=choice).click()


def test_25_recordings_become_one_instrument_that_picks_at_random(page, shelf):
    """From the shelf to the instrument in three actions: all, Grow, at random."""
    field(page, shelf)
    page.get_by_label("Pick all").click()
    menu(page, "Grow", "One at random for every note")
    expect(page).to_have_url(re.compile("/instrument/"))
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("25 sounds")
    number = page.url.rsplit("/", 1)[1]
    (layer,) = shelf.json("GET", f"/api/instruments/{number}")["document"]["layers"]
    assert len(layer["sounds"]) == COUNT
    assert layer["settings"]["choose"] == "chance"


@pytest.mark.parametrize("light", ["light", "dark"])
def test_names_are_seen_before_they_are_given_and_taken_back(browser, shelf, light):
    context = browser.new_context(viewport={"width": 1024, "height": 700}, color_scheme=light)
    page = context.new_page()
    field(page, shelf)
    pick(page, "pane_24", "pane_23")
    menu(page, "Change", "Names by a template")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Names", exact=True).fill("North pane {number}")
    expect(dialog.get_by_label("What they will be called")).to_contain_text("North pane 002")
    assert violations(page) == []
    dialog.get_by_role("button", name="Rename").click()
    expect(page.locator("[data-recording]").first).to_contain_text("North pane 001")
    page.get_by_role("button", name="Undo", exact=True).last.click()
    expect(page.locator("[data-recording]").first).to_contain_text("pane_24")
    context.close()


def test_credits_are_said_of_all_at_once(page, shelf):
    field(page, shelf)
    pick(page, "pane_22", "pane_21")
    menu(page, "Change", "Collection, place and credits")
    page.get_by_role("dialog").get_by_label("Place").fill("Palm house")
    assert violations(page) == []
    page.get_by_role("button", name="Say it of all").click()
    expect(page.get_by_text("2 sounds described anew")).to_be_visible()
    found = shelf.json("GET", "/api/recordings/found?place=Palm%20house")["ids"]
    assert len(found) == 2


def test_sounds_go_into_a_layer_of_an_instrument(page, shelf):
    grown = shelf.json("POST", "/api/recordings/1/instrument", {})
    field(page, shelf)
    pick(page, "pane_20", "pane_19", "pane_18")
    menu(page, "Grow", "Add to a layer")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Find an instrument").fill("pane_00")
    dialog.get_by_label("Instruments").get_by_role("button").first.click()
    assert violations(page) == []
    dialog.get_by_label("Layers").get_by_role("button").first.click()
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("4 sounds")
    document = shelf.json("GET", f"/api/instruments/{grown['id']}")["document"]
    assert [one["name"] for one in document["layers"][0]["sounds"]][1:] == ["pane_20", "pane_19", "pane_18"]  # fmt: skip


def test_a_recipe_is_used_on_all_and_each_is_kept(page, shelf):
    before = len(shelf.json("GET", "/api/recordings")["recordings"])
    field(page, shelf)
    pick(page, "pane_17", "pane_16")
    menu(page, "Change", "Use a recipe and keep each")
    page.get_by_role("searchbox", name="Search the shelf").fill("pane_01")
    page.locator("[data-pick=pane_01]").click()
    expect(page.locator("[data-recording]", has_text="pane_17, material")).to_be_visible()
    expect(page.locator("[data-recording]", has_text="pane_16, material")).to_be_visible()
    assert len(shelf.json("GET", "/api/recordings")["recordings"]) == before + 2


def test_more_like_this_says_how_and_why_and_begins_at_the_top(page, shelf):
    field(page, shelf)
    page.get_by_label("Find recordings").fill("pane_05")
    row = page.locator("[data-recording]", has_text="pane_05")
    row.get_by_role("button", name="pane_05", exact=True).click()
    page.get_by_label("Find recordings").fill("")
    page.get_by_role("button", name="More like this one").click()
    rows = page.locator("[data-recording]")
    expect(rows.first).to_contain_text("pane_05")
    expect(rows.nth(1)).to_contain_text(re.compile(r"\d+ % as bright, as noisy"))
    assert page.locator("[data-ledger]").evaluate("one => one.scrollTop") == 0


def test_loops_are_found_and_begun_with_in_the_layer(page, shelf):
    grown = shelf.json("POST", "/api/recordings/1/instrument", {})
    action = {"do": "add", "kind": "loop", "recording": 1, "revision": grown["revision"]}
    shelf.json("POST", f"/api/instruments/{grown['id']}/layers", {"action": action})
    page.goto(f"{shelf.url}/instrument/{grown['id']}")
    page.get_by_test_id("layer").nth(1).get_by_role("button", name="pane_00").click()
    page.get_by_role("button", name="Find loops").click()
    page.locator("[data-loop='0'] button").first.click()
    expect(page.locator("[data-loop='0'] button").first).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Start with the loop").click()
    expect(page.get_by_role("button", name="Starts with the loop")).to_be_disabled()
    stored(page)
    set_ = shelf.json("GET", f"/api/instruments/{grown['id']}")["document"]["layers"][1]["settings"]
    assert set_["start"] == pytest.approx(set_["loop_start"], abs=0.01)
    assert violations(page) == []


def test_a_note_is_printed_into_a_layer_in_two_clicks(page, shelf):
    grown = shelf.json("POST", "/api/recordings/3/instrument", {})
    page.goto(f"{shelf.url}/instrument/{grown['id']}")
    menu(page, "More", "Print a note as a layer")
    expect(page.get_by_test_id("layer")).to_have_count(2, timeout=120_000)
    layer = shelf.json("GET", f"/api/instruments/{grown['id']}")["document"]["layers"][1]
    # a loop was found in what is held, so that the note can be held as long as one likes
    assert (layer["kind"], layer["settings"]["loop"]) == ("loop", "forward")


def test_all_sounds_are_swapped_and_an_envelope_moves_another_layer(page, shelf):
    grown = shelf.json("POST", "/api/recordings/4/instrument", {})
    action = {"do": "add", "kind": "wave", "revision": grown["revision"]}
    shelf.json("POST", f"/api/instruments/{grown['id']}/layers", {"action": action})
    page.goto(f"{shelf.url}/instrument/{grown['id']}")
    menu(page, "More", "Swap all sounds")
    page.get_by_role("searchbox", name="Search the shelf").fill("pane_09")
    page.locator("[data-pick=pane_09]").click()
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("pane_09")
    page.locator("[data-parameter=position]").focus()
    page.keyboard.press("Shift+Enter")
    page.get_by_role("button", name="A source that is to move it").click()
    page.get_by_role("searchbox", name="Search what moves").fill("wave envelope")
    page.keyboard.press("Enter")
    stored(page)
    document = shelf.json("GET", f"/api/instruments/{grown['id']}")["document"]
    assert document["routes"][-1]["source"] == f"envelope:{document['layers'][1]['id']}"


def test_an_equaliser_shows_what_it_does_and_clicks_and_clipping_are_mended(page, shelf):
    page.goto(f"{shelf.url}/bench/2")
    for name in ("Repair clipping", "Remove clicks", "Equalise"):
        page.get_by_role("button", name="+ Step").click()
        page.get_by_role("menuitem", name=name).click()
    curve = page.get_by_role("img", name="Gain by frequency").locator("polyline")
    flat = curve.get_attribute("points")
    page.locator("[data-parameter=gain_2]").focus()
    page.keyboard.press("PageUp")
    expect(curve).not_to_have_attribute("points", flat)
    assert violations(page) == []
    stored(page)
    steps = shelf.json("GET", "/api/recordings/2/bench")["document"]["steps"]
    # mended first, then coloured, and the level set on what came out
    assert [one["do"] for one in steps] == ["cut", "declip", "declick", "equaliser", "normalise"]
    page.get_by_role("button", name="5 Normalise").click()
    expect(page.get_by_role("button", name="4 Equalise +4.8 dB at 1 kHz")).to_be_visible()
    expect(page.get_by_role("button", name="Keep as material")).to_be_enabled(timeout=120_000)


@pytest.mark.parametrize("light", ["light", "dark"])
def test_instruments_are_found_by_tag_seen_and_opened(browser, shelf, light):
    made = shelf.json("POST", "/api/recordings/5/instrument", {})
    context = browser.new_context(viewport={"width": 1024, "height": 700}, color_scheme=light)
    page = context.new_page()
    page.goto(f"{shelf.url}/instrument/{made['id']}")
    page.get_by_role("button", name="Instruments", exact=True).click()
    card = page.locator(f"[data-instrument='{made['id']}']")
    expect(card).to_be_visible()
    page.get_by_label("Add a tag to the instrument").fill(f"glassy {light}")
    page.keyboard.press("Enter")
    page.get_by_label("Collection of the instrument").fill("Palm house")
    page.keyboard.press("Tab")
    expect(page.get_by_role("radio", name="Palm house")).to_be_visible()
    expect(card.locator("canvas")).to_be_visible(timeout=120_000)
    assert violations(page) == []
    page.get_by_label("Find an instrument").fill(f"glassy {light}")
    expect(page.locator("[data-instrument]")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page).to_have_url(re.compile(f"/instrument/{made['id']}$"))
    context.close()


def test_a_folder_becomes_a_collection(page, shelf, tmp_path):
    folder = tmp_path / "North pool"
    folder.mkdir()
    sf.write(folder / "drip.wav", 0.3 * harmonic_tone(990.0, 0.3), RATE, "PCM_24")
    field(page, shelf)
    page.get_by_label("Folder to add").set_input_files(folder)
    row = page.locator("[data-recording]", has_text="drip")
    expect(row).to_be_visible()
    row.get_by_role("button", name="drip", exact=True).click()
    expect(page.get_by_label("Collection", exact=True)).to_have_value("North pool")
    page.get_by_role("button", name="Filter and sort").click()
    page.locator("#f-collection").select_option("North pool")
    expect(page.locator("[data-recording]")).to_have_count(1)
