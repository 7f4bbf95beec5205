"""Tests what may be said of a product."""

from dataclasses import replace

import pytest

from relvan.core.catalogue.checks import check_product
from relvan.core.catalogue.product import ProductDraft, ProductKind, Size

GOOD = ProductDraft(
    sku="PT-14", title="Pot", weight_g=720, size=Size(1, 2, 3), cost=520, prices={"retail": 1690}
)


def test_a_whole_product_is_accepted():
    assert check_product(GOOD) == []


def test_the_least_that_makes_a_product_is_a_sku_and_a_title():
    assert check_product(ProductDraft(sku="A", title="B")) == []


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"sku": ""}, "sku"),
        ({"title": "  "}, "title"),
        ({"title": "x" * 201}, "title"),
        ({"title": "a\x00b"}, "title"),
        ({"kind": ProductKind.FAMILY}, "axes"),
        ({"brand": "x" * 121}, "brand"),
        ({"category": "x" * 241}, "category"),
        ({"description": "x" * 20_001}, "description"),
        ({"gtin": "4006381333932"}, "gtin"),
        ({"weight_g": 0}, "weight_g"),
        ({"weight_g": -5}, "weight_g"),
        ({"weight_g": 2_000_001}, "weight_g"),
        ({"size": Size(1, 0, 1)}, "size"),
        ({"size": Size(1, 20_001, 1)}, "size"),
        ({"cost": -1}, "cost"),
        ({"floor": -1}, "floor"),
        ({"prices": {"retail": 0}}, "price"),
        ({"prices": {"retail": -100}}, "price"),
        ({"tax_code": "luxury"}, "tax_code"),
        ({"attributes": {"": "x"}}, "attributes"),
        ({"attributes": {"a": "x" * 401}}, "attributes"),
        ({"attributes": {str(n): "x" for n in range(61)}}, "attributes"),
        ({"aliases": ("PT-14",)}, "aliases"),
        ({"aliases": ("pt-14",)}, "aliases"),
        ({"aliases": ("A", "a")}, "aliases"),
        ({"aliases": (" A",)}, "aliases"),
        ({"aliases": tuple(f"A{n}" for n in range(51))}, "aliases"),
    ],
)
def test_each_fault_is_refused_beside_its_field(change, field):
    refusals = check_product(replace(GOOD, **change))
    assert {refusal.field for refusal in refusals} == {field}
    assert all("“" in refusal.message and refusal.code for refusal in refusals)


def test_all_faults_are_told_together():
    wrong = replace(GOOD, sku="", title="", weight_g=-1, gtin="1")
    assert {refusal.field for refusal in check_product(wrong)} == {
        "sku",
        "title",
        "weight_g",
        "gtin",
    }


def test_a_script_tag_is_text_like_any_other():
    assert check_product(replace(GOOD, title="<script>alert(1)</script>")) == []
