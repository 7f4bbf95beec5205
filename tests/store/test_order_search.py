"""Tests which words find an order, and that its index follows every change."""

from dataclasses import replace

import pytest
from sqlalchemy import text

from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.services.orders.by_hand import enter_order
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.customers import forget_customer
from relvan.services.orders.readdress import change_address
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page

JOSE = Address("José Ramón Núñez", "3 Mill Lane", "Tarnhollow", "4821 AB", "NL", "jrn@example.com")
VERA = Address("Vera van der Berg", "4 Mill Lane", "Tarnhollow", "4821 AB", "NL", "vb@example.org")


@pytest.fixture
def two_orders(desk, owner):
    """Takes an order of each of two customers; returns the workplace."""
    for to, reference in ((JOSE, "PO 77 spring"), (VERA, "")):
        draft = OrderDraft(
            lines=(DraftLine("PT-14", 1),), ship_to=to, mail=to.mail, reference=reference
        )
        enter_order(desk, owner, draft)
    return desk


def found(workplace, words):
    with workplace.database.reading() as session:
        return sorted(row.number for row in order_page(session, OrderFilter(words=words)))


WORDS = {
    "José": ["O-1001"],
    "nunez": ["O-1001"],
    "NÚÑ": ["O-1001"],
    "núñez josé": ["O-1001"],
    "berg": ["O-1002"],
    "van der Berg": ["O-1002"],
    "der b": ["O-1002"],
    "jrn@example.com": ["O-1001"],
    "example": ["O-1001", "O-1002"],
    "spring": ["O-1001"],
    "PO 77": ["O-1001"],
    "O-100": ["O-1001", "O-1002"],
    "erg": [],
    "berg josé": [],
    "mill": [],
    '" OR 1': [],
    "customer : berg*": [],
    "NEAR(berg)": [],
}


def test_words_of_the_customer_the_mail_address_and_the_reference_find_an_order(two_orders):
    assert {words: found(two_orders, words) for words in WORDS} == WORDS


def test_the_index_follows_an_address_and_forgets_a_person(two_orders, owner):
    change_address(two_orders, owner, "O-1002", replace(VERA, name="Nele Holm"))
    assert (found(two_orders, "berg"), found(two_orders, "holm")) == ([], ["O-1002"])
    assert found(two_orders, "vb@example.org") == ["O-1002"]
    cancel_orders(two_orders, owner, ["O-1001"])
    forget_customer(two_orders, owner, "K-1001")
    assert found(two_orders, "nunez") == found(two_orders, "jrn") == []


def test_the_index_holds_what_the_orders_say(two_orders, owner, in_the_box):
    change_address(two_orders, owner, "O-1002", replace(VERA, name="Nele Holm"))
    cancel_orders(two_orders, owner, ["O-1001"])
    forget_customer(two_orders, owner, "K-1001")
    with two_orders.database.writing() as session:
        session.execute(
            text("INSERT INTO order_search (order_search, rank) VALUES ('integrity-check', 1)")
        )
        session.execute(text("UPDATE customer_order SET customer = 'Bo Lind' WHERE id = 1"))
    assert found(two_orders, "lind") == ["O-1001"]
