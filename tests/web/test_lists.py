"""Lists: sorted by any column and paged by key, one row a product of stock with deeds, forms that
fit their columns."""

import pytest
from lxml import html

from relvan.core.orders.intake import Address, IncomingLine
from relvan.services.listings.draft import draft_listings
from relvan.services.orders.take import take_manual_order
from relvan.store.listing_list import SORTING as LISTING_SORTING
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.order_list import SORTING as ORDER_SORTING
from relvan.store.order_list import OrderFilter, order_page
from relvan.store.product_list import SORTING as PRODUCT_SORTING
from relvan.store.product_list import ProductFilter, product_page
from tests.house import add_pot, connect, receive, stock_of_sku
from tests.snapshots import built_once
from tests.steps.families_on_channels import make_family
from tests.visitor import post, shown, wrong_beside

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@built_once
def shop(workplace, owner, world):
    """Seven pots and a family, some of them alike in what they are sorted by; drafts, and orders of
    them."""
    connect(workplace, owner, world, "hagglet", "ownshop")
    for number in range(7):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Pot {number % 3}",
            cost=(500, None, 700)[number % 3],
            units=number,
            weight_g=None if number == 4 else 700 + number % 2,
        )
        line = IncomingLine("", f"PT-{number}", "Pot", number % 3 + 1, 1000)
        take_manual_order(workplace, owner, (line,), TO, paid=number % 2 == 0)
    receive(workplace, owner, "PT-3", 20, "yard")
    make_family(workplace, owner, units=2)
    for channel in ("hagglet", "ownshop"):
        draft_listings(workplace, owner, channel, [f"PT-{number}" for number in range(7)])
    return workplace


def paged(page, sort, size):
    """All rows of a list, page by page."""
    found, after = [], None
    while rows := page(sort, after, size):
        found += rows
        after = rows[-1]
    return found


def pages_of(session, which):
    return {
        "products": lambda sort, after, size: product_page(
            session,
            ProductFilter(),
            sort=sort,
            after=after.sku.casefold() if after else "",
            limit=size,
        ),
        "listings": lambda sort, after, size: listing_page(
            session, ListingFilter(), sort=sort, after=after.id if after else 0, limit=size
        ),
        "orders": lambda sort, after, size: order_page(
            session, OrderFilter(), sort=sort, after=after.id if after else 0, limit=size
        ),
    }[which]


SORTINGS = {"products": PRODUCT_SORTING, "listings": LISTING_SORTING, "orders": ORDER_SORTING}


@pytest.mark.parametrize("which", SORTINGS)
def test_every_sort_shows_every_row_once_however_it_is_paged(shop, which):
    with shop.database.reading() as session:
        page = pages_of(session, which)
        everything = {row.id for row in page("", None, 500)}
        for name in sorted(SORTINGS[which].names()):
            whole = [row.id for row in page(name, None, 500)]
            assert set(whole) == everything, name
            for sort in (name, f"-{name}"):
                for size in (1, 3):
                    assert [row.id for row in paged(page, sort, size)] == [
                        r.id for r in page(sort, None, 500)
                    ], sort


def test_a_list_is_sorted_by_its_heads(shop, web):
    page = html.fromstring(web.get("/orders?sort=-total").text)
    heads = {link.text_content(): link for link in page.cssselect("th a.sort")}
    assert heads["Total"].getparent().get("aria-sort") == "descending"
    assert "sort=total" in heads["Total"].get("href")
    assert heads["Units"].getparent().get("aria-sort") == "none"
    totals = [
        cell.text_content().strip()
        for cell in page.cssselect("td.num")
        if "€" in cell.text_content()
    ]
    assert totals == sorted(totals, key=lambda text: -float(text.strip("€").replace(",", "")))
    assert web.get("/orders?sort=nonsense").status_code == 200
    for path in ("/catalogue?sort=title", "/listings?sort=-price", "/stock?sort=-on_hand"):
        assert html.fromstring(web.get(path).text).cssselect("th[aria-sort] a"), path


def test_stock_has_one_row_a_product_with_its_warehouses_side_by_side(shop, web):
    page = html.fromstring(web.get("/stock?q=PT-3").text)
    assert [shown(head) for head in page.cssselect("thead th")[3:5]] == [
        "Millrace free of on hand",
        "Yard free of on hand",
    ]
    (row,) = [
        row for row in page.cssselect("tbody tr") if shown(row.cssselect("td.sku")[0]) == "PT-3"
    ]
    cells = [" ".join(cell.text_content().split()) for cell in row.cssselect("td.num")]
    assert cells[:2] == ["2 of 3", "20 of 20"]
    assert cells[2:] == ["23", "1", "0", "0", "22"]


def safety(place, sku):
    with place.database.reading() as session:
        return {row.warehouse_key: row.safety for row in stock_of_sku(session, sku)}


def test_safety_stock_is_set_for_many_foreseen_and_undone(shop, web):
    post(web, "/stock/PT-0/safety", safety="4", warehouse="yard")
    foreseen = post(
        web,
        "/stock/foresee/safety",
        all="yes",
        page="stock",
        query="q=PT-",
        warehouse="yard",
        units="4",
    )
    assert "10 would change" in foreseen.text
    assert "1 have it already" in foreseen.text
    told = post(
        web,
        "/stock/do/safety",
        all="yes",
        page="stock",
        query="q=PT-",
        warehouse="yard",
        units="4",
        back="/stock?q=PT-",
    )
    assert "Safety stock set for 10 products. 1 had it already." in told.text
    assert {safety(shop, f"PT-{number}")["yard"] for number in range(7)} == {4}
    form = html.fromstring(told.text).cssselect(".toast-note form")[0]
    fields = [(field.get("name"), field.get("value")) for field in form.cssselect("input")]
    web.post(
        form.get("action"), data={name: [v for n, v in fields if n == name] for name, _ in fields}
    )
    assert [safety(shop, sku)["yard"] for sku in ("PT-0", "PT-1")] == [4, 0]


def test_a_safety_stock_that_cannot_be_is_refused_whole(shop, web):
    for wrong, status in (
        ({"units": "many", "warehouse": "yard"}, 422),
        ({"units": "4", "warehouse": "moon"}, 404),
        ({"units": "-1", "warehouse": "yard"}, 422),
    ):
        assert post(web, "/stock/do/safety", pick="PT-1", **wrong).status_code == status, wrong
    told = post(
        web, "/stock/do/safety", pick=["PT-1", "NOPE", "PT"], units="2", warehouse="yard"
    ).text
    assert (
        "2 were refused: There is no product “NOPE”. “PT” is a family and holds no stock." in told
    )
    assert safety(shop, "PT-1") == {"millrace": 0, "yard": 2}


def test_what_is_free_of_a_family_is_what_is_free_of_its_variants(shop, web):
    page = html.fromstring(web.get("/catalogue?kind=family").text)
    assert "8" in [cell.text_content().strip() for cell in page.cssselect("td.num")]
    assert "not counted" not in page.cssselect("#rows")[0].text_content()


def test_amounts_of_price_steps_are_typed_as_money(shop, web):
    steps = {
        "step_kind": ["amount", "percent"],
        "step_value": ["-1,50", "8"],
        "step_direction": ["up", "up"],
    }
    assert (
        post(web, "/setup/channels/hagglet/prices", price_list="retail", **steps).status_code == 200
    )
    values = [
        box.get("value")
        for box in html.fromstring(web.get("/setup/channels/hagglet").text).cssselect(
            "[name=step_value]"
        )
    ]
    assert values == ["-1.50", "8", ""]
    with shop.database.reading() as session:
        row = next(
            r for r in listing_page(session, ListingFilter(channel="hagglet")) if r.sku == "PT-1"
        )
    assert row.price == 1663  # 16.90 less 1.50, and 8 % more
    for wrong in ("", "a lot", "1.5055"):
        refused = post(
            web,
            "/setup/channels/hagglet/prices",
            price_list="retail",
            step_kind="amount",
            step_value=wrong,
            step_direction="up",
        )
        assert refused.status_code == 422, wrong
        assert wrong_beside(refused, "price_steps"), wrong
    unkinded = post(
        web,
        "/setup/channels/hagglet/prices",
        price_list="retail",
        step_kind="",
        step_value="5",
        step_direction="up",
    )
    assert unkinded.status_code == 422


def test_a_column_of_text_offers_no_forms_of_numbers_and_dates(shop, web):
    text = "SKU,Title,Weight (kg),Remarks\nX-1,Pot,0.7,none\n"
    files = {"file": ("a.csv", text.encode(), "text/csv")}
    answer = web.post("/imports", data={"csrf": web.csrf, "kind": "products"}, files=files)
    rows = html.fromstring(answer.text).cssselect("table.mapping tbody tr")
    offered = [
        sorted({box.get("name") for box in row.cssselect("td:nth-child(4) select")}) for row in rows
    ]
    assert offered == [[], [], ["decimal", "unit"], []]
