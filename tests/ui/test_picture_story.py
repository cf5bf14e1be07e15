"""Sounds to a picture: a film, its scenes, sounds placed and worked on, played in step, handed over."""

from __future__ import annotations

import statistics
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.films import EDL, write_film
from tests.servers import Server, running
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on

pytestmark = pytest.mark.ui

FRAME_MS = 1_000 / 24


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("ui-picture")
    write_film(folder / "shots.mp4", [shot for shot in (3, 40, 11, 90) for _ in range(60)])
    (folder / "scenes.edl").write_text(EDL)
    (folder / "bad.edl").write_text("what is this")
    with running(folder / "project") as one:
        one.folder = folder
        for name in ("low wire.wav", "high wire.wav"):
            one.add(sounds / name)
        one.json("POST", "/api/recordings/2/instrument", {})
        yield one


def state(server: Server) -> dict:
    first = server.json("GET", "/api/timelines")["timelines"][0]["id"]
    return server.json("GET", f"/api/timelines/{first}")["document"]


def clips(server: Server) -> list[dict]:
    return [clip for lane in state(server)["lanes"] for clip in lane["clips"]]


def place(page: Page, name: str, lane: str | None = None) -> None:
    """Place a sound of the shelf at the playhead."""
    button = "Place a sound" if lane is None else f"Place a sound on {lane}"
    page.get_by_role("button", name=button, exact=True).first.click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name=name, exact=False).first.click()
    expect(dialog).to_have_count(0)
    stored(page)


def opened(page: Page, stage: Server) -> None:
    page.goto(f"{stage.url}/deliver/picture")
    expect(page.get_by_test_id("clock")).to_be_visible()


def drag(page: Page, what: Locator, across: float, down: float = 0.0) -> None:
    box = what.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.75)
    page.mouse.down()
    page.mouse.move(
        box["x"] + box["width"] / 2 + across, box["y"] + box["height"] * 0.75 + down, steps=6
    )
    page.mouse.up()
    stored(page)


def test_an_empty_page_says_what_to_do(page, stage):
    page.goto(f"{stage.url}/deliver")
    page.get_by_role("radio", name="picture").click()
    expect(page.get_by_text("A film needs its sounds on the frame")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="New timeline").click()
    expect(page.get_by_role("button", name="Add a film")).to_be_visible()
    expect(page.get_by_text("No lane has a sound that would be handed over")).to_be_visible()
    expect(page.get_by_role("button", name="Hand over", exact=True)).to_be_disabled()
    assert violations(page) == []


def test_a_film_comes_in_and_its_cuts_become_scenes(page, stage):
    opened(page, stage)
    page.set_input_files("[aria-label='A film']", stage.folder / "bad.edl")
    expect(page.get_by_role("alert")).to_contain_text("bad.edl")
    page.set_input_files("[aria-label='A film']", stage.folder / "shots.mp4")
    expect(page.locator("video")).to_be_visible()
    expect(page.get_by_role("button", name="10.0 s at 24")).to_be_visible()
    page.get_by_role("button", name="Scenes at the film's 3 cuts").click()
    stored(page)
    assert [one["start"] for one in state(stage)["scenes"]] == [0, 60, 120, 180]
    page.get_by_role("group", name="Scenes").get_by_role("button", name="Scene 3").click()
    expect(page.get_by_test_id("clock")).to_have_text("01:00:05:00")
    page.get_by_label("What the audience should feel").fill("held under")
    page.get_by_role("heading", name="They should feel").click()
    stored(page)
    assert state(stage)["scenes"][2]["feel"] == "held under"
    # the picture itself stands on that frame
    page.wait_for_function(
        "() => Math.abs(document.querySelector('video').currentTime - 5.02) < 0.03"
    )
    page.keyboard.press(".")
    expect(page.get_by_test_id("clock")).to_have_text("01:00:05:01")
    assert violations(page) == []


def test_scenes_are_read_from_a_list_or_refused_and_undone(page, stage):
    opened(page, stage)
    page.set_input_files("[aria-label='A list of scenes']", stage.folder / "bad.edl")
    expect(page.get_by_text("There is no scene in 'bad.edl'.")).to_be_visible()
    page.set_input_files("[aria-label='A list of scenes']", stage.folder / "scenes.edl")
    expect(
        page.get_by_role("group", name="Scenes").get_by_role("button", name="UNDER THE PANES")
    ).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_role("group", name="Scenes").get_by_role("button")).to_have_count(4)


def test_sounds_are_placed_and_worked_on(page, stage):
    opened(page, stage)
    page.get_by_role("group", name="Scenes").get_by_role("button", name="Scene 2").click()
    place(page, "high wire")
    assert [(one["name"], one["start"]) for one in clips(stage)] == [("high wire", 60)]
    box = page.locator("[data-clip]").first
    drag(page, box, 60)
    moved = clips(stage)[0]["start"]
    assert moved > 60
    box.focus()
    box.press("ArrowLeft")
    stored(page)
    assert clips(stage)[0]["start"] == moved - 1


def test_a_clip_is_shaped_split_and_undone(page, stage):
    opened(page, stage)
    box = page.locator("[data-clip]").first
    box.focus()
    # the level is drawn by a click on its line, and by keys; while the film comes in, lanes may still move
    point = box.get_by_role("slider").first
    for _ in range(20):
        line = box.bounding_box()
        assert line is not None
        page.mouse.click(line["x"] + line["width"] * 0.5, line["y"] + line["height"] * 0.25)
        page.wait_for_timeout(300)
        if point.count():
            break
    stored(page)
    point.focus()
    point.press("ArrowDown")
    stored(page)
    levels = clips(stage)[0]["levels"]
    assert len(levels) == 1
    assert levels[0]["db"] < 0
    rise = page.get_by_role("slider", name="Clip fade in")
    rise.focus()
    rise.press("Enter")
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    stored(page)
    assert clips(stage)[0]["fade_in"] == pytest.approx(0.5)
    page.get_by_role("group", name="Scenes").get_by_role("button", name="Scene 3").click()
    box.focus()
    box.press("s")
    stored(page)
    assert [one["start"] for one in clips(stage)][1] == 120
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.locator("[data-clip]")).to_have_count(1)
    place(page, "low wire")
    assert len(state(stage)["lanes"]) == 2
    page.get_by_role("button", name="mute").first.click()
    stored(page)
    page.get_by_role("button", name="mute").first.click()
    stored(page)
    assert violations(page) == []
    assert inside(page)


def in_step(page: Page) -> bool:
    """Whether, of the last forty pictures, the one in the middle came within half a frame of its sound."""
    off = [float(one) for one in (page.locator("video").get_attribute("data-off") or "").split()]
    return len(off) >= 40 and abs(statistics.median(off)) < FRAME_MS / 2


def test_picture_and_sound_go_in_step(page, stage):
    """As the page measures each picture against what is heard then; a machine that stalls is given time."""
    opened(page, stage)
    sound_on(page)
    first = page.get_by_role("group", name="Scenes").get_by_role("button", name="Scene 1")
    play = page.get_by_role("button", name="Play", exact=True)
    for _ in range(400):
        if play.is_visible():
            first.click()
            play.click()
        page.wait_for_timeout(300)
        if in_step(page):
            break
    assert in_step(page)
    clock = page.get_by_test_id("clock").inner_text()
    assert clock > "01:00:01:00"
    # from the beginning, so that it does not end by itself meanwhile
    first.click()
    if play.is_visible():
        play.click()
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()
    # by the key, too
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()


def test_an_instrument_is_played_to_the_picture(page, stage):
    opened(page, stage)
    sound_on(page)
    page.get_by_role("group", name="Scenes").get_by_role("button", name="Scene 2").click()
    page.get_by_role("button", name="Play to it").click()
    expect(page.get_by_role("button", name="Recording", exact=True)).to_be_visible()
    page.wait_for_function(
        "() => document.querySelector('video').currentTime > 3.2", timeout=120_000
    )
    page.keyboard.down("z")
    page.wait_for_timeout(600)
    page.keyboard.up("z")
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.locator("[data-clip]")).to_have_count(3)
    stored(page)
    taken = next(one for one in clips(stage) if one["take"])
    assert taken["start"] == 60
    # what is late on its way to the ears was played later, too
    assert 0.005 < taken["offset"] < 0.3
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.locator("[data-clip]")).to_have_count(2)


def test_it_is_made_right_and_handed_over(page, stage, tmp_path):
    opened(page, stage)
    ready = page.get_by_role("region", name="Ready?")
    expect(ready.get_by_text("goes on past the end")).to_be_visible()
    ready.get_by_role("button", name="let it end with the picture").click()
    expect(ready.get_by_text("nothing rings past the end")).to_be_visible()
    expect(ready.get_by_text("the whole: −23.0 LUFS")).to_be_visible()
    page.get_by_role("button", name="Hand over 2 stems").click()
    link = page.get_by_role("link", name="Download")
    expect(link).to_be_visible(timeout=120_000)
    with page.expect_download() as download:
        link.click()
    path = tmp_path / "stems.zip"
    download.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        names = {Path(name).name for name in archive.namelist()}
    assert {"Film_whole.wav", "Film.otio", "Film_cues.html", "SHA256SUMS"} <= names
    expect(page.get_by_text("nothing was changed since then")).to_be_visible()
    page.locator("[data-clip]").first.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("since then changed: lane")).to_be_visible()
    assert violations(page) == []


def test_it_fits_a_small_window(page, stage):
    page.set_viewport_size({"width": 1024, "height": 700})
    opened(page, stage)
    page.locator("[data-clip]").first.focus()
    expect(page.get_by_role("region", name="The chosen clip")).to_be_visible()
    assert inside(page)
    assert violations(page) == []


def test_a_timeline_is_deleted_and_brought_back(page, stage):
    opened(page, stage)
    page.get_by_role("button", name="More of timelines").click()
    page.get_by_role("menuitem", name="Delete this timeline").click()
    expect(page.get_by_text("'Film' is deleted.")).to_be_visible()
    page.get_by_role("button", name="Undo").last.click()
    expect(page.locator("[data-clip]")).to_have_count(2)
