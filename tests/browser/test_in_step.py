"""Tests prices and stock in step, as a person walks it in the demo."""

from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.waiting import wait_until

VIEWS = (
    "/setup/webhooks",
    "/updates",
    "/updates/drift",
    "/stockroom/bins",
    "/stockroom/ledger",
    "/stockroom/coming",
    "/stockroom/count?bin=A-01",
    "/stockroom/outlook",
    "/stock/PT-24-INK",
    "/prices/sales",
    "/prices/history",
    "/prices/history?q=PT-14-INK",
    "/setup/channels/ownshop",
)


def test_axe_finds_nothing_in_the_rooms_of_stock_and_prices(person, demo):
    for path in VIEWS:
        person.goto(f"{demo.url}{path}")
        assert violations(person) == [], path


def test_a_warehouse_is_moved_by_keyboard_and_what_it_would_change_is_seen_first(person, demo):
    person.goto(f"{demo.url}/setup/channels/loomstead")
    first = person.locator("[data-warehouse]").first
    expect(first).to_contain_text("Millrace")
    first.focus()
    for _ in range(3):  # below the other warehouse, and below the line
        person.keyboard.press("ArrowDown")
    expect(person.locator("#tried")).to_contain_text("would show none any more")
    expect(person.locator("[data-unsaved=shown]")).to_be_visible()
    expect(person.locator("[data-warehouse]").last).not_to_have_class("feeds")
    person.evaluate("window.onbeforeunload = null")
    person.on("dialog", lambda dialog: dialog.accept())
    person.goto(f"{demo.url}/setup/channels/loomstead")
    expect(person.locator("[data-warehouse].feeds")).to_have_count(2)


def test_a_bin_is_counted_with_the_scanner_on_a_phone(person, demo):
    person.set_viewport_size({"width": 390, "height": 844})
    person.goto(f"{demo.url}/stockroom/count")
    person.get_by_label("Bin", exact=True).fill("A-01")
    person.get_by_role("button", name="Count it").click()
    sku = person.locator("[data-count-rows] input[name=sku]").first.input_value()
    scan = person.locator("[data-count-scan]")
    for _ in range(3):
        scan.fill(sku.lower())
        scan.press("Enter")
    expect(person.locator("[data-count-say]")).to_have_text(f"{sku}: 3")
    assert person.evaluate("document.documentElement.scrollWidth") <= 390
    person.get_by_role("button", name="Write the count into the ledger").click()
    expect(person.locator("#toasts")).to_contain_text("A-01: 1 counted, 1 differs.")
    rows = demo.api.get("/stock/ledger", params={"reason": "count", "q": sku}).json()["items"]
    assert rows[0]["note"] == "bin A-01 counted"


def test_a_sale_price_is_planned_and_every_channel_follows(person, demo):
    person.goto(f"{demo.url}/prices/sales")
    person.get_by_label("Products").fill("PT-18-OAT")
    person.get_by_label("Sale price (needed)").fill("19.90")
    person.get_by_label("Until (needed)").fill("2030-01-01T00:00")
    person.get_by_role("button", name="Create the sale price").click()
    expect(person.locator("#toasts")).to_contain_text("The sale price is planned.")
    wait_until(lambda: demo.world.listings("ownshop")["PT-18-OAT"]["price"] == 1990)
    person.locator("tr", has_text="PT-18-OAT").get_by_role("button", name="End").click()
    wait_until(lambda: demo.world.listings("ownshop")["PT-18-OAT"]["price"] == 2490)


def test_drift_is_told_again_by_hand(person, demo):
    person.goto(f"{demo.url}/updates/drift")
    person.locator("tr", has_text="WA-CAN-1").locator("input[type=checkbox]").check()
    person.get_by_role("button", name="Send the ticked ones again").click()
    expect(person.locator("#toasts")).to_contain_text("1 update will be sent again.")
    wait_until(lambda: demo.world.listings("ownshop")["WA-CAN-1"]["price"] == 2790)
