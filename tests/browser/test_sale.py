"""Tests one sale as a person makes it: from a new product to the tracking number that the buyer
sees."""

import re

import pytest
from playwright.sync_api import expect

from relvan.core.catalogue.identity import gtin_check_digit
from tests.browser.conftest import violations
from tests.house import png
from tests.waiting import wait_until

pytestmark = pytest.mark.browser


def test_one_sale_by_hand(person, demo, tmp_path):
    page, base = person, demo.url
    (tmp_path / "jug.png").write_bytes(png("teal", 640))

    # a product with a picture and stock
    page.goto(f"{base}/catalogue/new")
    digit = gtin_check_digit("200000099123")
    wrong = str((int(digit) + 1) % 10)
    facts = {
        "Title": "Harrow jug, teal glaze",
        "SKU": "JG-01-TEA",
        "Category": "Pots",
        "Weight": "840",
        "Retail price, tax inside": "29.90",
        "Cost": "9.20",
        "GTIN": "200000099123" + wrong,
    }
    for label, value in facts.items():
        page.get_by_label(label).first.fill(value)
    page.get_by_label("Description").fill("A jug with a teal glaze, thrown by hand.")
    page.get_by_label("Pictures").set_input_files(tmp_path / "jug.png")
    page.get_by_role("button", name="Create product").click()
    expect(page.locator("#wrong-gtin")).to_contain_text(f"The check digit would be {digit}")
    page.get_by_label("GTIN").fill("200000099123" + digit)
    page.get_by_label("Pictures").set_input_files(tmp_path / "jug.png")
    page.get_by_role("button", name="Create product").click()
    expect(page.locator("h1")).to_have_text("Harrow jug, teal glaze")
    page.get_by_label("Units", exact=True).fill("8")
    page.get_by_role("button", name="Move").click()
    expect(page.get_by_text("8 on hand in millrace")).to_be_visible()

    # drafted on every channel; gaps mended on two
    page.get_by_role("button", name="Draft listings").click()
    expect(page.get_by_role("alert")).to_have_text("Tick at least one channel first.")
    for name in ("Corvello", "Hagglet", "Loomstead", "Own shop"):
        page.get_by_label(name, exact=True).check()
    page.get_by_role("button", name="Draft listings").click()
    expect(page.get_by_text("4 drafts made.")).to_be_visible()
    page.get_by_role("link", name="Hagglet").last.click()
    expect(page.get_by_text("Hagglet asks for a category.").first).to_be_visible()
    page.get_by_role("combobox", name="Shelf").press_sequentially("planters and pots")
    page.locator("[data-choose=hg-planters]").click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("“Material” is missing.").first).to_be_visible()
    page.get_by_label("Material").fill("stoneware")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("button", name="Publish for €0.20").click()
    wait_until(lambda: "JG-01-TEA" in demo.world.listings("hagglet"))
    page.goto(f"{base}/listings?q=JG-01")
    page.get_by_label("Tick JG-01-TEA on Own shop").check()
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.get_by_text("1 would be placed")).to_be_visible()
    page.get_by_role("button", name="Publish now").click()
    wait_until(lambda: demo.world.listings("ownshop").get("JG-01-TEA", {}).get("quantity") == 8)

    # bought in Hagglet's page by a visitor; the own shop shows one less (how soon:
    # bench/bench_lag.py)
    page.goto(f"{demo.world.url}/hagglet?q=JG-01-TEA")
    page.get_by_text("Harrow jug").click()
    page.get_by_role("button", name="Buy and pay").click()
    sale = page.locator("#number").inner_text()
    wait_until(lambda: demo.world.listings("ownshop")["JG-01-TEA"]["quantity"] == 7)

    # in the inbox; released, picked with a scanner, packed, labelled, dispatched
    page.goto(f"{base}/orders?tray=inbox&q={sale}")
    page.locator("input[name=pick]").check()
    page.get_by_role("button", name="Release", exact=True).click()
    expect(page.get_by_text("1 would go to the warehouse")).to_be_visible()
    page.get_by_role("button", name="Release 1").click()
    expect(page.get_by_text("Released: 1.")).to_be_visible()
    number = page.request.get(f"{base}/orders?q={sale}").text()
    order = re.search(r"O-\d+", number).group(0)
    page.goto(f"{base}/orders/{order}")
    page.locator("a[href*='/dispatch/shipments/']").first.click()
    shipment = page.url
    page.get_by_role("button", name="Create a pick list of it").click()
    expect(page.locator(".place")).to_be_visible()
    page.keyboard.type("PT-99-XXX\n", delay=5)
    expect(page.locator(".stop-sign")).to_contain_text("“PT-99-XXX” is not JG-01-TEA.")
    page.locator("body").press("Escape")
    page.keyboard.type("200000099123" + digit + "\n", delay=5)
    expect(page.get_by_text("All is picked.").first).to_be_visible()
    demo.world.client.put("/devices/scale", json={"grams": 1130}).raise_for_status()
    page.goto(shipment)
    page.get_by_role("button", name="Read the scale").click()
    expect(page.get_by_label("Weight")).to_have_value("1130")
    page.get_by_role("button", name="Close this parcel").click()
    page.get_by_role("button", name="Buy the label").click()
    expect(page.get_by_role("link", name="Label to print")).to_be_visible()
    label = page.request.get(
        base + page.get_by_role("link", name="Label to print").get_attribute("href")
    )
    assert label.body().startswith(b"%PDF")
    tracking = page.locator("text=/OP\\d{9}IE|MW\\d{8}/").first.inner_text()
    page.get_by_role("button", name="Dispatch", exact=True).click()
    expect(page.get_by_text("Dispatched: 1.")).to_be_visible()
    wait_until(lambda: demo.world.order("hagglet", sale)["tracking"])
    page.goto(f"{demo.world.url}/hagglet/orders/{sale}")
    expect(
        page.get_by_role("link", name=re.search(r"OP\d{9}IE|MW\d{8}", tracking).group(0))
    ).to_be_visible()
    assert demo.api.get(f"/orders/{order}").json()["tray"] == "floor"


def test_the_frame_works_by_keyboard_alone(person, demo):
    page = person
    page.goto(f"{demo.url}/catalogue")
    page.keyboard.press("Control+k")
    page.keyboard.type("PT-14-CEL")
    expect(page.locator("#found")).to_contain_text("Aubrey pot, celadon glaze, 14 cm")
    page.keyboard.press("Enter")
    page.wait_for_url("**/products/PT-14-CEL")
    page.keyboard.press("Control+k")
    page.keyboard.type("PT-09")
    expect(page.locator("#found")).to_contain_text("PT-09")
    page.keyboard.type("-OCH")
    page.keyboard.press("Enter")  # before the answer to the last letters is there
    page.wait_for_url("**/products/PT-09-OCH")
    page.goto(f"{demo.url}/catalogue")
    page.keyboard.press("/")
    page.keyboard.type("mister brass")
    expect(page.locator("#rows tbody tr")).to_have_count(1)
    expect(page.locator("#total")).to_have_text("1")
    page.wait_for_url(
        re.compile(r"q=mister(\+|%20)brass$")
    )  # the answer to the last letter comes last
    page.locator("h1.noun").click()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("x")
    expect(page.locator(".deed-bar")).to_contain_text("1 ticked")
    page.keyboard.press("w")
    expect(page.locator("#why")).to_contain_text("Free of WA-MISTB")
    page.keyboard.press("Escape")
    expect(page.locator("#why")).to_be_hidden()
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()
    page.keyboard.press("Escape")
    page.locator("tbody tr").first.focus()
    page.keyboard.press("Enter")
    page.wait_for_url("**/products/WA-MISTB")


def test_a_sentence_is_built_from_chips_and_kept(person, demo):
    page = person
    page.goto(f"{demo.url}/catalogue")
    page.get_by_role("button", name="+ narrow down").click()
    page.get_by_role("link", name="not on Hagglet").click()
    page.get_by_role("button", name="+ narrow down").click()
    page.get_by_role("link", name="with stock", exact=True).click()
    assert "not_on=hagglet" in page.url
    assert "stock=yes" in page.url
    page.get_by_role("button", name="save this view").click()
    page.get_by_label("Name of the view").fill("To list")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".views a", has_text="To list")).to_be_visible()


def test_leaving_a_form_that_is_not_saved_is_warned_of(person, demo):
    page = person
    page.goto(f"{demo.url}/products/PT-14-INK")
    page.locator("#f-title").fill("Changed")
    expect(page.get_by_text("not saved yet")).to_be_visible()
    asked = []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.accept()))
    page.goto(f"{demo.url}/catalogue")
    assert asked == ["beforeunload"]


def test_a_walk_fits_a_phone(person, demo):
    page = person
    lists = demo.api.get("/pick-lists", params={"state": "open"}).json()["items"]
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{demo.url}/dispatch/pick-lists/{lists[0]['id']}")
    expect(page.locator(".place")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    expect(page.get_by_role("button", name="Taken")).to_be_in_viewport()


PAGES = [
    "/",
    "/catalogue",
    "/catalogue/new",
    "/products/PT-14-CEL",
    "/catalogue?q=nothingatall",
    "/listings",
    "/listings?state=draft",
    "/listings/5",
    "/stock",
    "/stock/PT-14-CEL",
    "/prices",
    "/prices/rates",
    "/orders",
    "/orders/O-1030",
    "/orders?tray=short",
    "/dispatch",
    "/dispatch?stage=to+pack",
    "/dispatch?stage=dispatched",
    "/consignments",
    "/setup",
    "/setup/channels/hagglet",
    "/jobs",
    "/jobs/1",
    "/patterns",
    "/nowhere",
]


def test_axe_finds_nothing_on_any_page(person, demo):
    page = person
    walk = demo.api.get("/pick-lists").json()["items"][0]["id"]
    packing = demo.api.get("/shipments", params={"state": "to pack"}).json()["items"]
    shipping = demo.api.get("/shipments", params={"state": "to ship"}).json()["items"]
    more = [
        f"/dispatch/pick-lists/{walk}",
        *(f"/dispatch/shipments/{row['id']}" for row in packing[:1] + shipping[:1]),
    ]
    found = {}
    for path in [*PAGES, *more]:
        page.goto(demo.url + path)
        if problems := violations(page):
            found[path] = problems
    page.goto(f"{demo.url}/catalogue")
    page.locator("[data-why]").first.click()
    expect(page.locator("#why")).to_contain_text("Free")
    if problems := violations(page):
        found["why drawer"] = problems
    page.goto("about:blank")
    page.context.clear_cookies()
    page.goto(f"{demo.url}/sign-in")
    if problems := violations(page):
        found["/sign-in"] = problems
    assert found == {}


# what axe finds on the page of calls, which is FastAPI's own and keeps its own look
OF_THE_LIBRARY = {"color-contrast", "heading-order", "nested-interactive", "region"}


def test_the_page_of_calls_shows_them_without_asking_anybody_else(person, demo):
    page, said, asked = person, [], []
    page.on("console", lambda message: said.append(message.text))
    page.on("request", lambda request: asked.append(request.url))
    page.goto(f"{demo.url}/api/docs")
    call = page.locator("[data-path='/api/v1/orders/release']")
    expect(page.locator(".opblock").first).to_be_visible(timeout=30_000)  # it draws 400 calls
    for _ in range(60):  # the page draws a call when it is scrolled to
        if call.count():
            break
        page.mouse.wheel(0, 700)
        page.wait_for_timeout(50)
    expect(call).to_be_visible()
    assert {rule for rule, *_ in violations(page)} <= OF_THE_LIBRARY
    assert all(url.startswith((demo.url, "data:")) for url in asked)
    assert said == []
