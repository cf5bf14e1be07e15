"""The whole story in a browser: from an empty shelf to a kept sound."""

from __future__ import annotations

import base64
import io
import re
import time

import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.conftest import RATE, harmonic_tone
from tests.ui.conftest import stored

pytestmark = pytest.mark.ui


def parameter(page: Page, name: str):
    return page.locator(f'[role=slider][data-parameter="{name}"]')


def value(page: Page, name: str) -> float:
    return float(parameter(page, name).get_attribute("aria-valuenow"))


def sound_on(page: Page) -> None:
    """Sound has to be started by a real click."""
    page.get_by_role("button", name="Sound off").click()
    expect(page.get_by_role("button", name="Sound on", exact=True)).to_be_visible(timeout=60_000)


def level_db(page: Page) -> float:
    return float(page.get_by_role("meter").get_attribute("aria-valuenow"))


def wait_for_level(page: Page, above: float) -> None:
    until = time.monotonic() + 40
    while level_db(page) <= above:
        assert time.monotonic() < until, f"no sound above {above} dB"
        page.wait_for_timeout(50)


def open_instrument(page: Page, full_server, number: int = 1) -> None:
    page.goto(f"{full_server.url}/instrument/{number}")
    expect(parameter(page, "position")).to_be_visible()


def test_an_empty_shelf_says_what_to_do(page, server):
    page.goto(server.url)
    expect(page.get_by_text("The shelf is empty.")).to_be_visible()
    expect(page.get_by_text("Grow an instrument in Field")).to_be_visible()
    page.get_by_role("link", name="Instrument").click()
    expect(page.get_by_text("There is no instrument yet.")).to_be_visible()


def test_files_come_in_and_a_bad_one_is_said(page, server, sounds):
    page.goto(f"{server.url}/field")
    names = ["low wire.wav", "list.wav", "high wire.wav"]
    page.get_by_test_id("files").set_input_files([sounds / name for name in names])
    expect(page.locator("[data-recording]")).to_have_count(2, timeout=120_000)
    report = page.get_by_role("status", name="Report of the import")
    expect(report).to_contain_text("2 of 3 in, 1 refused")
    expect(report).to_contain_text("'list.wav' is text, not sound.")
    row = page.locator("[data-recording]", has_text="low wire")
    expect(row).to_contain_text("A2")
    expect(row).to_contain_text("48 kHz, mono")
    expect(row).to_contain_text("40.0 s")
    page.get_by_test_id("files").set_input_files([sounds / "low wire.wav"])
    expect(report).to_contain_text("2 of 4 in, 1 known already, 1 refused")
    expect(report).to_contain_text("already on the shelf")
    # it stays until it is dismissed, and then makes room for the next
    report.get_by_role("button", name="Dismiss").click()
    expect(report).to_have_count(0)


def test_search_rename_delete_and_undo(page, server):
    page.goto(f"{server.url}/field")
    rows = page.locator("[data-recording]")
    expect(rows).to_have_count(2)
    page.keyboard.press("/")
    page.keyboard.type("high")
    expect(rows).to_have_count(1)
    page.get_by_role("searchbox").fill("zebra")
    expect(page.get_by_text("Nothing on the shelf matches")).to_be_visible()
    page.get_by_role("button", name="Show all recordings").click()
    expect(rows).to_have_count(2)
    rows.filter(has_text="high wire").click()
    page.get_by_role("heading", name="high wire").get_by_role("button").click()
    page.get_by_label("Name of the recording").fill("Wire, plucked")
    page.keyboard.press("Enter")
    # its file's own name is still said
    expect(rows.filter(has_text="Wire, plucked")).to_contain_text("high wire.wav")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("heading", name="high wire")).to_be_visible()
    page.get_by_role("button", name="Delete").click()
    expect(rows).to_have_count(1)
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(2)


def test_listening_starts_with_one_click_at_that_point(page, server):
    page.goto(f"{server.url}/field")
    wave = page.get_by_label("Listen to low wire from here")
    box = wave.bounding_box()
    wave.click(position={"x": box["width"] * 0.25, "y": 20})
    wait_for_level(page, -40)
    head = page.locator("[data-recording]", has_text="low wire").locator("i.absolute")
    expect(head).to_be_visible()
    assert 25 <= float(re.search(r"left: ([\d.]+)%", head.get_attribute("style"))[1]) < 95
    page.get_by_role("button", name="Stop listening").click()
    expect(head).to_have_count(0)


def test_one_action_grows_an_instrument_that_sounds_at_its_root(page, server):
    page.goto(f"{server.url}/field")
    page.locator("[data-recording]", has_text="low wire").click()
    page.get_by_role("button", name="Grow an instrument from it").click()
    expect(page).to_have_url(re.compile(r"/instrument/\d+$"))
    expect(page.get_by_role("button", name="A2", exact=True)).to_be_visible()
    expect(page.get_by_text("1 layer, 24 voices, of which 0 sound now")).to_be_visible()


def test_playing_with_keys_surface_and_keyboard_stand_in(page, full_server):
    open_instrument(page, full_server)
    page.keyboard.down("z")
    wait_for_level(page, -40)
    page.keyboard.down("c")
    page.keyboard.down("b")
    expect(page.get_by_text("of which 3 sound now")).to_be_visible(timeout=60_000)
    for key in "zcb":
        page.keyboard.up(key)
    expect(page.get_by_text("of which 0 sound now")).to_be_visible(timeout=60_000)
    surface = page.get_by_test_id("surface").bounding_box()
    page.mouse.move(surface["x"] + 300, surface["y"] + 60)
    page.mouse.down()
    page.mouse.move(surface["x"] + 420, surface["y"] + 20, steps=12)
    expect(page.get_by_text("of which 1 sound now")).to_be_visible(timeout=60_000)
    page.mouse.up()
    page.get_by_role("radio", name="Keyboard").click()
    key = page.get_by_test_id("keyboard").get_by_label("C4", exact=True).bounding_box()
    page.mouse.move(key["x"] + 6, key["y"] + key["height"] - 6)
    page.mouse.down()
    wait_for_level(page, -40)
    page.mouse.up()


def test_hold_keeps_notes_and_panic_silences(page, full_server):
    open_instrument(page, full_server)
    sound_on(page)
    page.get_by_role("button", name="Hold").click()
    page.keyboard.press("z", delay=150)
    page.wait_for_timeout(2_500)
    expect(page.get_by_text("of which 1 sound now")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_text("of which 0 sound now")).to_be_visible()
    expect(page.get_by_role("button", name="Hold")).to_have_attribute("aria-pressed", "false")


COUNT_LOOKS = """
window.looks = 0;
const Real = window.Worker;
window.Worker = class extends Real {
  constructor(...args) {
    super(...args);
    this.addEventListener("message", ({ data }) => {
      if (data.answer && data.answer.is === "look") window.looks += 1;
    });
  }
};
const Context = window.AudioContext;
window.AudioContext = class extends Context {
  constructor(...args) {
    super(...args);
    window.heard = this;
  }
};
"""
AHEAD = 0.5  # seconds: more than is ever sent ahead of what has been played


def looks_and_time(page: Page, above: int = 0) -> tuple[int, float]:
    """Looks so far and seconds played, once there are more looks than a number.

    Asked for again and again: the page's security policy lets no string wait inside it.
    """
    until = time.monotonic() + 60
    while True:
        looks, played = page.evaluate("[window.looks, window.heard.currentTime]")
        if looks > above:
            return looks, played
        assert time.monotonic() < until, f"only {looks} looks came"
        page.wait_for_timeout(50)


def test_real_blocks_reach_the_worklet_as_they_are_played(page, full_server):
    """The engine renders a block only for each one the worklet has played, and looks every six.

    So looks go on for as long as sound is on, and are never ahead of the device's own clock,
    however slow the machine is.
    """
    page.add_init_script(COUNT_LOOKS)
    open_instrument(page, full_server)
    sound_on(page)
    page.keyboard.down("z")
    looks, played = looks_and_time(page, 10)
    now_looks, now_played = looks_and_time(page, looks + 100)
    assert 6 * (now_looks - looks) * 256 / 48_000 < now_played - played + AHEAD
    page.keyboard.up("z")


def test_a_rule_is_dragged_typed_stepped_and_taken_back(page, full_server):
    open_instrument(page, full_server)
    rule = parameter(page, "size")
    box = rule.bounding_box()
    before = value(page, "size")
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + 9, steps=3)
    assert value(page, "size") > 2 * before
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(rule).to_have_attribute("aria-valuenow", f"{before:g}")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + 9, steps=6)
    page.mouse.up()
    dragged = value(page, "size")
    assert 15 < dragged < 40
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    page.keyboard.press("Control+z")
    expect(rule).to_have_attribute("aria-valuenow", f"{before:g}")
    page.keyboard.press("Control+Shift+z")
    expect(rule).to_have_attribute("aria-valuenow", f"{dragged:g}")
    rule.focus()
    page.keyboard.press("End")
    expect(rule).to_have_attribute("aria-valuetext", "2 s")
    page.keyboard.press("ArrowLeft")
    expect(rule).not_to_have_attribute("aria-valuenow", "2000")
    assert value(page, "size") < 2_000
    page.keyboard.press("Enter")
    page.keyboard.type("0.25 s")
    page.keyboard.press("Enter")
    expect(rule).to_have_attribute("aria-valuetext", "250 ms")
    rule.dblclick(position={"x": 3, "y": 9})
    expect(rule).to_have_attribute("aria-valuenow", "140")
    stored(page)
    kept = full_server.json("GET", "/api/instruments/1")["document"]["layers"][0]["settings"]
    assert kept["size"] == 140


def test_the_position_is_dragged_on_the_picture_and_the_envelope_on_its_own(page, full_server):
    open_instrument(page, full_server)
    picture = page.get_by_test_id("stratum").bounding_box()
    page.mouse.move(picture["x"] + picture["width"] * 0.2, picture["y"] + 50)
    page.mouse.down()
    page.mouse.move(picture["x"] + picture["width"] * 0.8, picture["y"] + 50, steps=5)
    page.mouse.up()
    assert value(page, "position") == pytest.approx(80, abs=0.5)
    page.get_by_role("radio", name="shape", exact=True).click()
    before = value(page, "attack")
    point = page.locator(
        "g", has=page.locator("title", has_text=re.compile("^attack and peak$"))
    ).bounding_box()
    x, y = point["x"] + point["width"] / 2, point["y"] + point["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 25, y, steps=4)
    assert value(page, "attack") > 1.5 * before
    page.keyboard.press("Escape")
    page.mouse.up()
    assert value(page, "attack") == before
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 25, y, steps=4)
    page.mouse.up()
    assert value(page, "attack") > 1.5 * before


def test_a_reload_keeps_the_instrument_and_a_second_tab_has_its_own_sound(
    page, browser, full_server
):
    open_instrument(page, full_server)
    page.reload()
    expect(page.get_by_role("heading", name="low wire").first).to_be_visible()
    page.goto(f"{full_server.url}/field")
    expect(page.get_by_label("Play strip")).to_contain_text("low wire")
    sound_on(page)
    context = browser.new_context()
    other = context.new_page()
    open_instrument(other, full_server)
    other.keyboard.down("z")
    wait_for_level(other, -40)
    assert level_db(page) <= -59
    context.close()


def test_the_root_is_corrected_by_typing(page, full_server):
    open_instrument(page, full_server)
    page.get_by_role("button", name="A2", exact=True).click()
    page.get_by_label("Root note").fill("H7")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“H7” is not a note")).to_be_visible()
    page.get_by_role("button", name="A2", exact=True).click()
    page.get_by_label("Root note").fill("E3 +20")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="E3 +20")).to_be_visible()
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name="A2", exact=True)).to_be_visible()


def test_render_download_and_back_to_the_shelf(page, full_server):
    # an instrument of its own: what other tests dragged must not matter to its pitch
    fresh = full_server.json("POST", "/api/recordings/1/instrument", {})
    open_instrument(page, full_server, fresh["id"])
    page.get_by_role("button", name="Render").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Note").fill("nonsense")
    expect(dialog.get_by_role("button", name="Render")).to_be_disabled()
    dialog.get_by_label("Note").fill("A2")
    dialog.get_by_label("held").fill("1")
    dialog.get_by_label("Name").fill("Low pad")
    dialog.get_by_role("radio", name="FLAC").click()
    dialog.get_by_role("button", name="Render").click()
    with page.expect_download(timeout=120_000) as download:
        dialog.get_by_role("link", name="Download").click(timeout=120_000)
    assert download.value.suggested_filename == "Low pad.flac"
    data = download.value.path().read_bytes()
    assert sf.info(io.BytesIO(data)).samplerate == 48_000
    dialog.get_by_role("button", name="Put it on the shelf").click()
    dialog.get_by_role("button", name="Show it in Field").click(timeout=120_000)
    row = page.locator("[data-recording]", has_text="Low pad")
    expect(row).to_contain_text("A2")
    expect(page.get_by_role("complementary")).to_contain_text("Made from")


def test_duplicate_bundle_delete_and_undo(page, full_server, tmp_path):
    open_instrument(page, full_server)
    page.get_by_role("button", name="More").click()
    with page.expect_download(timeout=120_000) as download:
        page.get_by_role("menuitem", name="Export as bundle").click()
    bundle = tmp_path / "bundle.zip"
    download.value.save_as(bundle)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Duplicate").click()
    expect(page.get_by_role("button", name="low wire copy")).to_be_visible()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_text("'low wire copy' is deleted.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name="low wire copy")).to_be_visible()
    known = full_server.json("GET", "/api/instruments")["instruments"]
    newest = max(one["id"] for one in known)
    page.get_by_test_id("bundle").set_input_files(bundle)
    expect(page).to_have_url(re.compile(rf"/instrument/{newest + 1}$"), timeout=120_000)


def test_a_change_made_elsewhere_is_said_and_shown(page, full_server):
    open_instrument(page, full_server)
    state = full_server.json("GET", "/api/instruments/1")
    patch = [{"op": "replace", "path": "/layers/0/settings/density", "value": 77}]
    body = {"revision": state["revision"], "label": "x", "patch": patch}
    full_server.json("PATCH", "/api/instruments/1", body)
    parameter(page, "size").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("changed elsewhere")).to_be_visible()
    expect(parameter(page, "density")).to_have_attribute("aria-valuenow", "77")


def test_sound_comes_back_by_itself_when_the_engine_dies(page, full_server):
    open_instrument(page, full_server)
    sound_on(page)
    full_server.kill_engine()
    page.wait_for_timeout(1_000)
    expect(page.get_by_role("button", name="Sound on", exact=True)).to_be_visible(timeout=120_000)
    page.keyboard.down("z")
    wait_for_level(page, -40)
    page.keyboard.up("z")


DROP = """
async ([name, text]) => {
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  const transfer = new DataTransfer();
  transfer.items.add(new File([bytes], name, { type: "audio/wav" }));
  const target = document.querySelector("section[aria-label=Recordings]");
  const event = (kind) => new DragEvent(kind, { dataTransfer: transfer, bubbles: true, cancelable: true });
  target.dispatchEvent(event("dragover"));
  await new Promise((done) => setTimeout(done, 100));
  window.sawHint = document.body.innerText.includes("Drop recordings or a folder");
  target.dispatchEvent(event("drop"));
}
"""


def test_files_are_dropped_in(page, full_server, tmp_path):
    path = tmp_path / "dropped.wav"
    sf.write(path, harmonic_tone(330.0, 1.0), RATE, "PCM_16")
    page.goto(f"{full_server.url}/field")
    page.locator("[data-recording]").first.wait_for()
    page.evaluate(DROP, [path.name, base64.b64encode(path.read_bytes()).decode()])
    assert page.evaluate("window.sawHint")
    row = page.locator("[data-recording]", has_text="dropped")
    expect(row).to_contain_text("E4", timeout=120_000)
