"""Tests the page and the form of one product: what they show, refuse and keep."""

import pytest
from lxml import html
from sqlalchemy import select

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.availability import availability
from relvan.services.stock.new_product import FirstStock, create_with_stock
from relvan.services.workplace import Actor
from relvan.store.catalogue import named_products
from relvan.store.tables import BulkJob
from tests.house import add_pot, assert_sound, png, pot
from tests.steps.catalogue import kit
from tests.steps.imports import facts
from tests.visitor import page, post, shown, words, wrong_beside


def test_a_kit_with_a_fault_keeps_its_parts_as_typed(web, workplace, owner):
    add_pot(workplace, owner, "A")
    answer = post(
        web,
        "/catalogue/new",
        kind="kit",
        sku="K",
        title="Kit",
        part_sku=["A", "NONE"],
        part_quantity=["2", "x"],
    )
    assert answer.status_code == 422
    assert "must be a whole number" in wrong_beside(answer, "parts")
    typed = [box.get("value") for box in page(answer).cssselect("[name=part_sku]")][:2]
    assert typed == ["A", "NONE"]
    answer = post(
        web,
        "/catalogue/new",
        kind="kit",
        sku="K",
        title="Kit",
        part_sku=["A", "K"],
        part_quantity=["2", "1"],
    )
    assert "part of itself" in wrong_beside(answer, "parts")
    assert web.get("/products/K").status_code == 404


def test_a_kits_page_names_parts_sums_and_the_scarcest(web, workplace, owner):
    add_pot(workplace, owner, "A", units=5)
    kit(workplace, owner, "K", ("A", 2), prices={"retail": 3000})
    paths = ("/products/K", "/products/K/parts", "/products/K/can-be-made")
    text = " ".join(shown(page(web.get(path))) for path in paths)
    for part in ("scarcest part A: 5 free, 2 in each", "€33.80", "11.2 % cheaper", "Used in"):
        assert (part in text) == (part != "Used in")
    assert "Used in" in shown(page(web.get("/products/A/related")))


def test_a_variant_shows_what_its_family_lends(web, workplace, owner, family):
    change_facts(workplace, owner, [("A", {"brand": None})])
    text = page(web.get("/products/A")).text_content()
    assert "from the family: Quillmoss" in text
    assert "of Pots" in text


def test_more_addresses_than_are_fetched_at_once_are_refused_whole(web, workplace, owner):
    add_pot(workplace, owner, "A", units=0)
    many = " ".join(f"http://127.0.0.1:9/{n}.png" for n in range(31))
    answer = post(web, "/products/A/pictures", address=many)
    assert answer.status_code == 422
    assert "At most 30 pictures are fetched at once; these are 31" in answer.text
    with workplace.database.reading() as session:
        assert session.scalars(select(BulkJob)).all() == []


def test_a_products_page_asks_at_most_twelve_queries(web, workplace, owner, family, count_queries):
    kit(workplace, owner, "K", ("A", 2), prices={"retail": 3000})
    add_pot(workplace, owner, "ALONE", units=5)
    for sku in ("A", "ALONE", "K"):
        web.get(f"/products/{sku}")
        with count_queries(workplace.database) as seen:
            assert web.get(f"/products/{sku}").status_code == 200
        assert len([one for one in seen if one.startswith("SELECT")]) <= 12
    related = web.get("/products/A/related").text
    assert "Used in" in related
    parts = html.fromstring(web.get("/products/K/parts").text)
    assert [cell.text_content().strip() for cell in parts.cssselect("td.sku")] == ["A"]
    made = html.fromstring(web.get("/products/K/can-be-made").text)
    assert made.cssselect("h2")[0].text == "Can be made"
    assert "The family" in related


def test_pictures_are_added_ordered_made_first_and_taken_off(web, workplace, pots):
    here = "/products/PT-INK/pictures"
    files = [("picture", (f"{colour}.png", png(colour))) for colour in ("red", "blue")]
    assert "2 added to PT-INK" in words(web.post(here, data={"csrf": web.csrf}, files=files))

    def shown():
        return [
            box.get("value")
            for box in page(web.get("/products/PT-INK")).cssselect("input[name=sha]")
        ]

    first, second, third = shown()
    assert "in order" in words(
        post(web, f"{here}/arrange", sha=[third, first, second], role=["", "", "description"])
    )
    assert shown() == [third, first, second]
    assert "Main picture changed" in words(post(web, f"{here}/{first}/first"))
    assert shown()[0] == first
    assert "taken off" in words(post(web, f"{here}/{first}/remove"))
    assert first not in shown()
    assert post(web, f"{here}/{'0' * 64}/first").status_code == 404
    assert post(web, f"{here}/{'0' * 64}/remove").status_code == 404


def test_a_thumbnail_is_named_by_its_content_and_nothing_else_is_given_out(web, workplace, pots):
    sha = page(web.get("/products/PT-INK")).cssselect("input[name=sha]")[0].get("value")
    answer = web.get(f"/products/PT-INK/pictures/{sha}/96")
    sizes = [
        side
        for side in (48, 96, 160, 240, 320, 480, 640)
        if web.get(f"/products/PT-INK/pictures/{sha}/{side}").status_code == 200
    ]
    assert sizes, answer.text
    found = web.get(f"/products/PT-INK/pictures/{sha}/{sizes[0]}")
    assert "immutable" in found.headers["cache-control"]
    for wrong in (
        f"{sha}/7",
        f"{'0' * 64}/{sizes[0]}",
        f"{'.' * 64}/{sizes[0]}",
        f"short/{sizes[0]}",
    ):
        assert web.get(f"/products/PT-INK/pictures/{wrong}").status_code == 404


@pytest.mark.parametrize(
    ("typed", "words_beside"),
    [
        ({}, "No picture was chosen"),
        ({"address": "ftp://example.com/a.png"}, "http"),
        ({"address": "nonsense"}, ""),
    ],
)
def test_a_picture_that_is_none_is_refused_beside_the_field(web, pots, typed, words_beside):
    answer = post(web, "/products/PT-INK/pictures", **typed)
    assert answer.status_code == 422
    assert words_beside in wrong_beside(answer, "picture")


def test_an_alias_says_something_of_its_own(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", aliases=("OLD-14",))
    here = "/products/PT-14/alias"
    assert "OLD-14 is saved" in words(
        post(web, here, alias="OLD-14", alias_title="Old pot", alias_price_retail="12,50")
    )
    said = facts(workplace, "PT-14")["alias OLD-14"]
    assert (said["title"], said["prices"]) == ("Old pot", {"retail": 1250})
    refused = post(web, here, alias="OLD-14", alias_title="Old pot", alias_price_retail="much")
    assert refused.status_code == 422
    assert facts(workplace, "PT-14")["alias OLD-14"] == said
    post(web, here, alias="OLD-14", alias_title="", alias_price_retail="")
    assert "alias OLD-14" not in facts(workplace, "PT-14"), (
        "an alias that says nothing shows what the product says"
    )


def test_a_product_is_looked_at_as_it_was(web, workplace, owner, clock):
    add_pot(workplace, owner, "PT-14", title="First")
    clock.move(hours=2)
    post(web, "/catalogue/change", pick="PT-14", fact="title", deed="set", value="Second", by="")
    assert web.get("/products/PT-14/at?at=yesterday").status_code == 422
    assert "First" in words(web.get("/products/PT-14/at?at=2026-11-02T10:30"))


def kept_in(field):
    """Returns what a field of a form holds after a refusal."""
    if field.tag == "select":
        chosen = [
            option for option in field.cssselect("option") if option.get("selected") is not None
        ]
        return (chosen or field.cssselect("option"))[0].get("value")
    return field.text if field.tag == "textarea" else field.get("value")


@pytest.mark.parametrize(
    ("change", "field", "part"),
    [
        ({"sku": ""}, "sku", "must not be empty"),
        ({"sku": "x" * 65}, "sku", "at most 64"),
        ({"title": ""}, "title", "must not be empty"),
        ({"title": "x" * 300}, "title", "at most 200"),
        ({"gtin": "4006381333932"}, "gtin", "The check digit would be 1"),
        ({"weight_g": "-4"}, "weight_g", "it got -4"),
        ({"weight_g": "heavy"}, "weight_g", "must be a whole number"),
        ({"cost": "-1"}, "cost", "must be an amount"),
        ({"cost": "1.234"}, None, None),
        ({"price_retail": "free"}, "price_retail", "must be an amount"),
        ({"length_mm": "5"}, "size", "all three sides"),
        ({"aliases": "A, a"}, "aliases", "is there twice"),
        ({"kind": "rocket"}, "kind", "There is no kind"),
    ],
)
def test_a_form_with_a_fault_is_refused_beside_the_field_and_keeps_what_was_typed(
    web, change, field, part
):
    typed = {
        "sku": "NEW-1",
        "title": "A <b>pot</b> & more",
        "description": "<script>alert(1)</script>",
        **change,
    }
    answer = post(web, "/catalogue/new", **typed)
    if field is None:  # "1.234" is one thousand two hundred and thirty-four
        assert answer.status_code == 200
        return
    assert answer.status_code == 422
    assert part in wrong_beside(answer, field)
    page = html.fromstring(answer.text)
    for name, value in typed.items():
        places = page.cssselect(f"[name={name}]")
        if places[0].get("type") == "hidden":
            continue  # chosen by a link, never typed
        assert kept_in(places[0]) == value, name
    assert "<script>alert" not in answer.text
    assert "NEW-1" not in web.get("/catalogue").text


def test_a_product_is_made_with_its_picture_and_shown_escaped(web):
    fields = {"csrf": web.csrf, "sku": "NEW-1", "title": "<script>alert(1)</script>"}
    answer = web.post(
        "/catalogue/new", data=fields, files={"picture": ("pot.png", png(), "image/png")}
    )
    assert answer.status_code == 200
    page = html.fromstring(answer.text)
    assert page.cssselect("h1")[0].text_content() == "<script>alert(1)</script>"
    picture = page.cssselect(".pictures img")[0].get("src")
    assert web.get(picture).headers["content-type"] == "image/webp"
    assert "NEW-1 is in the catalogue." in page.cssselect(".toast-note")[0].text_content()


@pytest.mark.parametrize("content", [b"text called .png", png() + b"\0" * 29_000_000])
def test_a_picture_that_is_none_is_refused_beside_its_field(web, content):
    post(web, "/catalogue/new", sku="NEW-1", title="Pot")
    files = {"picture": ("pot.png", content, "image/png")}
    answer = web.post("/products/NEW-1/pictures", data={"csrf": web.csrf}, files=files)
    assert answer.status_code == 422
    assert "“Picture” must" in wrong_beside(answer, "picture")


def is_there(workplace, sku="PT-14"):
    with workplace.database.reading() as session:
        return bool(named_products(session, [sku]))


def test_both_are_saved(workplace, owner):
    create_with_stock(workplace, owner, pot(), FirstStock(12, "millrace", "A-02"))
    assert availability(workplace, "PT-14").free == 12
    assert_sound(workplace)


@pytest.mark.parametrize(
    "stock",
    [FirstStock(12, "nowhere"), FirstStock(12, "millrace", "Z-99"), FirstStock(-1, "millrace")],
)
def test_neither_is_saved_when_the_stock_is_refused(workplace, owner, stock):
    with pytest.raises(Refused):
        create_with_stock(workplace, owner, pot(), stock)
    assert not is_there(workplace)


def test_a_role_that_may_not_move_stock_creates_the_product_alone(workplace):
    lister = Actor(3, "Lister", Role.CATALOGUE, "hand")
    with pytest.raises(NotAllowed):
        create_with_stock(workplace, lister, pot(), FirstStock(1, "millrace"))
    create_with_stock(workplace, lister, pot(), None)
    assert is_there(workplace)


FORM = {
    "kind": "single",
    "title": "A pot",
    "sku": "PT-14",
    "tax_code": "standard",
    "description": "",
}


def test_the_form_takes_units_warehouse_and_bin(workplace, web):
    assert (
        "PT-14 is in the catalogue"
        in post(web, "/catalogue/new", **FORM, units="7", warehouse="yard", bin="Y-02").text
    )
    assert availability(workplace, "PT-14").free == 7
    again = {**FORM, "sku": "PT-18"}
    refused = post(web, "/catalogue/new", **again, units="seven", warehouse="yard")
    assert refused.status_code == 422
    assert "must be a whole number" in wrong_beside(refused, "units")
    assert not is_there(workplace, "PT-18")
    assert post(web, "/catalogue/new", **again, units="", warehouse="yard").status_code == 200
    assert availability(workplace, "PT-18").free == 0
