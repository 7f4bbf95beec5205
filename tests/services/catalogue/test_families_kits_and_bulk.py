"""Tests families, kits, aliases, categories and bulk changes, as people use them."""

import pytest

from relvan.core.catalogue.product import AliasFacts, ProductDraft, ProductKind, Trait
from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.refusal import Refused
from relvan.services.catalogue.families import (
    dissolve,
    fill_hole,
    generate_family,
    propose_family,
    rename_trait,
    set_traits,
    split_off,
)
from relvan.services.catalogue.grid import family_grid
from relvan.services.catalogue.read import sums_of_kit, view_product
from relvan.services.catalogue.save import archive_products, change_facts, create_product
from relvan.services.listings.availability import availability
from relvan.services.listings.draft import draft_listings
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_manual_order
from relvan.store.facts import facts_by_id
from relvan.store.listing_list import listings_of_products
from relvan.store.orders import lines_of, order_by_number, shipment_rows
from relvan.store.product_list import ProductFilter, product_page
from tests.house import add_pot, assert_sound, connect, count, pot, receive
from tests.steps.catalogue import code_of, family, kit
from tests.steps.imports import facts

ADA = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


def test_loose_products_propose_their_traits(workplace, owner):
    for sku, title in (
        ("A", "Aubrey pot, ink glaze, 9 cm"),
        ("B", "Aubrey pot, oat glaze, 9 cm"),
        ("C", "Aubrey pot, ink glaze, 14 cm"),
    ):
        create_product(workplace, owner, pot(sku, title=title))
    found = propose_family(workplace, ["A", "B", "C"])
    assert (found.title, found.traits) == ("Aubrey pot", ("Glaze", "Size"))
    assert found.values["C"] == {"Glaze": "ink", "Size": "14 cm"}
    assert found.tells_apart


def test_a_family_is_a_grid_with_its_holes(workplace, owner, pots):
    archive_products(workplace, owner, ["PT-14-OAT"], archived=False)
    split_off(workplace, owner, ["PT-14-OAT"])
    grid = family_grid(workplace, "pt")
    assert (grid.across.name, grid.down.name, grid.tabs) == ("Size", "Glaze", None)
    assert grid.holes == 1
    fill_hole(workplace, owner, "PT", {"Glaze": "Oat", "Size": "14 cm"}, sku="PT-14-OAT", title="")
    assert family_grid(workplace, "PT").holes == 0
    assert_sound(workplace)


def test_a_doubled_combination_is_refused_with_both_skus(workplace, owner, pots):
    with pytest.raises(Refused) as refused:
        set_traits(workplace, owner, {"PT-9-INK": {"Glaze": "oat"}})
    assert "“PT-9-INK” and “PT-9-OAT” are both Glaze oat, Size 9 cm" in refused.value.first.message
    assert facts(workplace, "PT-9-INK")["trait Glaze"] == "Ink"


def test_two_variants_may_swap_places(workplace, owner, pots):
    set_traits(workplace, owner, {"PT-9-INK": {"Glaze": "Oat"}, "PT-9-OAT": {"Glaze": "Ink"}})
    assert facts(workplace, "PT-9-INK")["trait Glaze"] == "Oat"
    assert_sound(workplace)


def test_a_variant_takes_what_it_does_not_say_from_its_family(workplace, owner, pots):
    create_product(
        workplace,
        owner,
        ProductDraft(
            sku="PT-18-INK",
            title="Big",
            kind=ProductKind.VARIANT,
            family="PT",
            traits={"Glaze": "Ink", "Size": "18 cm"},
            tax_code="",
        ),
    )
    lent = {
        "brand": "Quillmoss",
        "description": "By hand.",
        "price retail": 2490,
        "attribute material": "stoneware",
    }
    change_facts(workplace, owner, [("PT", lent)])
    seen = view_product(workplace, "PT-18-INK")
    assert (seen.draft.brand, seen.whole.brand, seen.whole.prices) == (
        "",
        "Quillmoss",
        {"retail": 2490},
    )
    assert seen.completeness.missing == ("weight", "picture")
    assert family_grid(workplace, "PT").axes[1].values == ("9 cm", "14 cm", "18 cm")
    change_facts(workplace, owner, [("PT-18-INK", {"brand": "Other"})])
    assert view_product(workplace, "PT-18-INK").whole.brand == "Other"


def test_what_a_family_lends_reaches_the_listings_of_its_variants(workplace, owner, world, pots):
    connect(workplace, owner, world, "ownshop")
    change_facts(workplace, owner, [("PT-9-INK", {"description": None, "price retail": None})])
    ids = draft_listings(workplace, owner, "ownshop", ["PT"]).listing_ids
    assert len(ids) == 5, "a family is drafted as its page and its variants"

    def listing():
        with workplace.database.reading() as session:
            product = product_page(session, ProductFilter(words="PT-9-INK"))[0]
            return listings_of_products(session, [product.id])[0]

    before = listing()
    assert before.price is None
    change_facts(
        workplace,
        owner,
        [("PT", {"price retail": 1990, "description": "Thrown by hand in our workshop."})],
    )
    after = listing()
    assert after.price == 1990
    assert after.gap_count < before.gap_count


def test_splitting_off_and_dissolving_lose_nothing(workplace, owner, pots):
    change_facts(workplace, owner, [("PT", {"brand": "Quillmoss"})])
    change_facts(workplace, owner, [("PT-9-INK", {"brand": None})])
    split_off(workplace, owner, ["PT-9-INK"])
    alone = facts(workplace, "PT-9-INK")
    assert (alone["kind"], alone["brand"], alone["attribute Glaze"]) == (
        "single",
        "Quillmoss",
        "Ink",
    )
    assert dissolve(workplace, owner, "PT") == ["PT-14-INK", "PT-14-OAT", "PT-9-OAT"]
    assert facts(workplace, "PT")["archived"] is True
    assert_sound(workplace)


def test_a_trait_is_renamed_on_family_and_variants(workplace, owner, pots):
    rename_trait(workplace, owner, "PT", "size", "Diameter")
    assert facts(workplace, "PT-9-INK")["trait Diameter"] == "9 cm"
    assert code_of(lambda: rename_trait(workplace, owner, "PT", "size", "X")) == "not-found"


def test_variants_are_generated_by_patterns_all_or_none(workplace, owner):
    axes = (Trait("Glaze", ("Ink", "Oat")), Trait("Size", ("9 cm", "14 cm")))
    made = generate_family(
        workplace, owner, family("BW", *axes), "BW-{Size:2}-{Glaze:3}", "Bowl, {Glaze}, {Size}"
    )
    assert [variant.sku for variant in made] == ["BW-9C-INK", "BW-14-INK", "BW-9C-OAT", "BW-14-OAT"]
    taken = family("CU", *axes)
    assert (
        code_of(lambda: generate_family(workplace, owner, taken, "BW-{Size:2}-{Glaze:3}", "x"))
        == "sku-taken"
    )
    assert code_of(lambda: generate_family(workplace, owner, taken, "CU-{Glaze}", "x")) == "twice"
    assert code_of(lambda: view_product(workplace, "CU")) == "not-found"


def test_a_kit_follows_its_parts_at_once_and_names_the_scarcest(workplace, owner):
    for sku, units in (("POT", 10), ("TIN", 4)):
        add_pot(workplace, owner, sku, units=units)
    kit(workplace, owner, "SET", ("POT", 2), ("TIN", 1))
    kit(workplace, owner, "BOX", ("SET", 1), ("TIN", 1))
    assert (availability(workplace, "SET").free, availability(workplace, "BOX").free) == (4, 2)
    count(workplace, owner, "POT", 3)
    shown = availability(workplace, "SET")
    assert shown.free == 1
    assert "scarcest part POT: 3 free, 2 in each" in shown.why.steps[0].detail
    assert (
        code_of(lambda: change_facts_or_raise(workplace, owner, "SET", {"parts": [["BOX", 1]]}))
        == "circle"
    )


def change_facts_or_raise(workplace, owner, sku, new):
    verdict = change_facts(workplace, owner, [(sku, new)])[0]
    if not verdict.ok:
        from relvan.core.refusal import refuse

        raise refuse(verdict.code, verdict.message)


def test_parts_of_a_kit_come_from_one_warehouse_unless_they_may_travel_apart(workplace, owner):
    add_pot(workplace, owner, "POT", units=5)
    add_pot(workplace, owner, "SOIL", units=5, warehouse="yard")
    kit(workplace, owner, "SET", ("POT", 1), ("SOIL", 1))
    assert availability(workplace, "SET").free == 0
    change_facts(workplace, owner, [("SET", {"parts_apart": True})])
    assert availability(workplace, "SET").free == 5


def test_a_kit_is_reserved_and_shipped_as_its_parts(workplace, owner):
    add_pot(workplace, owner, "POT", units=4)
    add_pot(workplace, owner, "TIN", units=4)
    kit(workplace, owner, "SET", ("POT", 1), ("TIN", 2))
    number = take_manual_order(
        workplace, owner, (IncomingLine("", "SET", "A set", 2, 3000),), ADA, paid=True
    )
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        assert [(line.sku, line.quantity, line.stocked, line.unit_price) for line in lines] == [
            ("SET", 2, False, 3000),
            ("POT", 2, True, 0),
            ("TIN", 4, True, 0),
        ]
        assert (order.fact_reserved, order.total) == ("all", 6000)
    assert (availability(workplace, "SET").free, availability(workplace, "POT").free) == (0, 2)
    assert release_orders(workplace, owner, [number])[0].ok
    with workplace.database.reading() as session:
        assert shipment_rows(session, order_id=order.id)[0].units == 6
    assert_sound(workplace)


def test_a_kit_short_of_a_part_waits_whole(workplace, owner):
    add_pot(workplace, owner, "POT", units=4)
    add_pot(workplace, owner, "TIN", units=1)
    kit(workplace, owner, "SET", ("POT", 1), ("TIN", 2))
    number = take_manual_order(
        workplace, owner, (IncomingLine("", "SET", "A set", 1, 3000),), ADA, paid=True
    )
    with workplace.database.reading() as session:
        assert order_by_number(session, number).tray == "short"
    assert availability(workplace, "POT").free == 4, "nothing is held for a kit that cannot go"
    receive(workplace, owner, "TIN", 1)
    with workplace.database.reading() as session:
        assert order_by_number(session, number).fact_reserved == "all"


def test_the_sums_of_a_kit_come_from_its_parts(workplace, owner):
    add_pot(workplace, owner, "POT", units=0, cost=500, weight_g=700, prices={"retail": 1690})
    kit(workplace, owner, "SET", ("POT", 2))
    kit(workplace, owner, "BOX", ("SET", 1), ("POT", 1))
    with workplace.database.reading() as session:
        product = product_page(session, ProductFilter(words="BOX"))[0]
        sums = sums_of_kit(session, facts_by_id(session, [product.id])[product.id], "retail")
    assert (sums.parts, sums.units, sums.cost, sums.weight_g, sums.price) == (
        2,
        2,
        1500,
        2100,
        None,
    )


def test_a_part_in_use_and_a_family_with_variants_stay_out_of_the_archive(workplace, owner, pots):
    kit(workplace, owner, "SET", ("PT-9-INK", 1))
    answers = archive_products(workplace, owner, ["PT-9-INK", "PT", "PT-14-OAT"], archived=True)
    assert [(verdict.ok, verdict.code) for verdict in answers] == [
        (False, "in-use"),
        (False, "in-use"),
        (True, ""),
    ]


def test_an_alias_sells_the_same_stock_under_its_own_words(workplace, owner, world):
    connect(workplace, owner, world, "ownshop")
    add_pot(
        workplace,
        owner,
        "PT-14",
        units=7,
        aliases=("OLD-1",),
        alias_facts={"OLD-1": AliasFacts("The pot of old", "", {"retail": 1490})},
    )
    assert len(draft_listings(workplace, owner, "ownshop", ["PT-14", "OLD-1"]).listing_ids) == 2
    with workplace.database.reading() as session:
        product = product_page(session, ProductFilter(words="PT-14"))[0]
        found = {row.sku: row for row in listings_of_products(session, [product.id])}
    assert (found["PT-14"].price, found["OLD-1"].price) == (1690, 1490)
    assert found["PT-14"].quantity == found["OLD-1"].quantity == 7
