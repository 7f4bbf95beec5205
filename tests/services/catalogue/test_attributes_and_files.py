"""Tests attributes, categories, pictures and files of products."""

import pytest

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.catalogue.bulk import Operation
from relvan.core.catalogue.facts import with_facts
from relvan.core.catalogue.product import Trait
from relvan.core.refusal import Refused
from relvan.services.catalogue.bulk import change_many, foresee
from relvan.services.catalogue.categories import (
    add_category,
    ask_for,
    drop_category,
    rename_category,
    save_attribute,
)
from relvan.services.catalogue.families import (
    generate_family,
)
from relvan.services.catalogue.grid import family_grid
from relvan.services.catalogue.pictures import add_picture, arrange_pictures
from relvan.services.catalogue.read import facts_at, view_product
from relvan.services.catalogue.save import change_facts, create_product
from relvan.services.jobs.life import move_job
from relvan.services.listings.availability import availability
from relvan.services.prices.lists import NewPriceList, TypedPrice, add_price_list, set_prices
from relvan.store.categories import category_rows
from relvan.store.history import HistoryFilter, product_history
from relvan.store.product_list import ProductFilter
from tests.house import add_pot, pot, work
from tests.steps.catalogue import code_of, family, kit
from tests.steps.imports import carry, facts, rehearse, rows, verdicts


def test_typed_attributes_are_settled_and_missing_ones_counted(workplace, owner):
    save_attribute(
        workplace, owner, AttributeRule("Material", AttributeKind.ONE_OF, choices=("clay", "steel"))
    )
    add_category(workplace, owner, "Pots / Indoors")
    ask_for(workplace, owner, "Pots", {"material": True})
    create_product(
        workplace, owner, pot("A", category="Pots / Indoors", attributes={"material": "CLAY"})
    )
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
    assert (
        code_of(lambda: rename_category(workplace, owner, "Vessels", "Vessels / Indoors / Deep"))
        == "form"
    )
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
    work(workplace)
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
    assert [(p.sha, p.role) for p in view_product(workplace, "PT").pictures] == [
        (one, "description"),
        (two, "main"),
    ]
    assert (
        code_of(lambda: arrange_pictures(workplace, owner, "PT", [("x" * 64, "main")]))
        == "not-found"
    )


def test_prices_are_written_like_a_sheet(workplace, owner):
    for sku in ("A", "B"):
        create_product(workplace, owner, pot(sku))
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "CHF", False))
    cells = [
        TypedPrice("A", "trade", "12,50"),
        TypedPrice("A", "trade", "11.90", 10),
        TypedPrice("B", "trade", "abc"),
        TypedPrice("X", "trade", "1"),
    ]
    answers = {verdict.subject: verdict.ok for verdict in set_prices(workplace, owner, cells)}
    assert answers == {"A": True, "B": False, "X": False}
    assert (facts(workplace, "A")["price trade"], facts(workplace, "A")["break trade 10"]) == (
        1250,
        1190,
    )
    set_prices(workplace, owner, [TypedPrice("A", "trade", "")])
    assert "price trade" not in facts(workplace, "A")
    assert (
        code_of(lambda: add_price_list(workplace, owner, NewPriceList("Trade", "T", "CHF", True)))
        == "exists"
    )
    assert (
        code_of(lambda: add_price_list(workplace, owner, NewPriceList("t 2", "T", "CHF", True)))
        == "form"
    )


def test_a_family_of_four_hundred_and_a_kit_of_sixty_need_no_query_per_row(
    workplace, owner, count_queries
):
    axes = (
        Trait("Row", tuple(f"r{n}" for n in range(20))),
        Trait("Column", tuple(f"c{n}" for n in range(20))),
    )
    generate_family(
        workplace, owner, family("BIG", *axes), "BIG-{Row}-{Column}", "Big, {Row}, {Column}"
    )
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
    from relvan.services.bulk.take_out import take_out

    add_pot(
        workplace,
        owner,
        "ODD",
        units=3,
        title="=A title, “odd”; with, signs",
        description="Two\nlines\t'x",
        aliases=("OLD-1", "OLD-2"),
        attributes={"material": "-5 °C", "note": "'=1+1"},
    )
    kit(workplace, owner, "SET", ("ODD", 2), ("PT-9-INK", 1))
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "CHF", False))
    set_prices(
        workplace,
        owner,
        [TypedPrice("ODD", "trade", "12.50"), TypedPrice("ODD", "trade", "11.90", 10)],
    )
    change_facts(
        workplace, owner, [("ODD", {"hazardous": True, "case_quantity": 6, "hs_code": "069120"})]
    )
    for kind in (
        "products",
        "families",
        "kits",
        "aliases",
        "prices",
        "stock-counts",
        "pictures",
        "attributes",
    ):
        for form in ("csv", "xlsx"):
            taken = take_out(workplace, kind, form, wanted=ProductFilter())
            content = b"".join(taken.content)
            _, found = rehearse(
                workplace, owner, kind, content, f"{kind}.{form}", options={"clear": True}
            )
            assert found, (kind, form)
            assert set(verdicts(found)) == {"same"}, (kind, form, found)


def test_nothing_in_a_file_taken_out_is_a_formula(workplace, owner):
    from relvan.services.bulk.take_out import take_out

    create_product(workplace, owner, pot("A", title="=cmd|' /C calc'!A0", brand="@here"))
    text = b"".join(take_out(workplace, "products", "csv", wanted=ProductFilter()).content).decode(
        "utf-8-sig"
    )
    assert ",'=cmd|" in text
    assert ",'@here" in text


def test_a_job_of_another_station_needs_its_right(workplace, owner, picker):
    job, _ = rehearse(workplace, owner, "products", "sku,title\nA,B\n")
    assert code_of(lambda: move_job(workplace, picker, job, "apply")) == "not-allowed"
