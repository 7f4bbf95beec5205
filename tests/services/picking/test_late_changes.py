"""Tests what a person chooses where a channel changes an order after its goods were picked, invoiced or
have left."""

from dataclasses import replace
from datetime import datetime

import pytest

from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.invoices import credit_invoice, invoice_orders
from relvan.services.orders.line_changes import take_off
from relvan.services.orders.notices import open_notices, see_notices
from relvan.services.orders.payments import NewPayment, add_payment
from relvan.services.orders.release import release_orders
from relvan.services.orders.reserve import reserve_orders
from relvan.services.orders.returns import (
    ArrivedGoods,
    expect_in,
    expect_return,
    receive_return,
    refund_return,
)
from relvan.services.orders.take import take_channel_orders
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.late_changes import decide_late_change
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.picking.put_back import put_back
from relvan.services.picking.undo import undo_pick
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.voids import void_label
from relvan.store.dispatch import parcels_of
from relvan.store.history import history
from relvan.store.invoices import invoices_of_order, payments_of
from relvan.store.orders import lines_of, order_by_number
from relvan.store.returns import lines_of_return, returns_of_order
from relvan.store.tables import Carrier
from tests.house import add_pot, assert_sound, orders, receive, stock_of_sku
from tests.steps.books import FIRM
from tests.steps.orders import ADA, take
from tests.steps.sale import packed, pick_all_waiting, picks_of, shipments

PLACED = datetime.fromisoformat("2026-11-20T09:00:00+00:00")
PRICE = 1690


@pytest.fixture
def shop(two_pots, owner):
    """Builds a shop with a channel and nine pots more in each of two warehouses."""
    receive(two_pots, owner, "PT-14", 9)
    receive(two_pots, owner, "PT-14", 9, "yard")
    change_firm(two_pots, owner, FIRM)
    return two_pots


def free(shop, sku):
    with shop.database.reading() as session:
        return {row.warehouse: row.free for row in stock_of_sku(session, sku)}


def tell(shop, mark, *units, to=ADA, skus=("PT-14", "PT-14"), **more):
    """Tells an order of lines of so many pots as its channel does; returns its number."""
    lines = tuple(
        IncomingLine(str(at), sku, "Pot", count, PRICE)
        for at, (sku, count) in enumerate(zip(skus, units, strict=False), 1)
    )
    facts = {"paid": True, **more}
    told = IncomingOrder("HG-1", PLACED, "EUR", lines, ship_to=to, changed=mark, **facts)
    take_channel_orders(shop, 1, [told])
    return next(row.number for row in orders(shop) if row.channel_number == "HG-1")


def notices(shop, number):
    """Returns what lies before the team about an order, as (id, kind, units, choices)."""
    with shop.database.reading() as session:
        return [
            (one.notice.id, one.notice.kind, one.notice.units, " ".join(one.choices))
            for one in open_notices(session, order_by_number(session, number))
        ]


def decide(shop, owner, number, choice):
    (notice_id, *_), *_ = notices(shop, number)
    return decide_late_change(shop, owner, number, notice_id, choice)


def money(shop, number):
    """Returns what an order comes to, what of it was credited, and what is paid, in minor units."""
    with shop.database.reading() as session:
        order = order_by_number(session, number)
        payments = [row.amount for row in payments_of(session, order.id)]
        assert sum(payments) == order.paid
        return order.total, order.credited, order.paid


def standing(shop, number):
    with shop.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        return order.tray, order.cancelled_at is not None, [line.quantity for line in lines]


def returned(shop, number):
    """Returns the returns of an order, as (number, state, units, written off)."""
    with shop.database.reading() as session:
        order = order_by_number(session, number)
        return [
            (
                row.number,
                row.state,
                sum(one.quantity for one in lines_of_return(session, row.id)),
                sum(one.written_off for one in lines_of_return(session, row.id)),
            )
            for row in returns_of_order(session, order.id)
        ]


def pick_everything(shop, owner, number):
    release_orders(shop, owner, [number])
    for place in {row.warehouse for row in shipments(shop, "to pick")}:
        pick_all_waiting(shop, owner, place)


def send_packed(shop, owner, shipment):
    """Packs a shipment and sends it, without asking a carrier."""
    add_parcel(shop, owner, shipment, [], 900)
    with shop.database.writing() as session:
        (parcel,) = parcels_of(session, shipment)
        carrier = session.get_one(Carrier, 1)
        parcel.carrier_id, parcel.tracking_number, parcel.label_key = carrier.id, "OP-1", "k"
    (verdict,) = dispatch_shipments(shop, owner, [shipment])
    assert verdict.ok


def send(shop, owner, number):
    """Sends an order of which everything lies in one warehouse."""
    pick_everything(shop, owner, number)
    (shipment,) = shipments(shop, "to pack")
    send_packed(shop, owner, shipment.id)


def test_what_a_channel_cancels_before_anything_left_is_not_owed_and_given_back(shop, owner):
    number = tell(shop, 1, 2)
    tell(shop, 2, 2, cancelled=True)
    assert standing(shop, number)[:2] == ("cancelled", True)
    assert money(shop, number) == (2 * PRICE, 2 * PRICE, 0)
    assert notices(shop, number) == []
    tell(shop, 3, 2, cancelled=True)
    assert money(shop, number) == (2 * PRICE, 2 * PRICE, 0), "later news pay nothing"
    assert_sound(shop)


def test_what_was_paid_by_hand_is_to_be_given_back_once_it_is_cancelled(shop, owner):
    number = take(shop, owner, ("PT-14", 2))
    cancel_orders(shop, owner, [number])
    row = next(row for row in orders(shop) if row.number == number)
    assert row.words == "cancelled, money to give back"
    assert money(shop, number) == (2 * PRICE, 2 * PRICE, 2 * PRICE)
    add_payment(shop, owner, NewPayment(number, -2 * PRICE))
    row = next(row for row in orders(shop) if row.number == number)
    assert row.words == "cancelled"
    assert_sound(shop)


def test_what_stands_on_an_invoice_stays_owed_until_a_credit_note(shop, owner):
    number = tell(shop, 1, 2)
    (verdict,) = invoice_orders(shop, owner, [number])
    tell(shop, 2, 2, cancelled=True)
    assert money(shop, number) == (2 * PRICE, 0, 2 * PRICE)
    credit_invoice(shop, owner, verdict.message, "cancelled")
    assert money(shop, number)[:2] == (2 * PRICE, 2 * PRICE)
    assert_sound(shop)


def test_picked_goods_of_a_cancelled_order_go_back_by_one_choice(shop, owner):
    before = free(shop, "PT-14")
    number = tell(shop, 1, 2)
    pick_everything(shop, owner, number)
    tell(shop, 2, 2, cancelled=True)
    ((notice_id, kind, units, choices),) = notices(shop, number)
    assert (kind, units, choices) == ("cancelled", 2, "put-back")
    for _ in range(2):
        assert decide_late_change(shop, owner, number, notice_id, "put-back") == "put-back"
    assert notices(shop, number) == []
    assert free(shop, "PT-14") == before
    assert money(shop, number) == (2 * PRICE, 2 * PRICE, 0)
    assert_sound(shop)


def test_a_label_that_was_bought_for_goods_that_go_back_is_told_and_voided(shop, owner):
    number = tell(shop, 1, 2)
    pick_everything(shop, owner, number)
    (shipment,) = shipments(shop, "to pack")
    packed(shop, owner, shipment.id)
    tell(shop, 2, 2, cancelled=True)
    decide(shop, owner, number, "put-back")
    with shop.database.reading() as session:
        (parcel,) = parcels_of(session, shipment.id)
        (told,) = open_notices(session, order_by_number(session, number))
        label = parcel.tracking_number
    assert f"The label {label} of S-1001 is not used any more." in told.notice.words
    assert void_label(shop, owner, parcel.id) == label
    see_notices(shop, owner, number)
    assert notices(shop, number) == []
    assert_sound(shop)


@pytest.fixture
def cancelled_too_late(shop, owner):
    """Builds an order of three pots that has left and was cancelled by its channel then."""
    number = tell(shop, 1, 2, 1)
    send(shop, owner, number)
    tell(shop, 2, 2, 1, cancelled=True)
    return number


def test_goods_that_left_are_expected_back_and_given_back_for_once_they_came(
    shop, owner, cancelled_too_late
):
    number = cancelled_too_late
    assert money(shop, number) == (3 * PRICE, 0, 3 * PRICE), "until a person has chosen"
    assert [one[1:] for one in notices(shop, number)] == [("cancelled", 3, "recall refund let-go")]
    decide(shop, owner, number, "recall")
    ((back, state, units, _),) = returned(shop, number)
    assert (state, units) == ("expected", 3)
    goods = [ArrivedGoods(1, 2), ArrivedGoods(2, 1)]
    receive_return(shop, owner, back, goods, "millrace")
    refund_return(shop, owner, back)
    assert money(shop, number) == (3 * PRICE, 3 * PRICE, 0)
    assert_sound(shop)


def test_what_was_paid_is_given_back_though_the_goods_stay_with_the_buyer(
    shop, owner, cancelled_too_late
):
    number = cancelled_too_late
    before = free(shop, "PT-14")
    decide(shop, owner, number, "refund")
    ((_, state, units, written_off),) = returned(shop, number)
    assert (state, units, written_off) == ("refunded", 3, 3)
    assert money(shop, number) == (3 * PRICE, 3 * PRICE, 0)
    assert free(shop, "PT-14") == before
    assert_sound(shop)


def test_a_sale_that_is_let_go_stands_and_is_not_cancelled_again(shop, owner, cancelled_too_late):
    number = cancelled_too_late
    decide(shop, owner, number, "let-go")
    assert standing(shop, number) == ("floor", False, [2, 1])
    tell(shop, 3, 2, 1, cancelled=True)
    assert standing(shop, number) == ("floor", False, [2, 1])
    assert notices(shop, number) == []
    (verdict,) = invoice_orders(shop, owner, [number])
    assert verdict.ok
    assert standing(shop, number)[0] == "closed"
    assert_sound(shop)


@pytest.mark.parametrize("choice", ["recall", "refund", "let-go"])
def test_the_log_says_what_was_chosen_by_whom(shop, owner, cancelled_too_late, choice):
    decide(shop, owner, cancelled_too_late, choice)
    with shop.database.reading() as session:
        order = order_by_number(session, cancelled_too_late)
        told = [row for row in history(session, "order", order.id, 50) if "choice" in row.changes]
    assert [(row.changes["choice"], row.who) for row in told] == [(["", choice], owner.name)]


@pytest.fixture
def half_gone(shop, owner):
    """Builds an order of two pots that have left from one warehouse, and of one that is picked in
    another; then its channel cancels it."""
    add_pot(shop, owner, "PT-20", units=0)
    receive(shop, owner, "PT-20", 3, "yard")
    number = tell(shop, 1, 2, 1, skus=("PT-18", "PT-20"))
    pick_everything(shop, owner, number)
    by_place = {row.warehouse_key: row.id for row in shipments(shop, "to pack")}
    send_packed(shop, owner, by_place["millrace"])
    tell(shop, 2, 2, 1, skus=("PT-18", "PT-20"), cancelled=True)
    return number


def test_what_is_picked_is_put_back_first_and_is_no_part_of_the_order_then(shop, owner, half_gone):
    assert [one[1:] for one in notices(shop, half_gone)] == [("cancelled", 3, "put-back")]
    decide(shop, owner, half_gone, "put-back")
    assert standing(shop, half_gone) == ("cancelled", True, [2, 0])
    assert sum(free(shop, "PT-20").values()) == 3
    assert money(shop, half_gone) == (2 * PRICE, 0, 2 * PRICE), (
        "the channel gave back for the third"
    )
    assert [one[3] for one in notices(shop, half_gone)] == ["recall refund let-go"]
    decide(shop, owner, half_gone, "let-go")
    assert standing(shop, half_gone) == ("floor", False, [2, 0])
    assert_sound(shop)


def test_put_back_on_the_page_of_its_shipment_leaves_the_same_to_choose(shop, owner, half_gone):
    (waiting,) = shipments(shop, "to pack")
    put_back(shop, owner, waiting.id)
    assert [one[3] for one in notices(shop, half_gone)] == ["recall refund let-go"]
    decide(shop, owner, half_gone, "refund")
    assert money(shop, half_gone) == (2 * PRICE, 2 * PRICE, 0)
    assert_sound(shop)


def test_picked_units_that_a_buyer_takes_off_go_back_and_off(shop, owner):
    before = sum(free(shop, "PT-14").values())
    number = tell(shop, 1, 3)
    pick_everything(shop, owner, number)
    tell(shop, 2, 2)
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 1, "take-off let-go")]
    tell(shop, 3, 1)
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 2, "take-off let-go")]
    decide(shop, owner, number, "take-off")
    assert standing(shop, number)[2] == [1]
    assert sum(free(shop, "PT-14").values()) == before - 1
    assert money(shop, number) == (PRICE, 0, PRICE)
    tell(shop, 4, 1)
    assert notices(shop, number) == []
    tell(shop, 5, 0)
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 1, "take-off let-go")]
    decide(shop, owner, number, "let-go")
    (shipment,) = shipments(shop, "to pack")
    send_packed(shop, owner, shipment.id)
    assert_sound(shop)


def test_of_a_line_that_left_in_part_each_part_is_chosen_by_itself(shop, owner):
    number = tell(shop, 1, 3)
    release_orders(shop, owner, [number])
    (first,) = shipments(shop, "to pick")
    make_pick_list(shop, owner, [first.id])
    (pick,) = picks_of(shop, 1)
    record_pick(shop, owner, 1, pick.id, 2)
    send_packed(shop, owner, first.id)
    reserve_orders(shop, owner, [number])
    pick_everything(shop, owner, number)
    tell(shop, 2, 1)
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 2, "take-off let-go")]
    decide(shop, owner, number, "take-off")
    assert standing(shop, number)[2] == [2]
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 1, "recall refund let-go")]
    decide(shop, owner, number, "recall")
    assert [one[1:3] for one in returned(shop, number)] == [("expected", 1)]
    tell(shop, 3, 1)
    assert notices(shop, number) == []


def test_what_is_taken_off_or_comes_back_by_hand_is_not_chosen_once_more(shop, owner):
    number = tell(shop, 1, 3)
    pick_everything(shop, owner, number)
    tell(shop, 2, 1)
    undo_picks(shop, owner)
    take_off(shop, owner, number, 1, 1)
    assert [one[1:3] for one in notices(shop, number)] == [("taken-off", 1)]
    tell(shop, 3, 1)
    assert notices(shop, number) == [], (
        "the channel's news are followed now, and the notice is gone"
    )
    assert standing(shop, number)[2] == [1]
    (pick,) = picks_of(shop, 1)
    record_pick(shop, owner, 1, pick.id, 1)
    (shipment,) = shipments(shop, "to pack")
    send_packed(shop, owner, shipment.id)
    tell(shop, 4, 0)
    expect_return(shop, owner, number, {1: 1}, "they called")
    assert [one[3] for one in notices(shop, number)] == ["seen"]
    see_notices(shop, owner, number)
    assert_sound(shop)


def undo_picks(shop, owner):
    """Undoes what was picked on the first pick list."""
    for pick in picks_of(shop, 1):
        undo_pick(shop, owner, 1, pick.id)


def test_all_units_that_a_buyer_takes_off_cancel_the_order_and_end_its_shipment(shop, owner):
    number = tell(shop, 1, 2)
    pick_everything(shop, owner, number)
    tell(shop, 2, 0)
    decide(shop, owner, number, "take-off")
    assert standing(shop, number) == ("cancelled", True, [0])
    assert shipments(shop, "to pack") == []
    assert money(shop, number)[2] == 0
    assert_sound(shop)


def test_packed_units_are_unpacked_before_they_are_taken_off(shop, owner):
    number = tell(shop, 1, 2)
    pick_everything(shop, owner, number)
    (shipment,) = shipments(shop, "to pack")
    add_parcel(shop, owner, shipment.id, [], 900)
    tell(shop, 2, 1)
    with pytest.raises(Refused, match="1 of PT-14 is packed already"):
        decide(shop, owner, number, "take-off")
    assert standing(shop, number)[2] == [2]
    decide(shop, owner, number, "let-go")
    tell(shop, 3, 1)
    assert notices(shop, number) == []
    tell(shop, 4, 0)
    assert [one[1:3] for one in notices(shop, number)] == [("taken-off", 1)], "one more is news"
    assert_sound(shop)


def test_invoiced_units_are_credited_and_taken_off(shop, owner):
    number = tell(shop, 1, 3)
    invoice_orders(shop, owner, [number])
    tell(shop, 2, 2)
    decide(shop, owner, number, "take-off")
    with shop.database.reading() as session:
        order = order_by_number(session, number)
        papers = [(row.kind, row.payable) for row in invoices_of_order(session, order.id)]
        assert order.fact_invoiced == "all"
    assert sorted(papers) == [("credit", PRICE), ("invoice", 3 * PRICE)]
    assert money(shop, number) == (2 * PRICE, 0, 2 * PRICE)
    assert_sound(shop)


@pytest.mark.parametrize(
    ("choice", "state", "paid"), [("recall", "expected", 3), ("refund", "refunded", 2)]
)
def test_units_that_left_and_are_taken_off_come_back_or_stay_for_nothing(
    shop, owner, choice, state, paid
):
    number = tell(shop, 1, 3)
    send(shop, owner, number)
    tell(shop, 2, 2)
    assert [one[1:] for one in notices(shop, number)] == [("taken-off", 1, "recall refund let-go")]
    decide(shop, owner, number, choice)
    assert [one[1:3] for one in returned(shop, number)] == [(state, 1)]
    assert money(shop, number)[2] == paid * PRICE
    tell(shop, 3, 2)
    assert notices(shop, number) == []
    assert money(shop, number)[2] == paid * PRICE, "later news pay nothing"
    assert_sound(shop)


@pytest.mark.parametrize(("choice", "states"), [("recall", ["expected"]), ("let-go", [])])
def test_goods_on_their_way_to_an_old_address_are_called_back_or_go_there(
    shop, owner, choice, states
):
    number = tell(shop, 1, 2)
    send(shop, owner, number)
    elsewhere = replace(ADA, street="3 Mill Lane")
    tell(shop, 2, 2, to=elsewhere)
    assert [one[1:] for one in notices(shop, number)] == [("address", 0, "recall let-go")]
    decide(shop, owner, number, choice)
    assert [one[1] for one in returned(shop, number)] == states
    tell(shop, 3, 2, to=elsewhere)
    assert notices(shop, number) == []
    assert_sound(shop)


def test_what_was_given_back_for_a_return_is_not_paid_once_more_by_later_news(shop, owner):
    number = tell(shop, 1, 3)
    send(shop, owner, number)
    with shop.database.writing() as session:
        order = order_by_number(session, number)
        back = expect_in(session, shop, owner, order, {1: 1}, "broken").number
    receive_return(shop, owner, back, [ArrivedGoods(1, 1)], "millrace")
    refund_return(shop, owner, back)
    assert money(shop, number) == (3 * PRICE, PRICE, 2 * PRICE)
    tell(shop, 2, 3, to=replace(ADA, phone="+35316791234"))
    assert money(shop, number) == (3 * PRICE, PRICE, 2 * PRICE)
    assert_sound(shop)


def test_what_is_not_offered_is_refused_and_nothing_changes(
    shop, owner, picker, cancelled_too_late
):
    number = cancelled_too_late
    ((notice_id, *_),) = notices(shop, number)
    for wrong in ("put-back", "take-off", "seen", "explode", ""):
        with pytest.raises(Refused, match="must be one of recall, refund, let-go"):
            decide_late_change(shop, owner, number, notice_id, wrong)
    with pytest.raises(NotFound):
        decide_late_change(shop, owner, number, notice_id + 1, "recall")
    with pytest.raises(NotAllowed):
        decide_late_change(shop, picker, number, notice_id, "recall")
    see_notices(shop, owner, number)
    assert len(notices(shop, number)) == 1, "seeing it decides nothing"
    assert returned(shop, number) == []
