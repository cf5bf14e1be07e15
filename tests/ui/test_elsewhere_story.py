"""What another page, a script or the server itself begins comes up on a page that only looks on."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.servers import running

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def served(tmp_path_factory):
    with running(tmp_path_factory.mktemp("elsewhere") / "project") as server:
        yield server


@pytest.fixture
def page(browser):
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    yield context.new_page()
    context.close()


def test_a_recording_that_another_adds_lies_on_the_shelf(page, served, sounds):
    page.goto(f"{served.url}/field")
    expect(page.get_by_role("button", name="Add recordings").first).to_be_visible()
    expect(page.locator("[data-recording]")).to_have_count(0)
    served.add(sounds / "high wire.wav")
    expect(page.locator("[data-recording]")).to_contain_text("high wire")


def test_a_set_that_another_draws_opens_on_the_empty_page_and_is_told_anew(page, served):
    made = served.json("POST", "/api/recordings/1/instrument", {})
    page.goto(f"{served.url}/deliver")
    expect(page.get_by_role("radio", name="game")).to_be_visible()
    expect(page.locator("[data-line]")).to_have_count(0)
    body = {"instrument": made["id"], "name": "Drips"}
    drips = served.json("POST", "/api/variations", body)
    settings = [
        {"op": "replace", "path": f"/settings/{key}", "value": value}
        for key, value in (("drawn", 4), ("kept", 2), ("seconds", 0.2))
    ]
    url = f"/api/variations/{drips['id']}"
    changed = {"revision": drips["revision"], "label": "Few", "patch": settings}
    served.json("PATCH", url, changed)
    served.ended(served.json("POST", f"{url}/draw")["job"])
    expect(page.get_by_role("heading", name="Drips")).to_be_visible()
    expect(page.locator("[data-line]")).to_have_count(2)
    # drawn again, while it is open
    now = served.json("GET", url)["revision"]
    three = [{"op": "replace", "path": "/settings/kept", "value": 3}]
    served.json("PATCH", url, {"revision": now, "label": "More", "patch": three})
    served.ended(served.json("POST", f"{url}/draw")["job"])
    expect(page.locator("[data-line]")).to_have_count(3)
