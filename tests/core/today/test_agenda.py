"""Tests the order of what waits, and how a day goes beside a usual one."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.people.roles import Role
from relvan.core.setup.warehouses import PickUp
from relvan.core.today.agenda import OWN, Task, TaskKind, in_order
from relvan.core.today.figures import SoldHour, hours_of_day, sales_by_channel

NOW = datetime(2026, 11, 27, 12, tzinfo=UTC)  # a Friday
DUBLIN = ZoneInfo("Europe/Dublin")


def order_of(role, *tasks):
    return [str(task.kind) for task in in_order(tasks, role, NOW)]


def in_hours(hours):
    return NOW + timedelta(hours=hours)


@pytest.mark.parametrize(
    ("role", "expected"),
    [
        ("owner", ["to_pick", "to_ship", "short", "inbox", "refused", "draft"]),
        ("warehouse", ["to_pick", "to_ship", "short", "inbox", "refused", "draft"]),
        ("catalogue", ["refused", "draft", "to_pick", "to_ship", "short", "inbox"]),
        ("orders", ["to_pick", "to_ship", "short", "inbox", "refused", "draft"]),
    ],
)
def test_what_costs_most_comes_first_and_one_s_own_before_all(role, expected):
    tasks = (
        Task(TaskKind.DRAFT),
        Task(TaskKind.INBOX, money=900),
        Task(TaskKind.SHORT, money=5_000),
        Task(TaskKind.REFUSED),
        Task(TaskKind.TO_SHIP, until=in_hours(20)),
        Task(TaskKind.TO_PICK, until=in_hours(3)),  # the carrier comes soon
    )
    assert order_of(Role(role), *tasks) == expected


def test_more_money_waits_first_and_what_is_past_is_urgent():
    assert order_of(Role.OWNER, Task(TaskKind.SHORT, money=1), Task(TaskKind.INBOX, money=2)) == [
        "inbox",
        "short",
    ]
    assert Task(TaskKind.TO_SHIP, until=in_hours(-1)).is_urgent(NOW)
    assert not Task(TaskKind.TO_SHIP, until=in_hours(5)).is_urgent(NOW)
    assert not Task(TaskKind.TO_SHIP).is_urgent(NOW)


tasks_of = st.lists(
    st.builds(
        Task,
        st.sampled_from(TaskKind),
        st.integers(0, 9_999),
        st.none(),
        st.none() | st.integers(-5, 30).map(in_hours),
    ),
    max_size=12,
)


@given(tasks_of, st.sampled_from(Role))
def test_nothing_is_lost_and_own_matters_stand_before_others(tasks, role):
    found = in_order(tasks, role, NOW)
    assert sorted(map(repr, found)) == sorted(map(repr, tasks))
    foreign = [task.kind not in OWN[role] for task in found]
    assert foreign == sorted(foreign)
    urgent = [task.until for task in found if task.kind in OWN[role] and task.is_urgent(NOW)]
    assert urgent == sorted(urgent)


@pytest.mark.parametrize(
    ("pick_up", "now", "expected"),
    [
        (PickUp((0, 1, 2, 3, 4), "16:00"), datetime(2026, 11, 27, 15), "2026-11-27T16:00"),
        (PickUp((0, 1, 2, 3, 4), "16:00"), datetime(2026, 11, 27, 16), "2026-11-30T16:00"),
        (PickUp((4,), "09:30"), datetime(2026, 11, 27, 10), "2026-12-04T09:30"),
        (PickUp((), "16:00"), datetime(2026, 11, 27, 10), None),
        (PickUp((1,), ""), datetime(2026, 11, 27, 10), None),
    ],
)
def test_the_next_moment_until_which_a_parcel_leaves(pick_up, now, expected):
    found = pick_up.next_cut_off(now)
    assert (found.isoformat(timespec="minutes") if found else None) == expected


def sold(days_ago, hour, orders=1, channel=1, currency="EUR", amount=1_000):
    began = NOW.replace(hour=hour) - timedelta(days=days_ago)
    return SoldHour(channel, currency, began, orders, amount)


def test_hours_of_today_beside_a_usual_day():
    hours = hours_of_day(
        [sold(0, 9, 3), sold(1, 9, 28), sold(28, 12, 14), sold(29, 9, 99)], NOW, DUBLIN
    )
    assert (hours.today[9], hours.so_far) == (3, 3)
    assert (hours.usual[9], hours.usual[12]) == (1.0, 0.5)
    assert hours.usual_so_far == 1.5
    assert hours.most == 3


def test_a_day_is_one_of_the_firm_s_clock():
    late = SoldHour(1, "EUR", datetime(2026, 11, 26, 23, tzinfo=UTC), 2, 10)
    assert hours_of_day([late], NOW, DUBLIN).so_far == 0
    assert hours_of_day([late], NOW, ZoneInfo("Europe/Helsinki")).today[1] == 2


def test_sales_of_28_days_by_channel_and_currency():
    found = sales_by_channel(
        [
            sold(0, 9, 2),
            sold(27, 9, 1, currency="CHF", amount=70),
            sold(28, 9, 50),
            sold(3, 9, 5, channel=None),
        ],
        NOW,
        DUBLIN,
    )
    assert found[1].amounts == {"EUR": 1_000, "CHF": 70}
    assert (found[1].orders, found[1].days[-1], found[1].days[0]) == (3, 2, 1)
    assert (found[None].orders, found[None].days[-4], found[None].most) == (5, 5, 5)
