"""Tests listing on many channels, as a person walks it in the demo."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.waiting import wait_until

VIEWS = (
    "/listings/coverage",
    "/listings/gaps",
    "/listings/gaps/grid?channel=hagglet",
    "/listings/pages",
    "/listings/layers",
    "/listings/layers/1",
    "/listings/layers/new?channel=corvello&topic=wording",
    "/listings/translations?channel=corvello",
    "/listings/findings",
    "/listings/findings?linked=yes",
)


def test_axe_finds_nothing_in_the_rooms_of_the_listings(person, demo):
    for path in VIEWS:
        person.goto(f"{demo.url}{path}")
        assert violations(person) == [], path


def test_products_not_on_a_channel_are_drafted_paged_and_go_live(person, demo):
    person.goto(f"{demo.url}/listings/coverage?at_corvello=not&stock=yes&q=Soil+scoop")
    person.goto(f"{demo.url}/listings/pages?channel=corvello")
    expect(person.locator(".match").first).to_be_visible()
    sure = person.locator(".match input[type=radio]:checked")
    count = sure.count()
    assert count > 3
    person.get_by_role("button", name="Save what is chosen").click()
    expect(person.locator("#toasts")).to_contain_text(f"{count} pages chosen")
    person.goto(f"{demo.url}/listings?channel=corvello&state=ready")
    person.locator("[data-tick-all]").check()
    person.get_by_role("button", name="Publish", exact=True).click()
    person.get_by_role("button", name="Publish now").click()
    expect(person.locator("td.sku")).to_have_count(0, timeout=20_000)
    person.goto(f"{demo.url}/listings?channel=corvello&state=live")
    assert person.locator("td.sku").count() > count


def test_a_refused_family_is_repaired(person, demo):
    person.goto(f"{demo.url}/listings?channel=hagglet&state=refused&q=HP")
    person.locator("td.sku a", has_text=re.compile("^HP$")).click()
    expect(person.locator("main")).to_contain_text("We do not allow this word")
    field = person.locator("#f-own_heading")
    field.focus()
    person.keyboard.press("F4")
    expect(field).to_have_value("")
    person.get_by_role("button", name="Save", exact=True).click()
    publish = person.get_by_role("button", name="Publish the family")
    expect(publish).to_be_enabled()
    publish.click()
    wanted = {"channel": "hagglet", "state": "live", "q": "Rill", "limit": 100}
    wait_until(
        lambda: len(demo.api.get("/listings", params=wanted).json()["items"]) > 5, seconds=20
    )


def test_a_delivery_layer_is_seen_changed_and_taken_back(person, demo):
    person.goto(f"{demo.url}/listings/layers/1")
    person.get_by_label("Days to dispatch").fill("3")
    person.get_by_role("button", name="See what it would change").click()
    expect(person.locator(".impact")).to_contain_text("listings would say something else")
    person.get_by_role("button", name="Save", exact=True).click()
    expect(person.locator("#toasts")).to_contain_text("Nothing has been sent")
    person.locator("#toasts").get_by_role("button", name="Undo").click()
    expect(person.get_by_label("Days to dispatch")).to_have_value("2")


def test_findings_are_linked_by_ticking(person, demo):
    person.goto(f"{demo.url}/listings/findings?channel=hagglet&q=hook")
    person.locator("input[name=pick]").first.check()
    person.get_by_role("button", name="Link to the products beside them").click()
    expect(person.locator("#toasts")).to_contain_text("Linked: 1")


@pytest.mark.parametrize("key", ["ArrowDown", "x"])
def test_coverage_is_walked_by_keyboard(person, demo, key):
    person.goto(f"{demo.url}/listings/coverage")
    person.keyboard.press("ArrowDown")
    person.keyboard.press(key)
    ticked = person.locator("tr.ticked").count()
    assert ticked == (1 if key == "x" else 0)


def test_a_category_is_found_by_words_or_by_unfolding_the_tree_with_keys_alone(person, demo):
    listing = demo.api.get(
        "/listings", params={"channel": "corvello", "state": "draft", "limit": 1}
    ).json()["items"][0]
    demo.api.patch(f"/listings/{listing['id']}", json={"fields": {"page": "new"}})
    person.goto(f"{demo.url}/listings/{listing['id']}")
    field = person.get_by_role("combobox", name="Aisle")
    kept = person.locator("input[name=own_aisle]")
    field.focus()
    person.keyboard.type("saucers")
    person.locator(".tree-box .leaf").first.wait_for()
    assert violations(person) == []
    expect(person.locator(".tree-box .leaf")).to_have_text(
        [re.compile("Growing / Vessels / Saucers")]
    )
    person.keyboard.press("Enter")
    expect(field).to_have_value("Growing / Vessels / Saucers")
    expect(kept).to_have_value("cv-102")
    person.keyboard.press("F4")
    expect(kept).to_have_value("")
    person.keyboard.press("ArrowDown")
    person.locator(".tree-box summary", has_text="Growing").wait_for()
    assert violations(person) == []
    person.locator(".tree-box summary", has_text="Growing").focus()
    for key in ("ArrowRight", "ArrowDown", "ArrowRight", "ArrowDown", "Enter"):
        person.keyboard.press(key)
    expect(field).to_have_value(re.compile("^Growing / Vessels / "))
    person.keyboard.type("zzz")
    expect(person.locator(".tree-box")).to_contain_text("No category has words")
    person.keyboard.press("Escape")
    expect(person.locator(".tree-box")).to_be_hidden()
    person.get_by_role("button", name="Save", exact=True).click()
    assert person.url.endswith(f"/listings/{listing['id']}"), (
        "what is typed and not chosen is not sent"
    )
    assert field.evaluate("one => one.validationMessage") == "Choose one of the list."


def test_other_prices_are_seen_before_they_are_saved(person, demo):
    person.goto(f"{demo.url}/setup/channels/hagglet")
    person.locator("select[name=step_kind]").first.select_option("cover fees")
    person.get_by_label("Least margin").fill("25")
    person.get_by_label("Delivery counted at").fill("4.20")
    person.locator("#prices").get_by_role("button", name="See what it would change").click()
    expect(person.locator("#foresight")).to_contain_text("prices would be another")
    expect(person.locator("#foresight tbody tr")).to_have_count(10)
    assert violations(person) == []
    person.get_by_label("Least margin").fill("much")
    person.locator("#prices").get_by_role("button", name="See what it would change").click()
    expect(person.locator("#foresight")).to_contain_text("must be a percentage")
    person.reload()
    expect(person.get_by_label("Least margin")).to_have_value("")
