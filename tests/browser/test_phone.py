"""Picks on a phone with a scanner: wrong scans are refused, and the round goes on without a network."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations

pytestmark = pytest.mark.browser


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 390, "height": 780}, "reduced_motion": "reduce"}


def open_list(demo):
    """Releases what can be released, and makes a list of three shipments of Millrace with totes."""
    wanted = {"limit": 200, "reserved": "all", "shipped": "none"}
    numbers = [one["number"] for one in demo.api.get("/orders", params=wanted).json()["items"]]
    demo.api.post("/orders/release", json={"numbers": numbers[:60]})
    found = []
    for number in numbers:
        for shipment in demo.api.get(f"/orders/{number}").json()["shipments"]:
            if (shipment["state"], shipment["warehouse"]) == ("to pick", "millrace"):
                found.append(shipment["id"])
    wish = {"shipments": found[:3], "kind": "totes"}
    return demo.api.post("/pick-lists", json=wish).json()


def scan(page, code):
    page.fill("[data-code]", code)
    page.keyboard.press("Enter")


def pick(page, one):
    if one["bin"]:
        scan(page, one["bin"])
    scan(page, one["sku"])
    scan(page, f"T{one['tote']}")


def picked(demo, made):
    picks = demo.api.get(f"/pick-lists/{made['id']}").json()["picks"]
    return [one["picked"] for one in picks]


def test_a_round_goes_on_without_a_network_and_is_sent_later_once(demo, page, context):
    made = open_list(demo)
    picks = made["picks"]
    assert len(picks) >= 3
    page.goto(f"{demo.url}/sign-in")
    page.get_by_text("Imogen Hartwell").click()
    page.wait_for_url(f"{demo.url}/")
    page.goto(f"{demo.url}/dispatch/phone/{made['id']}")
    page.wait_for_selector("[data-kept=yes]")
    assert violations(page) == []
    scan(page, "Z-99")
    assert "is not bin" in page.locator("[data-refused]").inner_text()
    pick(page, picks[0])
    expect(page.locator("[data-count]")).to_contain_text("1 of")
    context.set_offline(True)
    pick(page, picks[1])
    page.wait_for_selector("[data-unsent]:not([hidden])")
    page.reload()  # as after a power cut: the page and what was scanned are on the phone
    expect(page.locator("[data-count]")).to_contain_text("2 of")
    scan(page, picks[2]["bin"])
    page.click("summary")
    page.fill("[data-short]", "0")
    page.click("[data-take-short]")
    page.click("[data-undo]")
    expect(page.locator("[data-count]")).to_contain_text("2 of")
    assert picked(demo, made)[1] is None
    context.set_offline(False)
    pick(page, picks[2])
    expect(page.locator("[data-count]")).to_contain_text(f"3 of {len(picks)}")
    for _ in range(120):  # a slow machine is waited for; what is sent is what counts
        page.wait_for_timeout(500)
        if None not in picked(demo, made)[:3]:
            break
    assert picked(demo, made)[:3] == [one["quantity"] for one in picks[:3]]
    waiting = page.evaluate(
        "new Promise(done => { const asked = indexedDB.open('relvan-phone', 1); asked.onsuccess = () => "
        "{ const all = asked.result.transaction('scans').objectStore('scans').count();"
        " all.onsuccess = () => done(all.result); }; })"
    )
    assert waiting == 0


def test_goods_of_one_stop_are_taken_in_one_hand_and_what_is_short_is_sent_from_elsewhere(
    demo, page
):
    to = {"name": "Ada", "street": "1 Row", "town": "Port Ellery", "postcode": "D04 K7K2"}
    shipments = []
    for units in (1, 2):
        wish = {
            "ship_to": {**to, "country": "IE"},
            "lines": [{"sku": "PT-09-INK", "quantity": units}],
            "paid": True,
        }
        number = demo.api.post("/orders", json=wish).json()["number"]
        demo.api.post("/orders/release", json={"numbers": [number]})
        shipments += [one["id"] for one in demo.api.get(f"/orders/{number}").json()["shipments"]]
    made = demo.api.post("/pick-lists", json={"shipments": shipments, "kind": "many"}).json()
    page.goto(f"{demo.url}/sign-in")
    page.get_by_text("Imogen Hartwell").click()
    page.wait_for_url(f"{demo.url}/")
    page.goto(f"{demo.url}/dispatch/phone/{made['id']}")
    expect(page.locator("[data-take]")).to_have_text("3")
    expect(page.locator("[data-title]")).to_contain_text("for 2 shipments")
    scan(page, made["picks"][0]["bin"])
    page.click("summary")
    page.fill("[data-short]", "1")
    page.click("[data-take-short]")
    expect(page.locator("[data-count]")).to_contain_text("2 of 2")
    offered = page.locator("[data-elsewhere] button", has_text="Coldharbour Yard")
    expect(offered).to_have_count(1)
    assert violations(page) == []
    offered.click()
    expect(offered).to_have_count(0)
    page.wait_for_function("indexedDB.databases().then((all) => all.length > 0)")
    page.reload()
    expect(offered).to_have_count(0)
    assert picked(demo, made) == [1, 0]
