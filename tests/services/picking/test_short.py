"""Tests short picks: another bin serves them, or another warehouse, or the order waits; one step undoes it."""

from datetime import UTC, datetime

import pytest

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.picking.scans import PhoneScan
from relvan.core.refusal import Refused
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.picking.elsewhere import found_elsewhere, send_from_elsewhere
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.picking.scans import take_scans
from relvan.services.picking.undo import undo_pick
from relvan.services.setup.bins import add_bins
from relvan.store.dispatch import pick_rows
from relvan.store.orders import order_by_number, shipment_rows
from relvan.store.stock import stock_rows
from tests.house import add_pot, assert_sound, receive, stock_of_sku
from tests.snapshots import built_once

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@built_once
def desk(workplace, owner):
    """Builds pots in two bins of Millrace and in the yard, and an order of five being picked."""
    add_bins(workplace, owner, "millrace", ["A-01", "B-01"])
    add_pot(workplace, owner, "PT-14", units=0)
    receive(workplace, owner, "PT-14", 5, bin="A-01")
    receive(workplace, owner, "PT-14", 3, bin="B-01")
    receive(workplace, owner, "PT-14", 4, "yard")
    line = IncomingLine("", "PT-14", "PT-14", 5, 1690)
    take_manual_order(workplace, owner, (line,), TO, paid=True)
    release_orders(workplace, owner, ["O-1001"])
    with workplace.database.reading() as session:
        (shipment,) = shipment_rows(session, states=["to pick"])
    make_pick_list(workplace, owner, [shipment.id])
    return workplace


def picks(place):
    with place.database.reading() as session:
        return [(row.bin, row.quantity, row.picked) for row in pick_rows(session, 1)]


def first_pick(place):
    with place.database.reading() as session:
        return pick_rows(session, 1)[0].id


def standing(place):
    with place.database.reading() as session:
        order = order_by_number(session, "O-1001")
        rows = stock_of_sku(session, "PT-14")
        stock = {row.warehouse_key: (row.on_hand, row.reserved, row.blocked) for row in rows}
        states = [row.state for row in shipment_rows(session, order_id=order.id)]
        return order.tray, stock, states


def test_another_bin_serves_what_was_not_found(desk, owner):
    assert picks(desk) == [("A-01", 5, None)]
    before = standing(desk)
    done = record_pick(desk, owner, 1, first_pick(desk), 3)
    assert (done.short, done.list_done, done.instead) == (True, False, (("B-01", 2),))
    assert picks(desk) == [("A-01", 5, 3), ("B-01", 2, None)]
    assert standing(desk) == (before[0], {"millrace": (8, 5, 2), "yard": (4, 0, 0)}, ["picking"])
    assert_sound(desk)
    undo_pick(desk, owner, 1, first_pick(desk))
    assert (picks(desk), standing(desk)) == ([("A-01", 5, None)], before)
    assert_sound(desk)


def test_a_pick_whose_other_bin_was_used_is_not_undone(desk, owner):
    record_pick(desk, owner, 1, first_pick(desk), 3)
    with desk.database.reading() as session:
        other = pick_rows(session, 1)[1].id
    assert record_pick(desk, owner, 1, other, 2).list_done
    assert standing(desk)[2] == ["to pack"]
    with pytest.raises(Refused, match="taken from another bin since"):
        undo_pick(desk, owner, 1, first_pick(desk))
    undo_pick(desk, owner, 1, other)
    undo_pick(desk, owner, 1, first_pick(desk))
    assert picks(desk) == [("A-01", 5, None)]
    assert_sound(desk)


def test_what_no_bin_has_is_sent_from_another_warehouse(desk, owner):
    record_pick(desk, owner, 1, first_pick(desk), 0)
    with desk.database.reading() as session:
        other = pick_rows(session, 1)[1].id
        (found,) = found_elsewhere(session, 1)
    assert picks(desk) == [("A-01", 5, 0), ("B-01", 3, None)]
    assert (found.lacking, found.name, found.units) == (2, "Yard", 2)
    assert record_pick(desk, owner, 1, other, 3).list_done
    for warehouse in ("millrace",):
        with pytest.raises(Refused, match="does not serve"):
            send_from_elsewhere(desk, owner, 1, found.pick_id, warehouse)
    assert send_from_elsewhere(desk, owner, 1, found.pick_id, "yard") == 2
    assert send_from_elsewhere(desk, owner, 1, found.pick_id, "yard") == 0
    assert standing(desk)[1]["yard"] == (4, 2, 0)
    with desk.database.reading() as session:
        assert found_elsewhere(session, 1) == []
    assert_sound(desk)


def test_what_nobody_has_waits_as_short_of_stock(desk, owner):
    with desk.database.reading() as session:
        units = sum(row.on_hand for row in stock_rows(session, [1]))
    assert units == 12
    receive_none = record_pick(desk, owner, 1, first_pick(desk), 0)
    assert receive_none.instead == (("B-01", 3),)
    with desk.database.reading() as session:
        assert "2 of 5 short" in order_by_number(session, "O-1001").words
    assert_sound(desk)


def test_a_phone_sends_what_no_bin_has_from_another_warehouse(desk, owner):
    def scan(key, kind, pick, quantity=0, code=""):
        at = datetime(2026, 11, 30, 12, key, tzinfo=UTC)
        return PhoneScan(f"phone-key-{key}", kind, pick, quantity, code, at)

    first = first_pick(desk)
    scans = [scan(1, "pick", first), scan(2, "elsewhere", first, code="yard")]
    assert [one.said for one in take_scans(desk, owner, 1, scans)] == ["", ""]
    assert [one.said for one in take_scans(desk, owner, 1, scans)] == ["", ""], "sent again"
    assert standing(desk)[1]["yard"] == (4, 2, 0)
    (told,) = take_scans(desk, owner, 1, [scan(3, "elsewhere", first, code="millrace")])
    assert "does not serve" in told.said
    assert_sound(desk)
