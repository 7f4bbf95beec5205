"""Tests what is free, and how much of it a channel shows."""

from dataclasses import replace
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.kits import PartStock, can_be_made
from relvan.core.refusal import Refused
from relvan.core.stock.availability import (
    StockBalance,
    StockPolicy,
    check_policy,
    free_over,
    policy_data,
    policy_from,
    shown_quantity,
)
from relvan.core.stock.pace import SellingPace
from relvan.core.stock.whole import free_of_kits, free_over_all, shown_quantities

MILL, YARD = StockBalance("Millrace", 14, 3, 0, 2), StockBalance("Yard", 6, 0, 1)


def test_the_worked_example_of_the_rules():
    shown = shown_quantity([MILL, YARD], StockPolicy(Decimal(60), 1, 5, 2))
    assert (shown.free, shown.quantity) == (14, 5)
    assert [(step.label, step.value) for step in shown.why.steps] == [
        ("Millrace", "9"),
        ("Yard", "5"),
        ("Free", "14"),
        ("Share", "8"),
        ("Buffer", "7"),
        ("Cap", "5"),
        ("Shown", "5"),
    ]


@pytest.mark.parametrize(
    ("balance", "free"),
    [
        (StockBalance("w"), 0),
        (StockBalance("w", 5), 5),
        (StockBalance("w", 5, 5), 0),
        (StockBalance("w", 5, 9), 0),
        (StockBalance("w", 5, 1, 1, 1), 2),
        (StockBalance("w", 0, 0, 0, 4), 0),
    ],
)
def test_what_is_free_in_a_warehouse_is_never_below_nothing(balance, free):
    assert balance.free == free


def test_a_short_warehouse_takes_nothing_from_another():
    assert free_over([StockBalance("a", 0, 3), StockBalance("b", 4)])[0] == 4


@pytest.mark.parametrize(
    ("free", "policy", "most", "shown"),
    [
        (10, StockPolicy(), None, 10),
        (10, StockPolicy(Decimal("33.4")), None, 3),
        (10, StockPolicy(Decimal(0)), None, 0),
        (3, StockPolicy(hold_back=5), None, 0),
        (10, StockPolicy(cap=4), None, 4),
        (10, StockPolicy(cap=0), None, 0),
        (3, StockPolicy(least=4), None, 0),
        (4, StockPolicy(least=4), None, 4),
        (10, StockPolicy(fixed=3), None, 3),
        (2, StockPolicy(fixed=3), None, 2),
        (2, StockPolicy(fixed=3, beyond_stock=True), None, 3),
        (0, StockPolicy(fixed=3000, beyond_stock=True), 999, 999),
        (5000, StockPolicy(), 999, 999),
    ],
)
def test_the_policy_decides_how_much_is_shown(free, policy, most, shown):
    assert shown_quantity([StockBalance("w", free)], policy, most).quantity == shown


policies = st.builds(
    StockPolicy,
    share=st.decimals(0, 100, places=1),
    hold_back=st.integers(0, 50),
    cap=st.none() | st.integers(0, 50),
    least=st.integers(0, 50),
    fixed=st.none() | st.integers(0, 50),
)
balances = st.lists(
    st.builds(
        StockBalance,
        st.just("w"),
        st.integers(0, 99),
        st.integers(0, 99),
        st.integers(0, 99),
        st.integers(0, 99),
    ),
    max_size=4,
)


@given(balances, policies)
def test_no_policy_shows_more_than_is_free_or_less_than_nothing(found, policy):
    shown = shown_quantity(found, policy)
    assert 0 <= shown.quantity <= shown.free == sum(balance.free for balance in found)
    assert shown.why.steps[-1].value == str(shown.quantity)


@given(policies)
def test_a_policy_survives_being_kept_as_data(policy):
    assert policy_from(policy_data(policy)) == policy


@pytest.mark.parametrize(
    "data",
    [
        {"shar": 10},
        {"share": "half"},
        {"cap": "many"},
        {"hold_back": "1.5"},
        {"share": 50, "fixed": []},
    ],
)
def test_data_that_is_no_policy_is_refused(data):
    with pytest.raises(Refused) as refused:
        policy_from(data)
    assert refused.value.first.field == "stock_policy"


@pytest.mark.parametrize(
    ("policy", "field"),
    [
        (StockPolicy(Decimal(101)), "share"),
        (StockPolicy(Decimal(-1)), "share"),
        (StockPolicy(hold_back=-1), "hold_back"),
        (StockPolicy(cap=-1), "cap"),
        (StockPolicy(least=-2), "least"),
        (StockPolicy(fixed=-3), "fixed"),
    ],
)
def test_a_policy_out_of_bounds_is_refused_beside_its_field(policy, field):
    assert [refusal.field for refusal in check_policy(policy)] == [field]


@given(
    st.lists(st.integers(0, 200), max_size=30),
    policies,
    st.none() | st.integers(0, 30),
    st.booleans(),
)
def test_many_at_once_come_out_as_one_by_one(free, policy, most, beyond):
    policy = replace(policy, beyond_stock=beyond)
    most = 999 if most is None else most
    one_by_one = [
        shown_quantity([StockBalance("w", units)], policy, most).quantity for units in free
    ]
    assert shown_quantities(free, policy, most) == one_by_one


@given(
    st.lists(st.integers(0, 60), min_size=3, max_size=3),
    st.lists(st.integers(1, 4), min_size=3, max_size=3),
)
def test_kits_at_once_come_out_as_one_by_one(free, units):
    parts = [PartStock(str(n), units[n], {1: StockBalance("w", free[n])}) for n in range(3)]
    (alone,) = can_be_made(parts, {1: "w"}, apart=False).values()
    kits = [[(n, units[n]) for n in range(3)], []]
    assert free_of_kits(kits, [free, [0, 0, 0]]) == [[alone.free, 0], [0, 0]]
    assert free_over_all([free, [1, 0, 2]]) == [free[0] + 1, free[1], free[2] + 2]


@given(st.data(), st.lists(st.integers(0, 60), min_size=1, max_size=12))
def test_kits_of_every_size_come_out_by_the_plain_rule(data, free):
    part = st.tuples(st.integers(0, len(free) - 1), st.integers(1, 5))
    kits = data.draw(st.lists(st.lists(part, max_size=5), max_size=8))
    other = data.draw(st.lists(st.integers(0, 60), min_size=len(free), max_size=len(free)))
    assert free_of_kits(kits, [free, other]) == [
        [min((held[p] // units for p, units in kit), default=0) for kit in kits]
        for held in (free, other)
    ]


def test_a_hold_back_by_risk_is_that_of_each_pool():
    policy = StockPolicy(risk=Decimal("0.001"))
    assert shown_quantities(
        [20, 20, 1], policy, 999, {1: SellingPace(0.2, 5), 2: SellingPace(0.2, 5)}
    ) == [
        20,
        15,
        0,
    ]
