"""Tests the catalogue as a person works in it: families, kits, files, price sheets, changes of
many."""

from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.waiting import wait_until

pytestmark = pytest.mark.browser


def test_twelve_loose_products_become_a_family(person, demo):
    page = person
    words = [
        (glaze, size) for glaze in ("amber", "moss", "slate", "cream") for size in (10, 12, 16)
    ]
    items = [
        {"sku": f"BW-{size}-{glaze[:3].upper()}", "title": f"Tarn bowl, {glaze} glaze, {size} cm"}
        for glaze, size in words
    ]
    assert all(
        item["ok"]
        for item in demo.api.post("/products/bulk", json={"items": items}).json()["items"]
    )
    page.goto(f"{demo.url}/catalogue?q=tarn+bowl")
    page.get_by_label("Tick all rows shown").check()
    page.get_by_role("button", name="Create a family").click()
    expect(page.get_by_label("Name of trait 1")).to_have_value("Glaze")
    expect(page.get_by_label("Trait 2 of BW-12-MOS")).to_have_value("12 cm")
    expect(page.get_by_label("Family title")).to_have_value("Tarn bowl")
    page.get_by_label("Family SKU").fill("BW")
    page.get_by_role("button", name="Create the family").click()
    page.wait_for_url("**/products/BW")
    expect(page.locator(".family-grid tbody tr")).to_have_count(4)
    page.locator("[data-cell]").first.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.wait_for_url("**/products/BW-*")
    page.keyboard.press("f")
    page.wait_for_url("**/products/BW")


def test_trait_values_are_corrected_by_keyboard(person, demo):
    page = person
    page.goto(f"{demo.url}/products/HP")
    page.get_by_text("Correct traits").click()
    first = page.locator("#traits input.cell").first
    first.focus()
    first.select_text()
    for word, key in (("Pale celadon", "Enter"), ("Deep ink", "ArrowDown"), ("Warm oat", None)):
        page.keyboard.type(word)
        if key:
            page.keyboard.press(key)
    expect(page.get_by_text("not saved yet").first).to_be_visible()
    page.get_by_role("button", name="Save traits").click()
    expect(page.locator("#toasts")).to_contain_text("Traits are saved")
    for word in ("Pale celadon", "Deep ink", "Warm oat"):
        expect(page.locator(".family-grid th", has_text=word)).to_have_count(1)


def test_a_hole_is_filled(person, demo):
    page = person
    page.goto(f"{demo.url}/products/SA")
    expect(page.locator(".head")).to_contain_text("1 missing variant")
    page.locator(".hole summary").click()
    page.get_by_placeholder("SKU, new or existing").fill("SA-25-RUS")
    page.get_by_role("button", name="Fill").click()
    expect(page.locator("#toasts")).to_contain_text("SA-25-RUS is the variant that was missing")
    expect(page.locator(".hole")).to_have_count(0)


def test_a_kit_is_made_and_falls_with_its_part(person, demo):
    page = person
    page.goto(f"{demo.url}/catalogue/new?kind=kit")
    page.get_by_label("Title").fill("Twine and tray")
    page.get_by_label("SKU", exact=False).first.fill("WA-TRAY")
    page.get_by_label("Quantity of part 1").fill("2")
    page.get_by_label("SKU of part 2").fill("CA-TWINE")
    page.locator("#f-sku").fill("KIT-TWINE")
    page.get_by_role("button", name="Create kit").click()
    page.wait_for_url("**/products/KIT-TWINE*")
    free = demo.api.get("/stock/KIT-TWINE/availability").json()["free"]
    assert free > 1
    demo.api.post(
        "/stock/movements",
        json={"sku": "WA-TRAY", "warehouse": "millrace", "counted": 3, "reason": "count"},
    )
    page.reload()
    expect(page.locator("section", has_text="Can be made")).to_contain_text("scarcest part WA-TRAY")
    assert demo.api.get("/stock/KIT-TWINE/availability").json()["free"] == 1
    page.goto(f"{demo.url}/products/CA-TWINE")
    expect(page.locator("section", has_text="Used in")).to_contain_text("KIT-TWINE")


def test_a_file_is_looked_at_rehearsed_applied_and_undone(person, demo, tmp_path):
    page = person
    page.goto(f"{demo.url}/imports")
    with page.expect_download() as taken:
        page.get_by_role("link", name="supplier list, messy.csv").click()
    file = tmp_path / "messy.csv"
    taken.value.save_as(file)
    page.locator("#f-file").set_input_files(str(file))
    page.get_by_role("button", name="Read the file").click()
    expect(page.get_by_label("What Article number is")).to_have_value("sku")
    expect(page.get_by_label("What Remarks is")).to_have_value("")
    page.get_by_placeholder("a name, if you like").fill("Fenland")
    page.get_by_role("button", name="Rehearse").click()
    expect(page.locator(".job-say")).to_contain_text("Nothing has been changed yet", timeout=15000)
    expect(page.locator("#job")).to_contain_text("The check digit would be 1")
    page.get_by_role("button", name="Apply").click()
    expect(page.locator(".job-say")).to_contain_text("applied", timeout=15000)
    assert demo.api.get("/products/SE-CALC").json()["title"] == "=1+1"
    page.get_by_role("button", name="Undo all of it").click()
    expect(page.locator(".job-say")).to_contain_text("undone", timeout=15000)
    assert demo.api.get("/products/SE-CALC").json()["archived"] is True


def test_many_are_changed_with_old_and_new_before(person, demo):
    page = person
    page.goto(f"{demo.url}/catalogue?category=Tools")
    page.get_by_label("Tick all rows shown").check()
    page.get_by_role("button", name="Change details").click()
    page.get_by_label("Detail 1", exact=True).select_option("supplier")
    page.get_by_label("Value 1", exact=True).fill("Brook Forge and Daughters")
    expect(page.locator("#sample")).to_contain_text("Brook Forge and Daughters")
    page.get_by_role("button", name="Rehearse for").click()
    page.wait_for_url("**/jobs/*")
    expect(page.locator(".job-say")).to_contain_text("Applying this would change", timeout=15000)
    page.get_by_role("button", name="Apply").click()
    expect(page.locator(".job-say")).to_contain_text("applied", timeout=15000)
    assert demo.api.get("/products/TL-SNIPS").json()["supplier"] == "Brook Forge and Daughters"


def test_a_block_is_pasted_into_the_price_sheet(person, demo):
    page = person
    page.goto(f"{demo.url}/prices/lists?q=seedling+tweezers")
    cell = page.get_by_label("Retail price of TL-TWEEZ")
    cell.focus()
    page.evaluate("""() => {
      const data = new DataTransfer();
      data.setData("text/plain", "10.40\\t7.10\\n");
      document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }));
    }""")
    expect(page.locator("[data-sheet-say]")).to_contain_text("Saved 2 cells")
    prices = demo.api.get("/products/TL-TWEEZ").json()["prices"]
    assert (prices["retail"]["amount"], prices["trade"]["amount"]) == (1040, 710)
    cell.fill("abc")
    cell.blur()
    expect(page.locator("[data-sheet-say]")).to_contain_text("must be an amount in EUR")


def test_pictures_are_put_in_order_by_keyboard(person, demo, tmp_path):
    page = person
    from tests.house import png

    for colour in ("red", "blue"):
        Path(tmp_path / f"{colour}.png").write_bytes(png(colour))
    page.goto(f"{demo.url}/products/TL-TWEEZ")
    page.get_by_label("Pictures to add").set_input_files(
        [str(tmp_path / "red.png"), str(tmp_path / "blue.png")]
    )
    page.locator("#pictures").get_by_role("button", name="Add", exact=True).click()
    expect(page.locator("[data-picture]")).to_have_count(3)
    before = [picture["sha"] for picture in demo.api.get("/products/TL-TWEEZ").json()["pictures"]]
    page.locator("[data-picture]").nth(2).focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowLeft")
    page.get_by_role("button", name="Save the order").click()
    expect(page.locator("#toasts")).to_contain_text("in order")
    after = [picture["sha"] for picture in demo.api.get("/products/TL-TWEEZ").json()["pictures"]]
    assert after == [before[2], before[0], before[1]]


def test_axe_finds_nothing_in_the_rooms_of_the_catalogue(person, demo):
    page = person
    bring = {"file": ("a.csv", b"sku,title,colour\nTL-SNIPS,Snips,red\nNO-NE,,\n")}
    job = demo.api.post("/imports", files=bring, data={"kind": "products"}).json()["id"]
    wait_until(lambda: demo.api.get(f"/bulk-jobs/{job}").json()["state"] == "rehearsed")
    found = {}
    for path in (
        "/products/PT",
        "/products/PT-14-OCH",
        "/products/KIT-HERB",
        "/products/GIFT-WRAP",
        "/families/new",
        "/imports",
        f"/imports/{job}",
        f"/jobs/{job}",
        "/categories?path=Pots",
        "/categories?attribute=material",
        "/prices/lists",
        "/catalogue/history",
        "/catalogue/take-out?kind=products",
        "/catalogue/new?kind=kit",
        "/catalogue?kind=family",
    ):
        page.goto(demo.url + path)
        if problems := violations(page):
            found[path] = problems
    page.goto(f"{demo.url}/catalogue")
    page.get_by_label("Tick all rows shown").check()
    page.get_by_role("button", name="Change details").click()
    expect(page.get_by_label("Detail 1", exact=True)).to_be_visible()
    if problems := violations(page):
        found["change panel"] = problems
    assert found == {}
