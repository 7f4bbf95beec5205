"""Goods come back: into stock, blocked, or written off; they are given back in whole or part, once."""

import pytest

from relvan.core.orders.returns import ReturnTo
from relvan.core.refusal import Refused
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.returns import (
    ArrivedGoods,
    cancel_return,
    expect_return,
    receive_return,
    refund_return,
)
from relvan.services.setup.firm import change_firm
from relvan.store.invoices import invoices_of_order, payments_of
from relvan.store.orders import lines_of, order_by_number
from relvan.store.returns import lines_of_return, return_by_number
from relvan.store.tables import OrderLine
from tests.house import add_pot, assert_sound, stock_of_sku
from tests.snapshots import built_once
from tests.steps.books import FIRM
from tests.steps.orders import take
from tests.steps.sale import send


@built_once
def desk(workplace, owner):
    """Builds an order of three pots and one of another kind that was sent."""
    change_firm(workplace, owner, FIRM)
    add_pot(workplace, owner, "PT-14", units=6)
    add_pot(workplace, owner, "PT-18", units=6)
    take(workplace, owner, ("PT-14", 3), ("PT-18", 1))
    send(workplace, owner, "O-1001")
    return workplace


def stock(place, sku="PT-14"):
    with place.database.reading() as session:
        rows = stock_of_sku(session, sku)
        return sum(row.on_hand for row in rows), sum(row.blocked for row in rows)


def order(place):
    with place.database.reading() as session:
        return order_by_number(session, "O-1001")


def state(place, number):
    with place.database.reading() as session:
        row = return_by_number(session, number)
        lines = [
            (one.to_stock, one.to_blocked, one.written_off)
            for one in lines_of_return(session, row.id)
        ]
        return row.state, lines


def test_goods_come_back_some_at_a_time_and_each_goes_where_it_belongs(desk, owner):
    number = expect_return(desk, owner, "O-1001", {1: 3}, "Wrong colour")
    assert stock(desk) == (3, 0)
    receive_return(
        desk, owner, number, [ArrivedGoods(1, 1), ArrivedGoods(1, 1, ReturnTo.BLOCKED)], "millrace"
    )
    assert stock(desk) == (5, 1)
    with pytest.raises(Refused, match="1 of PT-14 are expected"):
        receive_return(desk, owner, number, [ArrivedGoods(1, 2)], "millrace")
    receive_return(desk, owner, number, [ArrivedGoods(1, 1, ReturnTo.WRITTEN_OFF)], "millrace")
    assert stock(desk) == (5, 1)
    assert state(desk, number) == ("received", [(1, 1, 1)])
    assert_sound(desk)


def test_what_is_not_invoiced_is_given_back_as_money(desk, owner):
    number = expect_return(desk, owner, "O-1001", {1: 2}, "Broken")
    with pytest.raises(Refused, match="has been received"):
        refund_return(desk, owner, number)
    receive_return(desk, owner, number, [ArrivedGoods(1, 2)], "millrace")
    done = refund_return(desk, owner, number)
    assert (done.amount, done.credit_note, done.paid_back) == (3380, "", 3380)
    assert refund_return(desk, owner, number).paid_back == 0
    assert (order(desk).credited, order(desk).paid) == (3380, 4 * 1690 - 3380)
    with desk.database.reading() as session:
        assert [row.amount for row in payments_of(session, order(desk).id)] == [4 * 1690, -3380]
    assert state(desk, number)[0] == "refunded"
    assert_sound(desk)


@pytest.mark.parametrize(("amount", "given"), [(None, 1690), (1000, 1000)])
def test_what_is_invoiced_is_given_back_by_a_credit_note_in_whole_or_part(
    desk, owner, amount, given
):
    invoice_orders(desk, owner, ["O-1001"])
    number = expect_return(desk, owner, "O-1001", {2: 1}, "Too large")
    receive_return(desk, owner, number, [ArrivedGoods(2, 1)], "millrace")
    with pytest.raises(Refused, match="at most what the goods came to"):
        refund_return(desk, owner, number, 1691)
    done = refund_return(desk, owner, number, amount)
    assert (done.amount, done.paid_back) == (given, given)
    with desk.database.reading() as session:
        note = invoices_of_order(session, order(desk).id)[-1]
        assert (note.kind, note.payable, note.number) == ("credit", given, done.credit_note)
        assert number in note.reason
    assert order(desk).credited == given
    assert_sound(desk)


def test_what_was_never_paid_is_only_owed_no_more(desk, owner, workplace):
    number = take(workplace, owner, ("PT-14", 1), paid=False)
    with workplace.database.writing() as session:
        found = order_by_number(session, number)
        (line,) = lines_of(session, [found.id])[found.id]
        session.get_one(OrderLine, line.id).shipped = 0
    with pytest.raises(Refused, match="0 of PT-14 can come back"):
        expect_return(workplace, owner, number, {1: 1}, "Never sent")
    back = expect_return(desk, owner, "O-1001", {1: 1}, "Broken")
    with workplace.database.writing() as session:
        found = order_by_number(session, "O-1001")
        for row in payments_of(session, found.id):
            session.delete(row)
        found.paid = 0
    receive_return(desk, owner, back, [ArrivedGoods(1, 1)], "millrace")
    done = refund_return(desk, owner, back)
    assert (done.amount, done.paid_back, order(desk).paid) == (1690, 0, 0)


def test_no_unit_comes_back_twice(desk, owner):
    first = expect_return(desk, owner, "O-1001", {1: 2}, "Broken")
    with pytest.raises(Refused, match="1 of PT-14 can come back"):
        expect_return(desk, owner, "O-1001", {1: 2}, "Broken")
    cancel_return(desk, owner, first)
    cancel_return(desk, owner, first)
    second = expect_return(desk, owner, "O-1001", {1: 3}, "Broken")
    receive_return(desk, owner, second, [ArrivedGoods(1, 1)], "millrace", "scan-1")
    with pytest.raises(Refused, match="is received"):
        cancel_return(desk, owner, second)
    with pytest.raises(Refused, match="is cancelled"):
        receive_return(desk, owner, first, [ArrivedGoods(1, 1)], "millrace")
    with pytest.raises(Refused, match="is not expected"):
        receive_return(desk, owner, second, [ArrivedGoods(2, 1)], "millrace")
    assert_sound(desk)
