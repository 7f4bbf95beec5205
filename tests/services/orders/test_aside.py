"""Tests what is noted of orders: set aside until a day, tags, who takes care, and reminders."""

from dataclasses import replace
from datetime import timedelta

import pytest

from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.trays import TrayForm
from relvan.core.refusal import NotFound, Refused
from relvan.services.orders.aside import (
    assign_orders,
    mind_the_desk,
    set_aside,
    tag_orders,
    take_back_aside,
)
from relvan.services.orders.by_hand import enter_order
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.notices import see_notices
from relvan.services.orders.trays import change_tray
from relvan.store.history import history
from relvan.store.line import line_counts, today_counts
from relvan.store.notices import notices_of
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page, stuck_in_trays
from relvan.store.orders import order_by_number
from relvan.store.trays import tags_of
from tests.house import orders
from tests.steps.orders import ADA, one, take


def day(desk, days):
    return desk.local_now().date() + timedelta(days=days)


def reminded(desk, number):
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        return [notice.words for notice in notices_of(session, order.id)]


def test_an_order_set_aside_waits_for_nobody_and_comes_back_by_itself(desk, owner, clock):
    number = take(desk, owner, ("PT-14", 1))
    assert set_aside(desk, owner, [number], "waits for an answer", day(desk, 3))[0].ok
    row = one(desk, number)
    assert (row.tray, row.aside_until, row.aside_reason) == (
        "inbox",
        day(desk, 3).isoformat(),
        "waits for an answer",
    )
    with desk.database.reading() as session:
        assert not line_counts(session)["orders"]
        assert stuck_in_trays(session) == {}
    mind_the_desk(desk)
    assert one(desk, number).aside_until
    clock.move(days=3)
    mind_the_desk(desk)
    assert one(desk, number).aside_until is None
    assert reminded(desk, number) == ["It was set aside until today."]
    with desk.database.reading() as session:
        assert line_counts(session)["orders"].number == 1
        log = history(session, "order", order_by_number(session, number).id)
    assert [entry.deed for entry in log[:2]] == ["came back", "set aside"]


def test_it_can_be_brought_back_sooner_and_setting_aside_twice_is_noted_once(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    for _ in range(2):
        set_aside(desk, owner, [number], "why", day(desk, 3), tray="short")
    assert one(desk, number).tray == "short"
    with desk.database.reading() as session:
        log = history(session, "order", order_by_number(session, number).id)
    assert [entry.deed for entry in log].count("set aside") == 1
    assert take_back_aside(desk, owner, [number])[0].ok
    assert one(desk, number).aside_until is None


@pytest.mark.parametrize(
    ("reason", "days", "code", "field"),
    [
        ("", 3, "form", "reason"),
        ("w" * 201, 3, "form", "reason"),
        ("why", 0, "out-of-range", "until"),
        ("why", -1, "out-of-range", "until"),
        ("why", 800, "out-of-range", "until"),
    ],
)
def test_it_needs_a_reason_and_a_day_to_come(desk, owner, reason, days, code, field):
    number = take(desk, owner, ("PT-14", 1))
    with pytest.raises(Refused) as refused:
        set_aside(desk, owner, [number], reason, day(desk, days))
    assert (refused.value.first.code, refused.value.first.field) == (code, field)
    assert one(desk, number).aside_until is None


def test_a_cancelled_order_waits_for_nothing(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    cancel_orders(desk, owner, [number])
    verdicts = set_aside(desk, owner, [number, "O-9"], "why", day(desk, 3))
    assert [verdict.code for verdict in verdicts] == ["cancelled", "not-found"]


def test_tags_are_added_and_deleted_once_and_found_by(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    take(desk, owner, ("PT-14", 1))
    for _ in range(2):
        tag_orders(desk, owner, [number], " Gift, wrapped ")
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        assert tags_of(session, [order.id])[order.id] == ["gift-wrapped"]
        log = history(session, "order", order.id)
    assert [entry.deed for entry in log].count("tagged") == 1
    assert [row.number for row in orders(desk, tag="gift-wrapped")] == [number]
    tag_orders(desk, owner, [number], "gift-wrapped", off=True)
    assert orders(desk, tag="gift-wrapped") == []
    with pytest.raises(Refused):
        tag_orders(desk, owner, [number], " !! ")


def test_somebody_takes_care_of_an_order_until_nobody_does(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    assert assign_orders(desk, owner, [number], "owner")[0].ok
    assert one(desk, number).assigned == "Owner"
    assign_orders(desk, owner, [number], "")
    assert one(desk, number).assigned is None
    with pytest.raises(NotFound):
        assign_orders(desk, owner, [number], "nobody-here")


def test_a_tray_reminds_of_what_has_lain_there_too_long_once(desk, owner, clock):
    change_tray(desk, owner, "inbox", TrayForm("Inbox", remind_days=2))
    number = take(desk, owner, ("PT-14", 1))
    aside = take(desk, owner, ("PT-14", 1))
    set_aside(desk, owner, [aside], "why", day(desk, 30))
    clock.move(days=1)
    mind_the_desk(desk)
    assert reminded(desk, number) == []
    clock.move(days=1, minutes=1)
    mind_the_desk(desk)
    assert reminded(desk, number) == ["It has lain in Inbox for 2 days or longer."]
    assert reminded(desk, aside) == []
    see_notices(desk, owner, number)
    mind_the_desk(desk)
    assert reminded(desk, number) == []


def test_more_than_are_minded_at_once_all_come_back(desk, owner, clock, monkeypatch):
    monkeypatch.setattr("relvan.services.orders.aside.AT_ONCE", 2)
    numbers = [take(desk, owner, ("PT-18", 9)) for _ in range(5)]
    set_aside(desk, owner, numbers, "why", day(desk, 1))
    clock.move(days=1)
    rounds = 1
    while mind_the_desk(desk):
        rounds += 1
    assert rounds == 3
    assert [row.aside_until for row in orders(desk)] == [None] * 5


def test_what_lies_before_the_team_is_counted_and_found(desk, owner, clock):
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(3)]
    set_aside(desk, owner, numbers[:1], "waits for an answer", day(desk, 1))
    clock.move(days=1)
    mind_the_desk(desk)

    def found(**wanted):
        with desk.database.reading() as session:
            return [row.number for row in order_page(session, OrderFilter(**wanted))]

    with desk.database.reading() as session:
        assert today_counts(session)["noticed"].number == 1
    assert found(noticed=True) == numbers[:1]
    assert sorted(found(noticed=False)) == numbers[1:]
    see_notices(desk, owner, numbers[0])
    assert found(noticed=True) == []


def test_orders_are_found_by_the_day_for_which_they_are_promised(desk, owner):
    line = DraftLine("PT-14", 1)
    to = replace(ADA, postcode="4821 AB")
    numbers = [
        enter_order(desk, owner, OrderDraft(ship_to=to, lines=(line,), promised=promised)).number
        for promised in (day(desk, 2), day(desk, 5), None)
    ]
    with desk.database.reading() as session:
        for ahead, many in ((1, 0), (2, 1), (5, 2)):
            wanted = OrderFilter(promised_by=day(desk, ahead))
            assert sorted(row.number for row in order_page(session, wanted)) == numbers[:many]
