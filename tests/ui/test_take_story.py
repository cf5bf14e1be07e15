"""A performance kept whole: played over a backing, its moments found and kept, played again
otherwise, its pad played over, a note printed into a layer."""

from __future__ import annotations

import re
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.api.test_live import Page as Session
from tests.api.test_live import opened as session
from tests.servers import Server, running
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_bench_story import until
from tests.ui.test_story import sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    """A project with an instrument to play, and another to play it through."""
    with running(tmp_path_factory.mktemp("ui-takes") / "project") as one:
        for name in ("low wire.wav", "high wire.wav"):
            one.add(sounds / name)
        for name in ("played", "other"):
            setattr(one, name, one.json("POST", "/api/recordings/1/instrument", {}))
        yield one


def last_take(server) -> dict:
    return server.json("GET", "/api/takes")["takes"][0]


def strip(page: Page):
    return page.get_by_label("Play strip")


def key(page: Page, name: str, held_ms: int) -> None:
    """Press a key of the stand-in for a keyboard."""
    place = page.get_by_test_id("keyboard").get_by_label(name, exact=True).bounding_box()
    assert place
    page.mouse.move(place["x"] + place["width"] / 2, place["y"] + place["height"] - 4)
    page.mouse.down()
    page.wait_for_timeout(held_ms)
    page.mouse.up()


def record(page: Page) -> None:
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("record")).to_contain_text("Stop", timeout=60_000)


def stop(page: Page) -> None:
    page.get_by_test_id("record").click()
    expect(page.get_by_test_id("record")).to_have_text("Record")


def test_the_empty_page_says_what_to_do(page, stage):
    page.goto(f"{stage.url}/takes")
    expect(page.get_by_text("Nothing has been recorded yet")).to_be_visible()
    assert violations(page) == []


def test_playing_over_a_backing_becomes_a_take_that_grows_on_its_page(page, stage):
    page.goto(f"{stage.url}/instrument/{stage.played['id']}")
    sound_on(page)
    page.get_by_role("radio", name="Keyboard", exact=True).click()
    page.get_by_role("button", name="How a take begins").click()
    page.get_by_role("menuitem", name="a sound from the shelf").click()
    page.locator('[data-pick="high wire"]').click()
    page.get_by_role("link", name="Takes", exact=True).click()
    record(page)
    expect(page.get_by_test_id("growing-take")).to_be_visible()
    for name in ("C3", "G3", "C4"):
        key(page, name, 700)
    page.keyboard.press(".")
    expect(page.get_by_role("button", name=re.compile("^Mark 1"))).to_be_visible()
    key(page, "E3", 1_500)
    page.wait_for_timeout(1_500)
    stop(page)
    expect(page.get_by_test_id("take-page")).to_be_visible()
    page.wait_for_url(re.compile(r"/takes/\d+"))
    take = last_take(stage)
    assert take["backing"] == stage.json("GET", "/api/recordings/2")["digest"]
    assert take["instrument"] == stage.played["id"]
    hands = stage.json("GET", f"/api/takes/{take['id']}/hands")
    assert [one["key"] for one in hands["notes"]] == [48, 55, 60, 52]
    assert len(hands["marks"]) == 1


def opened(page: Page, stage) -> dict:
    take = stage.json("GET", "/api/takes")["takes"][-1]
    page.goto(f"{stage.url}/takes/{take['id']}")
    expect(page.get_by_test_id("moments").locator("li").first).to_be_visible(timeout=120_000)
    return take


def test_moments_are_heard_kept_named_and_put_on_the_shelf(page, stage):
    take = opened(page, stage)
    sound_on(page)
    page.get_by_role("button", name="Settings", exact=True).click()
    page.locator("[role=slider][data-parameter=sensitivity]").focus()
    page.keyboard.press("End")
    stored(page)
    page.get_by_role("button", name="Fold settings").click()
    moments = page.get_by_test_id("moments")
    first = moments.locator("li").first
    expect(first).to_contain_text("you marked it")
    first.click()
    wait_for_level(page, -50)
    expect(page.get_by_test_id("take-head")).to_be_visible()
    moments.focus()
    page.keyboard.press("k")
    stored(page)
    expect(first).to_have_attribute("data-kept", "true")
    # a stretch chosen by hand, twice
    line = page.get_by_test_id("take-page").locator(".touch-none").first.bounding_box()
    assert line
    for start, end in ((0.05, 0.2), (0.3, 0.5)):
        page.mouse.move(line["x"] + start * line["width"], line["y"] + 60)
        page.mouse.down()
        page.mouse.move(line["x"] + end * line["width"], line["y"] + 60, steps=4)
        page.mouse.up()
        page.get_by_role("button", name="Make it a moment").click()
        stored(page)
        name = page.get_by_label("Name of the moment")
        expect(name).to_have_value(re.compile("moment at"))
        name.fill(f"Wire {round(100 * start)}")
        name.press("Enter")
        moments.focus()
        page.keyboard.press("k")
        stored(page)
    page.get_by_role("button", name="Put 3 on the shelf").click()
    expect(page.get_by_text("3 moments are on the shelf.")).to_be_visible(timeout=120_000)
    kept = stage.json("GET", f"/api/takes/{take['id']}/kept")["kept"]
    assert len(kept) == 3
    assert {"Wire 5", "Wire 30"} <= {one["name"] for one in kept}
    page.get_by_role("button", name="Undo", exact=True).click()
    stored(page)
    assert violations(page) == []


def test_edges_and_fades_are_dragged_and_come_back(page, stage):
    take = opened(page, stage)
    page.get_by_test_id("moments").locator("li").first.click()
    edge = page.get_by_role("slider", name="Start of the moment")
    before = float(edge.get_attribute("aria-valuenow") or 0)
    box = edge.bounding_box()
    assert box
    page.mouse.move(box["x"] + 6, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 46, box["y"] + 60, steps=4)
    page.mouse.up()
    stored(page)
    after = float(edge.get_attribute("aria-valuenow") or 0)
    assert after > before
    fade = page.get_by_role("slider", name="End of the fade in")
    fade.focus()
    page.keyboard.press("Shift+ArrowRight")
    stored(page)
    decided = stage.json("GET", f"/api/takes/{take['id']}")["document"]["decisions"]
    assert any(one["fade_in"] == 55 for one in decided.values())
    for _ in range(2):
        page.keyboard.press("Control+z")
        stored(page)
    expect(edge).to_have_attribute("aria-valuenow", f"{before:g}")


def test_it_is_played_again_to_the_bit_and_through_another_instrument(page, stage):
    opened(page, stage)
    page.get_by_role("radio", name="again", exact=True).click()
    page.get_by_role("button", name="the same again").click()
    made = page.get_by_test_id("rendering")
    expect(made.first).to_contain_text("the same to the bit", timeout=180_000)
    page.get_by_role("button", name="through another instrument").click()
    page.get_by_role("menuitem", name=stage.other["document"]["name"], exact=True).click()
    expect(made).to_have_count(2, timeout=180_000)
    expect(made.first).to_contain_text(f"through {stage.other['document']['name']}")
    made.first.get_by_role("button", name="Keep on the shelf").click()
    expect(page.get_by_text("is on the shelf.")).to_be_visible(timeout=120_000)
    assert violations(page) == []


def test_hands_are_transposed_heard_and_the_pad_is_played_over_them(page, stage):
    take = opened(page, stage)
    sound_on(page)
    page.get_by_role("radio", name="hands", exact=True).click()
    page.get_by_role("button", name="up", exact=True).click()
    stored(page)
    expect(page.get_by_text("notes moved by +12 semitones")).to_be_visible()
    hands = stage.json("GET", f"/api/takes/{take['id']}/hands")
    assert [one["key"] for one in hands["notes"]] == [60, 67, 72, 64]
    assert violations(page) == []
    page.get_by_role("radio", name="Handles", exact=True).click()
    page.get_by_label("pad, played over").check()
    page.get_by_label("keys", exact=True).uncheck()
    page.get_by_role("button", name="Play them again over the others").click()
    expect(page.get_by_test_id("record")).to_contain_text("Stop", timeout=60_000)
    wait_for_level(page, -55)
    pad = page.get_by_test_id("pad").bounding_box()
    assert pad
    page.mouse.move(pad["x"] + 10, pad["y"] + 10)
    page.mouse.down()
    page.mouse.move(pad["x"] + 60, pad["y"] + 40, steps=6)
    page.mouse.up()
    page.wait_for_timeout(500)
    stop(page)
    expect(page.get_by_text("pad played again")).to_be_visible(timeout=60_000)
    expect(page.get_by_role("button", name="This is what you hear")).to_be_visible(timeout=180_000)
    changed = stage.json("GET", f"/api/takes/{take['id']}")["document"]
    assert [one["do"] for one in changed["edits"]] == ["move", "overdub"]
    assert changed["sound"]


def test_two_passes_over_one_backing_are_put_together(page, stage):
    take = opened(page, stage)
    document = stage.json("GET", f"/api/instruments/{stage.played['id']}")["document"]
    with session(stage) as connection:
        other = Session(connection)
        other.say(do="load", document=document)
        assert other.answer("loaded")
        backing = {"recording": take["backing"]}
        other.say(
            do="record", on=True, instrument=stage.played["id"], name="second", backing=backing
        )
        other.say(do="on", note=1, key=67, value=0.9)
        other.blocks(700)
        other.say(do="record", on=False)
        assert other.answer("taken")
    for job in stage.json("POST", "/api/takes/found")["jobs"]:
        stage.ended(job)
    page.reload()
    page.get_by_role("radio", name="passes", exact=True).click()
    rows = page.get_by_test_id("pass")
    expect(rows).to_have_count(2)
    second = rows.nth(1).bounding_box()
    assert second
    page.mouse.click(second["x"] + 0.4 * second["width"], second["y"] + 20)
    heard = page.get_by_label("What is heard when")
    expect(heard.locator("li")).to_have_count(2)
    assert violations(page) == []
    page.get_by_role("button", name="Put them together").click()
    expect(page.get_by_role("heading", level=1, name="Comp")).to_be_visible()
    comp = stage.json("GET", "/api/takes")["takes"][0]
    assert comp["origin"] == "comp"
    keys = [one["key"] for one in stage.json("GET", f"/api/takes/{comp['id']}/hands")["notes"]]
    assert keys[0] == 60


def test_a_take_is_deleted_and_comes_back(page, stage):
    take = opened(page, stage)
    page.get_by_role("button", name="More of takes").click()
    page.get_by_role("menuitem", name="Delete this take").click()
    notice = page.get_by_test_id("notice").filter(has_text="is deleted")
    notice.get_by_role("button", name="Undo").click()
    page.wait_for_url(f"**/takes/{take['id']}")
    expect(page.get_by_test_id("take-page")).to_be_visible()


def test_what_was_just_played_is_kept_and_a_chord_is_printed(page, stage):
    page.goto(f"{stage.url}/instrument/{stage.played['id']}")
    sound_on(page)
    page.get_by_role("radio", name="Keyboard", exact=True).click()
    count = len(stage.json("GET", "/api/takes")["takes"])
    key(page, "D3", 900)
    page.wait_for_timeout(400)
    page.get_by_role("button", name="How a take begins").click()
    page.get_by_role("menuitem", name=re.compile("Keep what I just played")).click()
    expect(page.get_by_role("button", name="Show it")).to_be_visible(timeout=120_000)
    assert len(stage.json("GET", "/api/takes")["takes"]) == count + 1
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Print a note as a layer").click()
    expect(page.get_by_test_id("layer")).to_have_count(2, timeout=180_000)
    document = stage.json("GET", f"/api/instruments/{stage.played['id']}")["document"]
    assert document["layers"][1]["settings"]["loop"] == "forward"
    assert document["layers"][1]["sounds"][0]["root"] == 45


@pytest.mark.parametrize("light", ["light", "dark"])
def test_takes_pass_the_scan_and_fit(browser, stage, light):
    context = browser.new_context(viewport={"width": 1_024, "height": 700}, color_scheme=light)
    page = context.new_page()
    opened(page, stage)
    page.get_by_test_id("moments").locator("li").first.click()
    for part in ("moments", "again", "hands"):
        page.get_by_role("radio", name=part, exact=True).click()
        page.wait_for_timeout(400)
        assert violations(page) == [], part
        assert page.evaluate("document.documentElement.scrollWidth") <= 1_024
    page.get_by_role("button", name=re.compile("^All takes")).click()
    page.wait_for_timeout(400)
    assert violations(page) == []
    context.close()


def test_a_midi_file_is_played_along_to(page, stage):
    """The instrument in hand plays it first; it is a take like any other then."""
    first = stage.json("GET", "/api/takes")["takes"][-1]["id"]
    with urllib.request.urlopen(f"{stage.url}/api/exports/take/{first}/midi") as answer:
        midi = answer.read()
    page.goto(f"{stage.url}/instrument/{stage.played['id']}")
    sound_on(page)
    menu = page.get_by_role("button", name="How a take begins")
    bad = {"name": "no.mid", "mimeType": "audio/midi", "buffer": b"no midi"}
    page.get_by_label("A MIDI file to play along to").set_input_files(bad)
    expect(page.get_by_text("not a MIDI file")).to_be_visible()
    file = {"name": "bed.mid", "mimeType": "audio/midi", "buffer": midi}
    page.get_by_label("A MIDI file to play along to").set_input_files(file)
    expect(menu).to_be_enabled()
    until(lambda: "bed.mid" in (page.evaluate("localStorage['bloom-backing']") or ""))
    menu.click()
    expect(page.get_by_role("menuitem", name="✓ bed.mid: leave it out")).to_be_visible()
    page.keyboard.press("Escape")
    record(page)
    wait_for_level(page, -60.0)
    page.wait_for_timeout(1_000)
    stop(page)
    until(lambda: last_take(stage)["origin"] == "recorded")
    played = next(
        one for one in stage.json("GET", "/api/takes")["takes"] if one["name"] == "bed.mid"
    )
    assert last_take(stage)["backing"] == played["folder"]
    # another take is chosen by name
    menu.click()
    page.get_by_role("menuitem", name="a take", exact=True).click()
    dialog = page.get_by_role("dialog", name="Play along to a take")
    assert violations(page) == []
    dialog.get_by_label("Find a take").fill("Comp")
    dialog.get_by_role("button", name=re.compile("^Comp")).click()
    menu.click()
    expect(page.get_by_role("menuitem", name="✓ Comp: leave it out")).to_be_visible()
    page.get_by_role("menuitem", name="✓ Comp: leave it out").click()
