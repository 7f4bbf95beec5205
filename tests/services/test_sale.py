"""Tests one sale through the services: offered on two channels, bought on one, gone from the other,
sent, tracked."""

import pytest
import zxingcpp
from pypdfium2 import PdfDocument

from relvan.core.packing.parcels import Packed
from relvan.core.refusal import Refused
from relvan.services.packing.parcels import add_parcel, remove_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels, find_services, keep_label_file
from relvan.services.shipping.layouts import list_pdf, slips_pdf
from relvan.store.dispatch import parcels_of, shipment_by_id
from relvan.store.orders import order_by_number
from tests.house import (
    assert_sound,
    deliver,
    orders,
    read,
    receive,
    stock_of_sku,
)
from tests.steps.sale import packed, picks_of, release_all, shipments


@pytest.fixture
def shop(two_pots):
    return two_pots


def stock(workplace, sku):
    with workplace.database.reading() as session:
        return {
            row.warehouse_key: (row.on_hand, row.reserved, row.blocked, row.free)
            for row in stock_of_sku(session, sku)
        }


def test_a_sale_from_purchase_to_tracking(shop, owner, world):
    number = world.buy("hagglet", "PT-14", 2)
    read(shop)
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 8
    assert world.listings("hagglet")["PT-14"]["quantity"] == 8
    assert stock(shop, "PT-14")["millrace"] == (10, 2, 0, 8)

    (shipment,) = release_all(shop, owner)
    pick_list = make_pick_list(shop, owner, [shipment])
    (pick,) = picks_of(shop, pick_list)
    done = record_pick(shop, owner, pick_list, pick.id, 2, "4006381333931")
    assert (done.short, done.list_done) == (False, True)
    (tracking,) = packed(shop, owner, shipment)
    assert [verdict.ok for verdict in dispatch_shipments(shop, owner, [shipment])] == [True]
    deliver(shop)

    seen = world.order("hagglet", number)
    assert seen["state"] == "sent"
    assert [parcel["code"] for parcel in seen["tracking"]] == [tracking]
    assert stock(shop, "PT-14")["millrace"] == (8, 0, 0, 8)
    assert orders(shop)[0].tray == "floor"
    assert_sound(shop)


def test_a_label_can_be_read_by_a_scanner_and_is_a6(shop, owner, world):
    world.buy("ownshop", "PT-14")
    read(shop)
    (shipment,) = release_all(shop, owner)
    pick_list = make_pick_list(shop, owner, [shipment])
    record_pick(shop, owner, pick_list, picks_of(shop, pick_list)[0].id, 1, "PT-14")
    (tracking,) = packed(shop, owner, shipment)
    with shop.database.reading() as session:
        parcel = parcels_of(session, shipment)[0]
    page = PdfDocument(keep_label_file(shop, parcel.id))[0]
    assert [round(side / 72 * 25.4) for side in page.get_size()] == [105, 148]
    assert zxingcpp.read_barcode(page.render(scale=3).to_pil()).text == tracking


def test_papers_say_what_they_should(shop, owner, world):
    world.buy("ownshop", "PT-14", 3)
    read(shop)
    (shipment,) = release_all(shop, owner)
    pick_list = make_pick_list(shop, owner, [shipment])
    slip = PdfDocument(slips_pdf(shop, [shipment]))[0]
    words = slip.get_textpage().get_text_range()
    assert all(
        part in words for part in ("Packing slip", "PT-14", "Quillmoss", orders(shop)[0].customer)
    )
    read_off = {found.text for found in zxingcpp.read_barcodes(slip.render(scale=3).to_pil())}
    assert read_off == {"S-1001", orders(shop)[0].channel_number}
    walk = PdfDocument(list_pdf(shop, pick_list))[0]
    assert "A-01" in walk.get_textpage().get_text_range()
    assert zxingcpp.read_barcode(walk.render(scale=3).to_pil()).text == "L-1001"


def test_one_walk_serves_several_shipments_in_order_of_place(shop, owner, world):
    receive(shop, owner, "PT-18", 5, bin="B-01")
    for sku in ("PT-18", "PT-14", "PT-18"):
        world.buy("hagglet", sku)
    read(shop)
    walk = make_pick_list(shop, owner, release_all(shop, owner))
    found = picks_of(shop, walk)
    assert len({pick.shipment for pick in found}) == 3
    assert [pick.bin for pick in found] == sorted(pick.bin for pick in found)


def test_a_wrong_scan_is_refused_and_nothing_is_taken(shop, owner, world):
    world.buy("hagglet", "PT-18")
    read(shop)
    walk = make_pick_list(shop, owner, release_all(shop, owner))
    (pick,) = picks_of(shop, walk)
    with pytest.raises(Refused) as refused:
        record_pick(shop, owner, walk, pick.id, 1, "PT-14")
    assert refused.value.first.code == "wrong-scan"
    assert picks_of(shop, walk)[0].picked is None
    assert record_pick(shop, owner, walk, pick.id, 1, "old-18").picked == 1


def test_the_same_pick_twice_counts_once(shop, owner, world):
    world.buy("hagglet", "PT-14", 2)
    read(shop)
    walk = make_pick_list(shop, owner, release_all(shop, owner))
    (pick,) = picks_of(shop, walk)
    assert record_pick(shop, owner, walk, pick.id, 2) == record_pick(shop, owner, walk, pick.id, 2)
    with pytest.raises(Refused):
        record_pick(shop, owner, walk, pick.id, 1)
    assert_sound(shop)


def test_a_short_pick_blocks_what_is_missing_and_the_rest_goes_on(shop, owner, world):
    world.buy("hagglet", "PT-14", 3)
    world.buy("ownshop", "PT-18")
    read(shop)
    ids = release_all(shop, owner)
    walk = make_pick_list(shop, owner, ids)
    for pick in picks_of(shop, walk):
        record_pick(shop, owner, walk, pick.id, 1)
    assert stock(shop, "PT-14")["millrace"] == (10, 1, 2, 7)
    for shipment in ids:
        packed(shop, owner, shipment)
    dispatch_shipments(shop, owner, ids)
    trays = {row.units: (row.tray, row.words) for row in orders(shop)}
    assert trays[1] == ("floor", "shipped, not invoiced, paid")
    assert trays[3] == ("short", "2 of 3 short, not invoiced, paid")
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 7
    assert_sound(shop)


def test_a_count_after_a_short_pick_sets_the_stock_free_and_serves_the_order_that_waited(
    shop, owner, world
):
    from tests.house import count

    world.buy("hagglet", "PT-14", 3)
    read(shop)
    ids = release_all(shop, owner)
    walk = make_pick_list(shop, owner, ids)
    record_pick(shop, owner, walk, picks_of(shop, walk)[0].id, 0)
    assert shipments(shop, "cancelled")[0].id == ids[0]
    assert orders(shop)[0].tray == "short"
    moved = count(shop, owner, "PT-14", 7, bin="A-01")
    assert moved.blocked == 0
    assert moved.served == ("O-1001",)
    assert stock(shop, "PT-14")["millrace"] == (7, 3, 0, 4)
    assert orders(shop)[0].tray == "inbox"
    assert_sound(shop)


def test_several_parcels_share_a_shipment_and_each_gets_a_label(shop, owner, world):
    world.buy("hagglet", "PT-14", 3)
    read(shop)
    (shipment,) = release_all(shop, owner)
    walk = make_pick_list(shop, owner, [shipment])
    record_pick(shop, owner, walk, picks_of(shop, walk)[0].id, 3)
    first = add_parcel(shop, owner, shipment, [Packed("PT-14", 1)], 800)
    remove_parcel(shop, owner, first)
    add_parcel(shop, owner, shipment, [Packed("PT-14", 1)], 800)
    with pytest.raises(Refused):
        add_parcel(shop, owner, shipment, [Packed("PT-14", 3)], 800)
    assert dispatch_shipments(shop, owner, [shipment])[0].code == "wrong-state"
    add_parcel(shop, owner, shipment, [Packed("PT-14", 2)], 1500, "M2")
    tracking = buy_labels(shop, owner, shipment, find_services(shop, shipment)[0].service)
    assert len(set(tracking)) == 2
    assert len(world.labels()) == 2
    with shop.database.reading() as session:
        assert shipment_by_id(session, shipment).state == "to ship"


def test_dispatching_twice_sends_once(shop, owner, world):
    world.buy("hagglet", "PT-14")
    read(shop)
    (shipment,) = release_all(shop, owner)
    walk = make_pick_list(shop, owner, [shipment])
    record_pick(shop, owner, walk, picks_of(shop, walk)[0].id, 1)
    packed(shop, owner, shipment)
    assert all(verdict.ok for verdict in dispatch_shipments(shop, owner, [shipment, shipment]))
    assert stock(shop, "PT-14")["millrace"][0] == 9
    with shop.database.reading() as session:
        assert order_by_number(session, "O-1001").fact_shipped == "all"
    assert_sound(shop)
