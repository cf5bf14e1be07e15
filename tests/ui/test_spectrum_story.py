"""Spectra in a browser: taken, heard by parts, frozen, morphed by a macro; colour; the map of segments."""

from __future__ import annotations

import zipfile

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import Page, expect

from tests.conftest import RATE, harmonic_tone
from tests.servers import Server
from tests.sounds import vowel
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_story import parameter, sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def spectra(full_server, tmp_path_factory) -> Server:
    """A server with a struck tone, a voice and a noise, and an instrument of its own."""
    folder = tmp_path_factory.mktemp("spectra")
    t = np.arange(4 * RATE) / RATE
    sounds = {
        "struck": harmonic_tone(220.0, 4.0) * np.exp(-t),
        "voice": vowel(140.0, 3.0),
        "surf": 0.1 * np.random.default_rng(1).standard_normal(3 * RATE) * (1.2 + np.sin(9 * t[: 3 * RATE])),
    }  # fmt: skip
    full_server.taken = {}
    for name, samples in sounds.items():
        sf.write(folder / f"{name}.wav", samples, RATE, "PCM_24")
        added = full_server.add(folder / f"{name}.wav")["result"]["recording"]
        full_server.taken[name] = added
    return full_server


def document(server: Server, number: int) -> dict:
    return server.json("GET", f"/api/instruments/{number}")["document"]


def number_of(page: Page) -> int:
    return int(page.url.rsplit("/", 1)[1])


def face(page: Page, name: str) -> None:
    page.get_by_role("radio", name=name, exact=True).click()


def pick(page: Page, name: str) -> None:
    page.get_by_role("searchbox", name="Search the shelf").fill(name)
    page.locator(f'[data-pick="{name}"]').click()


def test_a_recording_is_taken_apart_and_heard_by_parts(page, spectra):
    page.goto(f"{spectra.url}/bench/{spectra.taken['struck']}")
    page.get_by_role("button", name="Spectrum", exact=True).click()
    summary = page.get_by_test_id("bench-summary")
    expect(summary).to_contain_text("partials", timeout=120_000)
    assert violations(page) == []
    rule = parameter(page, "partials")
    rule.focus()
    page.keyboard.press("Home")
    expect(summary).to_contain_text("1 at once", timeout=120_000)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(summary).not_to_contain_text("1 at once", timeout=120_000)
    for part in ("Partials", "Recording"):
        face(page, part)
        page.get_by_role("button", name="Listen", exact=True).click()
        wait_for_level(page, -60)
        page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_role("button", name="File").click()
    with page.expect_download() as saved:
        page.get_by_role("menuitem", name="Save the spectrum as a file").click()
    assert saved.value.suggested_filename == "struck, spectrum.spectrum"
    assert "spectrum.json" in zipfile.ZipFile(saved.value.path()).namelist()
    spectra.spectrum = number_of(page)


def test_it_grows_is_frozen_and_moved_by_a_route(page, spectra):
    page.goto(f"{spectra.url}/bench/{spectra.spectrum}")
    page.get_by_role("button", name="Grow an instrument from it").click()
    page.wait_for_url("**/instrument/*", timeout=120_000)
    spectra.frozen = number_of(page)
    face(page, "still")
    position = parameter(page, "position")
    position.focus()
    page.keyboard.press("Shift+Enter")
    panel = page.get_by_label("What moves this", exact=True)
    panel.get_by_role("button", name="Back").click()
    face(page, "routes")
    say = page.get_by_label("Say what moves what")
    say.fill("pad across > struck position 40 %")
    say.press("Enter")
    expect(page.get_by_text("pad across").first).to_be_visible()
    made = document(spectra, spectra.frozen)
    assert made["layers"][0]["settings"]["motion"] == "still"
    assert any(route["parameter"] == "position" for route in made["routes"])
    face(page, "layers")
    sound_on(page)
    page.keyboard.down("z")
    wait_for_level(page, -50)
    page.keyboard.up("z")


def test_three_sounds_are_morphed_by_a_macro(page, spectra):
    page.goto(f"{spectra.url}/instrument/{spectra.frozen}")
    for name in ("voice", "surf"):
        page.get_by_role("button", name="+ Sound").click()
        pick(page, name)
        expect(page.get_by_label("Sounds", exact=True)).to_contain_text(name)
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("A way through 3 sounds")
    page.get_by_role("button", name="Move surf earlier").click()
    expect(page.get_by_label("Sounds", exact=True).get_by_role("listitem").nth(1)).to_contain_text(
        "surf"
    )
    page.get_by_label("Sounds", exact=True).get_by_text("all", exact=True).nth(1).click()
    page.keyboard.type("0.5 to 2")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Sounds", exact=True)).to_contain_text("0.5 to 2 s")
    picture = page.get_by_test_id("morph")
    expect(picture).to_contain_text("100 % struck", timeout=120_000)
    strip = page.get_by_label("Play strip")
    strip.get_by_role("radio", name="Handles").click()
    strip.get_by_role("button", name="Add a macro").click()
    face(page, "routes")
    say = page.get_by_label("Say what moves what")
    name = document(spectra, spectra.frozen)["modulators"][-1]["name"]
    say.fill(f"{name} > struck morph 100 %")
    say.press("Enter")
    face(page, "layers")
    sound_on(page)
    page.keyboard.down("z")
    wait_for_level(page, -50)
    value = parameter(page, "value").first
    value.focus()
    page.keyboard.press("End")
    expect(picture).to_contain_text("100 % voice", timeout=120_000)
    page.keyboard.up("z")
    assert violations(page) == []
    kept = document(spectra, spectra.frozen)["layers"][0]["sounds"]
    assert [one["name"] for one in kept] == ["struck", "surf", "voice"]
    assert (kept[1]["start"], kept[1]["length"]) == (0.5, 1.5)


def test_a_layer_is_coloured_by_another_sound(page, spectra):
    page.goto(f"{spectra.url}/instrument/{spectra.frozen}")
    face(page, "tone")
    page.get_by_role("button", name="Colour it by another sound").click()
    pick(page, "surf")
    expect(page.get_by_test_id("coloured-by")).to_have_text("surf")
    expect(parameter(page, "amount")).to_be_visible()
    assert document(spectra, spectra.frozen)["layers"][0]["effects"][0]["sound"]["name"] == "surf"
    page.get_by_role("button", name="Take the colouring away").click()
    expect(parameter(page, "amount")).to_have_count(0)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_test_id("coloured-by")).to_have_text("surf")


def test_a_line_pressed_while_the_search_is_out_is_the_one_taken(page, spectra):
    grown = spectra.json("POST", f"/api/recordings/{spectra.taken['surf']}/instrument", {})
    page.goto(f"{spectra.url}/instrument/{grown['id']}")
    face(page, "tone")
    page.get_by_role("button", name="Colour it by another sound").click()
    line = page.locator("[data-pick]").nth(1)
    name = line.get_attribute("data-pick")
    box = line.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    with page.expect_response("**/recordings/found**"):
        page.get_by_role("searchbox", name="Search the shelf").fill(name)
        page.mouse.down()
    page.wait_for_timeout(300)  # the answer is there, and the button still held
    page.mouse.up()
    expect(page.get_by_test_id("coloured-by")).to_have_text(name)


def test_grains_are_chosen_on_the_map_and_follow_another_layer(page, spectra):
    grown = spectra.json("POST", f"/api/recordings/{spectra.taken['surf']}/instrument", {})
    page.goto(f"{spectra.url}/instrument/{grown['id']}")
    face(page, "a likeness")
    area = page.get_by_test_id("segments").get_by_role("application")
    expect(area).to_have_accessible_name("Map of 60 segments: brightness across, loudness up. Arrow keys move the point.")  # fmt: skip
    box = area.bounding_box()
    page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.4 * box["height"])
    stored(page)
    set_ = document(spectra, grown["id"])["layers"][0]["settings"]
    assert set_["gather"] == "a likeness"
    assert set_["across"] > 60
    area.press("ArrowLeft")
    stored(page)
    moved = document(spectra, grown["id"])["layers"][0]["settings"]["across"]
    assert moved == pytest.approx(set_["across"] - 1, abs=0.01)
    sound_on(page)
    page.keyboard.down("z")
    wait_for_level(page, -60)
    page.keyboard.up("z")
    page.get_by_role("button", name="+ Layer").click()
    page.get_by_role("dialog").get_by_role("radio", name="wave", exact=True).click()
    page.get_by_role("button", name="Add", exact=True).click()
    page.get_by_test_id("layer").first.get_by_role("button", name="surf").click()
    page.get_by_label("Layer to speak as").select_option(index=1)
    stored(page)
    expect(page.get_by_label("Layer to speak as")).to_have_value("1")
    made = document(spectra, grown["id"])
    assert {route["parameter"] for route in made["routes"]} >= {"across", "up"}
    assert violations(page) == []
