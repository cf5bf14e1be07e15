"""What moves what, in a browser: made each way, read back, mended, walked along."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_story import parameter, sound_on

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def moving(full_server) -> Server:
    """A server with an instrument of its own, in which nothing moves yet."""
    first = full_server.json("GET", "/api/recordings")["recordings"][0]
    made = full_server.json("POST", f"/api/recordings/{first['id']}/instrument", {})
    still = {"revision": 0, "do": "remove", "ids": ["m1", "m2"]}
    full_server.json("POST", f"/api/instruments/{made['id']}/movement", {"action": still})
    full_server.moving = made["id"]
    return full_server


def document(server) -> dict:
    return server.json("GET", f"/api/instruments/{server.moving}")["document"]


def opened(page: Page, server, way: str) -> None:
    page.goto(f"{server.url}/instrument/{server.moving}")
    page.get_by_role("radio", name=way, exact=True).click()


def last_route(server) -> dict:
    return document(server)["routes"][-1]


def row(page: Page, text: str):
    return page.locator("[data-route]").filter(has_text=text)


def test_a_modulator_is_made_and_a_route_said(page, moving):
    opened(page, moving, "routes")
    page.get_by_role("button", name="+ Modulator").click()
    page.get_by_role("menuitem", name="LFO").click()
    expect(page.locator("[data-modulator]")).to_have_count(1)
    parameter(page, "rate").focus()
    page.keyboard.press("PageUp")
    say = page.get_by_test_id("say")
    say.fill("blorp > low pan 30 %")
    say.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Nothing here is called 'blorp'")
    assert not [r for r in document(moving)["routes"] if r["source"] == "m:m1"]
    say.fill("lf > low wire pa")
    expect(page.get_by_role("option").first).to_contain_text("low wire pan")
    say.press("Tab")
    expect(say).to_have_value("lf > low wire pan 40 %")
    say.fill("lfo > low wire pan 30 %")
    say.press("Enter")
    expect(row(page, "pan")).to_contain_text("LFO moves low wire · pan by ±30 %")
    assert (last_route(moving)["source"], last_route(moving)["depth"]) == ("m:m1", 30)


def test_a_route_is_made_from_a_control_and_its_range_dragged_on_the_rule(page, moving):
    opened(page, moving, "layers")
    page.get_by_role("radio", name="sound", exact=True).click()
    parameter(page, "size").focus()
    page.keyboard.press("Shift+Enter")
    page.get_by_role("button", name="A source that is to move it").click()
    page.get_by_role("searchbox", name="Search what moves").fill("lfo")
    page.keyboard.press("Enter")
    end = page.locator('[data-end="1"]')
    before = end.get_attribute("aria-label")
    box = end.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 7)
    page.mouse.down()
    page.mouse.move(box["x"] + 30, box["y"] + 7, steps=5)
    expect(end).not_to_have_attribute("aria-label", before)
    page.keyboard.press("Escape")
    expect(end).to_have_attribute("aria-label", before)
    page.mouse.up()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 7)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 7, steps=5)
    page.mouse.up()
    expect(end).not_to_have_attribute("aria-label", before)
    route = last_route(moving)
    assert (route["target"], route["parameter"]) == ("l1", "size")
    assert route["span"] is not None
    expect(page.get_by_text("lands from")).to_be_visible()


def test_a_modulator_is_dragged_onto_a_control(page, moving):
    opened(page, moving, "routes")
    page.locator("[data-modulator]").first.drag_to(parameter(page, "density"))
    expect(row(page, "density")).to_contain_text("LFO moves low wire · density by ±1 octave")
    assert last_route(moving)["parameter"] == "density"


def test_what_arrives_is_read_back_and_paths_are_walked_both_ways(page, moving):
    opened(page, moving, "routes")
    sound_on(page)
    strip = page.get_by_label("Play strip").bounding_box()
    page.mouse.move(strip["x"] + 0.45 * strip["width"], strip["y"] + 0.5 * strip["height"])
    page.mouse.down()
    arrives = row(page, "pan").locator("[data-arrives]")
    expect(arrives).to_contain_text("%")
    # it moves by itself
    seen = {arrives.inner_text() for _ in range(12) if page.wait_for_timeout(150) is None}
    assert len(seen) > 3
    page.mouse.up()
    row(page, "pan").get_by_title("What moves this").click()
    panel = page.get_by_label("What moves this", exact=True)
    expect(panel).to_contain_text("moves between")
    expect(page.get_by_test_id("value-now")).to_be_visible()
    panel.get_by_role("button", name="Go to LFO").click()
    modulator = page.get_by_label("Modulator", exact=True)
    expect(modulator.get_by_label("What it moves")).to_contain_text("low wire · density")
    modulator.get_by_role("button", name="density").click()
    expect(panel).to_contain_text("density")
    page.get_by_role("button", name="Silence").click()


def test_what_the_pointer_is_over_is_drawn_on_the_picture(page, moving):
    """The way that a route takes along a recording, and in words what it does."""
    opened(page, moving, "layers")
    page.locator("[data-parameter=position]").focus()
    page.keyboard.press("Shift+Enter")
    panel = page.get_by_label("What moves this", exact=True)
    panel.get_by_role("button", name="A source that is to move it").click()
    panel.locator("[data-target='played.wheel']").click()
    picture = page.get_by_test_id("stratum").first
    panel.get_by_label("What moves it").get_by_role("button", name="mod wheel").hover()
    expect(picture).to_contain_text("mod wheel moves position")
    path, whole = picture.get_by_test_id("path").bounding_box(), picture.bounding_box()
    assert 0.02 < path["width"] / whole["width"] < 0.9
    page.get_by_role("button", name="Silence").hover()
    expect(picture.get_by_test_id("path")).to_have_count(0)
    page.get_by_role("button", name="Undo", exact=True).click()


def test_a_contour_is_given_a_recording(page, moving):
    opened(page, moving, "routes")
    page.get_by_role("button", name="+ Modulator").click()
    page.get_by_role("menuitem", name="contour").click()
    panel = page.get_by_label("Modulator", exact=True)
    expect(panel).to_contain_text("nothing yet")
    panel.get_by_role("button", name="Choose a recording").click()
    dialog = page.get_by_role("dialog")
    dialog.locator("[data-pick='low wire']").click()
    expect(panel).to_contain_text("low wire")
    panel.get_by_role("button", name="Remove", exact=True).click()
    expect(panel).to_be_hidden()


def test_the_doctor_points_out_a_zero_and_its_fix_is_accepted(page, moving):
    opened(page, moving, "routes")
    say = page.get_by_test_id("say")
    say.fill("lfo > low wire size 0 oct")
    say.press("Enter")
    expect(page.get_by_text("has a depth of 0")).to_be_visible()
    page.get_by_role("button", name="Give it a depth").click()
    expect(page.get_by_text("has a depth of 0")).to_have_count(0)
    assert last_route(moving)["depth"] == 1


def test_mirroring_switching_off_undo_and_the_grid(page, moving):
    opened(page, moving, "routes")
    row(page, "pan").get_by_title("What moves this").click()
    count = len(document(moving)["routes"])
    page.get_by_label("Mirror onto another control").click()
    page.get_by_label("Search the controls").fill("position")
    page.locator("[data-target='l1.position']").click()
    expect(page.locator("[data-route]")).to_have_count(count + 1)
    assert last_route(moving)["depth"] < 0
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-route]")).to_have_count(count)
    page.get_by_role("button", name="All off").click()
    expect(page.get_by_role("button", name="All routes are off: switch on")).to_be_visible()
    page.get_by_role("button", name="All routes are off: switch on").click()
    page.get_by_role("radio", name="grid", exact=True).click()
    grid = page.get_by_role("table", name="Routes as a grid")
    expect(grid.get_by_role("button", name="LFO moves low wire · pan by ±30 %")).to_be_visible()


def test_a_movement_is_kept_and_dropped_into_another_instrument(page, moving):
    opened(page, moving, "routes")
    page.locator("[data-modulator]").first.click()
    page.get_by_role("button", name="Keep for reuse").click()
    expect(page.get_by_text("is kept with its")).to_be_visible()
    first = moving.json("GET", "/api/recordings")["recordings"][0]
    made = moving.json("POST", f"/api/recordings/{first['id']}/instrument", {})
    page.goto(f"{moving.url}/instrument/{made['id']}")
    page.get_by_role("button", name="+ Modulator").click()
    expect(page.locator("[data-modulator]")).to_have_count(2)
    page.get_by_role("menuitem").get_by_text("with 4 routes").click()
    expect(page.locator("[data-modulator]")).to_have_count(3)
    expect(row(page, "pan")).to_contain_text("LFO moves low wire · pan by ±30 %")


def test_routes_that_find_nothing_here_are_laid_to_what_comes_nearest(page, moving):
    """A noise has no position to read from, no grains and no size."""
    noise = {"name": "Hiss", "layers": [{"id": "l1", "name": "hiss", "kind": "noise"}]}
    made = moving.json("POST", "/api/instruments", {"document": noise})
    page.goto(f"{moving.url}/instrument/{made['id']}")
    page.get_by_role("radio", name="routes", exact=True).click()
    page.get_by_role("button", name="+ Modulator").click()
    page.get_by_role("menuitem").get_by_text("with 4 routes").click()
    dialog = page.get_by_role("dialog", name="What should it move here?")
    expect(dialog.get_by_role("listitem").first).to_be_visible()
    page.wait_for_timeout(400)  # what it fades in with is no colour of its own
    assert violations(page) == []
    lost = dialog.get_by_role("listitem").count()
    there = page.locator("[data-route]").count()
    dialog.get_by_role("listitem").first.get_by_title("What comes nearest to it here").first.click()
    expect(page.locator("[data-route]")).to_have_count(there + 1)
    if lost > 1:
        expect(dialog.get_by_role("listitem")).to_have_count(lost - 1)
        page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)


def test_macros_are_handles_on_the_play_strip(page, moving):
    opened(page, moving, "routes")
    strip = page.get_by_label("Play strip")
    strip.get_by_role("radio", name="Handles").click()
    strip.get_by_role("button", name="Add a macro").click()
    value = parameter(page, "value").first
    value.focus()
    page.keyboard.press("End")
    stored(page)
    assert document(moving)["modulators"][-1]["settings"]["value"] == 100
    strip.get_by_role("button", name="Random").click()
    stored(page)
    assert document(moving)["modulators"][-1]["settings"]["value"] != 100
    page.get_by_test_id("pad").press("ArrowRight")


def test_a_new_route_is_scrolled_to_and_lit(page, moving):
    """However many there are, what was just made is in sight."""
    page.set_viewport_size({"width": 1024, "height": 700})
    opened(page, moving, "routes")
    # counted once they are there
    there = len(document(moving)["routes"])
    expect(page.locator("[data-route]")).to_have_count(there)
    for control in ("level", "pan", "cutoff", "position", "density", "size"):
        count = page.locator("[data-route]").count()
        page.get_by_test_id("say").fill(f"velocity > low wire {control} 1")
        page.keyboard.press("Enter")
        expect(page.locator("[data-route]")).to_have_count(count + 1)
    expect(page.locator("[data-route]").first).not_to_be_in_viewport()
    expect(page.locator("[data-route]").last).to_be_in_viewport()
