"""Units are taken off lines before they leave; stock, shipments, sums and the channel follow."""

import pytest

from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.core.refusal import Refused
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.line_changes import set_quantity, take_off
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.setup.firm import change_firm
from relvan.store.dispatch import pick_list_rows, pick_rows
from relvan.store.notices import notices_of
from relvan.store.orders import lines_of, order_by_number, shipment_rows
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    deliver,
    list_everywhere,
    receive,
    stock_of_sku,
)
from tests.snapshots import built_once
from tests.steps.books import FIRM
from tests.steps.catalogue import kit
from tests.steps.orders import ADA, take


@built_once
def desk(workplace, owner):
    change_firm(workplace, owner, FIRM)
    add_pot(workplace, owner, "PT-14", units=6)
    add_pot(workplace, owner, "PT-18", units=6)
    return workplace


def order(place, number):
    with place.database.reading() as session:
        return order_by_number(session, number)


def lines(place, number):
    with place.database.reading() as session:
        found = order_by_number(session, number)
        return [
            (row.sku, row.quantity, row.taken_off)
            for row in lines_of(session, [found.id])[found.id]
        ]


def reserved(place, sku):
    with place.database.reading() as session:
        return sum(row.reserved for row in stock_of_sku(session, sku))


def shipments(place, number):
    with place.database.reading() as session:
        return [
            (row.state, row.units)
            for row in shipment_rows(session, order_id=order_by_number(session, number).id)
        ]


def listed(place, owner, number):
    release_orders(place, owner, [number])
    with place.database.reading() as session:
        ids = [row.id for row in shipment_rows(session, states=["to pick"])]
    return make_pick_list(place, owner, ids)


def test_what_is_taken_off_is_free_again_and_no_longer_owed(desk, owner):
    number = take(desk, owner, ("PT-14", 4), ("PT-18", 1), paid=False)
    take_off(desk, owner, number, 1, 3)
    assert lines(desk, number) == [("PT-14", 1, 3), ("PT-18", 1, 0)]
    assert (order(desk, number).total, order(desk, number).units) == (3380, 2)
    assert reserved(desk, "PT-14") == 1
    take_off(desk, owner, number, 2)
    take_off(desk, owner, number, 2)
    assert order(desk, number).cancelled_at is None
    take_off(desk, owner, number, 1)
    assert order(desk, number).tray == "cancelled"
    assert (reserved(desk, "PT-14"), reserved(desk, "PT-18")) == (0, 0)
    with pytest.raises(Refused, match="is cancelled"):
        take_off(desk, owner, number, 1)
    assert_sound(desk)


def test_a_shipment_that_waits_becomes_smaller_or_ends(desk, owner):
    number = take(desk, owner, ("PT-14", 4), ("PT-18", 1))
    release_orders(desk, owner, [number])
    take_off(desk, owner, number, 1, 1)
    assert shipments(desk, number) == [("to pick", 4)]
    take_off(desk, owner, number, 1)
    take_off(desk, owner, number, 2)
    assert [state for state, _ in shipments(desk, number)] == ["cancelled"]
    assert reserved(desk, "PT-14") == 0
    assert_sound(desk)


def test_until_it_is_picked_it_leaves_the_pick_list(desk, owner):
    number = take(desk, owner, ("PT-14", 4), ("PT-18", 1))
    other = take(desk, owner, ("PT-18", 1))
    release_orders(desk, owner, [other])
    listed_as = listed(desk, owner, number)
    with desk.database.reading() as session:
        first = next(row for row in pick_rows(session, listed_as) if row.sku == "PT-14")
    take_off(desk, owner, number, 1, 1)
    with desk.database.reading() as session:
        assert [row.quantity for row in pick_rows(session, listed_as) if row.sku == "PT-14"] == [3]
    record_pick(desk, owner, listed_as, first.id, 3)
    with pytest.raises(Refused, match="are picked"):
        take_off(desk, owner, number, 1, 1)
    take_off(desk, owner, number, 2)
    assert ("to pack", 3) in shipments(desk, number)
    with desk.database.reading() as session:
        left = [row for row in pick_rows(session, listed_as) if row.picked is None]
        assert [row.sku for row in left] == ["PT-18"], "the other order is still to be picked"
        assert pick_list_rows(session, pick_list_id=listed_as)[0].state == "open"
        record = left[0].id
    record_pick(desk, owner, listed_as, record, 1)
    assert_sound(desk)


def test_what_stands_on_an_invoice_is_given_back_first(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    invoice_orders(desk, owner, [number])
    with pytest.raises(Refused, match="stand on an invoice"):
        take_off(desk, owner, number, 1, 1)


def test_kits_are_taken_off_as_kits(desk, owner):
    kit(desk, owner, "SET", ("PT-14", 2), ("PT-18", 1))
    number = take(desk, owner, ("SET", 2))
    take_off(desk, owner, number, 1, 1)
    assert lines(desk, number) == [("SET", 1, 1), ("PT-14", 2, 0), ("PT-18", 1, 0)]
    assert (reserved(desk, "PT-14"), reserved(desk, "PT-18")) == (2, 1)
    assert_sound(desk)


def test_an_order_by_hand_grows_and_is_reserved(desk, owner):
    number = take(desk, owner, ("PT-14", 2), paid=False)
    set_quantity(desk, owner, number, 1, 5)
    set_quantity(desk, owner, number, 1, 5)
    assert (order(desk, number).total, reserved(desk, "PT-14")) == (5 * 1690, 5)
    set_quantity(desk, owner, number, 1, 9)
    assert order(desk, number).fact_reserved == "part", "what it had stays promised"
    receive(desk, owner, "PT-14", 5)
    assert order(desk, number).fact_reserved == "all"
    set_quantity(desk, owner, number, 1, 1)
    assert (order(desk, number).total, reserved(desk, "PT-14")) == (1690, 1)
    with pytest.raises(Refused):
        set_quantity(desk, owner, number, 1, 100_001)
    assert_sound(desk)


@pytest.mark.parametrize("key", ["hagglet", "ownshop"])
def test_the_channel_is_told_and_what_it_tells_back_changes_nothing(desk, owner, world, key):
    connect(desk, owner, world, key)
    list_everywhere(desk, owner, "PT-14")
    deliver(desk)
    bought = world.buy(key, "PT-14", 3)
    from relvan.services.orders.read import read_orders

    read_orders(desk, channel_ids(desk)[key])
    with desk.database.reading() as session:
        number = next(row.number for row in _orders(session) if row.channel_number == bought)
    take_off(desk, owner, number, 1, 2)
    deliver(desk)
    assert [line["quantity"] for line in world.order(key, bought)["lines"]] == [1]
    read_orders(desk, channel_ids(desk)[key])
    assert lines(desk, number) == [("PT-14", 1, 2)]
    cancel_orders(desk, owner, [number])
    deliver(desk)
    assert world.order(key, bought)["state"] == "cancelled"
    assert_sound(desk)


def _orders(session):
    from sqlalchemy import select

    from relvan.store.tables import Order

    return session.scalars(select(Order))


def arrive(place, channel, quantities, mark, **more):
    told = tuple(
        IncomingLine(str(n), sku, sku, units, 1000) for n, (sku, units) in enumerate(quantities, 1)
    )
    incoming = IncomingOrder("H-1", place.now(), "EUR", told, ADA, paid=True, changed=mark, **more)
    return take_channel_orders(place, channel, [incoming])


def test_what_a_buyer_takes_off_upstream_follows_as_far_as_it_can(desk, owner, world):
    connect(desk, owner, world, "hagglet")
    (channel,) = channel_ids(desk).values()
    number = arrive(desk, channel, [("PT-14", 3), ("PT-18", 2)], 1)["h-1"]
    arrive(desk, channel, [("PT-14", 1), ("PT-18", 0)], 2)
    assert lines(desk, number) == [("PT-14", 1, 2), ("PT-18", 0, 2)]
    assert (order(desk, number).total, order(desk, number).paid) == (1000, 1000)
    listed_as = listed(desk, owner, number)
    with desk.database.reading() as session:
        pick = pick_rows(session, listed_as)[0]
    record_pick(desk, owner, listed_as, pick.id, 1)
    arrive(desk, channel, [("PT-14", 0), ("PT-18", 0)], 3)
    assert lines(desk, number) == [("PT-14", 1, 2), ("PT-18", 0, 2)]
    with desk.database.reading() as session:
        (notice,) = notices_of(session, order_by_number(session, number).id)
    assert "1 unit is picked" in notice.words
    assert_sound(desk)


def test_a_line_that_was_taken_off_before_we_knew_of_it_is_not_taken(desk, owner, world):
    connect(desk, owner, world, "hagglet")
    (channel,) = channel_ids(desk).values()
    number = arrive(desk, channel, [("PT-14", 0), ("PT-18", 2)], 1)["h-1"]
    assert lines(desk, number) == [("PT-18", 2, 0)]
    assert Address.read(order(desk, number).ship_to) == ADA
