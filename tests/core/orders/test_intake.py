"""Tests what an order that is entered by hand must have."""

from dataclasses import replace

import pytest

from relvan.core.orders.intake import Address, IncomingLine, check_manual_order, check_receiver


def test_a_telephone_number_leads_to_no_other_place():
    here = Address("Ada", "1 Row", "Tarnhollow", "1", "NL", "ada@example.com")
    assert replace(here, phone="+31207941234").mark == here.mark
    assert replace(here, mail="bob@example.com").mark != here.mark
    assert replace(here, street="2 Row").mark != here.mark


def test_a_manual_order_needs_goods_and_an_address():
    good = Address("Ada", "1 Row", "Tarnhollow", "1", "NL")
    assert check_manual_order((IncomingLine("", "A", "A", 1, 100),), good) == []
    bad = check_manual_order((IncomingLine("", "A", "A", 0, -1),), Address(country="Narnia"))
    assert {refusal.field for refusal in bad} == {"lines", "name", "street", "town", "country"}
    assert check_manual_order((), good)[0].field == "lines"


@pytest.mark.parametrize(
    ("country", "wrong"), [("NL", False), ("nl", True), ("XX", True), ("EU", True), ("NLD", True)]
)
def test_goods_go_to_a_country_that_there_is(country, wrong):
    found = check_receiver(Address("Ada", "1 Row", "Tarnhollow", "1", country))
    assert [one.field for one in found] == (["country"] if wrong else [])
