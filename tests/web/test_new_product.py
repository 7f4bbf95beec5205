"""A new product with its first stock: both or neither, by the form as by the service."""

import pytest

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.listings.availability import availability
from relvan.services.stock.new_product import FirstStock, create_with_stock
from relvan.services.workplace import Actor
from relvan.store.catalogue import named_products
from tests.house import assert_sound, pot
from tests.visitor import post, wrong_beside


def is_there(workplace, sku="PT-14"):
    with workplace.database.reading() as session:
        return bool(named_products(session, [sku]))


def test_both_are_saved(workplace, owner):
    create_with_stock(workplace, owner, pot(), FirstStock(12, "millrace", "A-02"))
    assert availability(workplace, "PT-14").free == 12
    assert_sound(workplace)


@pytest.mark.parametrize(
    "stock",
    [FirstStock(12, "nowhere"), FirstStock(12, "millrace", "Z-99"), FirstStock(-1, "millrace")],
)
def test_neither_is_saved_when_the_stock_is_refused(workplace, owner, stock):
    with pytest.raises(Refused):
        create_with_stock(workplace, owner, pot(), stock)
    assert not is_there(workplace)


def test_a_role_that_may_not_move_stock_creates_the_product_alone(workplace):
    lister = Actor(3, "Lister", Role.CATALOGUE, "hand")
    with pytest.raises(NotAllowed):
        create_with_stock(workplace, lister, pot(), FirstStock(1, "millrace"))
    create_with_stock(workplace, lister, pot(), None)
    assert is_there(workplace)


FORM = {
    "kind": "single",
    "title": "A pot",
    "sku": "PT-14",
    "tax_code": "standard",
    "description": "",
}


def test_the_form_takes_units_warehouse_and_bin(workplace, web):
    assert (
        "PT-14 is in the catalogue"
        in post(web, "/catalogue/new", **FORM, units="7", warehouse="yard", bin="Y-02").text
    )
    assert availability(workplace, "PT-14").free == 7
    again = {**FORM, "sku": "PT-18"}
    refused = post(web, "/catalogue/new", **again, units="seven", warehouse="yard")
    assert refused.status_code == 422
    assert "must be a whole number" in wrong_beside(refused, "units")
    assert not is_there(workplace, "PT-18")
    assert post(web, "/catalogue/new", **again, units="", warehouse="yard").status_code == 200
    assert availability(workplace, "PT-18").free == 0
