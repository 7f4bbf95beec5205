"""Tests what invoices say: lines, taxes per rate, rounding, and that parts add up."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.discounts import part_up_to, spread
from relvan.core.orders.invoicing import (
    Billable,
    delivery_lines,
    line_of,
    sums_of,
    tax_on,
)

TWENTY, TEN, NONE = Decimal(20), Decimal(10), Decimal(0)


def billable(ordered, price, percent=TWENTY, discount=0, invoiced=0, with_tax=True):
    return Billable(1, "PT-14", "Pot", ordered, invoiced, price, discount, percent, with_tax)


def test_the_example_of_the_rules():
    line = line_of(billable(3, 999), 3)
    sums = sums_of([line], with_tax=True)
    assert (line.paid, line.net) == (2997, 2498)
    assert (sums.tax, sums.total, sums.rounding, sums.payable) == (500, 2998, -1, 2997)


def test_without_tax_inside_the_total_is_payable():
    sums = sums_of([line_of(billable(3, 999, with_tax=False), 3)], with_tax=False)
    assert (sums.net, sums.tax, sums.payable, sums.rounding) == (2997, 599, 3596, 0)


@pytest.mark.parametrize(
    ("net", "percent", "tax"),
    [
        (2498, "20", 500),
        (250, "20", 50),
        (25, "10", 3),
        (24, "10", 2),
        (-25, "10", -3),
        (1000, "13.5", 135),
        (1000, "0", 0),
    ],
)
def test_tax_on_a_net_amount_is_rounded_half_up(net, percent, tax):
    assert tax_on(net, Decimal(percent)) == tax


def test_each_rate_has_its_own_sum_and_tax():
    lines = [line_of(billable(1, 1200), 1), line_of(billable(2, 550, TEN), 2)]
    sums = sums_of(lines, with_tax=True)
    assert [(rate.percent, rate.net, rate.tax) for rate in sums.rates] == [
        (TEN, 1000, 100),
        (TWENTY, 1000, 200),
    ]
    assert (sums.payable, sums.rounding) == (2300, 0)


def test_delivery_is_split_over_the_rates_by_the_net_amounts():
    lines = [line_of(billable(1, 3600), 1), line_of(billable(1, 1100, TEN), 1)]
    charge = delivery_lines(490, lines, "Delivery", with_tax=True)
    assert [(line.percent, line.paid) for line in charge] == [(TWENTY, 368), (TEN, 122)]
    assert [line.net for line in charge] == [307, 111]
    assert delivery_lines(0, lines, "Delivery", with_tax=True) == []


def test_delivery_of_goods_that_cost_nothing_is_on_one_line():
    free = [line_of(billable(1, 0), 1)]
    (line,) = delivery_lines(490, free, "Delivery", with_tax=True)
    assert (line.paid, line.percent) == (490, TWENTY)
    (line,) = delivery_lines(490, [], "Delivery", with_tax=False)
    assert (line.net, line.percent) == (490, NONE)


@pytest.mark.parametrize(
    ("amount", "over", "parts"),
    [
        (1000, [1999, 501, 350], [701, 176, 123]),
        (1, [1, 1, 1], [1, 0, 0]),
        (-5, [1, 1], [-3, -2]),
        (7, [0, 0], [7, 0]),
        (7, [], []),
    ],
)
def test_an_amount_is_spread_by_the_largest_remainder(amount, over, parts):
    assert spread(amount, over) == parts


amounts = st.integers(-100_000, 100_000)


@given(amounts, st.lists(st.integers(0, 50_000), min_size=1, max_size=12))
def test_the_parts_of_an_amount_add_up_and_none_is_a_unit_off(amount, over):
    parts = spread(amount, over)
    assert sum(parts) == amount
    if sum(over):
        exact = [amount * weight / sum(over) for weight in over]
        assert all(abs(part - share) < 1 for part, share in zip(parts, exact, strict=True))


@given(
    st.integers(0, 5_000),
    st.integers(1, 9),
    st.integers(0, 400),
    st.sampled_from([TWENTY, TEN, NONE, Decimal("13.5")]),
    st.booleans(),
    st.data(),
)
def test_an_order_invoiced_in_parts_is_paid_as_one_invoiced_whole(
    price, ordered, discount, percent, with_tax, data
):
    discount = min(discount, price * ordered)
    whole = line_of(billable(ordered, price, percent, discount, 0, with_tax), ordered)
    done, parts = 0, []
    while done < ordered:
        units = data.draw(st.integers(1, ordered - done))
        parts.append(line_of(billable(ordered, price, percent, discount, done, with_tax), units))
        done += units
    agreed = [line.paid if with_tax else line.net for line in parts]
    assert sum(agreed) == (whole.paid if with_tax else whole.net)
    assert sum(line.quantity * price - line.discount for line in parts) == sum(agreed)


@given(
    st.lists(
        st.tuples(
            st.integers(1, 9),
            st.integers(0, 5_000),
            st.sampled_from([TWENTY, TEN, NONE, Decimal("13.5")]),
        ),
        min_size=1,
        max_size=8,
    )
)
def test_the_sums_hold_together_and_rounding_is_a_cent_a_line_at_most(lines):
    made = [line_of(billable(units, price, percent), units) for units, price, percent in lines]
    sums = sums_of(made, with_tax=True)
    assert sums.net == sum(line.net for line in made) == sum(rate.net for rate in sums.rates)
    assert sums.total == sums.net + sums.tax
    assert sums.payable == sum(units * price for units, price, _ in lines)
    assert abs(sums.rounding) <= len(made)


def test_runs_of_units_share_an_amount_exactly():
    assert [part_up_to(1000, at, 3) for at in range(4)] == [0, 333, 666, 1000]
    assert part_up_to(5, 0, 0) == 5
