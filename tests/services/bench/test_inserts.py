"""Tests that the pack bench says what goes in besides the goods, and weighs it."""

from dataclasses import replace

import pytest

from relvan.core.catalogue.product import ProductDraft, ProductKind
from relvan.core.packing.inserts import Insert
from relvan.core.refusal import NotFound, Refused
from relvan.services.bench.scan import CLOSE, BenchScan, bench_view, scan_at_bench
from relvan.services.catalogue.save import create_product
from relvan.services.orders.release import release_orders
from relvan.services.packing.cartons import save_carton
from relvan.services.packing.inserts import delete_insert, inserts, save_insert
from relvan.store.dispatch import parcels_of
from tests.house import add_pot, connect
from tests.steps.orders import take
from tests.steps.sale import pick_all_waiting

CARD = Insert("A card of thanks", 8)
CARTON = {
    "name": "Middle",
    "length_mm": 400,
    "width_mm": 300,
    "height_mm": 250,
    "weight_g": 100,
    "max_weight_g": 20_000,
    "cost": 455,
    "used": True,
}


@pytest.fixture
def bench(workplace, owner, world):
    """Lays a shipment of two pots on the bench, with gift wrap that was sold with them."""
    connect(workplace, owner, world, "hagglet")
    save_carton(workplace, owner, "BX-M", CARTON)
    add_pot(workplace, owner, "PT-14", units=9, fragile=True)
    wrap = ProductDraft("GIFT", "Gift wrap", ProductKind.SERVICE, prices={"retail": 300})
    create_product(workplace, owner, wrap)
    take(workplace, owner, ("PT-14", 2), ("GIFT", 1))
    release_orders(workplace, owner, ["O-1001"])
    (shipment,) = pick_all_waiting(workplace, owner)
    return workplace, shipment


def test_what_fits_is_shown_with_the_services(bench, owner):
    place, shipment = bench
    save_insert(place, owner, CARD)
    save_insert(place, owner, Insert("Only on Hagglet", channels=("hagglet",)))
    view = bench_view(place, shipment)
    assert [one.name for one in view.inserts] == ["A card of thanks"]
    assert view.services == (("GIFT", 1),)
    assert view.lines[0].fragile


def test_its_weight_belongs_to_what_is_expected(bench, owner):
    place, shipment = bench
    save_insert(place, owner, replace(CARD, weight_g=400))
    for _ in range(2):
        scan_at_bench(place, owner, BenchScan("PT-14", shipment))
    with pytest.raises(Refused, match="should weigh 1,800 g"):
        scan_at_bench(place, owner, BenchScan(CLOSE, shipment, weight_g=1_500))
    scan_at_bench(place, owner, BenchScan(CLOSE, shipment, weight_g=1_800))
    with place.database.reading() as session:
        assert [parcel.weight_g for parcel in parcels_of(session, shipment)] == [1_800]


def test_inserts_are_changed_and_deleted(bench, owner):
    place, _ = bench
    made = save_insert(place, owner, CARD)
    save_insert(place, owner, replace(CARD, id=made, name=" Card "))
    with place.database.reading() as session:
        assert [one.name for one in inserts(session)] == ["Card"]
    with pytest.raises(Refused, match="is not known here"):
        save_insert(place, owner, replace(CARD, countries=("XX",)))
    delete_insert(place, owner, made)
    with pytest.raises(NotFound):
        delete_insert(place, owner, made)
