"""Tests what is proposed of joined listings: SKUs, aliases, details, families, kits and stock."""

from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.identity import sku_key
from relvan.core.move_in.details import LONGEST, MOST, NEWEST, Sources, choose
from relvan.core.move_in.families import propose_families, tidy_value
from relvan.core.move_in.proposal import Wishes, propose_catalogue
from relvan.core.move_in.seen import SeenListing

GTIN = "4006381333931"
CHANNELS = ("hagglet", "loomstead", "corvello")


def seen(one, channel, title="Aubrey pot", sku="P1", **more):
    return SeenListing(one, channel, f"ref-{one}", sku, title, **{"price": 1_990, **more})


def at(year):
    return datetime(year, 5, 1, tzinfo=UTC)


def proposed(*listings, **wishes):
    found = propose_catalogue(listings, Wishes(channels=CHANNELS, **wishes))
    return {one.sku: one for one in found.products}


def test_the_commonest_sku_is_kept_and_the_others_become_aliases():
    one = proposed(
        seen(1, "hagglet", sku="H-1", gtin=GTIN),
        seen(2, "loomstead", sku="P1", gtin=GTIN),
        seen(3, "corvello", sku="p1", gtin=GTIN),
    )["P1"]
    assert (one.aliases, one.listings) == (("H-1",), (1, 2, 3))


def test_a_sku_that_two_goods_claim_goes_to_one_of_them():
    found = proposed(
        seen(1, "hagglet", "Aubrey pot, 14 cm", sku="A", gtin=GTIN),
        seen(2, "loomstead", "Denby jug, 2 l", sku="A", gtin="5901234123457"),
        seen(3, "corvello", "Denby jug, 2 l", sku="A", gtin="5901234123457"),
    )
    assert found["A"].listings == (2, 3)
    (other,) = [one for sku, one in found.items() if sku != "A"]
    assert (other.sku, other.aliases) == ("ref-1", ())


@pytest.mark.parametrize("sku", ["", " ", "x" * 80, "tab\there"])
def test_goods_without_a_usable_sku_get_one(sku):
    (one,) = proposed(seen(1, "hagglet", sku=sku)).values()
    assert one.sku == "ref-1"


@pytest.mark.parametrize(
    ("source", "title"),
    [(NEWEST, "New"), (LONGEST, "The longest of all"), ("hagglet", "Old"), (MOST, "New")],
)
def test_each_detail_comes_from_where_a_person_says(source, title):
    listings = [
        seen(1, "hagglet", "Old", changed_at=at(2020)),
        seen(2, "loomstead", "The longest of all", changed_at=at(2021)),
        seen(3, "corvello", "New", changed_at=at(2024)),
        seen(4, "ownshop", "New", changed_at=at(2019)),
    ]
    assert choose("title", listings, source) == title
    one = proposed(*listings, sources=Sources({"title": source}))["P1"]
    assert one.facts["title"] == title


def test_contradictions_stand_side_by_side_until_they_are_settled():
    listings = [
        seen(1, "hagglet", brand="Quillmoss", weight_g=600),
        seen(2, "loomstead", brand="quillmoss", weight_g=640),
    ]
    one = proposed(*listings)["P1"]
    assert set(one.conflicts) == {"weight_g"}  # capitals alone are no contradiction
    assert [(said.value, said.channels) for said in one.conflicts["weight_g"]] == [
        (600, ("hagglet",)),
        (640, ("loomstead",)),
    ]
    settled = proposed(*listings, sources=Sources({}, {1: {"weight_g": "hagglet"}}))["P1"]
    assert (dict(settled.conflicts), settled.facts["weight_g"]) == ({}, 600)


def test_stock_is_that_of_the_trusted_channel_or_else_the_lowest():
    listings = [seen(1, "hagglet", quantity=9), seen(2, "loomstead", quantity=4)]
    assert proposed(*listings, stock_from="hagglet")["P1"].stock == (9, "hagglet")
    assert proposed(*listings, stock_from="corvello")["P1"].stock == (4, "loomstead")


def test_what_the_catalogue_has_is_linked_and_what_is_left_out_is_not_made():
    one = proposed(seen(1, "hagglet", sku="H-1"), existing={1: "OLD-1"}, taken={"old-1"})
    assert (one["OLD-1"].existing, one["OLD-1"].aliases) == ("OLD-1", ("H-1",))
    assert proposed(seen(1, "hagglet"), left_out=frozenset({1}))["P1"].left_out


def family(first, channel, names, *values):
    head = SeenListing(
        first,
        channel,
        f"page-{first}",
        f"F-{channel}",
        "Aubrey pot",
        traits=dict.fromkeys(names, ""),
    )
    members = [
        SeenListing(
            first + at,
            channel,
            f"ref-{first + at}",
            "-".join(told),
            f"Aubrey pot, {', '.join(told)}",
            1_000,
            head=f"page-{first}",
            traits=dict(zip(names, told, strict=True)),
        )
        for at, told in enumerate(values, 1)
    ]
    return [head, *members]


def test_pages_of_a_family_are_one_family_though_traits_are_named_otherwise():
    hagglet = family(1, "hagglet", ("Glaze", "Size"), ("ink", "14cm"), ("oat", "14 cm"))
    loomstead = family(
        11, "loomstead", ("width", "finish"), ("14cm", "ink"), ("14 cm", "moss"), ("14 cm", "oat")
    )
    same = [[2, 12], [3, 14], [13]]
    (found,) = propose_families([*hagglet, *loomstead], same)
    assert [axis.name for axis in found.axes] == ["Width", "Finish"]
    assert dict(found.variants[0]) == {"Width": "14 cm", "Finish": "ink"}
    assert set(found.variants) == {0, 1, 2}
    assert propose_families([*hagglet, *loomstead], same, [found.name]) == []


def test_two_variants_with_the_same_values_are_not_both_in_the_family():
    page = family(1, "hagglet", ("Glaze",), ("ink",), ("Ink",))
    (found,) = propose_families(page, [[2], [3]])
    assert len(found.variants) == 1


def test_titles_that_differ_by_measures_suggest_a_family():
    titles = ["Denby jug, 1 l", "Denby jug, 2 l", "Calder vase, 2 l"]
    listings = [seen(n, "corvello", title, sku=f"S{n}") for n, title in enumerate(titles, 1)]
    (found,) = propose_families(listings, [[1], [2], [3]])
    assert (found.title, [axis.name for axis in found.axes]) == ("Denby jug", ["Volume"])
    assert set(found.variants) == {0, 1}
    kinds = {sku: one.kind for sku, one in proposed(*listings).items()}
    assert kinds["S1"] == kinds["S2"] == "variant"
    assert kinds["S3"] == "single"


def test_a_pack_is_only_asked_about_and_becomes_a_kit_when_somebody_says_so():
    listings = [
        seen(1, "hagglet", "Seed tin, pack of 6", sku="T6"),
        seen(2, "hagglet", "Seed tin", sku="T1"),
        seen(3, "hagglet", "Starter set", sku="S"),
    ]
    found = proposed(*listings)
    assert found["T6"].kind == "single"
    assert found["T6"].kit.parts == (("T1", 6),)
    assert found["S"].kit.parts == ()
    assert found["T1"].kit is None
    kit = proposed(*listings, kits=frozenset({1, 3}))
    assert (kit["T6"].kind, kit["T6"].facts["parts"]) == ("kit", [["T1", 6]])
    assert kit["S"].kind == "single"  # of which nobody knows the parts


@pytest.mark.parametrize(("typed", "shown"), [("14cm", "14 cm"), (" 2L ", "2 L"), ("M", "M")])
def test_trait_values_are_shown_tidily(typed, shown):
    assert tidy_value(typed) == shown


listings_of = st.lists(
    st.tuples(
        st.sampled_from(CHANNELS),
        st.sampled_from(["A", "a", "B", "C 1", "", "D"]),
        st.sampled_from(["", GTIN, "5901234123457"]),
        st.sampled_from(["Aubrey pot, 14 cm", "Pot Aubrey 14 cm", "Denby jug", "Jug, set of 2"]),
        st.integers(0, 9),
    ),
    max_size=12,
)


@given(listings_of)
def test_every_listing_is_in_one_product_and_no_code_is_used_twice(told):
    listings = [
        seen(n, channel, title, sku=sku, gtin=gtin, quantity=quantity)
        for n, (channel, sku, gtin, title, quantity) in enumerate(told, 1)
    ]
    found = propose_catalogue(listings, Wishes(channels=CHANNELS))
    placed = [one for product in found.products for one in product.listings]
    assert sorted(placed) == [one.id for one in listings]
    codes = [
        sku_key(code) for product in found.products for code in (product.sku, *product.aliases)
    ]
    assert len(codes) == len(set(codes))
    assert found == propose_catalogue(listings, Wishes(channels=CHANNELS))
