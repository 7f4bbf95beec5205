"""What orders earned: nothing is lost when it is spread over lines and summed up again."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.earned import (
    Earned,
    EarnedBy,
    SoldLine,
    SoldOrder,
    earned_by_line,
    ranked,
    sum_up,
    total_of,
    week_of,
    why_earned,
)

DAY = date(2026, 11, 28)


def test_an_order_earns_what_remains_after_all_that_it_cost():
    lines = (SoldLine("POT", 2, 4800, 800, 900, 510), SoldLine("WRAP", 1, 1200, 200, 100, 130))
    order = SoldOrder("O-1", "Hagglet", DAY, lines, 600, 450, 60, 1200)
    found = dict(earned_by_line(order))
    whole = total_of(found.values())
    assert (whole.units, whole.price, whole.fees, whole.cost) == (3, 6600, 640, 1900)
    assert (whole.carriage, whole.packaging, whole.refund) == (450, 60, 1200)
    assert whole.tax == 800 + 200 + 100 - 200, "the tax on what was given back is not owed"
    assert whole.margin == 6600 - 900 - 640 - 1900 - 450 - 60 - 1200
    assert found["POT"].carriage == 360, "four fifths of the goods"
    assert whole.percent == Decimal("25.4")


@pytest.mark.parametrize(
    ("earned", "percent", "said"),
    [
        (Earned(1, 1200, 200, cost=500), Decimal("50.0"), "50.0 %"),
        (Earned(1, 1200, 200, cost=2000), Decimal("-100.0"), "-100.0 %"),
        (Earned(1, 1200, 200, unknown=1), None, "not known"),
        (Earned(), None, ""),
    ],
)
def test_the_share_is_said_where_it_is_known(earned, percent, said):
    assert earned.percent == percent
    why = why_earned(earned, "EUR")
    assert said in why.steps[-1].detail
    assert why.steps[0].label == "Price with tax and delivery"


def test_another_currency_is_brought_into_the_sellers_own():
    order = SoldOrder(
        "O-1", "Loomstead", DAY, (SoldLine("A", 1, 1000, 0, 200, 100),), rate=Decimal("1.05")
    )
    ((_, earned),) = earned_by_line(order)
    assert (earned.price, earned.fees, earned.cost) == (1050, 105, 200)


@pytest.mark.parametrize(
    ("day", "week"),
    [
        (date(2026, 11, 28), "2026-W48"),
        (date(2027, 1, 1), "2026-W53"),
        (date(2027, 1, 4), "2027-W01"),
    ],
)
def test_weeks_are_those_of_iso_8601(day, week):
    assert week_of(day) == week


AMOUNT = st.integers(0, 100_000)
LINE = st.builds(
    SoldLine,
    key=st.sampled_from("ABC"),
    units=st.integers(1, 9),
    price=AMOUNT,
    tax=st.just(0),
    cost=st.none() | AMOUNT,
    fees=AMOUNT,
)
ORDER = st.builds(
    SoldOrder,
    number=st.uuids().map(str),
    channel=st.sampled_from(("x", "y")),
    day=st.dates(date(2026, 1, 1), date(2026, 12, 31)),
    lines=st.lists(LINE.filter(lambda line: line.price > 0), min_size=1, max_size=4).map(tuple),
    delivery=AMOUNT,
    carriage=AMOUNT,
    packaging=AMOUNT,
    refund=AMOUNT,
)


@given(orders=st.lists(ORDER, max_size=6))
def test_every_way_of_summing_up_comes_to_the_same(orders):
    totals = {by: total_of(sum_up(orders, by).values()) for by in EarnedBy}
    assert len(set(totals.values())) == 1
    whole = totals[EarnedBy.ORDER]
    assert whole.price == sum(
        order.delivery + sum(line.price for line in order.lines) for order in orders
    )
    for name in ("carriage", "packaging", "refund"):
        assert getattr(whole, name) == sum(getattr(order, name) for order in orders)


def test_weeks_stand_in_order_and_others_by_their_margin():
    found = {"2026-W02": Earned(price=1), "2026-W01": Earned(price=9)}
    assert [key for key, _ in ranked(found, EarnedBy.WEEK)] == ["2026-W01", "2026-W02"]
    assert [key for key, _ in ranked(found, EarnedBy.CHANNEL)] == ["2026-W01", "2026-W02"]
    assert next(iter(ranked({"a": Earned(), "b": Earned(price=5)}, EarnedBy.PRODUCT)))[0] == "b"
