"""The Bench in a browser: from a raw recording to material that is cut, tuned and looped."""

from __future__ import annotations

import re
import time

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.conftest import RATE
from tests.servers import running
from tests.sounds import gliding_tone
from tests.ui.conftest import stored
from tests.ui.test_story import sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def bench(tmp_path_factory):
    """A bowed wire a little sharp, and stones dropped one after another."""
    folder = tmp_path_factory.mktemp("bench")
    rng = np.random.default_rng(2)
    wire = gliding_tone(np.full(12 * RATE, 112.0)) + 1e-3 * rng.standard_normal(12 * RATE)
    stones = 1e-4 * rng.standard_normal(4 * RATE)
    for k in range(5):
        n, start = round(0.2 * RATE), round((0.3 + 0.7 * k) * RATE)
        stones[start : start + n] += 0.3 * rng.standard_normal(n) * np.exp(-np.arange(n) / 1_500)
    sf.write(folder / "wire.wav", wire, RATE, "PCM_24")
    sf.write(folder / "stones.wav", stones, RATE, "PCM_24")
    with running(folder / "project") as server:
        for name in ("wire.wav", "stones.wav"):
            assert server.add(folder / name)["state"] == "done"
        yield server


def opened(page: Page, bench, number: int = 1) -> None:
    page.goto(f"{bench.url}/bench/{number}")
    expect(page.get_by_test_id("picture")).to_be_visible()


def steps(bench, number: int = 1) -> list[dict]:
    return bench.json("GET", f"/api/recordings/{number}/bench")["document"]["steps"]


def until(found, seconds: float = 120.0):
    """Wait for something to be so on the server."""
    end = time.monotonic() + seconds
    while not (value := found()):
        assert time.monotonic() < end, "it did not come about"
        time.sleep(0.1)
    return value


def test_from_field_to_the_bench(page, bench):
    page.goto(f"{bench.url}/field")
    page.locator("[data-recording]", has_text="wire").click()
    page.get_by_role("link", name="Put it on the bench").click()
    expect(page).to_have_url(re.compile("/bench/1$"))
    expect(page.get_by_role("heading", name="wire")).to_be_visible()
    expect(page.get_by_label("Root", exact=True)).to_contain_text("A2")


def test_a_region_is_dragged_nudged_and_undone(page, bench):
    opened(page, bench)
    box = page.get_by_test_id("picture").locator("canvas").bounding_box()
    y = box["y"] + 60
    page.mouse.move(box["x"] + 0.25 * box["width"], y)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.75 * box["width"], y, steps=8)
    page.mouse.up()
    cut = until(lambda: next((s for s in steps(bench) if s.get("end", 0) > 0), None))
    assert cut["start"] == pytest.approx(3.0, abs=0.1)
    assert cut["end"] == pytest.approx(9.0, abs=0.1)
    edge = page.get_by_role("slider", name="start", exact=True)
    edge.focus()
    page.keyboard.press("ArrowRight")
    until(lambda: abs(steps(bench)[0]["start"] - cut["start"] - 1e-3) < 2 / RATE)
    # one after another, quickly: each begins where the last one ended
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    for _ in range(5):
        page.keyboard.press("ArrowLeft")
    page.keyboard.press("Shift+ArrowLeft")
    until(lambda: abs(steps(bench)[0]["start"] - cut["start"] - 1e-3 + 1 / RATE) < 0.6 / RATE)
    page.get_by_role("button", name="end earlier to the zero crossing").click()
    until(lambda: 0 < cut["end"] - steps(bench)[0]["end"] < 0.02)
    undo = page.get_by_role("button", name="Undo")
    # steps that waited for one another were stored as one
    while steps(bench)[0]["end"] > 0:
        # asked and clicked in one go: the last one may be undone in between
        undo.evaluate("button => button.disabled || button.click()")
        page.wait_for_timeout(100)
    page.get_by_role("button", name="Redo").click()
    until(lambda: steps(bench)[0]["end"] > 8)


def test_times_are_typed_and_nonsense_is_refused(page, bench):
    opened(page, bench)
    cut = page.locator("[data-step=cut]")
    cut.get_by_role("button", name=re.compile(r"^(the end|[\d.]+ s)$")).last.click()
    cut.get_by_role("textbox").fill("soon")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“soon” is not a time")).to_be_visible()


def test_zoom_goes_from_the_whole_to_single_samples(page, bench):
    opened(page, bench)
    picture = page.get_by_test_id("picture")
    box = picture.bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 60)
    for _ in range(40):
        page.mouse.wheel(0, -600)
        page.wait_for_timeout(15)
    expect(picture).to_contain_text(re.compile(r"\d\.\d{4,5} s"))
    picture.focus()
    page.keyboard.press("0")
    expect(picture).to_contain_text("10 s")


def test_steps_are_added_set_reordered_muted_and_removed(page, bench):
    opened(page, bench)
    page.get_by_role("button", name="+ Step").click()
    page.get_by_role("menuitem", name="High-pass").click()
    # it lands where it belongs: the level is set on what it leaves
    until(lambda: [step["do"] for step in steps(bench)] == ["cut", "highpass", "normalise"])
    rule = page.locator('[role=slider][data-parameter="cutoff"]')
    rule.focus()
    page.keyboard.press("PageUp")
    until(lambda: steps(bench)[1]["cutoff"] > 60)
    page.get_by_role("radio", name="48 dB").click()
    until(lambda: steps(bench)[1]["slope"] == "48 dB")
    page.get_by_role("button", name="Move step 2 down").click()
    until(lambda: steps(bench)[-1]["do"] == "highpass")
    page.get_by_role("button", name="Mute").click()
    until(lambda: steps(bench)[-1]["on"] is False)
    page.get_by_role("button", name="Remove").click()
    until(lambda: all(step["do"] != "highpass" for step in steps(bench)))


def test_loops_are_found_taken_heard_and_their_seam_is_seen(page, bench):
    opened(page, bench)
    page.get_by_role("button", name="Find loops").click()
    first = page.locator("[data-loop='0']")
    first.get_by_role("button").first.click()
    loop = until(
        lambda: next((s for s in steps(bench) if s["do"] == "loop" and s["end"] > 0), None)
    )
    assert loop["end"] - loop["start"] > 0.25
    seam = page.get_by_label("The seam", exact=True)
    expect(seam).to_contain_text("very well")
    sound_on(page)
    page.get_by_role("button", name="Listen to the loop").click()
    wait_for_level(page, -40)
    expect(page.get_by_test_id("head")).to_be_visible()
    seam.get_by_role("button", name="Stop").click()
    # dragged shut by hand, with no crossfade: it clicks, and says so
    edge = page.get_by_role("slider", name="loop end")
    edge.focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    page.locator('[role=slider][data-parameter="crossfade"]').focus()
    page.keyboard.press("Home")
    until(lambda: steps(bench)[-1]["crossfade"] == 0)
    expect(seam).not_to_contain_text("very well")


def test_kept_as_material_and_grown(page, bench):
    opened(page, bench)
    page.get_by_role("button", name="Keep as material").click()
    expect(page.get_by_text("'wire, loop' is on the shelf.")).to_be_visible(timeout=120_000)
    page.get_by_role("link", name="Field").click()
    row = page.locator("[data-recording]", has_text="wire, loop")
    expect(row).to_contain_text("material")
    row.click()
    expect(page.get_by_role("complementary")).to_contain_text("on the bench")
    page.get_by_role("button", name="Grow an instrument from it").click()
    expect(page).to_have_url(re.compile(r"/instrument/\d+$"))


def test_before_and_after_are_heard_alike(page, bench):
    opened(page, bench)
    sound_on(page)
    page.get_by_role("radio", name="Before").click()
    expect(page.get_by_text("as recorded")).to_be_visible()
    page.get_by_role("button", name="Listen", exact=True).click()
    wait_for_level(page, -40)
    page.get_by_role("radio", name="After").click()
    expect(page.get_by_text("after all steps")).to_be_visible()
    wait_for_level(page, -40)


def test_any_sound_becomes_a_tone(page, bench):
    opened(page, bench, 2)
    page.get_by_role("button", name="Make a tone").click()
    until(lambda: steps(bench, 2)[-1]["do"] == "tone")
    sound_on(page)
    # the place can be slid once the sound that it lies in has been made
    expect(page.get_by_role("slider", name="place")).to_be_visible()
    page.get_by_role("button", name="Listen to the tone").click()
    box = page.get_by_test_id("picture").locator("canvas").bounding_box()
    x = box["x"] + box["width"] * 0.315 / 4
    page.mouse.move(x - 30, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(x, box["y"] + 40, steps=4)
    wait_for_level(page, -50)
    page.mouse.up()
    until(lambda: steps(bench, 2)[-1]["place"] == pytest.approx(0.315, abs=0.02))
    expect(page.get_by_label("Root", exact=True)).to_contain_text("as the tone was made")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    until(lambda: steps(bench, 2)[-1]["do"] == "normalise")


def test_pieces_are_heard_dropped_named_and_made(page, bench):
    opened(page, bench, 2)
    page.get_by_role("button", name="Pieces").click()
    pieces = page.get_by_test_id("pieces")
    expect(pieces.locator("li")).to_have_count(5)
    pieces.focus()
    page.keyboard.press("k")
    page.keyboard.press("d")
    expect(pieces.locator("li[data-kept=false]")).to_have_count(1)
    page.keyboard.press("n")
    page.get_by_label("Name of piece 3").fill("Flat stone")
    page.keyboard.press("Enter")
    expect(pieces).to_contain_text("Flat stone")
    # the list has the keys again, and what was decided is there after a reload
    expect(pieces).to_be_focused()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(pieces.locator("li[data-kept=false]")).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    page.keyboard.press("Control+Shift+z")
    expect(pieces).to_contain_text("Flat stone")
    stored(page)
    page.reload()
    page.get_by_role("button", name="Pieces").click()
    expect(pieces).to_contain_text("Flat stone")
    expect(pieces.locator("li[data-kept=false]")).to_have_count(1)
    page.get_by_role("button", name="Keep none").click()
    expect(pieces.locator("li[data-kept=false]")).to_have_count(5)
    page.keyboard.press("Control+z")
    page.get_by_role("button", name="Make 4 materials").click()
    expect(page.get_by_text("4 materials are on the shelf.")).to_be_visible(timeout=120_000)


def test_splitting_and_joining_by_hand(page, bench):
    opened(page, bench, 2)
    page.get_by_role("button", name="Pieces").click()
    pieces = page.get_by_test_id("pieces")
    expect(pieces.locator("li")).to_have_count(5)
    box = page.get_by_test_id("picture").locator("canvas").bounding_box()
    page.mouse.dblclick(box["x"] + box["width"] * 0.95, box["y"] + 40)
    expect(pieces.locator("li")).to_have_count(6)
    pieces.locator("li").nth(5).click(position={"x": 8, "y": 8})
    pieces.focus()
    page.keyboard.press("j")
    expect(pieces.locator("li")).to_have_count(5)


def test_a_step_that_cannot_be_done_is_one_sentence(page, bench):
    opened(page, bench, 2)
    page.get_by_role("button", name="+ Step").click()
    page.get_by_role("menuitem", name="Pull to pitch").click()
    expect(page.get_by_role("alert")).to_contain_text(
        "There is no clear pitch here", timeout=120_000
    )
    expect(page.get_by_role("button", name="Keep as material")).to_be_disabled()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_the_recipe_is_used_on_others(page, bench):
    opened(page, bench, 1)
    page.get_by_role("button", name="Use on others").click()
    dialog = page.get_by_role("dialog")
    dialog.locator('[data-pick="stones"]').click()
    dialog.get_by_role("button", name="Use on 1").click()
    expect(page.get_by_text("'stones' has this recipe now.")).to_be_visible()
    assert steps(bench, 2) == steps(bench, 1)


def test_filters_tags_and_several_at_once(page, bench):
    page.goto(f"{bench.url}/field")
    rows = page.locator("[data-recording]")
    expect(rows.first).to_be_visible()
    everything = rows.count()
    page.get_by_role("button", name="Filter and sort").click()
    page.get_by_role("radio", name="materials").click()
    expect(rows).to_have_count(5)
    page.keyboard.press("Escape")
    page.locator("input[title='Pick all or none']").check()
    page.get_by_label("Tag the picked").fill("glass")
    page.keyboard.press("Enter")
    expect(page.get_by_text("5 sounds are tagged “glass”.")).to_be_visible()
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_text("5 sounds are off the shelf.")).to_be_visible()
    page.get_by_role("button", name="Undo").last.click()
    expect(rows).to_have_count(5)
    page.get_by_role("button", name="Drop the filter materials").click()
    expect(rows).to_have_count(everything)
    page.locator("[data-recording='1']").click()
    page.get_by_role("button", name="More like this one").click()
    expect(rows.first).to_contain_text("wire")
    expect(rows.nth(1)).to_contain_text("wire, loop")


def test_capture_with_countdown_and_marker(page, bench):
    page.goto(f"{bench.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Capture").click()
    page.get_by_role("button", name="Open the microphone").click()
    page.get_by_role("button", name="Start in 3 seconds").click()
    expect(page.get_by_role("timer")).to_contain_text("in ")
    page.get_by_role("button", name="Drop a marker").wait_for(timeout=60_000)
    expect(page.get_by_text("s safe")).to_contain_text(re.compile(r"[1-9]\.\d s safe"))
    page.get_by_role("button", name="Drop a marker").click()
    page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_label("Name of the capture").fill("Beeps")
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.locator("[data-recording]", has_text="Beeps")).to_be_visible(timeout=120_000)
    number = bench.json("GET", "/api/recordings/found?q=beeps")["ids"][0]
    found = bench.json("GET", f"/api/recordings/{number}")
    assert found["measured"]["duration_s"] >= 1
    assert len(found["measured"]["markers"]) == 1


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("NotAllowedError", "did not allow the microphone"),
        ("NotFoundError", "No microphone was found"),
    ],
)
def test_a_refused_microphone_is_one_sentence(page, bench, name, words):
    page.add_init_script(
        "navigator.mediaDevices.getUserMedia = () => "
        f"Promise.reject(new DOMException('no', '{name}'))"
    )
    page.goto(f"{bench.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Capture").click()
    page.get_by_role("button", name="Open the microphone").click()
    expect(page.get_by_role("alert")).to_contain_text(words)


def test_a_microphone_unplugged_midway_keeps_what_there_was(page, bench):
    page.add_init_script(
        "const ask = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);"
        "navigator.mediaDevices.getUserMedia = async (c) => (window.stream = await ask(c));"
    )
    page.goto(f"{bench.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Capture").click()
    page.get_by_role("button", name="Open the microphone").click()
    page.get_by_role("button", name="Start in 3 seconds").click()
    page.get_by_role("button", name="Drop a marker").wait_for(timeout=60_000)
    expect(page.get_by_text("s safe")).to_contain_text(re.compile(r"[1-9]\.\d s safe"))
    page.evaluate("window.stream.getAudioTracks()[0].dispatchEvent(new Event('ended'))")
    expect(page.get_by_role("alert")).to_contain_text("unplugged")
    expect(page.get_by_role("button", name="Put it on the shelf")).to_be_enabled()


def test_the_card_comes_in(page, bench):
    page.goto(f"{bench.url}/field")
    page.get_by_role("button", name="Add recordings").click()
    page.get_by_role("menuitem", name="Take off a recorder's card").click()
    page.get_by_role("button", name="Put the simulated card in").click()
    broken = page.locator("[data-card-file='GH10_02.WAV']")
    expect(broken).to_contain_text("damaged")
    expect(page.get_by_role("dialog")).to_contain_text("06:15:08:00")
    for name in ("GH08_01", "GH09_01", "GH10_01"):
        page.locator(f"[data-card-file='{name}.WAV'] input").uncheck()
    page.get_by_role("button", name="Bring in 2").click()
    expect(page.locator("[data-recording]", has_text="GH07_02")).to_be_visible(timeout=120_000)


def test_a_capture_thrown_away_can_be_taken_back(page, bench):
    page.goto(f"{bench.url}/field")

    def dialog() -> None:
        page.get_by_role("button", name="Add recordings").click()
        page.get_by_role("menuitem", name="Capture").click()

    dialog()
    page.get_by_role("button", name="Open the microphone").click()
    page.get_by_role("button", name="Start in 3 seconds").click()
    page.get_by_role("button", name="Drop a marker").wait_for(timeout=60_000)
    expect(page.get_by_text("s safe")).to_contain_text(re.compile(r"[1-9]\.\d s safe"))
    page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_role("button", name="Throw away").click()
    page.get_by_role("button", name="Undo").last.click()
    before = len(bench.json("GET", "/api/captures")["captures"])
    assert before >= 1
    dialog()
    expect(page.get_by_role("dialog")).to_contain_text("Cut short earlier")
    page.get_by_role("dialog").get_by_role("button", name="Keep").last.click()
    until(lambda: len(bench.json("GET", "/api/captures")["captures"]) == before - 1)


def test_a_rename_on_the_bench_can_be_taken_back(page, bench):
    opened(page, bench, 2)
    page.get_by_role("heading", name="stones").get_by_role("button").click()
    page.get_by_label("Name of the recording").fill("Pebbles")
    page.keyboard.press("Enter")
    expect(page.get_by_text("'stones' is called 'Pebbles' now.")).to_be_visible()
    page.get_by_test_id("notice").get_by_role("button", name="Undo").last.click()
    expect(page.get_by_role("heading", name="stones")).to_be_visible()


def test_the_root_is_dragged_on_the_picture(page, bench):
    opened(page, bench, 1)
    page.get_by_role("radio", name="After").click()
    line = page.get_by_role("slider", name="Root on the picture")
    expect(line).to_be_visible()
    said = line.get_attribute("aria-valuenow")
    before = float(said)
    box = line.bounding_box()
    x, y = box["x"] + 200, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 60, steps=5)
    expect(line).not_to_have_attribute("aria-valuenow", said)
    page.keyboard.press("Escape")
    expect(line).to_have_attribute("aria-valuenow", said)
    page.mouse.up()
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 30, steps=5)
    page.mouse.up()
    root = until(lambda: next((s for s in steps(bench) if s["do"] == "root"), None))
    assert root["how"] == "given"
    assert 440 * 2 ** ((root["note"] - 69) / 12) > 1.1 * before
    expect(page.get_by_label("Root", exact=True)).to_contain_text("said by you")
    page.get_by_role("button", name="Undo").click()
    until(lambda: all(step["do"] != "root" for step in steps(bench)))
