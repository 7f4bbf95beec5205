"""Tests orders: taken once, reserved at intake, short when there is not enough, repaired, released,
cancelled."""

import json
from datetime import UTC, datetime

import pytest
from standardwebhooks import Webhook

from relvan.core.orders.intake import Address
from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.link import link_lines
from relvan.services.orders.read import read_orders, take_webhook
from relvan.services.orders.release import release_orders
from relvan.services.orders.reserve import reserve_orders, unreserve_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.workplace import Actor
from relvan.store.channels import channel_by_key
from relvan.store.history import history
from relvan.store.orders import lines_of, order_by_number
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    count,
    deliver,
    list_everywhere,
    orders,
    persist,
    read,
    receive,
)
from tests.snapshots import built_once
from tests.steps.orders import one, take


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def signed(workplace, body, *, message="msg_1", secret=None):
    with workplace.database.reading() as session:
        kept = workplace.secrets.open(channel_by_key(session, "ownshop").hook_secret)
    now = datetime.now(UTC)
    text = json.dumps(body)
    signature = Webhook(secret or kept).sign(message, now, text)
    headers = {
        "webhook-id": message,
        "webhook-timestamp": str(int(now.timestamp())),
        "webhook-signature": signature,
    }
    return headers, text.encode()


def webhook_of(world, number):
    order = next(row for row in world.orders("ownshop") if row["number"] == number)
    return {"type": "order.placed", "timestamp": order["placed_at"], "data": order}


def test_an_order_is_taken_once_however_often_it_is_read(shop, owner, world):
    world.buy("hagglet", "PT-14")
    assert len(read(shop)) == 1
    assert read(shop) == []
    with shop.database.writing() as session:
        channel_by_key(session, "hagglet").order_mark = 0
    assert read(shop) == []
    assert len(orders(shop)) == 1
    assert_sound(shop)


def test_polling_and_webhooks_bring_the_same_order_once(shop, owner, world):
    number = world.buy("ownshop", "PT-14", 2)
    headers, body = signed(shop, webhook_of(world, number))
    assert [take_webhook(shop, "ownshop", headers, body) for _ in range(3)] == [
        "O-1001",
        None,
        None,
    ]
    read(shop)
    assert len(orders(shop)) == 1
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 8
    assert_sound(shop)


def test_a_webhook_with_a_wrong_signature_or_another_content_is_refused(shop, owner, world):
    number = world.buy("ownshop", "PT-14")
    told = webhook_of(world, number)
    headers, body = signed(shop, told, secret="whsec_" + "A" * 43 + "=")
    with pytest.raises(Refused) as refused:
        take_webhook(shop, "ownshop", headers, body)
    assert refused.value.first.code == "signature"
    headers, body = signed(shop, told)
    with pytest.raises(Refused):
        take_webhook(shop, "ownshop", headers, body.replace(b'"quantity": 1', b'"quantity": 9'))
    headers, body = signed(shop, {"type": "order.placed", "data": {"number": 7}})
    with pytest.raises(Refused) as refused:
        take_webhook(shop, "ownshop", headers, body)
    assert refused.value.first.code == "form"
    with pytest.raises(Refused):
        take_webhook(shop, "hagglet", headers, body)
    with pytest.raises(NotFound):
        take_webhook(shop, "nowhere", headers, body)
    assert orders(shop) == []


def test_a_webhook_about_something_else_is_ignored(shop, world):
    headers, body = signed(shop, {"type": "stock.low", "data": {}})
    assert take_webhook(shop, "ownshop", headers, body) is None


def test_an_older_telling_that_comes_late_changes_nothing(shop, owner, world):
    number = world.buy("ownshop", "PT-14")
    first = webhook_of(world, number)
    world.client.post(f"/world/ownshop/orders/{number}/cancel").raise_for_status()
    read(shop)
    assert orders(shop)[0].tray == "cancelled"
    headers, body = signed(shop, first)
    assert take_webhook(shop, "ownshop", headers, body) is None
    assert orders(shop)[0].tray == "cancelled"


def test_a_cancellation_on_the_channel_sets_the_stock_free_everywhere(shop, owner, world):
    number = world.buy("hagglet", "PT-14", 4)
    read(shop)
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 6
    world.client.post(f"/world/hagglet/orders/{number}/cancel").raise_for_status()
    read(shop)
    deliver(shop)
    assert (
        world.listings("ownshop")["PT-14"]["quantity"]
        == world.listings("hagglet")["PT-14"]["quantity"]
        == 10
    )
    assert_sound(shop)


def test_an_unpaid_order_is_reserved_but_waits_for_its_payment(shop, owner, world):
    number = world.buy("hagglet", "PT-14", paid=False)
    read(shop)
    order = orders(shop)[0]
    assert order.words == "1 of 1 to pick, not invoiced, not paid"
    assert release_orders(shop, owner, [order.number])[0].code == "not-paid"
    world.client.post(f"/world/hagglet/orders/{number}/pay").raise_for_status()
    read(shop)
    assert release_orders(shop, owner, [order.number])[0].ok


def test_orders_are_acknowledged_on_their_channel(shop, owner, world):
    number = world.buy("hagglet", "PT-14")
    before = world.order("hagglet", number)["seq"]
    read(shop)
    deliver(shop)
    assert world.order("hagglet", number)["seq"] > before
    assert read(shop) == []  # the channel tells of our own acknowledgement, which changes nothing


@pytest.mark.parametrize("kind", ["flaky", "throttled", "lost answers"])
def test_whatever_the_weather_there_is_one_order_for_each_sale(shop, owner, world, kind):
    for name in ("hagglet", "ownshop"):
        world.weather(name, kind, seed=5)
    numbers = [world.buy(name, "PT-14") for name in ("hagglet", "ownshop") for _ in range(3)]
    for _ in range(40):
        read(shop)
        shop.now.move(seconds=3)
        if len(orders(shop)) == len(numbers):
            break
    persist(shop)
    for name in ("hagglet", "ownshop"):
        world.weather(name, "calm")
    assert sorted(row.channel_number for row in orders(shop)) == sorted(numbers)
    assert (
        world.listings("hagglet")["PT-14"]["quantity"]
        == world.listings("ownshop")["PT-14"]["quantity"]
        == 4
    )
    assert_sound(shop)


def test_two_sales_within_the_lag_both_come_in_and_the_later_one_is_short(shop, owner, world):
    count(shop, owner, "PT-14", 1)
    deliver(shop)
    world.buy("hagglet", "PT-14")
    world.buy("ownshop", "PT-14")
    read_orders(shop, channel_ids(shop)["hagglet"])
    read_orders(shop, channel_ids(shop)["ownshop"])
    assert [row.tray for row in orders(shop)] == ["short", "inbox"]
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 0
    assert_sound(shop)


def test_an_unknown_line_is_shown_and_one_link_repairs_all_like_it(shop, owner, world):
    token = {"Authorization": f"Token {world.token('hagglet')}"}
    from tests.house import png

    photo = world.client.post("/hagglet/seller/photos", content=png(), headers=token).json()[
        "photo"
    ]
    notice = {
        "own_code": "STRANGE",
        "heading": "A strange pot",
        "text": "Placed by hand, long ago.",
        "shelf": "hg-other",
        "condition": "new",
        "asking": 999,
        "units": 5,
        "details": {},
        "photos": [photo],
    }
    world.client.post(
        "/hagglet/seller/notices", json=notice, headers={**token, "Request-Id": "x"}
    ).raise_for_status()
    world.buy("hagglet", "STRANGE")
    world.buy("hagglet", "STRANGE")
    read(shop)
    assert {(row.tray, row.words) for row in orders(shop)} == {
        ("short", "1 unknown line, 1 of 1 short, not invoiced, paid")
    }
    with pytest.raises(NotFound):
        link_lines(shop, owner, "STRANGE", "NOBODY")
    assert len(link_lines(shop, owner, "strange", "PT-14")) == 2
    assert {(row.tray, row.words) for row in orders(shop)} == {
        ("inbox", "1 of 1 to pick, not invoiced, paid")
    }
    assert_sound(shop)


def test_what_cannot_be_reserved_whole_waits_and_reserves_nothing(desk, owner):
    number = take(desk, owner, ("PT-14", 1), ("PT-18", 3))
    assert (one(desk, number).tray, one(desk, number).words) == (
        "short",
        "4 of 4 short, not invoiced, paid",
    )
    verdict = reserve_orders(desk, owner, [number])[0]
    assert (verdict.ok, verdict.message) == (False, "“O-1001” is short of 1 of PT-18.")
    moved = receive(desk, owner, "PT-18", 1)
    assert moved.served == (number,)
    assert one(desk, number).tray == "inbox"
    assert_sound(desk)


def test_stock_that_comes_serves_the_oldest_first(desk, owner):
    first, second = take(desk, owner, ("PT-14", 9)), take(desk, owner, ("PT-14", 6))
    assert receive(desk, owner, "PT-14", 5).served == (first,)
    assert (one(desk, first).tray, one(desk, second).tray) == ("inbox", "short")


def test_an_order_from_two_warehouses_becomes_two_shipments(desk, owner):
    number = take(desk, owner, ("PT-14", 1), ("PT-18", 1))
    (verdict,) = release_orders(desk, owner, [number])
    assert verdict.message == "S-1001, S-1002"
    assert one(desk, number).tray == "floor"
    assert release_orders(desk, owner, [number])[0].message == ""
    assert_sound(desk)


def test_release_of_many_gives_a_verdict_for_each(desk, owner):
    good, short = take(desk, owner, ("PT-14", 1)), take(desk, owner, ("PT-14", 99))
    verdicts = release_orders(desk, owner, [good, short, "O-9999"])
    assert [(v.ok, v.code) for v in verdicts] == [
        (True, ""),
        (False, "short"),
        (False, "not-found"),
    ]


def test_release_can_be_taken_back_until_something_is_picked(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    release_orders(desk, owner, [number])
    assert take_back_shipments(desk, owner, [number])[0].ok
    assert one(desk, number).tray == "inbox"
    assert take_back_shipments(desk, owner, [number])[0].code == "under-way"
    assert_sound(desk)


def test_freeing_and_reserving_again(desk, owner):
    number = take(desk, owner, ("PT-14", 5))
    other = take(desk, owner, ("PT-14", 2))
    assert unreserve_orders(desk, owner, [number])[0].ok
    assert reserve_orders(desk, owner, [other])[0].ok
    assert reserve_orders(desk, owner, [number])[0].code == "short"
    assert unreserve_orders(desk, owner, [number])[0].code == "nothing"
    assert_sound(desk)


def test_cancelling_frees_stock_for_those_that_wait(desk, owner):
    first, second = take(desk, owner, ("PT-14", 5)), take(desk, owner, ("PT-14", 3))
    assert cancel_orders(desk, owner, [first])[0].ok
    assert cancel_orders(desk, owner, [first])[0].ok
    assert (one(desk, first).tray, one(desk, second).tray) == ("cancelled", "inbox")
    assert reserve_orders(desk, owner, [first])[0].code == "cancelled"
    assert release_orders(desk, owner, [first])[0].code == "cancelled"
    assert move_orders(desk, owner, [first], "inbox")[0].code == "cancelled"
    assert_sound(desk)


def test_a_person_may_choose_the_tray_but_not_cancel_by_it(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    assert move_orders(desk, owner, [number], "closed")[0].ok
    for tray in ("cancelled", "attic"):
        with pytest.raises(Refused):
            move_orders(desk, owner, [number], tray)


def test_every_move_is_logged_with_who_and_when(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    release_orders(desk, owner, [number])
    with desk.database.reading() as session:
        log = history(session, "order", order_by_number(session, number).id)
    assert [(entry.deed, entry.who) for entry in log] == [
        ("moved", "Owner"),
        ("released as S-1001", "Owner"),
        ("reserved", "Owner"),
        ("taken by hand", "Owner"),
    ]
    assert log[0].changes == {"tray": ["inbox", "floor"]}


def test_a_picker_may_not_touch_orders(desk, owner):
    picker = Actor(2, "Picker", Role.WAREHOUSE, "hand")
    for deed in (reserve_orders, unreserve_orders, release_orders, cancel_orders):
        with pytest.raises(NotAllowed):
            deed(desk, picker, ["O-1001"])


def test_a_manual_order_with_faults_is_refused_whole(desk, owner):
    with pytest.raises(Refused) as refused:
        take_manual_order(desk, owner, (), Address(), paid=False)
    assert {refusal.field for refusal in refused.value.refusals} == {
        "lines",
        "name",
        "street",
        "town",
        "country",
    }
    assert orders(desk) == []


def test_tax_is_kept_by_line(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        assert [line.tax for line in lines_of(session, [order.id])[order.id]] == [563]


def test_many_orders_are_released_by_as_many_queries_as_a_few(desk, owner, count_queries):
    receive(desk, owner, "PT-14", 60)
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(24)]
    with count_queries(desk.database) as few:
        release_orders(desk, owner, numbers[:4])
    with count_queries(desk.database) as many:
        verdicts = release_orders(desk, owner, [*numbers[4:], "O-9", numbers[0].lower()])
    assert [verdict.ok for verdict in verdicts] == [*[True] * 20, False, True]
    assert verdicts[20].code == "not-found"
    assert len({verdict.message for verdict in verdicts[:20]}) == 20
    assert len(many) <= len(few) + 4
    assert_sound(desk)
