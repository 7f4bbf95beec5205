"""What cannot be read is refused beside its field; it never counts as empty, as nothing, or as
everything."""

import pytest
from lxml import html

from relvan.services.catalogue.save import create_product
from relvan.store.catalogue import find_product
from relvan.store.facts import facts_by_id
from relvan.store.tables import ListPrice, PriceList
from tests.house import add_pot, orders, pot
from tests.visitor import post, wrong_beside


def held(workplace, sku="PT-14"):
    with workplace.database.reading() as session:
        product = find_product(session, sku).id
        return facts_by_id(session, [product])[product]


def test_a_floor_that_cannot_be_read_is_refused_and_changes_nothing(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", floor=1200)
    answer = post(web, "/prices", sku="PT-14", list="retail", amount="18.90", floor="about 12")
    assert answer.status_code == 422
    assert "must be an amount in EUR" in answer.text
    assert (held(workplace)["floor"], held(workplace)["price retail"]) == (1200, 1690)
    assert (
        post(web, "/prices", sku="PT-14", list="retail", amount="18.90", floor="11.00").status_code
        == 200
    )
    assert (held(workplace)["floor"], held(workplace)["price retail"]) == (1100, 1890)


def test_price_and_floor_are_set_both_or_neither(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", floor=1200)
    assert (
        post(web, "/prices", sku="PT-14", list="nowhere", amount="18.90", floor="11.00").status_code
        == 422
    )
    assert held(workplace)["floor"] == 1200


@pytest.mark.parametrize(
    "typed", ["1,5", "1.5", "12e3", "²", "five", "1 00", "٣", "--1", "9999999999"]
)
def test_a_number_of_units_that_is_no_whole_number_is_refused(workplace, owner, web, typed):
    add_pot(workplace, owner, "PT-14", units=0)
    answer = post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units=typed, key="k")
    assert answer.status_code == 422
    assert "must be a whole number" in wrong_beside(answer, "units")


@pytest.mark.parametrize(
    ("typed", "units"), [("1,200", 1200), ("1 200", 1200), ("12", 12), ("+3", 3)]
)
def test_thousands_may_be_grouped(workplace, owner, web, typed, units):
    add_pot(workplace, owner, "PT-14", units=0)
    told = post(
        web, "/stock/PT-14", warehouse="millrace", reason="receipt", units=typed, key="k"
    ).text
    assert f"{units} on hand" in told


def test_a_quantity_break_from_an_unreadable_number_sets_no_price(workplace, owner, web):
    add_pot(workplace, owner, "PT-14")
    cells = {"subject": "PT-14", "column": "retail", "value": "9.90", "least": "a dozen"}
    answer = web.post("/prices/lists/cells", data=cells, headers={"X-CSRF-Token": web.csrf}).json()
    assert [(item["ok"], "a dozen" in item["message"]) for item in answer["items"]] == [
        (False, True)
    ]
    assert held(workplace)["price retail"] == 1690


@pytest.mark.parametrize(
    ("path", "fields"),
    [
        ("/listings/do/publish", {"pick": ["1", "²"]}),
        ("/dispatch/do/dispatch", {"pick": ["one"]}),
        ("/listings/layers/use", {"pick": ["1"], "set": "²"}),
        ("/stockroom/coming/end", {"id": ""}),
    ],
)
def test_an_id_that_cannot_be_read_is_refused(shop, web, path, fields):
    assert post(web, path, **fields).status_code == 422


def test_an_address_with_an_unreadable_id_is_a_page_all_the_same(shop, web):
    for path in (
        "/?toast=²",
        "/listings?layer=²",
        "/listings?family=99",
        "/catalogue?drafts=²",
        "/stock?lacks=x.y",
    ):
        assert web.get(path).status_code == 200, path


def test_all_that_match_is_never_more_than_was_shown(shop, web):
    """A sentence that says what it cannot say any more would match everything."""
    for path, query in (
        ("/orders/do/release", "channel=gone"),
        ("/orders/foresee/release", "tray=attic"),
        ("/catalogue/archive", "category=Gone"),
        ("/catalogue/foresee/draft", "not_on=gone"),
        ("/listings/draft", "drafts=4711"),
    ):
        answer = post(web, path, all="yes", query=query, channel="hagglet")
        assert answer.status_code == 422, path
        assert "narrows this list no longer" in html.fromstring(answer.text).text_content()
    assert orders(shop)[0].words == "1 of 1 to pick, paid"


def test_the_pages_stand_while_there_is_no_price_list(workplace, owner, web):
    with workplace.database.writing() as session:
        session.query(ListPrice).delete()
        session.query(PriceList).delete()
    create_product(workplace, owner, pot("PT-14", prices={}))
    page = web.get("/prices")
    assert page.status_code == 200
    assert "There is no price list yet" in page.text
    for path in (
        "/prices/lists",
        "/products/PT-14",
        "/prices/sales",
        "/prices/rates",
        "/catalogue/new",
        "/catalogue",
    ):
        assert web.get(path).status_code == 200, path
