"""The first day of a firm of one's own, in a browser and by keyboard, on an empty database."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.server import firm_started
from tests.steps.move_in import load_made
from tests.waiting import wait_until

ROOMS = (
    *("/", "/setup", "/setup/firm", "/setup/warehouses", "/setup/warehouses/north-hall"),
    *("/setup/people", "/setup/tokens", "/setup/webhooks", "/setup/backups", "/setup/health"),
    *("/account", "/account/two-step", "/prices/lists", "/stockroom/bins"),
    *("/setup/move-in", "/setup/tax", "/setup/devices", "/setup/mail", "/orders/O-9"),
)


@pytest.fixture
def firm(tmp_path):
    with firm_started(tmp_path) as (_, said, base):
        yield re.search(r"First visit (\S+):", said)[1], base


def type_into(page, *texts):
    """Types each text into the next field, by keyboard alone."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Tab")


def test_from_the_first_visit_to_a_warehouse_with_480_bins_by_keyboard(page, firm):
    code, base = firm
    page.goto(base)
    code_field = page.get_by_label("Code of the first visit")
    expect(code_field).to_be_focused()
    assert violations(page) == []
    code_field.focus()  # the check takes it away
    type_into(page, code, "Ada Quill", "ada", "a good password")
    page.keyboard.type("a good password")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="From nothing to the first sale")).to_be_visible()
    page.goto(f"{base}/setup/warehouses")
    page.get_by_label("Name (needed)").focus()
    page.keyboard.type("North Hall")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="North Hall")).to_be_visible()
    page.get_by_label("Pattern").focus()
    page.keyboard.type("{aisle:A-L}-{bay:01-40}")
    expect(page.locator("#bins-look")).to_contain_text("480 new")
    page.keyboard.press("Enter")
    expect(page.locator("#bins h2")).to_contain_text("481 open")
    found = {}
    for path in ROOMS:
        page.goto(base + path)
        if problems := violations(page):
            found[path] = problems
    assert found == {}


@pytest.fixture
def moving(tmp_path, world):
    """Starts a firm beside a world in which its goods are listed already."""
    load_made(world, 11)
    with firm_started(tmp_path, RELVAN_PRIVATE_ADDRESSES="true") as (_, said, base):
        yield re.search(r"First visit (\S+):", said)[1], base


def send(page, button, **values):
    """Fills fields by their names, and presses a button."""
    for name, value in values.items():
        page.locator(f"[name={name}]:visible").first.fill(value)
    page.get_by_role("button", name=button).first.click()
    page.wait_for_load_state()


def set_up(page, base, world):
    """Sets a firm up by screen, as far as moving in needs it."""
    page.goto(f"{base}/setup/firm")
    page.locator("[name=address_country]").select_option("IE")
    street = {"address_street": "1 Row", "address_town": "Port Ellery", "address_postcode": "D04"}
    send(page, "Save the firm", name="Quillmoss", **street)
    page.goto(f"{base}/setup/warehouses")
    send(page, "Create the warehouse", name="North Hall")
    send(page, "Create the bins", pattern="{aisle:A-L}-{bay:01-40}")
    page.goto(f"{base}/setup/people")
    send(page, "Create the account", name="Ben Oram", login="ben")
    expect(page.get_by_text("The invitation of Ben Oram")).to_be_visible()
    page.goto(f"{base}/setup/tax")
    page.get_by_role("button", name=re.compile("Import these")).click()
    expect(page.get_by_text("At home in Ireland: standard 23 %")).to_be_visible()
    for key, name, currency in (("retail", "Retail", "EUR"), ("francs", "Francs", "CHF")):
        page.goto(f"{base}/prices/lists")
        if not page.locator("[name=currency]").is_visible():
            page.get_by_text("New price list").click()
        page.locator("[name=currency]").select_option(currency)
        send(page, "Create", key=key, name=name)
    for key in ("hagglet", "loomstead"):
        page.goto(f"{base}/setup")
        page.locator("[name=rulebook]").select_option(key)
        there = {"address": world.seller_api(key), "token": world.token(key)}
        send(page, "Test and connect", **there)
        expect(page.get_by_text("Connected: the channel knows us.")).to_be_visible()
    page.goto(f"{base}/setup")
    page.locator("[name=carrier_address]").fill(world.seller_api("ostrel"))
    page.locator("[name=carrier_token]").fill(world.token("ostrel"))
    page.locator("form[action*=carriers] >> text=Test and connect").click()
    expect(page.get_by_text("Connected: the carrier knows us as Quillmoss.")).to_be_visible()


def test_a_seller_moves_in_and_sends_the_first_parcel(page, moving, world):
    code, base = moving
    page.goto(base)
    typed = {"code": code, "name": "Ada Quill", "login": "ada", "password": "a good password"}
    send(page, "Create the owner", **typed, again="a good password")
    set_up(page, base, world)

    # moved in and kept in step
    before = {key: world.listings(key) for key in ("hagglet", "loomstead")}
    page.goto(f"{base}/setup/move-in")
    page.get_by_role("button", name="Read and propose").click()
    make = page.get_by_role("button", name=re.compile(r"Create \d+ and link them"))
    expect(make).to_be_visible(timeout=40_000)
    assert violations(page) == []
    make.click()
    expect(page.get_by_text("products made and linked")).to_be_visible(timeout=60_000)
    assert violations(page) == []
    assert {key: world.listings(key) for key in before} == before
    for name in ("Hagglet", "Loomstead"):
        page.goto(f"{base}/setup/move-in")
        page.get_by_role("button", name=re.compile(f"on {name} in step")).click()
        expect(page.get_by_text(re.compile("done"))).to_be_visible(timeout=30_000)

    # a purchase, picked, packed and labelled
    sku = next(
        sku
        for sku, row in world.listings("hagglet").items()
        if row["quantity"] > 3 and not row["variants"]
    )
    sale = world.buy("hagglet", sku, 2)
    orders = f"{base}/orders?q={sale}"
    wait_until(lambda: re.search(r"O-\d", page.request.get(orders).text()), 20)
    page.goto(f"{base}/orders?q={sale}")
    page.locator("input[name=pick]").check()
    page.get_by_role("button", name="Release", exact=True).click()
    page.get_by_role("button", name="Release 1").click()
    expect(page.get_by_text("Released: 1.")).to_be_visible()
    number = re.search(r"O-\d+", page.request.get(f"{base}/orders?q={sale}").text()).group(0)
    page.goto(f"{base}/orders/{number}")
    page.locator("a[href*='/dispatch/shipments/']").first.click()
    shipment = page.url
    page.get_by_role("button", name="Create a pick list of it").click()
    expect(page.locator(".place")).to_be_visible()
    page.keyboard.type(f"{sku}\n", delay=5)  # one scan stands for both units
    expect(page.get_by_role("heading", name="The pick list is done.")).to_be_visible()
    page.goto(shipment)
    page.get_by_label("Weight").fill("900")
    page.get_by_role("button", name="Close this parcel").click()
    page.get_by_role("button", name="Buy the label").click()
    expect(page.get_by_role("link", name="Label to print")).to_be_visible()
    page.get_by_role("button", name="Dispatch", exact=True).click()
    wait_until(lambda: world.order("hagglet", sale)["tracking"], 20)
    page.goto(base)
    expect(page.get_by_role("heading", name="What is waiting for you")).to_be_visible()
