"""Quick hands over a slow network: nothing is lost, and nothing older is ever shown or heard."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_story import sound_on

ROUND_TRIP_MS = 600

LISTEN = """
    window.heard = [];
    const post = Worker.prototype.postMessage;
    Worker.prototype.postMessage = function (message, ...more) {
        if (message && message.send) window.heard.push(structuredClone(message.send));
        return post.call(this, message, ...more);
    };
    window.watch = (element) => {
        window.seen = [];
        const look = () => window.seen.push(Number(element.getAttribute("aria-valuenow")));
        new MutationObserver(look).observe(element, { attributeFilter: ["aria-valuenow"] });
    };
"""


@pytest.fixture
def slow(page: Page, full_server: Server) -> Page:
    """An instrument in hand, sounding, behind 300 ms each way."""
    number = full_server.json("POST", "/api/recordings/1/instrument", {})["id"]
    page.add_init_script(LISTEN)
    page.goto(f"{full_server.url}/instrument/{number}")
    expect(page.get_by_role("slider", name="Grain size", exact=True)).to_be_visible()
    sound_on(page)
    page.context.new_cdp_session(page).send(
        "Network.emulateNetworkConditions",
        {
            "offline": False,
            "latency": ROUND_TRIP_MS,
            "downloadThroughput": -1,
            "uploadThroughput": -1,
        },
    )
    page.number = number
    return page


def document(server: Server, page: Page) -> dict:
    return server.json("GET", f"/api/instruments/{page.number}")["document"]


def heard_values(page: Page, parameter: str) -> list[float]:
    """A setting of the first layer as the engine was told it, one after another."""
    return page.evaluate(
        """(parameter) => window.heard.flatMap((one) =>
            one.do === "set" && one.parameter === parameter ? [one.value]
            : one.do === "load" ? [one.document.layers[0].settings[parameter]] : [])""",
        parameter,
    )


@pytest.mark.parametrize("apart_ms", [30, 60, 150])
def test_twenty_steps_are_twenty_steps(slow, full_server, apart_ms):
    rule = slow.get_by_role("slider", name="Grain size", exact=True)
    slow.evaluate("(element) => window.watch(element)", rule.element_handle())
    rule.focus()
    slow.keyboard.press("ArrowUp")
    slow.keyboard.press("ArrowDown")
    stored(slow)
    first = float(rule.get_attribute("aria-valuenow"))
    slow.evaluate("() => { window.seen = []; window.heard = []; }")
    expected = first
    for _ in range(20):
        slow.keyboard.press("ArrowUp")
        slow.wait_for_timeout(apart_ms)
    stored(slow)
    seen = slow.evaluate("() => window.seen")
    # as many values as presses, each higher than the last: none lost, none older
    assert len(seen) == 20
    assert seen == sorted(set(seen))
    expected = seen[-1]
    assert document(full_server, slow)["layers"][0]["settings"]["size"] == pytest.approx(expected)
    heard = heard_values(slow, "size")
    assert heard == sorted(heard)
    assert heard[-1] == pytest.approx(expected)


def test_a_drag_is_not_pulled_back_by_an_answer(slow, full_server):
    rule = slow.get_by_role("slider", name="Grain size", exact=True)
    box = rule.bounding_box()
    y = box["y"] + box["height"] / 2
    # one change is on its way while the next is dragged
    rule.focus()
    slow.keyboard.press("Home")
    slow.evaluate("(element) => window.watch(element)", rule.element_handle())
    slow.mouse.move(box["x"] + 2, y)
    slow.mouse.down()
    for share in range(1, 21):
        slow.mouse.move(box["x"] + share / 20 * (box["width"] - 4), y)
        slow.wait_for_timeout(60)
    slow.mouse.up()
    stored(slow)
    seen = slow.evaluate("() => window.seen")
    assert seen == sorted(seen)
    assert document(full_server, slow)["layers"][0]["settings"]["size"] == pytest.approx(seen[-1])


def test_acts_sentences_and_undo_follow_each_other(slow, full_server):
    slow.get_by_role("radio", name="routes", exact=True).click()
    entry = slow.get_by_label("Say what moves what")
    entry.fill("mod wheel > low wire size 1 oct")
    entry.press("Enter")
    slow.get_by_role("radio", name="layers", exact=True).click()
    slow.get_by_role("button", name="Duplicate", exact=True).click()
    rule = slow.get_by_role("slider", name="Grain size", exact=True)
    rule.focus()
    for _ in range(3):
        slow.keyboard.press("ArrowUp")
    raised = float(rule.get_attribute("aria-valuenow"))
    expect(slow.get_by_test_id("layer")).to_have_count(2)
    stored(slow)
    made = document(full_server, slow)
    assert len(made["layers"]) == 2
    assert any(route["source"] == "wheel" for route in made["routes"])
    assert raised in [
        pytest.approx(layer["settings"]["size"], abs=0.01) for layer in made["layers"]
    ]
    undo = slow.get_by_role("button", name="Undo", exact=True)
    for _ in range(3):
        undo.click()
    stored(slow)
    while undo.is_enabled():
        undo.click()
        stored(slow)
    assert len(document(full_server, slow)["layers"]) == 1
    expect(slow.get_by_test_id("layer")).to_have_count(1)
    assert not re.search("mod wheel", str(document(full_server, slow)["routes"]))


def test_what_cannot_be_stored_stays_and_is_stored_later(page, full_server):
    number = full_server.json("POST", "/api/recordings/1/instrument", {})["id"]
    page.number = number
    page.goto(f"{full_server.url}/instrument/{number}")
    size = page.get_by_role("slider", name="Grain size", exact=True)
    expect(size).to_be_visible()
    before = document(full_server, page)["layers"][0]["settings"]["size"]
    full = {"status": 507, "json": {"message": "The disk is full: make room and try again."}}
    changes = re.compile(r"/api/instruments/\d+$")
    page.route(
        changes,
        lambda route: (
            route.fulfill(**full) if route.request.method == "PATCH" else route.continue_()
        ),
    )
    size.press("ArrowUp")
    outage = page.get_by_test_id("outage")
    expect(outage).to_contain_text("Not stored yet. The disk is full")
    shown = size.get_attribute("aria-valuenow")
    assert float(shown) != before
    assert document(full_server, page)["layers"][0]["settings"]["size"] == before
    page.unroute(changes)
    expect(outage).to_have_count(0, timeout=15_000)
    expect(size).to_have_attribute("aria-valuenow", shown)
    stored(page)
    after = document(full_server, page)["layers"][0]["settings"]["size"]
    assert after == pytest.approx(float(shown), rel=1e-6)
    # or it is taken back
    page.route(
        changes,
        lambda route: route.abort() if route.request.method == "PATCH" else route.continue_(),
    )
    size.press("ArrowUp")
    expect(outage).to_contain_text("The server does not answer")
    outage.get_by_role("button", name="Take it back").click()
    expect(outage).to_have_count(0)
    expect(size).to_have_attribute("aria-valuenow", shown)
