"""Tests what may be done to an order, and why not: one table for everybody who asks."""

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.deeds import DeedOutcome, OrderDeed, OrderStanding, deeds_of, read_deed
from relvan.core.orders.facts import Extent
from relvan.core.orders.flow import flow_of
from relvan.core.refusal import NotFound

NONE, PART, ALL = Extent.NONE, Extent.PART, Extent.ALL


def order(reserved=ALL, picked=NONE, shipped=NONE, paid=ALL, **more):
    return OrderStanding("O-1", reserved, picked, shipped, paid, **more)


FRESH = order(unreleased=2)
SHORT = order(reserved=NONE)
RELEASED = order(shipments=1, waiting=1)
BEGUN = order(picked=PART, shipments=1, begun=1, touched=True)
SENT = order(picked=ALL, shipped=ALL, touched=True)
WORK = order(picked=ALL, shipped=ALL)  # nothing of it lies in a warehouse
CANCELLED = order(reserved=NONE, cancelled=True)
UNPAID = order(paid=NONE, must_be_paid=True, unreleased=2)
UNPAID_BY_HAND = order(paid=NONE, unreleased=2)
DOES, ALREADY = (DeedOutcome.DOES, ""), (DeedOutcome.ALREADY, "already")


def refused(code):
    return DeedOutcome.REFUSED, code


@pytest.mark.parametrize(
    ("standing", "deed", "outcome"),
    [
        (FRESH, "release", DOES),
        (SHORT, "release", refused("short")),
        (RELEASED, "release", ALREADY),
        (SENT, "release", refused("shipped")),
        (CANCELLED, "release", refused("cancelled")),
        (UNPAID, "release", refused("not-paid")),
        (UNPAID_BY_HAND, "release", DOES),
        (UNPAID, "release-part", refused("not-paid")),
        (UNPAID_BY_HAND, "release-part", DOES),
        (SHORT, "release-part", DOES),
        (RELEASED, "release-part", ALREADY),
        (FRESH, "reserve", ALREADY),
        (SHORT, "reserve", DOES),
        (SHORT, "reserve-anywhere", DOES),
        (CANCELLED, "reserve", refused("cancelled")),
        (FRESH, "unreserve", DOES),
        (RELEASED, "unreserve", refused("nothing")),
        (RELEASED, "take-back", DOES),
        (FRESH, "take-back", refused("under-way")),
        (BEGUN, "take-back", refused("under-way")),
        (FRESH, "cancel", DOES),
        (UNPAID, "cancel", DOES),
        (WORK, "cancel", DOES),
        (RELEASED, "cancel", DOES),
        (BEGUN, "cancel", refused("under-way")),
        (SENT, "cancel", refused("under-way")),
        (CANCELLED, "cancel", ALREADY),
        (FRESH, "move", DOES),
        (CANCELLED, "move", refused("cancelled")),
    ],
)
def test_a_deed_is_done_found_done_or_refused(standing, deed, outcome):
    answer = deeds_of(standing)[OrderDeed(deed)]
    assert (answer.outcome, answer.code) == outcome


def test_every_answer_that_does_nothing_says_why_and_every_refusal_what_to_do():
    for reserved, picked, shipped, paid, cancelled, must_be_paid in product(
        *[Extent] * 4, (False, True), (False, True)
    ):
        standing = order(
            reserved, picked, shipped, paid, cancelled=cancelled, must_be_paid=must_be_paid
        )
        for answer in deeds_of(standing).values():
            if answer.does:
                assert (answer.message, answer.fix) == ("", "")
                continue
            assert "O-1" in answer.message
            assert bool(answer.fix) is (answer.outcome == DeedOutcome.REFUSED)


@pytest.mark.parametrize("name", ["", "reserved", "delete", "RELEASE"])
def test_a_deed_that_there_is_not_is_refused_by_name(name):
    with pytest.raises(NotFound) as unknown:
        read_deed(name)
    assert f"“{name}”" in unknown.value.first.message


@given(
    units=st.lists(st.integers(0, 500), min_size=4, max_size=4).map(
        lambda found: sorted(found, reverse=True)
    )
)
def test_the_stream_never_widens_while_units_only_go_missing_and_a_little_is_still_seen(units):
    names = ("ordered", "reserved", "picked", "shipped")
    steps = flow_of(
        list(zip(names, units, strict=True)), [("total", 100), ("paid", 40)]
    ).goods.steps
    assert [step.reached for step in steps] == units
    assert [step.high for step in steps] == sorted((step.high for step in steps), reverse=True)
    assert all((step.high > 0) == (step.reached > 0) for step in steps)
