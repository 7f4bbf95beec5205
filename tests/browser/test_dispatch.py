"""Edits the plan of a warehouse on its picture, receives goods, and looks after parcels, in a browser."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations

pytestmark = pytest.mark.browser
PLAN = "/setup/warehouses/millrace/plan"


@pytest.fixture
def desk(demo, page):
    """Signs the owner in."""
    page.goto(f"{demo.url}/sign-in")
    page.get_by_text("Imogen Hartwell").click()
    page.wait_for_url(f"{demo.url}/")
    return page


def names(page):
    return page.input_value("[name=names]").split()


def drawn(page):
    return [one.get_attribute("data-aisle") for one in page.locator("#floor [data-aisle]").all()]


def test_a_plan_is_edited_by_keys_and_by_dragging(demo, desk):
    desk.goto(f"{demo.url}{PLAN}")
    assert violations(desk) == []
    before = names(desk)
    first = desk.locator(f'[data-aisle="{before[0]}"]')
    first.focus()
    desk.keyboard.press("ArrowRight")
    expect(desk.locator("#floor [data-aisle]").first).to_have_attribute("data-aisle", before[1])
    moved = [before[1], before[0], *before[2:]]
    assert names(desk) == drawn(desk) == moved
    desk.keyboard.press("Insert")
    expect(desk.locator("#floor [data-aisle]")).to_have_count(len(before) + 1)
    assert desk.input_value("[name=aisles]") == str(len(before) + 1)
    desk.keyboard.press("Delete")
    expect(desk.locator("#floor [data-aisle]")).to_have_count(len(before))
    last = desk.locator("#floor [data-aisle]").last.bounding_box()
    grip = desk.locator("#floor [data-aisle]").first.bounding_box()
    desk.mouse.move(grip["x"] + 5, grip["y"] + 5)
    desk.mouse.down()
    desk.mouse.move(last["x"] + last["width"] + 8, grip["y"] + 5, steps=5)
    desk.mouse.up()
    expect(desk.locator("#floor [data-aisle]").last).to_have_attribute("data-aisle", moved[0])
    there = desk.locator("#floor [data-cross]").count()
    desk.get_by_text("Add a cross aisle").click()
    expect(desk.locator("#floor [data-cross]")).to_have_count(there + 1)
    first, *others = desk.input_value("[name=cross_aisles]").split()
    desk.locator("#floor [data-cross]").first.focus()
    desk.keyboard.press("ArrowUp")
    higher = " ".join([f"{float(first) + 1:g}", *others])
    expect(desk.locator("[name=cross_aisles]")).to_have_value(higher)
    desk.goto(f"{demo.url}{PLAN}")
    assert names(desk) == before, "nothing is kept before it is saved"


def test_goods_come_in_by_scanner(demo, desk):
    desk.goto(f"{demo.url}/dispatch/goods-in?warehouse=millrace")
    assert violations(desk) == []

    def scan(code):
        desk.fill("#goods-code", code)
        desk.keyboard.press("Enter")

    scan("TL-SNIPS")
    expect(desk.locator(".take")).to_contain_text("1 in the hand")
    scan("3")
    expect(desk.locator(".take")).to_contain_text("3 in the hand")
    scan("NOWHERE")
    expect(desk.locator(".stop-sign")).to_contain_text("is no bin of Millrace")
    scan(desk.locator(".place").first.inner_text())
    expect(desk.locator(".notice.good")).to_contain_text("3 of TL-SNIPS lie in")


def test_rooms_of_dispatch_and_rules_of_carriage_can_be_used_by_everybody(demo, desk):
    for path in (
        "/dispatch/parcels?show=look",
        "/dispatch/figures",
        "/setup/carriage",
        "/setup/carriers/ostrel",
        "/setup/inserts",
        "/setup/papers",
    ):
        desk.goto(f"{demo.url}{path}")
        assert violations(desk) == [], path
    desk.goto(f"{demo.url}/dispatch/parcels?show=lost")
    desk.locator("table.rows td.sku a").first.click()
    expect(desk.locator("h1")).to_contain_text("Parcel")
    assert violations(desk) == []


def test_goods_are_arranged_in_their_carton_by_dragging_and_by_keys(demo, person):
    shipments = demo.api.get("/shipments", params={"state": "to pack"}).json()["items"]
    person.goto(f"{demo.url}/dispatch/bench?shipment={shipments[0]['id']}")
    unit = person.locator(".above .unit").first
    expect(unit).to_have_attribute("data-x", "0.0")
    unit.focus()
    person.keyboard.press("ArrowRight")
    moved = person.locator(".above .unit[data-moved]")
    expect(moved).not_to_have_attribute("data-x", "0.0")
    expect(moved).to_be_focused()
    person.keyboard.press("ArrowDown")
    expect(moved).not_to_have_attribute("data-y", "0.0")
    box, wall = moved.bounding_box(), person.locator(".above .wall").first.bounding_box()
    person.mouse.move(box["x"] + 10, box["y"] + 10)
    person.mouse.down()
    person.mouse.move(wall["x"] + 12, wall["y"] + 12, steps=4)
    person.mouse.up()
    expect(moved).to_have_attribute("data-x", "0.0")
    expect(moved).to_have_attribute("data-y", "0.0")
    assert violations(person) == []
