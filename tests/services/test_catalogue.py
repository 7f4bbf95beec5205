"""Families, kits, aliases, categories and bulk changes, as people use them."""

import pytest

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.catalogue.bulk import Operation
from relvan.core.catalogue.facts import with_facts
from relvan.core.catalogue.product import AliasFacts, Part, ProductDraft, ProductKind, Trait
from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.refusal import Refused
from relvan.services.catalogue.bulk import change_many, foresee
from relvan.services.catalogue.categories import add_category, ask_for, drop_category, rename_category, save_attribute
from relvan.services.catalogue.families import (
    NewFamily,
    dissolve,
    fill_hole,
    generate_family,
    link_family,
    propose_family,
    rename_trait,
    set_traits,
    split_off,
)
from relvan.services.catalogue.grid import family_grid
from relvan.services.catalogue.pictures import add_picture, arrange_pictures
from relvan.services.catalogue.read import facts_at, sums_of_kit, view_product
from relvan.services.catalogue.save import archive_products, change_facts, create_product
from relvan.services.jobs.life import move_job
from relvan.services.listings.draft import draft_listings
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.prices.lists import Cell, NewPriceList, add_price_list, set_prices
from relvan.services.stock.availability import availability
from relvan.store.categories import category_rows
from relvan.store.facts import facts_by_id
from relvan.store.history import HistoryFilter, product_history
from relvan.store.listing_list import listings_of_products
from relvan.store.orders import lines_of, order_by_number, shipment_rows
from relvan.store.product_list import ProductFilter, product_page
from tests.house import add_pot, assert_sound, connect, count, pot, receive
from tests.services.test_imports import carry, facts, rehearse, rows, verdicts

GLAZE, SIZE = Trait("Glaze"), Trait("Size")
ADA = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


def family(sku="PT", *axes, **shared):
    return NewFamily(sku, "Aubrey pot", axes or (GLAZE, SIZE), shared)


@pytest.fixture
def pots(workplace, owner):
    """Four loose pots and a family made of them."""
    members = {}
    for glaze in ("Ink", "Oat"):
        for size in ("9 cm", "14 cm"):
            sku = f"PT-{size[:2].strip()}-{glaze.upper()}"
            draft = pot(sku, title=f"Aubrey pot, {glaze.lower()} glaze, {size}")
            create_product(workplace, owner, draft)
            members[sku] = {"Glaze": glaze, "Size": size}
    link_family(workplace, owner, family(), members)
    return members


def kit(workplace, owner, sku, *parts, **more):
    draft = ProductDraft(sku=sku, title=sku, kind=ProductKind.KIT, parts=tuple(Part(*p) for p in parts), **more)
    return create_product(workplace, owner, draft)


def code_of(call):
    with pytest.raises(Refused) as refused:
        call()
    return refused.value.first.code


def test_loose_products_propose_their_traits(workplace, owner):
    for sku, title in (("A", "Aubrey pot, ink glaze, 9 cm"), ("B", "Aubrey pot, oat glaze, 9 cm"),
                       ("C", "Aubrey pot, ink glaze, 14 cm")):  # fmt: skip
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
    create_product(workplace, owner, ProductDraft(sku="PT-18-INK", title="Big", kind=ProductKind.VARIANT, family="PT",
                                                  traits={"Glaze": "Ink", "Size": "18 cm"}, tax_code=""))  # fmt: skip
    lent = {"brand": "Quillmoss", "description": "By hand.", "price retail": 2490, "attribute material": "stoneware"}
    change_facts(workplace, owner, [("PT", lent)])
    seen = view_product(workplace, "PT-18-INK")
    assert (seen.draft.brand, seen.whole.brand, seen.whole.prices) == ("", "Quillmoss", {"retail": 2490})
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
    change_facts(workplace, owner, [("PT", {"price retail": 1990, "description": "Thrown by hand in our workshop."})])
    after = listing()
    assert after.price == 1990
    assert after.gap_count < before.gap_count


def test_splitting_off_and_dissolving_lose_nothing(workplace, owner, pots):
    change_facts(workplace, owner, [("PT", {"brand": "Quillmoss"})])
    change_facts(workplace, owner, [("PT-9-INK", {"brand": None})])
    split_off(workplace, owner, ["PT-9-INK"])
    alone = facts(workplace, "PT-9-INK")
    assert (alone["kind"], alone["brand"], alone["attribute Glaze"]) == ("single", "Quillmoss", "Ink")
    assert dissolve(workplace, owner, "PT") == ["PT-14-INK", "PT-14-OAT", "PT-9-OAT"]
    assert facts(workplace, "PT")["archived"] is True
    assert_sound(workplace)


def test_a_trait_is_renamed_on_family_and_variants(workplace, owner, pots):
    rename_trait(workplace, owner, "PT", "size", "Diameter")
    assert facts(workplace, "PT-9-INK")["trait Diameter"] == "9 cm"
    assert code_of(lambda: rename_trait(workplace, owner, "PT", "size", "X")) == "not-found"


def test_variants_are_generated_by_patterns_all_or_none(workplace, owner):
    axes = (Trait("Glaze", ("Ink", "Oat")), Trait("Size", ("9 cm", "14 cm")))
    made = generate_family(workplace, owner, family("BW", *axes), "BW-{Size:2}-{Glaze:3}", "Bowl, {Glaze}, {Size}")
    assert [variant.sku for variant in made] == ["BW-9C-INK", "BW-14-INK", "BW-9C-OAT", "BW-14-OAT"]
    taken = family("CU", *axes)
    assert code_of(lambda: generate_family(workplace, owner, taken, "BW-{Size:2}-{Glaze:3}", "x")) == "sku-taken"
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
    assert code_of(lambda: change_facts_or_raise(workplace, owner, "SET", {"parts": [["BOX", 1]]})) == "circle"


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
    number = take_manual_order(workplace, owner, (IncomingLine("", "SET", "A set", 2, 3000),), ADA, paid=True)
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        assert [(line.sku, line.quantity, line.stocked, line.unit_price) for line in lines] == [
            ("SET", 2, False, 3000), ("POT", 2, True, 0), ("TIN", 4, True, 0)]  # fmt: skip
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
    number = take_manual_order(workplace, owner, (IncomingLine("", "SET", "A set", 1, 3000),), ADA, paid=True)
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
    assert (sums.parts, sums.units, sums.cost, sums.weight_g, sums.price) == (2, 2, 1500, 2100, None)


def test_a_part_in_use_and_a_family_with_variants_stay_out_of_the_archive(workplace, owner, pots):
    kit(workplace, owner, "SET", ("PT-9-INK", 1))
    answers = archive_products(workplace, owner, ["PT-9-INK", "PT", "PT-14-OAT"], archived=True)
    assert [(verdict.ok, verdict.code) for verdict in answers] == [(False, "in-use"), (False, "in-use"), (True, "")]


def test_an_alias_sells_the_same_stock_under_its_own_words(workplace, owner, world):
    connect(workplace, owner, world, "ownshop")
    add_pot(workplace, owner, "PT-14", units=7, aliases=("OLD-1",),
            alias_facts={"OLD-1": AliasFacts("The pot of old", "", {"retail": 1490})})  # fmt: skip
    assert len(draft_listings(workplace, owner, "ownshop", ["PT-14", "OLD-1"]).listing_ids) == 2
    with workplace.database.reading() as session:
        product = product_page(session, ProductFilter(words="PT-14"))[0]
        found = {row.sku: row for row in listings_of_products(session, [product.id])}
    assert (found["PT-14"].price, found["OLD-1"].price) == (1690, 1490)
    assert found["PT-14"].quantity == found["OLD-1"].quantity == 7


def test_typed_attributes_are_settled_and_missing_ones_counted(workplace, owner):
    save_attribute(workplace, owner, AttributeRule("Material", AttributeKind.ONE_OF, choices=("clay", "steel")))
    add_category(workplace, owner, "Pots / Indoors")
    ask_for(workplace, owner, "Pots", {"material": True})
    create_product(workplace, owner, pot("A", category="Pots / Indoors", attributes={"material": "CLAY"}))
    create_product(workplace, owner, pot("B", category="Pots / Indoors", attributes={}))
    assert facts(workplace, "A")["attribute Material"] == "clay"
    assert "Material" in view_product(workplace, "B").completeness.missing
    with pytest.raises(Refused) as refused:
        create_product(workplace, owner, pot("C", attributes={"Material": "wood"}))
    assert "must be one of clay, steel" in refused.value.first.message
    narrower = AttributeRule("Material", AttributeKind.ONE_OF, choices=("steel",))
    assert code_of(lambda: save_attribute(workplace, owner, narrower, name="Material")) == "misfit"


def test_a_category_moves_with_all_that_lies_in_it(workplace, owner):
    create_product(workplace, owner, pot("A", category="Pots / Indoors"))
    assert rename_category(workplace, owner, "Pots", "Vessels") == 1
    assert facts(workplace, "A")["category"] == "Vessels / Indoors"
    assert code_of(lambda: drop_category(workplace, owner, "Vessels")) == "in-use"
    assert code_of(lambda: rename_category(workplace, owner, "Vessels", "Vessels / Indoors / Deep")) == "form"
    with workplace.database.reading() as session:
        assert [(row.path, row.products) for row in category_rows(session)] == [
            ("Vessels", 0),
            ("Vessels / Indoors", 1),
        ]


def test_many_are_changed_at_once_and_changed_back(workplace, owner):
    for sku, cost in (("A", 500), ("B", 700), ("C", None)):
        create_product(workplace, owner, pot(sku, cost=cost))
    up = [Operation("cost", "percent", "10"), Operation("brand", "set", "Quillmoss")]
    assert dict(foresee(workplace, up, ["A"]))["A"]["cost"] == (500, 550)
    job = change_many(workplace, owner, up, wanted=ProductFilter(words="pot"))
    assert verdicts(carry_on(workplace, job)) == ["changes"] * 3
    carry(workplace, owner, job)
    assert [facts(workplace, sku).get("cost") for sku in "ABC"] == [550, 770, None]
    with workplace.database.reading() as session:
        entries = product_history(session, HistoryFilter(job=job))
        assert {(entry.via, entry.deed) for entry in entries} == {("bulk job", "changed")}
    carry(workplace, owner, job, "undo")
    assert facts(workplace, "A").get("brand") is None
    assert facts(workplace, "A")["cost"] == 500


def carry_on(workplace, job):
    from relvan.services.jobs.work import work_next

    while work_next(workplace):
        pass
    return rows(workplace, job)


@pytest.mark.parametrize(
    ("operation", "code"),
    [
        (Operation("sku", "set", "X"), "not-allowed"),
        (Operation("weight_g", "replace", "1"), "not-allowed"),
        (Operation("brand", "set", ""), "missing"),
        (Operation("weight_g", "set", "heavy"), "form"),
        (Operation("price retail", "percent", "ten"), None),
    ],
)
def test_a_change_that_makes_no_sense_is_refused_at_once(workplace, owner, operation, code):
    create_product(workplace, owner, pot("A"))
    if code is None:
        job = change_many(workplace, owner, [operation], skus=["A"])
        assert verdicts(carry_on(workplace, job)) == ["refused"]
        return
    assert code_of(lambda: change_many(workplace, owner, [operation], skus=["A"])) == code


def test_a_product_is_seen_as_it_was(workplace, owner, clock):
    create_product(workplace, owner, pot("A", cost=500))
    clock.move(hours=1)
    then = workplace.now()
    clock.move(hours=1)
    change_facts(workplace, owner, [("A", {"cost": 600, "title": "Another"})])
    add_picture_to(workplace, owner, "A")
    assert facts_at(workplace, "A", then)["cost"] == 500
    assert facts_at(workplace, "A", workplace.now())["title"] == "Another"
    clock.move(days=-9)
    assert code_of(lambda: facts_at(workplace, "A", workplace.now())) == "too-early"


def add_picture_to(workplace, owner, sku, colour="green"):
    from tests.house import png

    return add_picture(workplace, owner, sku, png(colour))


def test_pictures_have_an_order_and_roles_and_a_variant_shows_its_familys(workplace, owner, pots):
    one, two = (add_picture_to(workplace, owner, "PT", colour) for colour in ("red", "blue"))
    assert [p.sha for p in view_product(workplace, "PT-9-INK").lent_pictures] == [one, two]
    arrange_pictures(workplace, owner, "PT", [(one, "description"), (two, "further")])
    assert [(p.sha, p.role) for p in view_product(workplace, "PT").pictures] == [(one, "description"), (two, "main")]
    assert code_of(lambda: arrange_pictures(workplace, owner, "PT", [("x" * 64, "main")])) == "not-found"


def test_prices_are_written_like_a_sheet(workplace, owner):
    for sku in ("A", "B"):
        create_product(workplace, owner, pot(sku))
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "CHF", False))
    cells = [
        Cell("A", "trade", "12,50"),
        Cell("A", "trade", "11.90", 10),
        Cell("B", "trade", "abc"),
        Cell("X", "trade", "1"),
    ]
    answers = {verdict.subject: verdict.ok for verdict in set_prices(workplace, owner, cells)}
    assert answers == {"A": True, "B": False, "X": False}
    assert (facts(workplace, "A")["price trade"], facts(workplace, "A")["break trade 10"]) == (1250, 1190)
    set_prices(workplace, owner, [Cell("A", "trade", "")])
    assert "price trade" not in facts(workplace, "A")
    assert code_of(lambda: add_price_list(workplace, owner, NewPriceList("Trade", "T", "CHF", True))) == "exists"
    assert code_of(lambda: add_price_list(workplace, owner, NewPriceList("t 2", "T", "CHF", True))) == "form"


def test_a_family_of_four_hundred_and_a_kit_of_sixty_need_no_query_per_row(workplace, owner, count_queries):
    axes = (Trait("Row", tuple(f"r{n}" for n in range(20))), Trait("Column", tuple(f"c{n}" for n in range(20))))
    generate_family(workplace, owner, family("BIG", *axes), "BIG-{Row}-{Column}", "Big, {Row}, {Column}")
    with count_queries(workplace.database) as big:
        assert family_grid(workplace, "BIG").holes == 0
    small = (Trait("Row", ("a",)), Trait("Column", ("b",)))
    generate_family(workplace, owner, family("SML", *small), "SML-{Row}-{Column}", "Small")
    with count_queries(workplace.database) as few:
        family_grid(workplace, "SML")
    assert len(big) == len(few)
    kit(workplace, owner, "K60", *((f"BIG-r{n // 20}-c{n % 20}", 1) for n in range(60)))
    kit(workplace, owner, "K1", ("BIG-r0-c0", 1))
    with count_queries(workplace.database) as sixty:
        availability(workplace, "K60")
    with count_queries(workplace.database) as one:
        availability(workplace, "K1")
    assert len(sixty) == len(one)


def test_facts_that_are_taken_away_are_gone():
    assert with_facts({"a": 1, "cost": 0, "b": "x"}, {"b": None}) == {"a": 1, "cost": 0}


def test_an_import_file_taken_out_and_brought_in_changes_nothing(workplace, owner, pots):
    from relvan.services.imports.take_out import take_out

    add_pot(workplace, owner, "ODD", units=3, title="=A title, “odd”; with, signs", description="Two\nlines\t'x",
            aliases=("OLD-1", "OLD-2"), attributes={"material": "-5 °C", "note": "'=1+1"})  # fmt: skip
    kit(workplace, owner, "SET", ("ODD", 2), ("PT-9-INK", 1))
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "CHF", False))
    set_prices(workplace, owner, [Cell("ODD", "trade", "12.50"), Cell("ODD", "trade", "11.90", 10)])
    change_facts(workplace, owner, [("ODD", {"hazardous": True, "case_quantity": 6, "hs_code": "069120"})])
    for kind in ("products", "families", "kits", "aliases", "prices", "stock-counts", "pictures", "attributes"):
        for form in ("csv", "xlsx"):
            taken = take_out(workplace, kind, form, wanted=ProductFilter())
            content = b"".join(taken.content)
            _, found = rehearse(workplace, owner, kind, content, f"{kind}.{form}", options={"clear": True})
            assert found, (kind, form)
            assert set(verdicts(found)) == {"same"}, (kind, form, found)


def test_nothing_in_a_file_taken_out_is_a_formula(workplace, owner):
    from relvan.services.imports.take_out import take_out

    create_product(workplace, owner, pot("A", title="=cmd|' /C calc'!A0", brand="@here"))
    text = b"".join(take_out(workplace, "products", "csv", wanted=ProductFilter()).content).decode("utf-8-sig")
    assert ",'=cmd|" in text
    assert ",'@here" in text


def test_a_job_of_another_station_needs_its_right(workplace, owner, picker):
    job, _ = rehearse(workplace, owner, "products", "sku,title\nA,B\n")
    assert code_of(lambda: move_job(workplace, picker, job, "apply")) == "not-allowed"
