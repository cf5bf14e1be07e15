"""A signature sound built in the mix: two embeddings and a hall, ducking, a room moved by touch, a kept chain."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.servers import Server
from tests.ui.conftest import stored
from tests.ui.test_story import sound_on, wait_for_level

pytestmark = pytest.mark.ui


@pytest.fixture(scope="module")
def built(full_server) -> Server:
    """A server with an instrument of two layers of its own, and a plain one."""
    first = full_server.json("GET", "/api/recordings")["recordings"][0]
    for name in ("mixed", "plain"):
        made = full_server.json("POST", f"/api/recordings/{first['id']}/instrument", {})
        setattr(full_server, name, made["id"])
    action = {"do": "add", "kind": "wave", "shape": "saw", "revision": 0}
    full_server.json("POST", f"/api/instruments/{full_server.mixed}/layers", {"action": action})
    return full_server


def opened(page: Page, server, id_: int) -> None:
    page.goto(f"{server.url}/instrument/{id_}")
    page.get_by_role("radio", name="mix", exact=True).click()
    expect(page.get_by_title("Its level, ceiling and meters")).to_be_visible()


def document(server) -> dict:
    return server.json("GET", f"/api/instruments/{server.mixed}")["document"]


def stream(page: Page, name: str):
    return page.locator('button[title^="Its "]').filter(has_text=name)


def add(page: Page, stream: str, effect: str) -> None:
    page.get_by_role("button", name=f"Add an effect to {stream}").click()
    page.get_by_role("menuitem").filter(has_text=effect).first.click()
    panel = page.get_by_label("Effect", exact=True).first
    expect(panel.get_by_role("heading", level=2, name=effect)).to_be_visible()
    stored(page)


def test_a_shared_stream_gets_two_embeddings_and_a_hall(page, built):
    opened(page, built, built.mixed)
    page.get_by_role("button", name="+ Shared stream").click()
    expect(stream(page, "Shared 1")).to_be_visible()
    for wire in ("low wire", "high wire"):
        add(page, "Shared 1", "Embed")
        page.get_by_role("button", name="Choose a sound").click()
        page.locator(f'[data-pick="{wire}"]').click()
        expect(page.get_by_test_id("effect-sound")).to_have_text(wire)
        expect(page.get_by_role("img", name="What Embed does")).to_have_count(
            1 + len(document(built)["buses"][0]["effects"])
        )
    add(page, "Shared 1", "Room")
    kinds = [one["kind"] for one in document(built)["buses"][0]["effects"]]
    assert kinds == ["embed", "embed", "room"]
    stream(page, "Saw wave").click()
    page.get_by_label("Where it goes").get_by_role("button", name="Shared 1").click()
    expect(page.get_by_role("heading", name="Sent to Shared 1")).to_be_visible()
    stored(page)
    assert len(document(built)["layers"][1]["sends"]) == 1


def test_an_effect_is_moved_by_the_keyboard_switched_off_and_undone(page, built):
    opened(page, built, built.mixed)
    stations = page.locator("[data-effect]")
    room = stations.filter(has_text="Room")
    room.focus()
    page.keyboard.press("Alt+ArrowLeft")
    stored(page)
    kinds = [one["kind"] for one in document(built)["buses"][0]["effects"]]
    assert kinds == ["embed", "room", "embed"]
    page.get_by_role("button", name="Undo").click()
    stored(page)
    room.focus()
    page.keyboard.press("Alt+ArrowUp")
    stored(page)
    assert [one["kind"] for one in document(built)["layers"][1]["effects"]] == ["room"]
    # the focus has gone with it
    expect(room).to_be_focused()
    page.keyboard.press("Alt+ArrowDown")
    stored(page)
    kinds = [one["kind"] for one in document(built)["buses"][0]["effects"]]
    assert sorted(kinds) == ["embed", "embed", "room"]
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
        stored(page)
    room.click()
    page.get_by_role("radiogroup", name="Effect", exact=True).get_by_text("off", exact=True).click()
    expect(room).to_contain_text("off")
    stored(page)
    assert document(built)["buses"][0]["effects"][2]["settings"]["on"] == "off"
    page.get_by_role("button", name="Undo").click()
    expect(room).not_to_contain_text("off")


def test_one_layer_ducks_another(page, built):
    opened(page, built, built.mixed)
    name = document(built)["layers"][0]["name"]
    add(page, name, "Compressor")
    page.get_by_label("layer it listens to").select_option(label="Saw wave")
    stored(page)
    effect = document(built)["layers"][0]["effects"][-1]
    assert effect["listens_to"] == document(built)["layers"][1]["id"]
    assert effect["settings"]["listens"] == "a layer"


def test_a_rule_of_an_effect_is_moved_by_touch(page, built):
    opened(page, built, built.mixed)
    page.locator("[data-effect]").filter(has_text="Room").click()
    page.get_by_label("Effect", exact=True).first.get_by_role("slider", name="mix").focus()
    page.keyboard.press("Shift+Enter")
    expect(page.get_by_role("complementary", name="What moves this")).to_contain_text("room, mix")
    page.get_by_role("button", name="A source that is to move it").click()
    page.get_by_role("searchbox", name="Search what moves").fill("pressure")
    page.keyboard.press("Enter")
    stored(page)
    room = document(built)["buses"][0]["effects"][2]["id"]
    routes = [one for one in document(built)["routes"] if one["target"] == room]
    assert [(one["source"], one["parameter"]) for one in routes] == [("pressure", "mix")]


def test_it_is_heard_and_only_what_an_effect_changes(page, built):
    opened(page, built, built.mixed)
    sound_on(page)
    page.keyboard.down("z")
    wait_for_level(page, -50)
    expect(page.get_by_title("Its level, ceiling and meters")).to_contain_text("LUFS")
    page.locator("[data-effect]").filter(has_text="Room").click()
    hear = page.get_by_role("button", name="Hear what it changes")
    hear.click()
    expect(page.get_by_text("alone", exact=True)).to_be_visible()
    page.get_by_role("button", name="Hearing only what it changes").click()
    expect(hear).to_be_visible()
    page.keyboard.up("z")


def test_a_chain_is_kept_and_used_on_another_instrument(page, built):
    opened(page, built, built.mixed)
    page.locator("[data-effect]").filter(has_text="Room").click()
    page.get_by_role("button", name="type a name").click()
    page.get_by_label("Name to keep the chain under").fill("Two panes and a hall")
    page.keyboard.press("Enter")
    expect(page.get_by_text("'Two panes and a hall' is kept")).to_be_visible()
    opened(page, built, built.plain)
    page.get_by_role("button", name="Add an effect to the whole").click()
    page.get_by_role("menuitem").filter(has_text="Two panes and a hall").get_by_role(
        "button"
    ).first.click()
    expect(page.locator("[data-effect]")).to_have_count(3)
    stored(page)
    plain = built.json("GET", f"/api/instruments/{built.plain}")["document"]
    assert [one["kind"] for one in plain["effects"]] == ["embed", "embed", "room"]
    assert plain["effects"][0]["sound"]["name"] == "low wire"


def test_a_band_is_dragged_on_its_curve(page, built):
    opened(page, built, built.plain)
    page.get_by_role("button", name="Add an effect to the whole").click()
    page.get_by_role("menuitem").filter(has_text="Equaliser").first.click()
    band = page.get_by_role("button", name="Band 3, bell")
    box = band.bounding_box()
    assert box
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 90, box["y"] - 50, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    assert band.bounding_box() == box
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] - 30, steps=4)
    page.mouse.up()
    stored(page)
    equaliser = built.json("GET", f"/api/instruments/{built.plain}")["document"]["effects"][-1]
    assert equaliser["kind"] == "equaliser"
    assert equaliser["settings"]["gain_3"] > 5
    assert equaliser["settings"]["hz_3"] > 600


def test_the_spectrum_stands_behind_an_equaliser_and_a_compressor_tells_the_noise_floor(
    page, built
):
    opened(page, built, built.plain)
    add(page, "the whole", "Compressor")
    sound_on(page)
    page.keyboard.down("z")
    wait_for_level(page, -50)
    floor = page.get_by_test_id("noise-floor")
    expect(floor).to_contain_text("dB in,", timeout=20_000)
    expect(page.get_by_test_id("passing")).to_have_count(0)
    page.locator("[data-effect]").filter(has_text="Equaliser").first.click()
    expect(page.get_by_test_id("passing")).to_be_visible()
    expect(floor).to_have_count(0)
    # meters of one stream, as long as it is looked at
    stream(
        page, built.json("GET", f"/api/instruments/{built.plain}")["document"]["layers"][0]["name"]
    ).click()
    meters = page.get_by_role("region", name="Meters")
    expect(meters).to_contain_text("LUFS")
    expect(meters).to_contain_text("since this was opened")
    expect(meters).not_to_contain_text("limiter")
    page.keyboard.up("z")
