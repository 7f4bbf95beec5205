"""Tests sending off many shipments at once: a verdict for each, and the same effect as one by one."""

import pytest
from sqlalchemy import func, select

from relvan.core.stock.movements import Reason
from relvan.services.orders.release import release_orders
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.store.orders import lines_of
from relvan.store.tables import Movement, Order, Parcel, Reservation, Shipment
from tests.house import assert_sound, receive, stock_of_sku
from tests.steps.orders import take
from tests.steps.sale import packed_by_hand, shipments

ORDERS = 12


@pytest.fixture
def yard(desk, owner):
    """A desk with enough of two goods, each in its warehouse."""
    receive(desk, owner, "PT-14", 95)
    receive(desk, owner, "PT-18", 98, "yard")
    return desk


def gone(place):
    """Returns what left as (shipment, units), in order."""
    moved = select(Movement.shipment_id, Movement.on_hand).where(Movement.reason == Reason.DISPATCH)
    with place.database.reading() as session:
        return [tuple(row) for row in session.execute(moved.order_by(Movement.id))]


def test_many_leave_at_once_by_as_many_queries_as_a_few(yard, owner, count_queries):
    ids = packed_by_hand(yard, owner, *[[("PT-14", 2)]] * ORDERS)
    with count_queries(yard.database) as few:
        dispatch_shipments(yard, owner, ids[:3])
    with count_queries(yard.database) as many:
        verdicts = dispatch_shipments(yard, owner, ids[3:])
    assert [verdict.ok for verdict in verdicts] == [True] * (ORDERS - 3)
    assert len(many) <= len(few)
    assert gone(yard) == [(one, -2) for one in ids]
    with yard.database.reading() as session:
        here = next(row for row in stock_of_sku(session, "PT-14") if row.on_hand)
        assert (here.on_hand, here.reserved) == (100 - 2 * ORDERS, 0)
        orders = session.scalars(select(Order)).all()
        assert {order.fact_shipped for order in orders} == {"all"}
        lines = lines_of(session, [order.id for order in orders])
        assert [line.shipped for found in lines.values() for line in found] == [2] * ORDERS
        assert session.scalar(select(func.count()).select_from(Reservation)) == 0
    assert_sound(yard)


def test_what_cannot_leave_is_refused_by_itself_and_the_others_leave(yard, owner):
    ids = packed_by_hand(yard, owner, *[[("PT-14", 1)]] * 5)
    unlabelled, cancelled, sent, *others = ids
    (waiting,) = release_and_wait(yard, owner)
    with yard.database.writing() as session:
        for parcel in session.scalars(select(Parcel).where(Parcel.shipment_id == unlabelled)):
            parcel.tracking_number = None
        order = session.get_one(Order, session.get_one(Shipment, cancelled).order_id)
        order.cancelled_at = yard.now()
    dispatch_shipments(yard, owner, [sent])
    wanted = [unlabelled, others[0], cancelled, 999, sent, waiting, others[0], others[1]]
    verdicts = dispatch_shipments(yard, owner, wanted)
    assert [verdict.code for verdict in verdicts] == [
        "no-label",
        "",
        "cancelled",
        "not-found",
        "",
        "wrong-state",
        "",
        "",
    ]
    assert [verdict.subject for verdict in verdicts] == [str(one) for one in wanted]
    assert gone(yard) == [(sent, -1), (others[0], -1), (others[1], -1)]
    assert {row.id for row in shipments(yard, "to ship")} == {unlabelled, cancelled}


def release_and_wait(place, owner):
    number = take(place, owner, ("PT-14", 1))
    release_orders(place, owner, [number])
    return [row.id for row in shipments(place, "to pick")]


def test_both_shipments_of_an_order_leave_in_one_go(yard, owner):
    ids = packed_by_hand(yard, owner, [("PT-14", 3), ("PT-18", 2)], [("PT-14", 1)])
    assert len(ids) == 3
    verdicts = dispatch_shipments(yard, owner, ids)
    assert all(verdict.ok for verdict in verdicts)
    assert sorted(gone(yard)) == sorted(zip(ids, (-3, -2, -1), strict=True))
    with yard.database.reading() as session:
        assert session.get_one(Order, 1).fact_shipped == "all"
    assert_sound(yard)


def test_nothing_and_the_same_again_change_nothing(yard, owner):
    (shipment,) = packed_by_hand(yard, owner, [("PT-14", 1)])
    assert dispatch_shipments(yard, owner, []) == []
    dispatch_shipments(yard, owner, [shipment])
    before = gone(yard)
    assert [verdict.ok for verdict in dispatch_shipments(yard, owner, [shipment])] == [True]
    assert gone(yard) == before == [(shipment, -1)]
