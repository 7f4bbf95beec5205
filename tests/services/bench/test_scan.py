"""Tests the pack bench: codes lead to shipments, mark goods, and close parcels, whose labels are bought
once."""

from dataclasses import replace

import pytest

from relvan.core.packing.cartons import CartonKind
from relvan.core.picking.lists import RoundKind
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.bench.scan import BenchScan, bench_view, scan_at_bench, set_bench_scan
from relvan.services.catalogue.save import change_facts
from relvan.services.packing.cartons import propose_cartons, propose_for, save_carton
from relvan.services.picking.lists import ListWish, make_pick_list, record_pick
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.store.dispatch import parcels_of
from relvan.store.orders import shipment_rows
from tests.house import assert_sound, read
from tests.snapshots import built_once
from tests.steps.sale import picks_of, release_all

SMALL = {
    "name": "Small",
    "length_mm": 200,
    "width_mm": 200,
    "height_mm": 180,
    "weight_g": 100,
    "max_weight_g": 9_000,
    "cost": 400,
    "used": True,
}


@built_once
def bench(two_pots, owner, world):
    """Builds three orders of one, one and two PT-14 in totes of one list, picked; and a carton."""
    for units in (1, 1, 2):
        world.buy("hagglet", "PT-14", units)
    read(two_pots)
    facts = {"weight_g": 600, "length_mm": 150, "width_mm": 150, "height_mm": 130}
    change_pot(two_pots, owner, **facts)
    made = make_pick_list(two_pots, owner, release_all(two_pots, owner), ListWish(RoundKind.TOTES))
    for pick in picks_of(two_pots, made):
        record_pick(two_pots, owner, made, pick.id, pick.quantity)
    save_carton(two_pots, owner, "BX-S", SMALL)
    return two_pots


def change_pot(workplace, owner, **facts):
    (verdict,) = change_facts(workplace, owner, [("PT-14", facts)])
    assert verdict.ok, verdict


def shipments(bench, state="to pack"):
    with bench.database.reading() as session:
        return [row.id for row in shipment_rows(session, states=[state])]


def labels(bench, shipment_id):
    with bench.database.reading() as session:
        return [
            (parcel.carton, parcel.weight_g, parcel.tracking_number)
            for parcel in parcels_of(session, shipment_id)
        ]


def scanner(bench, owner):
    """Returns a function that scans a code for what lies on the bench."""

    def scan(code, on=None, **more):
        return scan_at_bench(bench, owner, BenchScan(code, on, **more))

    return scan


def refused(scan, *args, **more):
    with pytest.raises(Refused) as caught:
        scan(*args, **more)
    return caught.value.first


def by_units(bench, units):
    return next(
        one
        for one in shipments(bench)
        if sum(x.left for x in bench_view(bench, one).lines) == units
    )


def test_an_order_of_one_item_takes_three_scans_and_the_next_one_comes_by_itself(bench, owner):
    scan = scanner(bench, owner)
    first = by_units(bench, 1)
    assert scan(bench_view(bench, first).order).shipment_id == first
    marked = scan("pt-14", first)
    assert (marked.shipment_id, marked.words) == (first, "PT-14: 1 of 1.")
    closed = scan("BX-S", first)
    ((carton, weight, number),) = labels(bench, first)
    assert (carton, weight) == ("Small", 700)
    assert number
    assert len(closed.parcels) == 1
    assert closed.shipment_id in shipments(bench)
    assert closed.shipment_id != first
    (sent,) = dispatch_shipments(bench, owner, [first])
    assert sent.ok
    assert_sound(bench)


@pytest.mark.parametrize("code", ["L-1001", "L-1001-T1", "l-1001/t1", "S-1001", "s-1001"])
def test_a_list_a_tote_and_a_shipment_lead_to_the_same_goods(bench, owner, code):
    assert scanner(bench, owner)(code).shipment_id == 1


def test_a_wrong_code_is_refused_and_nothing_is_marked(bench, owner):
    scan, on = scanner(bench, owner), by_units(bench, 2)
    assert refused(scan, "PT-99", on).code == "wrong-scan"
    assert refused(scan, "L-1001-T9").code == "nothing"
    assert refused(scan, "  ").code == "no-scan"
    assert [line.scanned for line in bench_view(bench, on).lines] == [0]
    scan("PT-14", on)
    scan("PT-14", on)
    assert refused(scan, "PT-14", on).code == "too-many"


def test_a_parcel_is_not_closed_until_all_of_it_was_scanned(bench, owner):
    scan, on = scanner(bench, owner), by_units(bench, 2)
    scan("PT-14", on)
    first = refused(scan, "CLOSE", on)
    assert (first.code, first.message) == ("not-scanned", "Not scanned yet: 1 of PT-14.")
    assert labels(bench, on) == []
    scan("CLOSE", on, part=True)
    assert [row[2] for row in labels(bench, on)] == [None]
    assert [(line.left, line.scanned) for line in bench_view(bench, on).lines] == [(1, 0)]
    scan("PT-14", on)
    scan("CLOSE", on)
    assert all(row[2] for row in labels(bench, on))
    assert len(labels(bench, on)) == 2
    assert_sound(bench)


@pytest.mark.parametrize(("mode", "scans"), [("none", 0), ("some", 1), ("all", 2)])
def test_as_much_is_scanned_as_the_warehouse_asks(bench, owner, mode, scans):
    set_bench_scan(bench, owner, 1, mode)
    scan, on = scanner(bench, owner), by_units(bench, 2)
    for _ in range(scans):
        assert refused(scan, "CLOSE", on).code == "not-scanned"
        scan("PT-14", on)
    scan("CLOSE", on)
    assert on not in shipments(bench)


def test_a_wrong_weight_is_refused_with_the_item_that_would_explain_it(bench, owner, world):
    change_firm(bench, owner, {"scale": f"{world.url}/devices/scale"})
    scan, on = scanner(bench, owner), by_units(bench, 2)
    scan("PT-14", on)
    scan("PT-14", on)
    world.client.put("/devices/scale", json={"grams": 0}).raise_for_status()
    assert refused(scan, "CLOSE", on).message == "Nothing lies on the scale."
    world.client.put("/devices/scale", json={"grams": 705}).raise_for_status()
    first = refused(scan, "CLOSE", on)
    assert (first.code, first.field) == ("weight", "anyway")
    assert first.message.endswith("One PT-14 less would explain it.")
    assert labels(bench, on) == []
    scan("CLOSE", on, anyway=True)
    assert [row[1] for row in labels(bench, on)] == [705]


def test_without_a_label_it_is_packed_and_said_and_no_label_is_bought_twice(bench, owner, world):
    scan, on = scanner(bench, owner), by_units(bench, 1)
    number = bench_view(bench, on).shipment.number
    scan("PT-14", on)
    world.weather("ostrel", "down")
    closed = scan("CLOSE", on)
    assert "has no label yet" in closed.trouble
    assert closed.parcels == ()
    assert shipments(bench, "to ship") == [on]
    world.weather("ostrel", "calm")
    assert refused(scan, number).code == "wrong-state"


def test_goods_picked_together_are_sorted_by_scanning_them(bench, owner):
    scan, on = scanner(bench, owner), by_units(bench, 1)
    change_pot(bench, owner, aliases=["OLD-14"])
    assert scan("OLD-14", on).words == "PT-14: 1 of 1."


def test_the_cheapest_carton_is_proposed_and_what_is_not_known_is_named(bench, owner):
    on = by_units(bench, 2)
    save_carton(bench, owner, "BX-L", {**SMALL, "name": "Large", "length_mm": 320, "cost": 700})
    choice = propose_cartons(bench, on).choice
    assert [one.carton.id for one in choice.cartons] == ["BX-L"]
    save_carton(bench, owner, "BX-L", {"used": False})
    assert [one.carton.id for one in propose_cartons(bench, on).choice.cartons] == ["BX-S", "BX-S"]
    change_pot(bench, owner, length_mm=900)
    assert "PT-14" in propose_cartons(bench, on).why_not
    bare = [replace(line, size_mm=None) for line in bench_view(bench, on).lines]
    proposal = propose_for(bare, [CartonKind("BX", (9, 9, 9), 1, 9, 1)])
    assert (proposal.choice, proposal.unknown) == (None, ("PT-14",))


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"length_mm": 0}, "length_mm"),
        ({"max_weight_g": 100}, "max_weight_g"),
        ({"name": " "}, "name"),
        ({"cost": -1}, "cost"),
        ({"weight_g": True}, "weight_g"),
    ],
)
def test_a_carton_that_cannot_be_is_refused_by_its_figure(workplace, owner, change, field):
    with pytest.raises(Refused) as caught:
        save_carton(workplace, owner, "BX", {**SMALL, **change})
    assert caught.value.first.field == field


def test_only_who_may_sets_up_cartons_and_the_bench(bench, picker):
    with pytest.raises(NotAllowed):
        save_carton(bench, picker, "BX-S", {"cost": 1})
    with pytest.raises(NotAllowed):
        set_bench_scan(bench, picker, 1, "none")
