"""Tests what phones scan: each scan is taken once and in order, also when it is sent again."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from relvan.core.picking.scans import PhoneScan, read_scans
from relvan.core.refusal import NotFound, Refused
from relvan.services.orders.release import release_orders
from relvan.services.picking.lists import make_pick_list
from relvan.services.picking.scans import take_scans
from relvan.services.shipping.papers import pick_sheet
from relvan.store.dispatch import pick_list_rows, pick_rows
from relvan.store.orders import shipment_rows
from tests.house import add_pot, assert_sound
from tests.steps.orders import take

NOON = datetime(2026, 11, 30, 12, tzinfo=UTC)


@pytest.fixture
def desk(workplace, owner):
    """Builds a pick list of two and three pots for two orders."""
    add_pot(workplace, owner, "PT-14", units=9, gtin="4006381333931")
    numbers = [take(workplace, owner, ("PT-14", 2)), take(workplace, owner, ("PT-14", 3))]
    release_orders(workplace, owner, numbers)
    with workplace.database.reading() as session:
        ids = [row.id for row in shipment_rows(session, states=["to pick"])]
    make_pick_list(workplace, owner, ids)
    return workplace


def scan(key, pick, quantity=0, code="PT-14", kind="pick"):
    return PhoneScan(f"phone-key-{key}", kind, pick, quantity, code, NOON + timedelta(seconds=key))


def picked(desk):
    with desk.database.reading() as session:
        return {row.id: row.picked for row in pick_rows(session, 1)}


def asked(desk):
    with desk.database.reading() as session:
        return {row.id: row.quantity for row in pick_rows(session, 1)}


def test_scans_are_taken_in_order_and_answered(desk, owner):
    units = asked(desk)
    answers = take_scans(
        desk,
        owner,
        1,
        [
            scan(1, 1, code="PT-99", kind="wrong"),
            scan(2, 1, units[1], "4006381333931"),
            scan(3, 2, units[2], "PT-99"),
            scan(4, 2, units[2]),
        ],
    )
    assert [bool(one.said) for one in answers] == [False, False, True, False]
    assert "is not PT-14" in answers[2].said
    assert picked(desk) == units
    with desk.database.reading() as session:
        assert pick_list_rows(session)[0].state == "done"
    assert_sound(desk)


def test_what_is_sent_again_is_not_done_again(desk, owner):
    units = asked(desk)
    sent = [
        scan(1, 1, units[1]),
        scan(2, 1, kind="undo"),
        scan(3, 1, 1, code=""),
    ]
    first = take_scans(desk, owner, 1, sent)
    after = picked(desk)
    assert after[1] == 1
    assert take_scans(desk, owner, 1, sent) == first
    assert take_scans(desk, owner, 1, sent[:1]) == first[:1]
    assert picked(desk) == after
    assert_sound(desk)


@settings(
    max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.lists(st.integers(1, 6), min_size=1, max_size=12))
def test_however_a_bad_network_repeats_parts_the_end_is_the_same(desk, owner, repeats):
    """The phone sends what is unanswered from its first on; answers may be lost any number of times."""
    units = asked(desk)
    done = [
        scan(1, 1, units[1]),
        scan(2, 1, kind="undo"),
        scan(3, 1, units[1]),
        scan(4, 2, units[2] - 1, code=""),
        scan(5, 2, kind="undo"),
        scan(6, 2, units[2]),
    ]
    reached = 0
    for upto in [*repeats, len(done)]:
        reached = max(reached, upto)
        take_scans(desk, owner, 1, done[: max(upto, reached)])
    assert picked(desk) == units


def test_a_list_that_is_not_there_is_refused(desk, owner):
    with pytest.raises(NotFound):
        take_scans(desk, owner, 99, [scan(1, 1, 1)])


GOOD = {
    "key": "phone-key-1",
    "kind": "pick",
    "pick": 1,
    "quantity": 2,
    "at": "2026-11-30T12:00:00Z",
}


@pytest.mark.parametrize(
    "told",
    [
        None,
        [],
        ["scan"],
        [{**GOOD, "key": "short"}],
        [{**GOOD, "kind": "steal"}],
        [{**GOOD, "pick": "1"}],
        [{**GOOD, "quantity": True}],
        [{**GOOD, "at": "noon"}],
        [{**GOOD, "at": "2026-11-30T12:00:00"}],
        [GOOD] * 501,
    ],
)
def test_what_cannot_be_read_is_refused_as_a_whole(told):
    with pytest.raises(Refused):
        read_scans(told)


def test_what_a_phone_sends_is_read():
    (found,) = read_scans([{**GOOD, "code": "PT-14"}])
    assert found == PhoneScan("phone-key-1", "pick", 1, 2, "PT-14", NOON)


def test_a_printed_list_names_the_goods_of_one_stop_once(desk):
    (row,) = pick_sheet(desk, 1).picks
    assert row.quantity == 5
    assert row.shipment.count(": 2") == row.shipment.count(": 3") == 1
