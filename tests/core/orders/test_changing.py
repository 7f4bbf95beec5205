"""Tests what a change means for an order that is under way."""

import pytest

from relvan.core.orders.changing import (
    refuse_new_address,
    words_of_late_address,
    words_of_late_cancellation,
)
from relvan.core.orders.facts import LineFacts, order_facts
from relvan.core.orders.intake import Address

OLD = Address("Ada", "12 Larkspur Row", "Tarnhollow", "4821", "NL")
NEW = Address("Ada", "3 Mill Lane", "Tarnhollow", "4822", "nl")


def facts(picked=0, shipped=0, units=3):
    return order_facts(
        [LineFacts(quantity=units, reserved=units, picked=picked, shipped=shipped)],
        paid=0,
        total=100,
    )


@pytest.mark.parametrize(
    ("progress", "to", "cancelled", "code"),
    [
        (facts(), NEW, False, None),
        (facts(1, 1), NEW, False, None),
        (facts(1), NEW, False, "picked"),
        (facts(2, 1), NEW, False, "picked"),
        (facts(3, 3), NEW, False, "shipped"),
        (facts(), NEW, True, "cancelled"),
        (facts(), Address("Ada", "1 Row", "Town", "1", "DE"), False, "not-allowed"),
    ],
)
def test_an_address_is_changed_until_goods_are_picked_for_it(progress, to, cancelled, code):
    found = refuse_new_address("O-1", progress, OLD, to, cancelled=cancelled)
    assert [one.code for one in found] == ([code] if code else [])


@pytest.mark.parametrize(
    ("progress", "words"),
    [
        (facts(), ""),
        (facts(1), "Its channel cancelled it. 1 unit is picked."),
        (
            facts(3, 1),
            "Its channel cancelled it. 1 unit had left, and 2 units are picked.",
        ),
    ],
)
def test_a_late_cancellation_says_what_was_done_already(progress, words):
    assert words_of_late_cancellation(progress) == words


def test_a_late_address_names_itself_and_what_was_done_already():
    assert words_of_late_address(facts(), NEW) == ""
    assert words_of_late_address(facts(2), NEW) == (
        "Its channel changed the address to 3 Mill Lane, 4822 Tarnhollow, nl. "
        "2 units are picked: check the label."
    )
    assert "1 unit had left for the old one" in words_of_late_address(facts(3, 1), NEW)
