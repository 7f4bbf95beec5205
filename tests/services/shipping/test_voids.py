"""Tests labels of many shipments, voided labels, manifests, and a change of the carrier: no label is
bought twice, and no manifest is made twice."""

import pytest
from pypdfium2 import PdfDocument

from relvan.core.orders.intake import Address
from relvan.core.refusal import NotFound, Refused
from relvan.gateways.carriers.dialects import dialect_of, open_carrier
from relvan.gateways.carriers.port import CarriageAsk, LabelWish
from relvan.services.channels import carriers
from relvan.services.channels.carriers import connect_carrier
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels, find_services, keep_label_file
from relvan.services.shipping.layouts import LayoutWish, add_layout, preview_layout
from relvan.services.shipping.manifests import make_manifest, manifest_paper, manifest_sheet
from relvan.services.shipping.voids import label_many, note_reprint, void_label
from relvan.store.channels import find_carrier
from relvan.store.dispatch import parcels_of
from relvan.store.manifests import manifest_rows, to_hand_over
from tests.house import assert_sound, read
from tests.snapshots import built_once
from tests.steps.sale import picks_of, release_all

TRACKED = "ostrel:tracked"
TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL")


@built_once
def shop(two_pots, owner, world):
    """Connects Merrowline too, and packs three shipments of one parcel each."""
    key = "merrowline"
    connect_carrier(two_pots, owner, key, "Merrowline", world.seller_api(key), world.token(key))
    for _ in range(3):
        world.buy("hagglet", "PT-14", 1)
    read(two_pots)
    ids = release_all(two_pots, owner)
    made = make_pick_list(two_pots, owner, ids)
    for pick in picks_of(two_pots, made):
        record_pick(two_pots, owner, made, pick.id, pick.quantity)
    for shipment in ids:
        add_parcel(two_pots, owner, shipment, [], 900)
    return two_pots


def parcel(shop, shipment):
    with shop.database.reading() as session:
        (found,) = parcels_of(session, shipment)
        return found


def labels(world):
    """Returns the labels that were ever bought of either carrier."""
    return world.client.get("/world/ostrel/labels").json()


def test_both_carriers_are_asked_and_the_cheapest_stands_first(shop, owner):
    found = find_services(shop, 1)
    assert {one.service.partition(":")[0] for one in found} == {"ostrel", "merrowline"}
    assert [one.price for one in found] == sorted(one.price for one in found)
    (number,) = buy_labels(shop, owner, 1, found[0].service)
    assert number.startswith("MW")
    assert keep_label_file(shop, parcel(shop, 1).id).startswith(b"%PDF")
    assert carriers.test_carrier(shop, owner, "merrowline") == "Quillmoss"


def test_merrowline_books_each_reference_once(world):
    gateway = open_carrier(
        "merrowline-2",
        "Merrowline",
        world.seller_api("merrowline"),
        world.token("merrowline"),
        private_allowed=True,
    )
    assert gateway.find_label("S-1/1") is None
    assert dialect_of("merrowline-2") == "merrowline"
    gateway.close()


@pytest.mark.parametrize("kind", ["calm", "flaky", "lost answers", "slow"])
def test_many_labels_are_bought_once_each_in_any_weather(shop, owner, world, kind):
    for carrier in ("ostrel", "merrowline"):
        world.weather(carrier, kind, seed=11)
    for _ in range(6):
        verdicts = label_many(shop, owner, [1, 2, 3, 2])
        if all(verdict.ok for verdict in verdicts):
            break
    for carrier in ("ostrel", "merrowline"):
        world.weather(carrier, "calm")
    verdicts = label_many(shop, owner, [1, 2, 3])
    assert [verdict.ok for verdict in verdicts] == [True] * 3
    bought = {one["code"] for one in labels(world)}
    assert bought == {parcel(shop, shipment).tracking_number for shipment in (1, 2, 3)}


def test_one_that_cannot_be_labelled_does_not_stop_the_others(shop, owner):
    verdicts = label_many(shop, owner, [1, 99, 2], TRACKED)
    assert [verdict.ok for verdict in verdicts] == [True, False, True]
    assert verdicts[1].code == "not-found"
    with pytest.raises(Refused):
        label_many(shop, owner, [])


def asked_without_answer(shop, bought):
    """Leaves a parcel as a purchase at Ostrel leaves it whose answer never came."""
    with shop.database.writing() as session:
        (row,) = parcels_of(session, 1)
        account = find_carrier(session, "ostrel")
        row.label_key, row.carrier_id, row.service = "S-1-lost", account.id, "tracked"
    if bought:
        shop.carrier(account).buy_label(LabelWish("S-1-lost", "tracked", CarriageAsk(TO, TO, 900)))


def test_another_carrier_is_taken_only_when_the_first_has_sold_nothing(shop, owner, world):
    asked_without_answer(shop, bought=True)
    world.weather("ostrel", "down")
    with pytest.raises(Refused):
        buy_labels(shop, owner, 1, "merrowline:door")
    assert len(labels(world)) == 1
    world.weather("ostrel", "calm")
    (number,) = buy_labels(shop, owner, 1, "merrowline:door")
    assert number.startswith("OP")
    assert [one["code"] for one in labels(world)] == [number]
    assert keep_label_file(shop, parcel(shop, 1).id).startswith(b"%PDF")


def test_another_carrier_is_taken_when_the_first_never_heard_of_it(shop, owner, world):
    asked_without_answer(shop, bought=False)
    (number,) = buy_labels(shop, owner, 1, "merrowline:door")
    assert [one["code"] for one in labels(world)] == [number]
    assert number.startswith("MW")


def test_another_carrier_is_taken_when_the_first_was_down(shop, owner, world):
    world.weather("ostrel", "down")
    with pytest.raises(Refused):
        buy_labels(shop, owner, 1, TRACKED)
    world.weather("ostrel", "calm")
    (number,) = buy_labels(shop, owner, 1, "merrowline:door")
    assert [one["code"] for one in labels(world)] == [number]
    assert number.startswith("MW")


@pytest.mark.parametrize("service", [TRACKED, "merrowline:door"])
def test_a_voided_label_makes_room_for_another(shop, owner, world, service):
    (first,) = buy_labels(shop, owner, 1, service)
    carrier = service.partition(":")[0]
    world.weather(carrier, "lost answers")
    with pytest.raises(Refused) as lost:
        void_label(shop, owner, parcel(shop, 1).id)
    assert lost.value.first.code == "unreachable"
    world.weather(carrier, "calm")
    assert void_label(shop, owner, parcel(shop, 1).id) == first
    assert parcel(shop, 1).tracking_number is None
    (second,) = buy_labels(shop, owner, 1, service)
    assert second != first
    note_reprint(shop, owner, parcel(shop, 1).id)
    assert_sound(shop)


def test_what_is_dispatched_or_has_no_label_is_not_voided(shop, owner):
    with pytest.raises(Refused) as bare:
        void_label(shop, owner, parcel(shop, 1).id)
    assert bare.value.first.code == "no-label"
    with pytest.raises(Refused):
        note_reprint(shop, owner, parcel(shop, 1).id)
    buy_labels(shop, owner, 1, TRACKED)
    dispatch_shipments(shop, owner, [1])
    with pytest.raises(Refused) as gone:
        void_label(shop, owner, parcel(shop, 1).id)
    assert gone.value.first.code == "dispatched"


@pytest.mark.parametrize("carrier", ["ostrel", "merrowline"])
def test_a_manifest_takes_what_was_dispatched_once_and_names_what_stays(
    shop, owner, world, carrier
):
    service = {"ostrel": TRACKED, "merrowline": "merrowline:door"}[carrier]
    assert all(verdict.ok for verdict in label_many(shop, owner, [1, 2, 3], service))
    dispatch_shipments(shop, owner, [1, 2])
    with shop.database.reading() as session:
        assert [row[4] for row in to_hand_over(session)] == [2]
    world.weather(carrier, "lost answers")
    with pytest.raises(Refused):
        make_manifest(shop, owner, carrier, "millrace")
    dispatch_shipments(shop, owner, [3])
    world.weather(carrier, "calm")
    made = make_manifest(shop, owner, carrier, "millrace")
    paper = manifest_paper(shop, made, "")
    assert [one.id for one in paper.parcels] == [parcel(shop, 1).id, parcel(shop, 2).id]
    assert paper.carrier_number
    assert manifest_sheet(shop, made).startswith(b"%PDF")
    last = make_manifest(shop, owner, carrier, "millrace")
    with shop.database.reading() as session:
        assert [(row.id, row.parcels) for row in manifest_rows(session)] == [(last, 1), (made, 2)]
    with pytest.raises(Refused) as nothing:
        make_manifest(shop, owner, carrier, "millrace")
    assert nothing.value.first.code == "nothing"


def test_a_parcel_that_was_not_handed_over_is_named_on_the_manifest(shop, owner):
    label_many(shop, owner, [1, 2], TRACKED)
    dispatch_shipments(shop, owner, [1])
    paper = manifest_paper(shop, make_manifest(shop, owner, "ostrel", "millrace"), "")
    assert [one.tracking_number for one in paper.left] == [parcel(shop, 2).tracking_number]


def test_a_carrier_that_nobody_speaks_to_is_refused(shop, owner):
    with pytest.raises(NotFound):
        make_manifest(shop, owner, "haulwell", "millrace")
    with pytest.raises(Refused):
        connect_carrier(shop, owner, "haulwell-2", "H", "http://x.test", "t")


def test_a_manifest_is_printed_in_the_layout_in_use(shop, owner):
    assert all(one.ok for one in label_many(shop, owner, [1], TRACKED))
    dispatch_shipments(shop, owner, [1])
    made = make_manifest(shop, owner, "ostrel", "millrace")
    body = "<h1>Ours {{ paper.number }}</h1>{% for one in parcels %}{{ one.receiver }}{% endfor %}"
    add_layout(shop, owner, "manifest", LayoutWish(name="Ours", body=body))
    text = PdfDocument(manifest_sheet(shop, made))[0].get_textpage().get_text_range()
    assert "Ours M-" in text
    assert preview_layout(shop, "manifest", body, made).missing == ()
