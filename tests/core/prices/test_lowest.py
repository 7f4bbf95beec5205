"""Tests the lowest price that covers something, against a plain search from 1 up."""

from decimal import Decimal

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from relvan.core.listings.rulebook import FeeRule
from relvan.core.orders.tax import tax_inside
from relvan.core.prices.fees import fees_of
from relvan.core.prices.lowest import lowest_covering, lowest_with_margin

MOST_SEARCHED = 3_000
RULE = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))

percents = st.decimals(0, 60, places=1)
rules = st.builds(
    FeeRule,
    referral_percent=percents,
    least_referral=st.integers(0, 300),
    fixed=st.integers(0, 120),
    processing_percent=st.decimals(0, 45, places=2),
)


def plain(leaves):
    return next((price for price in range(1, MOST_SEARCHED) if leaves(price)), None)


def agrees(found, by_search):
    """Says whether two searches agree. One that found nothing says only that nothing is there so
    far."""
    if by_search is None:
        return found is None or found >= MOST_SEARCHED
    return found == by_search


@given(st.integers(-50, 900), rules)
@example(0, FeeRule())
@example(1, FeeRule(referral_percent=Decimal(60), processing_percent=Decimal(40)))
@example(1, FeeRule(referral_percent=Decimal(60), processing_percent=Decimal(45)))
@example(-1, FeeRule(referral_percent=Decimal(60), processing_percent=Decimal(45)))
def test_the_lowest_price_that_covers_fees_is_the_first_that_does(wanted, rule):
    def leaves(price):
        return price - fees_of(price, rule).total >= wanted

    assert agrees(lowest_covering(wanted, rule), plain(leaves))


@given(
    st.decimals(-20, 60, places=1),
    rules,
    st.integers(0, 900),
    st.integers(0, 400),
    st.sampled_from((0, 7, 20, 25.5)),
)
@example(Decimal(12), RULE, 1150, 380, 20)
@example(Decimal(0), FeeRule(), 0, 0, 0)
@example(Decimal(40), FeeRule(referral_percent=Decimal(60)), 0, 0, 0)
def test_the_lowest_price_with_a_margin_is_the_first_that_has_it(margin, rule, cost, delivery, tax):
    tax = Decimal(str(tax))

    def leaves(price):
        net = price - tax_inside(price, tax)
        profit = net - fees_of(price, rule).total - cost - delivery
        return net > 0 and profit * 100 >= margin * net

    found = lowest_with_margin(margin, rule, cost=cost, delivery=delivery, tax_percent=tax)
    assert agrees(found, plain(leaves))


def test_the_worked_examples():
    assert [lowest_covering(wanted, RULE) for wanted in (2400, 100, 999)] == [2966, 170, 1260]
    assert (
        lowest_with_margin(Decimal(12), RULE, cost=1150, delivery=380, tax_percent=Decimal(20))
        == 2823
    )


@pytest.mark.parametrize("percent", [100, 150])
def test_where_fees_eat_every_price_there_is_none(percent):
    rule = (
        FeeRule(referral_percent=Decimal(60), processing_percent=Decimal(percent - 60))
        if percent < 160
        else RULE
    )
    assert lowest_covering(500, rule) is None
    assert lowest_with_margin(Decimal(5), rule, cost=500) is None


def test_a_category_has_its_own_share():
    rule = FeeRule(referral_percent=15, referral_in={"seeds": Decimal(8)})
    assert (lowest_covering(920, rule, "seeds"), lowest_covering(920, rule)) == (1000, 1082)
