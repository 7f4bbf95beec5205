"""Tests linking order lines whose product is unknown: what is likeliest, and what one link repairs."""

import pytest

from relvan.core.refusal import NotFound, Refused
from relvan.services.listings.findings import read_findings
from relvan.services.orders.link import likeliest, link_line, unlinked_in
from relvan.store.line import today_counts
from relvan.store.orders import lines_of, order_by_number
from tests.house import add_pot, assert_sound, orders, read, work
from tests.steps.findings import place_by_hand


@pytest.fixture
def unknown(two_pots, owner, world):
    """Sells a pot twice by a listing that was there before and belongs to no product."""
    place_by_hand(world, "STRANGE", "Pot PT-14 of before")
    for _ in range(2):
        world.buy("hagglet", "STRANGE")
    read(two_pots)
    return two_pots


def likely(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        (line,) = unlinked_in(session, order.id)
        return [one.sku for one in likeliest(session, line)]


def waiting(workplace):
    with workplace.database.reading() as session:
        return today_counts(session)["unknown"].number


def test_an_unknown_line_is_counted_found_and_has_the_likeliest_products_beside_it(unknown):
    assert waiting(unknown) == 2
    assert len(orders(unknown, tray="short")) == 2
    assert likely(unknown, "O-1001")[0] == "PT-14"


def test_one_link_repairs_all_lines_like_it(unknown, owner):
    assert sorted(link_line(unknown, owner, "O-1001", 1, "PT-14")) == ["O-1001", "O-1002"]
    assert waiting(unknown) == 0
    assert {row.tray for row in orders(unknown)} == {"inbox"}
    with unknown.database.reading() as session:
        for number in ("O-1001", "O-1002"):
            order = order_by_number(session, number)
            assert [line.sku for line in lines_of(session, [order.id])[order.id]] == ["PT-14"]
    assert_sound(unknown)


def test_the_listing_is_linked_too(unknown, owner, world):
    add_pot(unknown, owner, "PT-99")
    read_findings(unknown, owner, "hagglet")
    work(unknown)
    link_line(unknown, owner, "O-1002", 1, "PT-99")
    world.buy("hagglet", "STRANGE")
    read(unknown)
    assert {row.words.partition(",")[0] for row in orders(unknown)} == {"1 of 1 to pick"}
    assert_sound(unknown)


def test_what_cannot_be_linked_is_refused_and_nothing_is_repaired(unknown, owner):
    for number, line, sku in (("O-1001", 2, "PT-14"), ("O-1001", 1, "NOBODY"), ("O-9", 1, "PT-14")):
        with pytest.raises((Refused, NotFound)):
            link_line(unknown, owner, number, line, sku)
    assert waiting(unknown) == 2


def test_the_api_links_a_line_and_names_what_was_repaired(unknown, api):
    answer = api.post("/api/v1/orders/O-1001/lines/1/link", json={"sku": "PT-14"})
    assert sorted(answer.json()["repaired"]) == ["O-1001", "O-1002"]
    assert answer.json()["lines"][0]["known"] is True
