"""Nothing of a cancelled order is picked, packed or sent any more; what was picked is put back."""

import pytest

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.refusal import Refused
from relvan.services.orders.cancel import cancel_in
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.picking.put_back import put_back
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels
from relvan.services.workplace import SYSTEM
from relvan.store.dispatch import pick_list_rows, pick_rows
from relvan.store.orders import order_by_number, shipment_rows
from relvan.store.tables import Carrier
from tests.house import add_pot, assert_sound, receive, stock_of_sku

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@pytest.fixture
def desk(workplace, owner):
    """Builds two orders of two kinds of pots on one pick list; the first kind of the first order is
    picked."""
    add_pot(workplace, owner, "PT-14", units=5)
    add_pot(workplace, owner, "PT-20", units=5)
    receive(workplace, owner, "PT-14", 2, "yard")
    lines = (
        IncomingLine("", "PT-14", "PT-14", 3, 1690),
        IncomingLine("", "PT-20", "PT-20", 1, 1690),
    )
    for wanted in (lines, lines[1:]):
        take_manual_order(workplace, owner, wanted, TO, paid=True)
    release_orders(workplace, owner, ["O-1001", "O-1002"])
    with workplace.database.reading() as session:
        shipments = [row.id for row in shipment_rows(session, states=["to pick"])]
    make_pick_list(workplace, owner, shipments)
    return workplace


def picks(desk):
    """Returns the picks by shipment and SKU."""
    with desk.database.reading() as session:
        return {(row.shipment_id, row.sku): row for row in pick_rows(session, 1)}


def pick_all(desk, owner, shipment_id=1):
    for (shipment, _), row in picks(desk).items():
        if shipment == shipment_id:
            record_pick(desk, owner, 1, row.id, row.quantity)


def cancel_on_channel(desk):
    with desk.database.writing() as session:
        order = order_by_number(session, "O-1001")
        cancel_in(session, desk, SYSTEM, order, "cancelled on the channel")


def free(desk, sku):
    """Returns the free units of a product in all warehouses."""
    with desk.database.reading() as session:
        rows = stock_of_sku(session, sku)
        return sum(row.on_hand - row.reserved - row.blocked for row in rows)


def state(desk, shipment_id=1):
    with desk.database.reading() as session:
        return next(row.state for row in shipment_rows(session) if row.id == shipment_id)


def test_the_picker_and_the_packer_are_told(desk, owner):
    first, second = (row for (shipment, _), row in picks(desk).items() if shipment == 1)
    record_pick(desk, owner, 1, first.id, first.quantity)
    cancel_on_channel(desk)
    with pytest.raises(Refused, match="is cancelled"):
        record_pick(desk, owner, 1, second.id, second.quantity)
    put_back(desk, owner, 1)
    assert state(desk) == "cancelled"
    assert [row.sku for (shipment, _), row in picks(desk).items() if shipment == 2] == ["PT-20"]
    assert (free(desk, "PT-14"), free(desk, "PT-20")) == (7, 4)
    assert_sound(desk)


def test_what_is_to_be_packed_or_sent_stops_and_is_free_again(desk, owner):
    pick_all(desk, owner)
    cancel_on_channel(desk)
    with pytest.raises(Refused, match="is cancelled"):
        add_parcel(desk, owner, 1, [], 900)
    put_back(desk, owner, 1)
    put_back(desk, owner, 1)
    with desk.database.reading() as session:
        assert order_by_number(session, "O-1001").words == "cancelled, money to give back"
        assert pick_list_rows(session, pick_list_id=1)[0].state == "open"
    assert (free(desk, "PT-14"), free(desk, "PT-20")) == (7, 4)
    pick_all(desk, owner, 2)
    assert_sound(desk)


def test_a_packed_parcel_is_neither_labelled_nor_sent(desk, owner):
    pick_all(desk, owner)
    add_parcel(desk, owner, 1, [], 900)
    cancel_on_channel(desk)
    with desk.database.writing() as session:
        session.add(Carrier(key="ostrel", name="Ostrel Post", address="http://x.test", token=""))
    with pytest.raises(Refused, match="is cancelled"):
        buy_labels(desk, owner, 1, "ostrel:parcel")
    (verdict,) = dispatch_shipments(desk, owner, [1])
    assert (verdict.ok, verdict.code) == (False, "cancelled")
    put_back(desk, owner, 1)
    assert (state(desk), free(desk, "PT-14")) == ("cancelled", 7)
    assert_sound(desk)


def test_an_order_that_stands_is_not_put_back(desk, owner):
    pick_all(desk, owner)
    with pytest.raises(Refused, match="is not cancelled"):
        put_back(desk, owner, 1)
    assert state(desk) == "to pack"
