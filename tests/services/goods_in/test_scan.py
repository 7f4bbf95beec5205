"""Tests goods in by scanner: receipts, returns, goods that nobody expected, each once."""

from dataclasses import replace
from datetime import date

import pytest

from relvan.core.orders.returns import ReturnTo
from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.goods_in.scan import Hand, bins_for, goods_in_hand, scan_goods
from relvan.services.orders.release import release_orders
from relvan.services.orders.returns import (
    ArrivedGoods,
    cancel_return,
    expect_return,
    receive_return,
)
from relvan.services.picking.lists import make_pick_list
from relvan.services.setup.bins import add_bins, close_bin, merge_bins
from relvan.services.setup.firm import change_firm
from relvan.services.stock.coming import ExpectReceipt, expect_receipt
from relvan.services.stock.move import MoveStock, move_stock, undo_movement
from relvan.services.workplace import Actor
from relvan.store.catalogue import find_product, product_bins
from relvan.store.coming import expected_rows
from relvan.store.dispatch import pick_rows
from relvan.store.orders import shipment_rows
from relvan.store.returns import expected_returns, lines_of_return, return_by_number
from tests.house import add_pot, assert_sound, stock_of_sku
from tests.snapshots import built_once
from tests.steps.books import FIRM
from tests.steps.orders import take
from tests.steps.sale import send

EMPTY = Hand("millrace")


@built_once
def floor(workplace, owner):
    """Builds a warehouse with three bins, and a pot of which 12 are expected twice."""
    change_firm(workplace, owner, FIRM)
    add_bins(workplace, owner, "millrace", ["A-01", "B-01", "B-02"])
    add_pot(workplace, owner, "PT-14", units=0, gtin="4006381333931", aliases=("OLD-14",))
    add_pot(workplace, owner, "PT-18", units=6)
    for day in (5, 9):
        wish = ExpectReceipt("PT-14", "millrace", 12, date(2026, 11, day))
        expect_receipt(workplace, owner, wish)
    return workplace


def scan(place, owner, *codes, hand=EMPTY):
    for code in codes:
        scanned = scan_goods(place, owner, hand, code)
        hand = scanned.hand
    return scanned


def came(place):
    """Returns what came of the receipts that are still open."""
    with place.database.reading() as session:
        return [(row.quantity, row.received) for row in expected_rows(session)]


def on_hand(place, sku="PT-14"):
    with place.database.reading() as session:
        return sum(row.on_hand for row in stock_of_sku(session, sku))


def test_goods_are_scanned_counted_and_put_away(floor, owner):
    scanned = scan(floor, owner, "4006381333931", "old-14")
    assert (scanned.hand.sku, scanned.hand.units) == ("PT-14", 2)
    assert scanned.goods.said == "22 of 24 are still to come after these."
    assert scanned.goods.bins, "a bin is proposed"
    scanned = scan(floor, owner, "15", hand=scanned.hand)
    assert scanned.goods.said == "9 of 24 are still to come after these."
    assert goods_in_hand(floor, scanned.hand) == scanned.goods
    done = scan(floor, owner, "b-02", hand=scanned.hand)
    assert done.done == "15 of PT-14 lie in B-02."
    assert done.hand == EMPTY
    assert (on_hand(floor), came(floor)) == (15, [(12, 3)])
    assert len(done.open_receipts) == 1
    again = scan(floor, owner, "B-02", hand=scanned.hand)
    assert (on_hand(floor), again.open_receipts) == (15, done.open_receipts), "sent twice is once"
    assert [one.code for one in bins_for(floor, "PT-14", "millrace", 1)] == ["B-02"]
    assert_sound(floor)


def test_more_than_expected_is_said_and_received(floor, owner):
    scanned = scan(floor, owner, "PT-14", "30")
    assert (scanned.goods.said, scanned.goods.look) == (
        "6 more than the 24 that are still expected.",
        True,
    )
    assert scan(floor, owner, "A-01", hand=scanned.hand).open_receipts == ()
    assert (on_hand(floor), came(floor)) == (30, [])


def test_goods_that_nobody_expected_are_received_too(floor, owner):
    scanned = scan(floor, owner, "PT-18")
    assert scanned.goods.said == "None of it is expected here."
    scan(floor, owner, "A-01", hand=scanned.hand)
    assert on_hand(floor, "PT-18") == 7
    assert_sound(floor)


@pytest.mark.parametrize(
    ("codes", "words"),
    [
        (("",), "is no goods"),
        (("NOBODY",), "“NOBODY” is no goods and no return"),
        (("A-01",), "is no goods"),
        (("PT-14", "PT-18"), "You have PT-14 in the hand"),
        (("PT-14", "Z-99"), "is no bin of Millrace"),
        (("PT-14", "0"), "must be between 1"),
        (("PT-14", "B-01"), "Bin B-01 is closed"),
    ],
)
def test_a_wrong_scan_is_refused_and_writes_nothing(floor, owner, codes, words):
    close_bin(floor, owner, "millrace", "B-01")
    with pytest.raises(Refused, match=words):
        scan(floor, owner, *codes)
    assert (on_hand(floor), came(floor)) == (0, [(12, 0), (12, 0)])


def test_somebody_who_may_not_move_stock_is_refused(floor):
    reader = Actor(1, "Reader", Role.CATALOGUE, "hand")
    with pytest.raises(NotAllowed):
        scan(floor, reader, "PT-14")


@pytest.fixture
def back(floor, owner):
    """Sends three pots of another kind, of which two are expected back."""
    take(floor, owner, ("PT-18", 3))
    send(floor, owner, "O-1001")
    return expect_return(floor, owner, "O-1001", {1: 2}, "too small")


def test_a_return_is_received_into_its_bin(floor, owner, back):
    with floor.database.reading() as session:
        assert [row.number for row in expected_returns(session, 10)] == [back]
    scanned = scan(floor, owner, back.lower(), "PT-18")
    assert scanned.goods.said == "1 of 2 are still to come after these."
    scan(floor, owner, "A-01", hand=scanned.hand)
    scan(floor, owner, "A-01", hand=scanned.hand)
    blocked = replace(Hand("millrace", back=back), to=ReturnTo.BLOCKED)
    scan(floor, owner, "PT-18", "B-02", hand=blocked)
    with floor.database.reading() as session:
        row = return_by_number(session, back)
        (line,) = lines_of_return(session, row.id)
        assert (line.to_stock, line.to_blocked) == (1, 1)
        assert expected_returns(session, 10) == []
        found = stock_of_sku(session, "PT-18")
        assert [sum(row.on_hand for row in found), sum(row.blocked for row in found)] == [5, 1]
    assert_sound(floor)


def test_what_a_return_does_not_name_is_refused(floor, owner, back):
    with pytest.raises(Refused, match="PT-14 is not expected back"):
        scan(floor, owner, back, "PT-14")
    scanned = scan(floor, owner, back, "PT-18", "5")
    assert scanned.goods.look
    with pytest.raises(Refused, match="are expected back"):
        scan(floor, owner, "A-01", hand=scanned.hand)
    assert on_hand(floor, "PT-18") == 3


def test_a_return_that_ended_is_refused(floor, owner, back):
    cancel_return(floor, owner, back)
    with pytest.raises(Refused, match="cancelled"):
        scan(floor, owner, back)


def test_written_off_twice_under_one_key_is_written_off_once(floor, owner, back):
    for _ in range(2):
        gone = [ArrivedGoods(1, 1, ReturnTo.WRITTEN_OFF)]
        receive_return(floor, owner, back, gone, "millrace", "one-key")
    with floor.database.reading() as session:
        (line,) = lines_of_return(session, return_by_number(session, back).id)
    assert line.written_off == 1


def lying(place, sku="PT-14"):
    with place.database.reading() as session:
        product = find_product(session, sku)
        return {row.bin: (row.on_hand, row.use_by) for row in product_bins(session, product.id)}


def test_a_gs1_code_names_the_goods_and_the_day_by_which_they_must_be_used(floor, owner):
    code = "010400638133393117270331"
    scanned = scan(floor, owner, code, "3", "A-01")
    assert scanned.done
    assert lying(floor) == {"A-01": (3, "2027-03-31")}
    held = scan(floor, owner, code).hand
    with pytest.raises(Refused, match="expire on 2027-04-30"):
        scan_goods(floor, owner, held, "010400638133393117270430")
    with pytest.raises(Refused, match="Use by"):
        scan_goods(floor, owner, replace(held, use_by="soon"), "A-01")
    scan(floor, owner, "010400638133393117270131", "A-01")
    assert lying(floor) == {"A-01": (4, "2027-01-31")}, "the earliest day counts"


def test_what_expires_first_is_picked_first_and_what_has_expired_never(floor, owner):
    for code, units, shelf in (("17270331", "5", "A-01"), ("17270115", "2", "B-01")):
        scan(floor, owner, f"0104006381333931{code}", units, shelf)
    wish = MoveStock("PT-14", "millrace", "receipt", change=4, bin="B-02", use_by="2026-10-31")
    move_stock(floor, owner, wish)
    number = take(floor, owner, ("PT-14", 3))
    release_orders(floor, owner, [number])
    with floor.database.reading() as session:
        ids = [row.id for row in shipment_rows(session, states=["to pick"])]
    made = make_pick_list(floor, owner, ids)
    with floor.database.reading() as session:
        picks = {row.bin: row.quantity for row in pick_rows(session, made)}
    assert picks == {"B-01": 2, "A-01": 1}


def test_an_emptied_bin_forgets_its_day_and_a_merged_one_takes_it_along(floor, owner):
    scan(floor, owner, "010400638133393117270331", "2", "A-01")
    merge_bins(floor, owner, "millrace", "A-01", "B-01")
    assert lying(floor)["B-01"] == (2, "2027-03-31")
    gone = MoveStock("PT-14", "millrace", "write-off", change=-2, bin="B-01")
    movement = move_stock(floor, owner, gone).movement
    assert lying(floor)["B-01"] == (0, None)
    undo_movement(floor, owner, movement)
    assert lying(floor)["B-01"] == (2, "2027-03-31"), "what is undone brings its day back"
    wish = MoveStock("PT-14", "millrace", "receipt", change=1, bin="B-01", use_by="2027-13-01")
    with pytest.raises(Refused, match="Use by"):
        move_stock(floor, owner, wish)
