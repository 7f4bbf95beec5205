"""Goods that were picked and have not left yet are on hand, but lie in no bin any more: counting a bin, taking
goods out of it or closing it leaves them alone, and they can leave afterwards."""

import pytest

from relvan.core.refusal import Refused
from relvan.services.orders.cancel import cancel_in
from relvan.services.picking.put_back import put_back
from relvan.services.setup.bins import merge_bins
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.stock.coming import SendTransfer, send_transfer
from relvan.services.stock.count import CountedLine, count_bin
from relvan.services.stock.move import MoveStock, move_stock, undo_movement
from relvan.services.workplace import SYSTEM
from relvan.store.ledger import bins_page
from relvan.store.tables import Order
from tests.house import assert_sound, count, receive, stock_of_sku
from tests.steps.sale import packed_by_hand, shipments


@pytest.fixture
def picked(desk, owner):
    """A desk with ten PT-14 on the books of one bin, three of which stand packed for two orders."""
    receive(desk, owner, "PT-14", 5)
    packed_by_hand(desk, owner, [("PT-14", 2)], [("PT-14", 1)])
    return desk


def on_hand(place):
    with place.database.reading() as session:
        return sum(row.on_hand for row in stock_of_sku(session, "PT-14"))


def in_bin(place):
    """Returns what lies in the bin, and what was picked from it."""
    with place.database.reading() as session:
        (row,) = [row for row in bins_page(session, 1) if row.sku == "PT-14"]
        return row.bin, row.lies, row.picked


def send_all(place, owner):
    ready = [row.id for row in shipments(place, "to ship")]
    assert all(verdict.ok for verdict in dispatch_shipments(place, owner, ready))
    assert_sound(place)


@pytest.mark.parametrize("counted", [0, 6, 7, 9])
def test_a_bin_is_counted_without_what_was_picked_from_it(picked, owner, counted):
    assert in_bin(picked) == ("A-01", 7, 3)
    count(picked, owner, "PT-14", counted)
    assert in_bin(picked) == ("A-01", counted, 3)
    send_all(picked, owner)
    assert on_hand(picked) == counted


def test_counting_a_whole_bin_says_what_differs_from_what_lies_there(picked, owner):
    same, other = [CountedLine("PT-14", 7)], [CountedLine("PT-14", 5)]
    assert count_bin(picked, owner, "millrace", "A-01", same, request_key="k1") == 0
    assert count_bin(picked, owner, "millrace", "A-01", other, request_key="k2") == 1
    send_all(picked, owner)
    assert on_hand(picked) == 5


def test_no_more_is_taken_away_than_lies_there(picked, owner):
    with pytest.raises(Refused, match="more than the 7 here"):
        move_stock(picked, owner, MoveStock("PT-14", "millrace", "write-off", change=-8))
    with pytest.raises(Refused, match="more than the 7 here and not blocked"):
        move_stock(picked, owner, MoveStock("PT-14", "millrace", "block", change=8))
    with pytest.raises(Refused, match="more than the 7 in A-01"):
        send_transfer(picked, owner, SendTransfer("PT-14", "millrace", "yard", 8))
    move_stock(picked, owner, MoveStock("PT-14", "millrace", "write-off", change=-7))
    assert in_bin(picked) == ("A-01", 0, 3)
    send_all(picked, owner)
    assert on_hand(picked) == 0


def test_a_receipt_is_not_undone_once_its_goods_were_picked(desk, owner):
    count(desk, owner, "PT-14", 0)
    made = receive(desk, owner, "PT-14", 4).movement
    packed_by_hand(desk, owner, [("PT-14", 3)])
    with pytest.raises(Refused, match="moved on"):
        undo_movement(desk, owner, made)
    send_all(desk, owner)
    assert on_hand(desk) == 1


def test_a_bin_is_merged_once_what_was_picked_from_it_has_left(picked, owner):
    with pytest.raises(Refused, match="have not left yet"):
        merge_bins(picked, owner, "millrace", "A-01", "B-01")
    send_all(picked, owner)
    assert merge_bins(picked, owner, "millrace", "A-01", "B-01") == 7
    assert_sound(picked)


def test_what_is_put_back_lies_there_again(picked, owner):
    with picked.database.writing() as session:
        cancel_in(session, picked, SYSTEM, session.get_one(Order, 1), "cancelled on the channel")
    put_back(picked, owner, 1)
    assert in_bin(picked) == ("A-01", 9, 1)
    count(picked, owner, "PT-14", 9)
    send_all(picked, owner)
    assert on_hand(picked) == 9
