"""An instrument as samples: sampled, heard, handed over; and on other machines."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator

import pytest
from playwright.sync_api import expect

from tests import clusters
from tests.servers import Server, running
from tests.ui.conftest import stored
from tests.ui.test_access import violations
from tests.ui.test_deliver_story import typed
from tests.ui.test_shelf_story import inside
from tests.ui.test_story import sound_on

pytestmark = pytest.mark.ui
_LONG_MS = 120_000


@pytest.fixture(scope="module")
def stage(tmp_path_factory, sounds) -> Iterator[Server]:
    with running(tmp_path_factory.mktemp("ui-samples") / "project") as one:
        one.add(sounds / "low wire.wav")
        one.made = one.json("POST", "/api/recordings/1/instrument", {})["id"]
        yield one


def test_an_empty_page_says_what_to_do(page, stage):
    page.goto(f"{stage.url}/deliver")
    page.get_by_role("radio", name="samples").click()
    expect(page.get_by_text("Other tools play an instrument as samples")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="New set").click()
    page.get_by_role("menuitem", name="low wire").click()
    expect(page.get_by_text("Nothing has been sampled yet.")).to_be_visible()
    expect(page.get_by_text("About 16 to 61 keys")).to_be_visible()
    assert violations(page) == []


def test_it_is_sampled_heard_and_handed_over(page, stage):
    page.goto(f"{stage.url}/deliver/samples")
    expect(page.get_by_text("Nothing has been sampled yet.")).to_be_visible()
    typed(page, "Keys lowest key", "C3")
    typed(page, "Keys highest key", "C4")
    typed(page, "How it is played held", 1.5)
    page.get_by_role("radio", name="evenly").click()
    stored(page)
    expect(page.get_by_text("About 4 keys: 16 files")).to_be_visible()
    page.get_by_role("button", name="Sample", exact=True).click()
    notes = page.locator("[data-note]")
    expect(notes).to_have_count(8, timeout=_LONG_MS)
    expect(page.get_by_text("8 notes of low wire, at 4 keys")).to_be_visible()
    sound_on(page)
    chart = page.get_by_test_id("key-map")
    chart.focus()
    chart.press("Enter")
    expect(page.get_by_role("button", name="Stop C3, velocity 64")).to_be_visible()
    chart.press("ArrowUp")
    expect(page.get_by_role("button", name="Stop C3, velocity 127")).to_be_visible()
    chart.press("ArrowRight")
    expect(page.get_by_role("button", name="Stop E3, velocity 127")).to_be_visible()
    page.get_by_role("button", name="Hear the loop").click()
    expect(page.get_by_role("button", name="Stop the loop")).to_be_visible()
    page.get_by_role("button", name="Stop the loop").click()
    assert violations(page) == []
    assert inside(page)
    page.get_by_role("button", name="Hand over 16 files").click()
    expect(page.get_by_text("It is ready")).to_be_visible(timeout=_LONG_MS)
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    with zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())) as whole:
        assert "low wire/low wire.sfz" in whole.namelist()


def test_changed_settings_are_said_and_undone(page, stage):
    page.goto(f"{stage.url}/deliver/samples")
    expect(page.locator("[data-note]")).to_have_count(8)
    typed(page, "Velocities velocities", 1)
    expect(page.get_by_text("The settings were changed since")).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("The settings were changed since")).to_have_count(0)


def test_other_machines_do_it_and_one_that_is_away_is_said(page, stage, tmp_path):
    page.goto(f"{stage.url}/deliver/samples")
    expect(page.locator("[data-note]")).to_have_count(8)

    def scheduler(address: str, before: str) -> None:
        page.get_by_role("button", name="Project settings").click()
        entry = page.get_by_label("Address of a scheduler")
        # what is not loaded yet cannot be changed
        expect(entry).to_have_value(before)
        with page.expect_response(
            lambda one: one.url.endswith("/api/settings") and one.request.method == "PATCH"
        ):
            entry.fill(address)
            entry.press("Enter")
        page.keyboard.press("Escape")

    nobody = f"tcp://127.0.0.1:{clusters.free_port()}"
    scheduler(nobody, "")
    page.get_by_role("button", name="Sample again").click()
    expect(page.get_by_text("No scheduler answers at").first).to_be_visible(timeout=_LONG_MS)
    with clusters.running(tmp_path, 2) as cluster:
        scheduler(cluster.address, nobody)
        page.get_by_role("button", name="Sample again").click()
        expect(page.get_by_text("Done: 8 on")).to_be_visible(timeout=_LONG_MS)
        expect(page.get_by_text("2 processes")).to_be_visible()
    expect(page.locator("[data-note]")).to_have_count(8)
    scheduler("", cluster.address)
