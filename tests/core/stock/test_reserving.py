"""Tests from which warehouses an order is served."""

from collections import Counter

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.reserving import Missing, Promise, Want, plan_reservation

MILL, YARD, DEPOT = 1, 2, 3


def test_the_first_warehouse_that_has_everything_serves_everything():
    free = {(10, MILL): 5, (20, MILL): 0, (10, YARD): 1, (20, YARD): 1}
    plan = plan_reservation([Want(1, 10, 1), Want(2, 20, 1)], free, [MILL, YARD])
    assert plan.promises == (Promise(1, 10, YARD, 1), Promise(2, 20, YARD, 1))


def test_a_line_that_one_warehouse_has_whole_is_not_split():
    free = {(10, MILL): 2, (10, YARD): 3, (20, MILL): 1}
    plan = plan_reservation([Want(1, 10, 3), Want(2, 20, 1)], free, [MILL, YARD])
    assert plan.whole
    assert plan.promises == (Promise(1, 10, YARD, 3), Promise(2, 20, MILL, 1))


def test_a_line_that_nobody_has_whole_is_split_in_order():
    plan = plan_reservation(
        [Want(1, 10, 5)], {(10, MILL): 2, (10, YARD): 2, (10, DEPOT): 2}, [YARD, MILL, DEPOT]
    )
    assert plan.promises == (
        Promise(1, 10, YARD, 2),
        Promise(1, 10, MILL, 2),
        Promise(1, 10, DEPOT, 1),
    )


def test_what_is_missing_is_named():
    plan = plan_reservation(
        [Want(1, 10, 5), Want(2, 20, 1)], {(10, MILL): 2, (20, MILL): 1}, [MILL]
    )
    assert not plan.whole
    assert plan.missing == (Missing(1, 10, 3),)


def test_two_lines_of_one_product_do_not_get_the_same_units():
    plan = plan_reservation([Want(1, 10, 2), Want(2, 10, 2)], {(10, MILL): 3}, [MILL])
    assert plan.missing == (Missing(2, 10, 1),)


def test_a_warehouse_that_does_not_feed_the_channel_gives_nothing():
    assert not plan_reservation([Want(1, 10, 1)], {(10, YARD): 9}, [MILL]).whole


wants = st.lists(
    st.builds(Want, st.integers(1, 5), st.sampled_from([10, 20]), st.integers(1, 6)), max_size=5
)
stock = st.dictionaries(
    st.tuples(st.sampled_from([10, 20]), st.sampled_from([MILL, YARD, DEPOT])), st.integers(0, 6)
)


@given(wants, stock, st.permutations([MILL, YARD, DEPOT]))
def test_promises_and_what_is_missing_are_all_that_is_wanted_and_never_more_than_there_is(
    asked, free, order
):
    plan = plan_reservation(asked, free, order)
    given_out = Counter()
    for promise in plan.promises:
        given_out[promise.product, promise.warehouse] += promise.quantity
    assert all(units <= free.get(place, 0) for place, units in given_out.items())
    got = sum(promise.quantity for promise in plan.promises) + sum(
        missing.quantity for missing in plan.missing
    )
    assert got == sum(want.quantity for want in asked)
    for product in (10, 20):
        there = sum(units for (owner, _), units in free.items() if owner == product)
        wanted = sum(want.quantity for want in asked if want.product == product)
        lacking = sum(missing.quantity for missing in plan.missing if missing.product == product)
        assert lacking == max(0, wanted - there)
