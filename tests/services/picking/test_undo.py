"""A pick is undone as if it had never been recorded, or refused where the world has moved on."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.refusal import Refused
from relvan.services.listings.availability import availability
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.picking.undo import undo_pick
from relvan.store.dispatch import pick_list_rows, pick_rows
from relvan.store.orders import lines_of, order_by_number, shipment_rows
from tests.house import add_pot, assert_sound, count, receive, stock_of_sku
from tests.snapshots import built_once

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@built_once
def desk(workplace, owner):
    """Builds five pots in Millrace, two in the yard, and one order of three that is being
    picked."""
    add_pot(workplace, owner, "PT-14", units=5)
    receive(workplace, owner, "PT-14", 2, "yard")
    take_manual_order(
        workplace, owner, (IncomingLine("", "PT-14", "PT-14", 3, 1690),), TO, paid=True
    )
    release_orders(workplace, owner, ["O-1001"])
    with workplace.database.reading() as session:
        (shipment,) = shipment_rows(session, states=["to pick"])
    make_pick_list(workplace, owner, [shipment.id])
    return workplace


def standing(place):
    """Returns all that a pick changes."""
    with place.database.reading() as session:
        order = order_by_number(session, "O-1001")
        stock = [
            (row.warehouse_key, row.on_hand, row.reserved, row.blocked)
            for row in stock_of_sku(session, "PT-14")
        ]
        states = [
            (row.state, row.units, row.picked) for row in shipment_rows(session, order_id=order.id)
        ]
        picks = [(pick.quantity, pick.picked) for pick in pick_rows(session, 1)]
        lines = [(line.picked, line.shipped) for line in lines_of(session, [order.id])[order.id]]
        return (
            order.tray,
            order.words,
            stock,
            states,
            picks,
            lines,
            pick_list_rows(session, pick_list_id=1)[0].state,
        )


@settings(max_examples=8, suppress_health_check=list(HealthCheck))
@given(taken=st.lists(st.integers(0, 3), min_size=1, max_size=3))
def test_recording_and_undoing_leaves_all_as_it_was(desk, owner, taken):
    before = standing(desk)
    for units in taken:
        record_pick(desk, owner, 1, 1, units)
        assert_sound(desk)
        undo_pick(desk, owner, 1, 1)
        undo_pick(desk, owner, 1, 1)
        assert standing(desk) == before
        assert_sound(desk)


def test_what_a_short_pick_blocked_is_free_for_the_order_again(desk, owner):
    record_pick(desk, owner, 1, 1, 1)
    assert (
        availability(desk, "PT-14").free == 4
    )  # two more of the order are reserved nowhere, and two are blocked
    undo_pick(desk, owner, 1, 1)
    assert not record_pick(desk, owner, 1, 1, 3).short
    assert_sound(desk)


def refused(desk, owner):
    with pytest.raises(Refused) as found:
        undo_pick(desk, owner, 1, 1)
    assert_sound(desk)
    return found.value.first.code


def test_what_was_reserved_elsewhere_meanwhile_is_not_promised_twice(desk, owner):
    record_pick(desk, owner, 1, 1, 1)
    receive(desk, owner, "PT-14", 4, "yard")  # serves the order that is short
    assert refused(desk, owner) == "moved-on"


def test_a_bin_that_was_counted_meanwhile_is_believed(desk, owner):
    record_pick(desk, owner, 1, 1, 0)
    count(desk, owner, "PT-14", 2)
    assert refused(desk, owner) == "moved-on"


def test_what_is_packed_is_not_picked_again(desk, owner):
    record_pick(desk, owner, 1, 1, 3)
    add_parcel(desk, owner, 1, [], 900)
    assert refused(desk, owner) == "packed"
