"""Tests a product as flat facts: to and from a draft, the difference of two, what a family
lends."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.checks import check_product
from relvan.core.catalogue.facts import (
    difference,
    draft_from,
    earlier,
    facts_of,
    inherited,
    with_facts,
)
from relvan.core.catalogue.product import (
    AliasFacts,
    CasePack,
    Part,
    ProductDraft,
    ProductKind,
    Size,
    Trait,
)

words = st.text(alphabet="abcXYZ 09-", min_size=1, max_size=10).map(str.strip).filter(bool)


amounts = st.integers(1, 10**6)


sizes = st.none() | st.builds(Size, *([st.integers(1, 900)] * 3))


drafts = st.builds(
    ProductDraft,
    sku=words,
    title=words,
    kind=st.just(ProductKind.KIT),
    brand=st.just("") | words,
    attributes=st.dictionaries(words, words, max_size=3),
    weight_g=st.none() | st.integers(1, 999),
    size=sizes,
    cost=st.none() | st.integers(0, 999),
    prices=st.dictionaries(st.sampled_from(["retail", "trade"]), amounts),
    breaks=st.dictionaries(
        st.just("trade"), st.dictionaries(st.integers(2, 9), amounts, min_size=1)
    ),
    parts=st.lists(st.builds(Part, words, st.integers(1, 9)), max_size=3).map(tuple),
    parts_apart=st.booleans(),
    case_pack=st.none()
    | st.builds(CasePack, st.integers(1, 99), st.none() | st.integers(1, 999), sizes),
    fragile=st.booleans(),
    minimum_order=st.none() | st.integers(1, 99),
    hs_code=st.just("") | st.just("691200"),
)


@given(drafts)
def test_a_draft_and_its_facts_say_the_same(draft):
    assert draft_from(facts_of(draft)) == draft


@given(drafts, drafts)
def test_a_difference_leads_from_one_to_the_other_and_back(one, other):
    old, new = facts_of(one), facts_of(other)
    changes = difference(old, new)
    assert with_facts(old, {name: pair[1] for name, pair in changes.items()}) == new
    assert earlier(new, [changes]) == old
    assert difference(old, old) == {}


def test_aliases_with_facts_and_traits_survive_too():
    draft = ProductDraft(
        "A",
        "T",
        kind=ProductKind.FAMILY,
        axes=(Trait("Glaze", ("Ink",)),),
        aliases=("B", "C"),
        alias_facts={"B": AliasFacts("Own", "", {"retail": 5})},
    )
    assert draft_from(facts_of(draft)) == draft


@pytest.mark.parametrize(
    ("own", "family", "whole"),
    [
        ({}, {"brand": "Q", "title": "T", "cost": 5}, {"brand": "Q"}),
        ({"brand": "X"}, {"brand": "Q"}, {"brand": "X"}),
        ({"length_mm": 5}, {"length_mm": 9, "width_mm": 9}, {"length_mm": 5}),
        (
            {"attribute a": "1"},
            {"attribute a": "2", "attribute b": "3"},
            {"attribute a": "1", "attribute b": "3"},
        ),
        ({"price trade": 5}, {"price retail": 9}, {"price trade": 5, "price retail": 9}),
    ],
)
def test_what_a_family_lends(own, family, whole):
    assert inherited(own, family) == whole


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"kind": ProductKind.VARIANT}, "family"),
        ({"family": "F"}, "family"),
        ({"kind": ProductKind.VARIANT, "family": "pt"}, "family"),
        ({"parts": (Part("X", 1),)}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("X", 0),)}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("X", 1), Part("x", 2))}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("PT", 1),)}, "parts"),
        ({"kind": ProductKind.FAMILY, "axes": tuple(Trait(str(n)) for n in range(4))}, "axes"),
        ({"kind": ProductKind.FAMILY, "axes": (Trait("A"), Trait("a"))}, "axes"),
        ({"kind": ProductKind.FAMILY, "axes": (Trait("A"),), "gtin": "4006381333931"}, "gtin"),
        ({"origin": "nl"}, "origin"),
        ({"origin": "NLD"}, "origin"),
        ({"hs_code": "12"}, "hs_code"),
        ({"minimum_order": 0}, "minimum_order"),
        ({"case_pack": CasePack(0)}, "case_quantity"),
        ({"category": "A //B"}, None),
        ({"category": "A /  / B"}, "category"),
        ({"breaks": {"r": {1: 5}}}, "price"),
    ],
)
def test_what_does_not_belong_to_a_kind_is_refused_beside_its_field(change, field):
    values = {"sku": "PT", "title": "A pot", **change}
    assert {refusal.field for refusal in check_product(ProductDraft(**values))} == (
        {field} if field else set()
    )
