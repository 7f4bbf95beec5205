"""Tests which orders get goods that are not enough for all of them."""

from datetime import date, datetime, timedelta
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from relvan.core.orders.scarce import ServeBy, WaitingOrder, choose_by_age, choose_served, in_turn

NOON = datetime(2026, 11, 30, 12, 0)


def waiting(*wanted, values=(), promised=(), channels=()):
    return [
        WaitingOrder(
            str(at),
            NOON + timedelta(minutes=at),
            values[at - 1] if values else 0,
            units,
            promised[at - 1] if promised else None,
            channels[at - 1] if channels else "",
        )
        for at, units in enumerate(wanted, 1)
    ]


EXAMPLE = waiting({"A": 4, "B": 1}, {"A": 3}, {"A": 2}, {"B": 2}, {"B": 1})


@pytest.mark.parametrize(
    ("by", "whole"), [(ServeBy.AGE, ("1", "4", "5")), (ServeBy.MOST, ("2", "3", "4", "5"))]
)
def test_the_example_of_the_rules(by, whole):
    choice = choose_served({"A": 5, "B": 4}, EXAMPLE, by)
    assert choice.whole == whole
    assert (choice.reached, choice.bound, choice.exact) == (len(whole), len(whole), True)


def test_most_money_may_serve_fewer_orders():
    orders = waiting({"A": 1}, {"A": 1}, {"A": 2}, values=(300, 400, 900))
    choice = choose_served({"A": 2}, orders, ServeBy.MONEY)
    assert (choice.whole, choice.reached) == (("3",), 900)


def test_an_order_with_a_promised_day_is_served_before_an_older_one_without():
    orders = waiting(
        {"A": 1}, {"A": 1}, {"A": 1}, promised=(None, date(2026, 12, 5), date(2026, 12, 2))
    )
    assert [order.key for order in in_turn(orders)] == ["3", "2", "1"]
    assert choose_by_age({"A": 1}, orders).whole == ("3",)


def test_the_orders_of_one_channel_may_go_first():
    orders = waiting({"A": 1}, {"A": 1}, {"A": 1}, channels=("hagglet", "ownshop", "ownshop"))
    assert choose_by_age({"A": 2}, orders, first="ownshop").whole == ("2", "3")


@pytest.mark.parametrize("by", [ServeBy.MOST, ServeBy.MONEY])
def test_of_equal_choices_the_one_with_the_older_orders_is_taken(by):
    orders = waiting(
        {"A": 1, "B": 1}, {"A": 1}, {"B": 1}, {"A": 1}, {"B": 1}, values=(8, 4, 4, 4, 4)
    )
    choice = choose_served({"A": 1, "B": 1}, orders, by)
    assert choice.whole == (("2", "3") if by == ServeBy.MOST else ("1",))


def test_orders_that_compete_with_nobody_are_served_and_one_that_can_never_be_whole_is_not():
    orders = waiting({"C": 2}, {"A": 9}, {"A": 2}, {})
    assert choose_served({"A": 2, "C": 2}, orders, ServeBy.MOST).whole == ("1", "3", "4")


@pytest.mark.parametrize("seconds", [1e-6, 0.1])
def test_when_the_time_is_over_the_choice_tells_the_bound_that_was_proven(seconds):
    goods = [f"p{number}" for number in range(40)]
    wanted = [
        {goods[(at * step) % 40]: 1 + (at * step) % 3 for step in (3, 7, 11, 13)}
        for at in range(1, 301)
    ]
    free = dict.fromkeys(goods, 14)
    choice = choose_served(free, waiting(*wanted), ServeBy.MOST, seconds=seconds)
    assert choice.reached == len(choice.whole) <= choice.bound
    used = dict.fromkeys(goods, 0)
    for key in choice.whole:
        for product, units in wanted[int(key) - 1].items():
            used[product] += units
    assert all(units <= 14 for units in used.values())


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.dictionaries(st.sampled_from("ABC"), st.integers(1, 4), min_size=1),
        min_size=1,
        max_size=7,
    ),
    st.fixed_dictionaries({product: st.integers(0, 7) for product in "ABC"}),
    st.sampled_from([ServeBy.MOST, ServeBy.MONEY]),
)
def test_no_choice_of_orders_is_better_than_the_chosen_one(wanted, free, by):
    values = [100 * len(units) + sum(units.values()) for units in wanted]
    orders = waiting(*wanted, values=values)

    def fits(chosen):
        return all(
            sum(wanted[at].get(product, 0) for at in chosen) <= free[product] for product in "ABC"
        )

    def reached(chosen):
        return len(chosen) if by == ServeBy.MOST else sum(values[at] for at in chosen)

    every = [
        chosen
        for size in range(len(wanted) + 1)
        for chosen in combinations(range(len(wanted)), size)
        if fits(chosen)
    ]
    most = max(map(reached, every))
    # of the best, the one that serves the first order at which two of them differ
    older = max(
        (chosen for chosen in every if reached(chosen) == most),
        key=lambda chosen: [at in chosen for at in range(len(wanted))],
    )
    choice = choose_served(free, orders, by)
    assert choice.whole == tuple(str(at + 1) for at in older)
    assert (choice.reached, choice.bound) == (most, most)
