"""A marketplace's centre sends orders: by itself or by hand, whole or in part, recalled in time or too
late, and in bad weather nothing is handed over twice."""

from dataclasses import replace

import pytest

from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.core.refusal import Refused
from relvan.core.shipping.life import ShipmentState
from relvan.services.channels.settings import change_channel
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.line_changes import take_off
from relvan.services.orders.readdress import change_address
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.setup.bins import add_bins
from relvan.services.setup.warehouses import add_warehouse, change_warehouse
from relvan.services.shipping.centres import (
    hand_over,
    mind_centres,
    recall_shipment,
    send_to_centre,
)
from relvan.store.centres import centres
from relvan.store.dispatch import parcel_rows, parcels_by_order, parcels_of
from relvan.store.notices import notices_of
from relvan.store.orders import order_by_number, shipments_of
from relvan.store.tables import Shipment
from tests.house import add_pot, assert_sound, channel_ids, connect, count, receive, stock_of_sku
from tests.snapshots import built_once
from tests.steps.orders import ADA, take

ARDEN = {"channel": "corvello", "centre": "arden", "kind": "centre"}


@built_once
def desk(workplace, owner, world):
    """Builds a centre of Corvello's, which holds six pots of ours, and our own warehouse with two."""
    connect(workplace, owner, world, "corvello", "hagglet")
    add_warehouse(workplace, owner, {"key": "arden", "name": "Corvello Arden", **ARDEN})
    add_pot(workplace, owner, "PT-14", units=2)
    receive(workplace, owner, "PT-14", 6, "arden")
    fill(world, 6)
    return workplace


def fill(world, units):
    address = "/world/corvello/centres/arden/stock"
    world.client.put(address, json={"stock": {"PT-14": units}}).raise_for_status()


def at_centre(world):
    (arden,) = [
        row
        for row in world.client.get("/world/corvello/centres").json()
        if row["centre"] == "arden"
    ]
    return arden["stock"]["PT-14"]


def told(world, number):
    return world.client.get(f"/world/corvello/handed-over/{number}").json()


def later(world, minutes):
    world.client.post("/world/clock", json={"advance_minutes": minutes}).raise_for_status()


def shipments(place, number):
    with place.database.reading() as session:
        order = order_by_number(session, number)
        return shipments_of(session, [order.id])[order.id]


def notices(place, number):
    with place.database.reading() as session:
        return [one.words for one in notices_of(session, order_by_number(session, number).id)]


def in_stock(place, warehouse="arden"):
    with place.database.reading() as session:
        (balance,) = [
            row for row in stock_of_sku(session, "PT-14") if row.warehouse_key == warehouse
        ]
        return balance.on_hand, balance.reserved


def test_by_hand_until_it_has_left_with_tracking_and_charge(desk, owner, world):
    number = take(desk, owner, ("PT-14", 3))
    (verdict,) = send_to_centre(desk, owner, [number], "arden")
    assert verdict.ok, verdict
    assert [one.state for one in shipments(desk, number)] == [ShipmentState.HANDING_OVER]
    assert mind_centres(desk) > 0
    (shipment,) = shipments(desk, number)
    assert shipment.state == ShipmentState.HANDED_OVER
    assert told(world, shipment.number)["lines"] == [{"code": "PT-14", "units": 3}]
    assert at_centre(world) == 3
    later(world, 30)
    mind_centres(desk)
    assert shipments(desk, number)[0].said == "The centre packs it."
    later(world, 90)
    mind_centres(desk)
    (shipment,) = shipments(desk, number)
    assert shipment.state == ShipmentState.DISPATCHED
    with desk.database.reading() as session:
        (parcel,) = parcels_of(session, shipment.id)
        order = order_by_number(session, number)
        assert order.fact_shipped == "all"
        (told_of,) = parcels_by_order(session, [order.id])[order.id]
        (seen,) = parcel_rows(session, order.id)
    assert (parcel.service, parcel.weight_g, parcel.price, parcel.currency) == (
        "Corvello Rounds",
        1400,
        455,
        "EUR",
    )
    assert told_of == (shipment.id, "Corvello Rounds", parcel.tracking_number)
    assert seen.carrier == "Corvello Rounds"
    assert parcel.tracking_number == told(world, shipment.number)["parcel"]["code"]
    assert in_stock(desk) == (3, 0)
    assert mind_centres(desk) == 0
    assert_sound(desk)


@pytest.mark.parametrize(("known", "told_of"), [(6, False), (4, True)])
def test_it_leaves_from_every_bin_and_more_than_was_known_is_told(
    desk, owner, world, known, told_of
):
    add_bins(desk, owner, "arden", ["X-01"])
    count(desk, owner, "PT-14", 3, "arden", bin="FLOOR")
    receive(desk, owner, "PT-14", 3, "arden", bin="X-01")
    number = take(desk, owner, ("PT-14", 5))
    send_to_centre(desk, owner, [number], "arden")
    mind_centres(desk)
    count(desk, owner, "PT-14", known - 3, "arden", bin="X-01")
    later(world, 120)
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.DISPATCHED
    assert in_stock(desk) == (max(0, known - 5), 0)
    assert any("The centre sent 1 more" in words for words in notices(desk, number)) == told_of
    assert_sound(desk)


def test_again_changes_nothing_and_nothing_is_handed_over_twice(desk, owner, world):
    number = take(desk, owner, ("PT-14", 2))
    send_to_centre(desk, owner, [number], "arden")
    (again,) = send_to_centre(desk, owner, [number], "arden")
    assert again.ok
    (shipment,) = shipments(desk, number)
    assert hand_over(desk, owner, [shipment.id])[0].ok
    mind_centres(desk)
    assert hand_over(desk, owner, [shipment.id, shipment.id])[0].ok
    mind_centres(desk)
    assert at_centre(world) == 4
    assert len(shipments(desk, number)) == 1


@pytest.mark.parametrize("weather", ["lost answers", "flaky", "down"])
def test_in_bad_weather_it_is_handed_over_once_when_it_can_be(desk, owner, world, weather):
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(4)]
    send_to_centre(desk, owner, numbers, "arden")
    world.weather("corvello", weather)
    for _ in range(3):
        mind_centres(desk)
    world.weather("corvello", "calm")
    for _ in range(2):
        mind_centres(desk)
    states = [one.state for number in numbers for one in shipments(desk, number)]
    assert states == [ShipmentState.HANDED_OVER] * 4
    assert at_centre(world) == 2
    assert_sound(desk)


def test_while_it_cannot_be_reached_the_shipment_says_so(desk, owner, world):
    number = take(desk, owner, ("PT-14", 1))
    send_to_centre(desk, owner, [number], "arden")
    world.weather("corvello", "down")
    mind_centres(desk)
    assert shipments(desk, number)[0].said.startswith("It is tried again: ")


def test_what_the_centre_refuses_waits_for_a_person(desk, owner, world):
    fill(world, 0)
    number = take(desk, owner, ("PT-14", 3))
    send_to_centre(desk, owner, [number], "arden")
    mind_centres(desk)
    (shipment,) = shipments(desk, number)
    assert shipment.state == ShipmentState.TO_HAND_OVER
    assert "does not hold 3 of PT-14" in shipment.said
    assert any("does not take" in words for words in notices(desk, number))
    change_warehouse(desk, owner, "arden", {"hand_over": "by-itself"})
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.TO_HAND_OVER
    fill(world, 5)
    assert hand_over(desk, owner, [shipment.id])[0].ok
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.HANDED_OVER
    assert_sound(desk)


def test_a_recall_in_time_gives_the_goods_back(desk, owner, world):
    number = take(desk, owner, ("PT-14", 3))
    send_to_centre(desk, owner, [number], "arden")
    mind_centres(desk)
    (shipment,) = shipments(desk, number)
    recall_shipment(desk, owner, shipment.id)
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.CANCELLED
    assert told(world, shipment.number)["stands"] == "called back"
    assert (at_centre(world), in_stock(desk)) == (6, (6, 3))
    change_warehouse(desk, owner, "arden", {"hand_over": "by-itself"})
    mind_centres(desk)
    assert [one.state for one in shipments(desk, number)] == [ShipmentState.CANCELLED]
    assert_sound(desk)


def test_a_recall_that_comes_too_late_is_told_and_it_leaves(desk, owner, world):
    number = take(desk, owner, ("PT-14", 1))
    send_to_centre(desk, owner, [number], "arden")
    mind_centres(desk)
    later(world, 30)
    (shipment,) = shipments(desk, number)
    recall_shipment(desk, owner, shipment.id)
    mind_centres(desk)
    assert any("recalled too late" in words for words in notices(desk, number))
    later(world, 90)
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.DISPATCHED


def test_what_waits_is_recalled_at_once_and_what_nobody_has_not_at_all(desk, owner):
    change_channel(desk, owner, "hagglet", {"supply_list": ["arden"]})
    number = sold(desk, 2)
    release_orders(desk, owner, [number])
    (shipment,) = shipments(desk, number)
    assert shipment.state == ShipmentState.TO_HAND_OVER
    recall_shipment(desk, owner, shipment.id)
    assert shipments(desk, number)[0].state == ShipmentState.CANCELLED
    with pytest.raises(Refused, match="is “cancelled”"):
        recall_shipment(desk, owner, shipment.id)


def sold(place, units, *, number="H-9", paid=True, cancelled=False):
    """Takes an order of hagglet's, or its cancellation; returns its number here."""
    lines = (IncomingLine("1", "PT-14", "A pot", units, 1690),)
    told = IncomingOrder(number, place.now(), "EUR", lines, ADA, paid=paid, changed=1)
    if cancelled:
        told = replace(told, cancelled=True, changed=2)
    (number,) = take_channel_orders(place, channel_ids(place)["hagglet"], [told]).values()
    return number


def test_by_itself_an_order_of_another_channel_goes_to_the_centre(desk, owner, world):
    change_warehouse(desk, owner, "arden", {"hand_over": "by-itself"})
    change_channel(desk, owner, "hagglet", {"supply_list": ["arden", "millrace"]})
    number = sold(desk, 2)
    mind_centres(desk)
    (shipment,) = shipments(desk, number)
    assert shipment.state == ShipmentState.HANDED_OVER
    assert at_centre(world) == 4


def test_an_order_that_may_not_be_sent_keeps_no_other_waiting(desk, owner, world, monkeypatch):
    monkeypatch.setattr("relvan.services.shipping.centres.AT_ONCE", 1)
    change_warehouse(desk, owner, "arden", {"hand_over": "by-itself"})
    change_channel(desk, owner, "hagglet", {"supply_list": ["arden"], "orders": {"unpaid": "hold"}})
    unpaid = sold(desk, 2, number="H-1", paid=False)
    numbers = [sold(desk, 1, number=f"H-{place}") for place in (2, 3)]
    for _ in range(3):
        mind_centres(desk)
    assert shipments(desk, unpaid) == []
    states = [one.state for number in numbers for one in shipments(desk, number)]
    assert states == [ShipmentState.HANDED_OVER] * 2
    assert at_centre(world) == 4


@pytest.mark.parametrize(("takes", "from_arden"), [("whole", 0), ("part", 6)])
def test_a_centre_takes_whole_orders_only_or_what_it_has(desk, owner, takes, from_arden):
    change_warehouse(desk, owner, "arden", {"takes": takes})
    policy = {"supply_list": ["arden", "millrace"]}
    change_channel(desk, owner, "hagglet", policy)
    sold(desk, 7)
    assert in_stock(desk)[1] == from_arden
    number = take(desk, owner, ("PT-14", 7))
    verdict = send_to_centre(desk, owner, [number], "arden")[0]
    assert verdict.code == "short", verdict


def test_a_cancelled_order_is_recalled_and_what_was_too_late_is_laid_before_the_team(
    desk, owner, world
):
    change_warehouse(desk, owner, "arden", {"hand_over": "by-itself"})
    change_channel(desk, owner, "hagglet", {"supply_list": ["arden"]})
    number = sold(desk, 2)
    mind_centres(desk)
    (refused,) = cancel_orders(desk, owner, [number])
    assert "recall it from the centre" in refused.fix
    (shipment,) = shipments(desk, number)
    sold(desk, 2, cancelled=True)
    mind_centres(desk)
    assert shipments(desk, number)[0].state == ShipmentState.CANCELLED
    assert (at_centre(world), in_stock(desk)) == (6, (6, 0))
    assert_sound(desk)


def test_what_a_centre_has_is_not_changed_here_behind_its_back(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    send_to_centre(desk, owner, [number], "arden")
    with pytest.raises(Refused):
        take_off(desk, owner, number, 1, 1)
    with pytest.raises(Refused):
        change_address(desk, owner, number, ADA)


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"channel": "hagglet"}, "channel"),
        ({"channel": "nowhere"}, "channel"),
        ({"centre": ""}, "centre"),
        ({"kind": "own"}, "centre"),
        ({"takes": "half"}, "takes"),
        ({"hand_over": "by post"}, "hand_over"),
    ],
)
def test_a_warehouse_that_is_no_centre_is_refused(desk, owner, wish, field):
    with pytest.raises(Refused) as refused:
        change_warehouse(desk, owner, "arden", wish)
    assert [one.field for one in refused.value.refusals] == [field]
    with desk.database.reading() as session:
        assert [one.key for one in centres(session)] == ["arden"]


def test_our_own_warehouse_takes_nothing_over(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    with pytest.raises(Refused, match="no marketplace's centre"):
        send_to_centre(desk, owner, [number], "millrace")


def test_news_of_what_is_not_ours_change_nothing(desk, owner, world):
    head = {"Authorization": f"Stall {world.token('corvello')}"}
    body = {"centre": "arden", "lines": [{"code": "PT-14", "units": 1}], "goes_to": {}}
    address = f"{world.seller_api('corvello')}/handovers/S-9999"
    world.client.put(address, json=body, headers=head).raise_for_status()
    assert mind_centres(desk) == 0
    with desk.database.reading() as session:
        assert session.get(Shipment, 1) is None
