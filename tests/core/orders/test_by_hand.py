"""Tests the prices and warnings of orders that a person enters."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.by_hand import (
    PriceSource,
    TypedLine,
    heard_line,
    open_warnings,
    order_margin_of,
    price_of_line,
    warnings_of,
)

TWENTY = Decimal(20)
RETAIL = PriceSource("Retail", True, 2400, ((6, 2000), (12, 1800)))
TRADE = PriceSource("Trade", False, 1500, ((10, 1300),))
OWN = PriceSource("Price of their own", True, 1111)
NOTHING = PriceSource("Trade", False)


@pytest.mark.parametrize(
    ("quantity", "own", "lists", "price", "named"),
    [
        (1, None, [RETAIL], 2400, "Retail"),
        (5, None, [RETAIL], 2400, "Retail"),
        (6, None, [RETAIL], 2000, "Retail"),
        (50, None, [RETAIL], 1800, "Retail"),
        (50, OWN, [TRADE, RETAIL], 1111, "Price of their own"),
        (1, None, [NOTHING, RETAIL], 2400, "Retail"),
        (1, None, [NOTHING], None, "Trade"),
    ],
)
def test_the_first_price_that_there_is_holds_and_is_named(quantity, own, lists, price, named):
    found = price_of_line(quantity, TWENTY, own=own, lists=lists, with_tax=True)
    assert found.price == price
    assert found.why.steps[-1].label == named


def test_a_price_without_tax_is_brought_to_one_with_it_and_back():
    assert price_of_line(1, TWENTY, own=None, lists=[TRADE], with_tax=True).price == 1800
    assert price_of_line(10, TWENTY, own=None, lists=[TRADE], with_tax=False).price == 1300
    found = price_of_line(1, TWENTY, own=None, lists=[RETAIL], with_tax=False)
    assert (found.price, found.why.steps[-1].label) == (2000, "without tax")


def line(**known):
    return TypedLine("PT-14", **{"quantity": 1, "unit_price": 2400, "percent": TWENTY, **known})


@pytest.mark.parametrize(
    ("known", "codes"),
    [
        ({}, []),
        ({"cost": 2000}, []),
        ({"cost": 2001}, ["negative-margin"]),
        ({"cost": 1900, "discount": 200}, ["negative-margin"]),
        ({"floor": 2400}, []),
        ({"floor": 2401}, ["below-floor"]),
        ({"floor": 2400, "discount": 1}, ["below-floor"]),
        ({"floor": 2400, "unit_price": 2000, "with_tax": False}, []),
        ({"case": 12, "quantity": 13}, ["case-pack"]),
        ({"case": 12, "quantity": 24}, []),
        ({"free": 1}, []),
        ({"free": 0}, ["more-than-free"]),
    ],
)
def test_a_line_is_warned_of_and_not_forbidden(known, codes):
    assert [warning.code for warning in warnings_of([line(**known)])] == codes


def test_a_broken_case_names_the_whole_ones_beside_it():
    (warning,) = warnings_of([line(case=12, quantity=13)])
    assert "12 or 24" in warning.message
    (warning,) = warnings_of([line(case=12, quantity=5)])
    assert warning.message.endswith(": 12.")


def test_two_lines_of_one_product_share_what_is_free():
    found = warnings_of([line(quantity=2, free=3), line(quantity=2, free=3)])
    assert [(warning.code, warning.line) for warning in found] == [("more-than-free", 2)]


@pytest.mark.parametrize(
    ("expected", "warned"), [(None, True), (date(2026, 12, 9), True), (date(2026, 12, 1), False)]
)
def test_a_day_is_not_promised_before_the_goods_can_be_there(expected, warned):
    found = warnings_of([line(free=0, expected=expected)], date(2026, 12, 1))
    assert ("promised-too-soon" in [warning.code for warning in found]) == warned


@pytest.mark.parametrize(
    ("promised", "codes"),
    [
        (date(2026, 11, 30), ["promised-too-soon"]),
        (date(2026, 12, 1), []),
        (date(2026, 12, 2), []),
        (None, []),
    ],
)
def test_a_day_that_is_over_is_not_promised_unwarned(promised, codes):
    found = warnings_of([line(free=9)], promised, date(2026, 12, 1))
    assert [(one.code, one.line) for one in found] == [(code, 0) for code in codes]


def test_a_warning_is_overridden_by_a_reason_and_not_by_spaces():
    found = warnings_of([line(cost=9_999, free=0)])
    assert open_warnings(found, {"negative-margin": "an old friend", "more-than-free": " "}) == [
        found[1]
    ]


def test_the_margin_of_an_order_is_known_when_every_cost_is():
    lines = [line(quantity=2, cost=1000), line(discount=600, cost=700)]
    margin = order_margin_of(lines)
    assert (margin.net, margin.cost, margin.profit) == (5500, 2700, 2800)
    assert margin.percent == Decimal("50.9")
    assert order_margin_of([*lines, line()]).profit is None
    assert (lines[0].profit, lines[0].margin) == (2000, Decimal("50.0"))


@pytest.mark.parametrize(
    ("spoken", "words", "quantity"),
    [
        ("PT-14", "PT-14", 1),
        ("3 PT-14", "PT-14", 3),
        ("PT-14 3", "PT-14", 3),
        ("3 x PT-14", "PT-14", 3),
        ("PT-14 × 12", "PT-14", 12),
        ("blue pot 14", "blue pot", 14),
        ("4006381333931", "4006381333931", 1),
        ("2 4006381333931", "4006381333931", 2),
        ("0 PT-14", "0 PT-14", 1),
        ("7", "7", 1),
        ("", "", 1),
    ],
)
def test_a_line_is_heard_as_it_is_read_out(spoken, words, quantity):
    heard = heard_line(spoken)
    assert (heard.words, heard.quantity) == (words, quantity)


@given(
    st.lists(
        st.builds(
            TypedLine,
            st.just("PT"),
            st.integers(1, 30),
            st.integers(0, 9_000),
            st.just(0),
            st.sampled_from([TWENTY, Decimal(0)]),
            st.booleans(),
            st.integers(0, 9_000),
        ),
        max_size=6,
    )
)
def test_the_profit_of_an_order_is_the_sum_of_its_lines(lines):
    assert order_margin_of(lines).profit == sum(one.profit for one in lines)
