"""Tests orders that go to another address, by hand or as their channel tells, before and after goods
were touched."""

from dataclasses import replace
from datetime import datetime

import pytest

from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.orders.by_hand import enter_order
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.customers import forget_customer
from relvan.services.orders.readdress import change_address
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.store.history import history
from relvan.store.notices import notices_of
from relvan.store.orders import order_by_number
from tests.house import assert_sound, orders
from tests.steps.orders import ADA, take
from tests.steps.sale import picks_of, shipments

HOME = replace(ADA, postcode="4821 AB")
NEW = replace(HOME, street="3 Mill Lane", postcode="4822 CD")


def standing(workplace, number):
    """Returns where an order goes, what lies before the team, and what its log tells."""
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        notices = [notice.words for notice in notices_of(session, order.id)]
        log = [row.changes for row in history(session, "order", order.id, 50)]
        return Address.read(order.ship_to), notices, log


def test_an_order_goes_elsewhere_and_its_log_tells_from_where(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    assert change_address(desk, owner, number, replace(NEW, street=" 3 Mill Lane ")) == []
    to, _, log = standing(desk, number)
    assert to == NEW
    told = {"street": ["12 Larkspur Row", "3 Mill Lane"], "postcode": ["4821", "4822 CD"]}
    assert told in log
    change_address(desk, owner, number, NEW)
    assert standing(desk, number)[2].count(told) == 1, "saying it again changes nothing"
    assert_sound(desk)


def test_what_is_not_as_it_is_written_there_is_told_and_saved(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    (warning,) = change_address(desk, owner, number, replace(NEW, postcode="no code"))
    assert "Postcode" in warning
    assert standing(desk, number)[0].postcode == "no code"


def test_what_cannot_be_is_refused_and_nothing_changes(desk, owner, picker):
    number = take(desk, owner, ("PT-14", 1))
    for wrong, field in ((replace(NEW, town=""), "town"), (replace(NEW, country="DE"), "country")):
        with pytest.raises(Refused) as refused:
            change_address(desk, owner, number, wrong)
        assert refused.value.first.field == field
    with pytest.raises(NotAllowed):
        change_address(desk, picker, number, NEW)
    assert standing(desk, number)[0] == ADA


def tell(workplace, changed, to, **facts):
    """Tells an order as its channel does; returns its number."""
    line = IncomingLine("1", "PT-14", "Pot", 1, 1690)
    placed = datetime.fromisoformat("2026-11-20T09:00:00+00:00")
    told = IncomingOrder(
        "HG-1", placed, "EUR", (line,), ship_to=to, paid=True, changed=changed, **facts
    )
    take_channel_orders(workplace, 1, [told])
    return next(row.number for row in orders(workplace) if row.channel_number == "HG-1")


def pick(workplace, owner, number):
    """Releases an order and picks all of it."""
    release_orders(workplace, owner, [number])
    mine = [row.id for row in shipments(workplace) if row.order == number]
    made = make_pick_list(workplace, owner, mine)
    for one in picks_of(workplace, made):
        record_pick(workplace, owner, made, one.id, one.quantity, code=one.sku)


def test_news_of_another_kind_do_not_change_an_address_back(two_pots, owner):
    number = tell(two_pots, 1, ADA)
    change_address(two_pots, owner, number, NEW)
    tell(two_pots, 2, ADA)
    assert standing(two_pots, number)[0] == NEW
    other = replace(ADA, street="9 Quay")
    tell(two_pots, 3, other)
    assert standing(two_pots, number)[:2] == (other, [])
    assert_sound(two_pots)


def test_a_late_address_is_taken_and_laid_before_the_team(two_pots, owner):
    number = tell(two_pots, 1, ADA)
    pick(two_pots, owner, number)
    with pytest.raises(Refused) as refused:
        change_address(two_pots, owner, number, NEW)
    assert refused.value.first.code == "picked"
    tell(two_pots, 2, NEW)
    to, notices, _ = standing(two_pots, number)
    assert to == NEW
    assert [notice for notice in notices if "3 Mill Lane" in notice and "check the label" in notice]
    tell(two_pots, 3, NEW)
    assert len(standing(two_pots, number)[1]) == len(notices)


def test_a_late_cancellation_is_laid_before_the_team(two_pots, owner):
    number = tell(two_pots, 1, ADA)
    pick(two_pots, owner, number)
    tell(two_pots, 2, ADA, cancelled=True)
    assert "Its channel cancelled it. 1 unit is picked." in standing(two_pots, number)[1]
    assert_sound(two_pots)


def test_an_early_cancellation_asks_nothing_of_the_team(two_pots, owner):
    number = tell(two_pots, 1, ADA)
    tell(two_pots, 2, ADA, cancelled=True)
    assert standing(two_pots, number)[1] == []


def test_who_is_forgotten_is_in_no_log_either(desk, owner):
    line = DraftLine("PT-14", 1)
    number = enter_order(desk, owner, OrderDraft(ship_to=HOME, lines=(line,), mail=ADA.mail)).number
    change_address(desk, owner, number, NEW)
    cancel_orders(desk, owner, [number])
    forget_customer(desk, owner, "K-1001")
    with desk.database.reading() as session:
        told = session.connection().exec_driver_sql("SELECT changes FROM audit_entry").scalars()
        assert not [row for row in told if "Larkspur" in row or "Mill Lane" in row]
