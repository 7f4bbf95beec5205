"""Tests the pages of families: the grid of variants, linking, generating, splitting off."""

import pytest

from relvan.store.catalogue import find_product
from tests.house import add_pot, assert_sound
from tests.steps.imports import facts
from tests.visitor import page, post, shown, words, wrong_beside


def test_the_grid_of_a_family_shows_cells_and_refuses_doubles(web, workplace, owner, family):
    grid = page(web.get("/products/F")).cssselect(".family-grid td")
    assert len(grid) == 2
    answer = post(
        web,
        "/families/F/traits",
        variant=["A", "B"],
        trait=["Glaze", "Glaze"],
        value=["Rust", "rust"],
    )
    assert answer.status_code == 422
    assert "are both Glaze" in page(answer).text_content()
    assert [box.get("value") for box in page(answer).cssselect("#traits input.cell")] == [
        "Rust",
        "rust",
    ]
    answer = post(web, "/families/F/fill", trait="Glaze", value="Ink", new_sku="C", new_title="C")
    assert answer.status_code == 422
    answer = post(
        web, "/families/F/fill", trait="Glaze", value="Rust", new_sku="C", new_title="A third"
    )
    assert "C is the variant that was missing" in shown(page(answer))


def test_linking_keeps_the_table_when_it_is_refused(web, workplace, owner):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=0)
    answer = post(
        web,
        "/families/make",
        sku="F",
        title="F",
        trait=["Glaze", "", ""],
        member=["A", "B"],
        value_0=["Ink", "", ""],
        value_1=["ink", "", ""],
    )
    assert answer.status_code == 422
    assert "“A”" in page(answer).text_content()
    assert "“B”" in page(answer).text_content()
    assert page(answer).cssselect("[name=value_1]")[0].get("value") == "ink"
    assert web.get("/products/F").status_code == 404


def test_generated_variants_are_previewed_before_they_are_made(web):
    typed = {"axis_name": ["Glaze"], "axis_values": ["Ink, Oat"], "title_pattern": "Pot, {Glaze}"}
    assert "P-OAT" in post(web, "/families/preview", sku_pattern="P-{Glaze:3}", **typed).text
    assert "is no trait" in post(web, "/families/preview", sku_pattern="P-{Size}", **typed).text
    answer = post(web, "/families/new", sku="P", title="", sku_pattern="P-{Glaze:3}", **typed)
    assert answer.status_code == 422
    assert page(answer).cssselect("[name=axis_values]")[0].get("value") == "Ink, Oat"


def test_what_a_family_shares_is_kept_as_typed_when_it_is_refused(web, workplace, owner, family):
    fields = {
        "sku": "F",
        "title": "The family, renamed",
        "weight_g": "heavy",
        "brand": "Tarn",
        "attribute_name": ["material"],
        "attribute_value": ["stoneware, fired twice"],
    }
    answer = post(web, "/products/F", **fields)
    assert answer.status_code == 422
    assert "“Weight” must be a whole number" in wrong_beside(answer, "weight_g")
    typed = {
        one.get("name"): one.get("value")
        for one in page(answer).cssselect("form#product input, form input")
    }
    assert (typed["title"], typed["weight_g"], typed["brand"]) == (
        "The family, renamed",
        "heavy",
        "Tarn",
    )
    assert "stoneware, fired twice" in answer.text
    with workplace.database.reading() as session:
        assert find_product(session, "F").title != "The family, renamed"


def test_ticked_products_are_proposed_as_a_family(web, pots):
    answer = post(web, "/families/link", pick=["PT-INK", "PT-OAT"], more="PT-RUST")
    table = page(answer).cssselect("input[name=member]")
    assert [box.get("value") for box in table] == ["PT-INK", "PT-OAT", "PT-RUST"]
    assert page(answer).cssselect("input[name=sku]")[0].get("value") == "PT"
    refused = post(web, "/families/link", pick=["PT-INK"], more="NONE")
    assert refused.status_code == 422
    assert "NONE" in words(refused)


def test_a_trait_is_renamed_a_variant_split_off_and_the_family_dissolved(
    web, workplace, ink_and_oat
):
    assert "called Colour now" in words(
        post(web, "/families/PT/rename-trait", old="Glaze", new="Colour")
    )
    assert facts(workplace, "PT-INK")["trait Colour"] == "Ink"
    assert post(web, "/families/PT/rename-trait", old="Size", new="X").status_code == 404
    assert "1 split off" in words(post(web, "/families/PT/split-off", pick=["PT-OAT"]))
    assert facts(workplace, "PT-OAT")["kind"] == "single"
    assert "1 singles again" in words(post(web, "/families/PT/dissolve"))
    assert facts(workplace, "PT")["archived"] is True
    assert facts(workplace, "PT-INK")["attribute Colour"] == "Ink", "nothing that was said is lost"


@pytest.mark.parametrize(
    ("path", "typed"),
    [
        ("/families/PT-RUST/dissolve", {}),
        ("/families/PT-RUST/rename-trait", {"old": "Glaze", "new": "Colour"}),
        ("/families/PT/split-off", {"pick": "PT-RUST"}),
        ("/families/PT/split-off", {"pick": "PT"}),
        ("/families/PT/traits", {"variant": "PT-RUST", "trait": "Glaze", "value": "Rust"}),
    ],
)
def test_what_is_for_families_and_variants_is_refused_for_others(
    web, workplace, ink_and_oat, path, typed
):
    answer = post(web, path, **typed)
    assert answer.status_code == 422
    assert "must be a" in words(answer)
    assert facts(workplace, "PT-RUST")["kind"] == "single"
    assert "archived" not in facts(workplace, "PT-RUST")
    assert_sound(workplace)
