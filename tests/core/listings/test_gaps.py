"""Tests what keeps a listing from going live, with the place to mend it."""

from dataclasses import replace

import pytest

from relvan.core.listings.cascade import ListedProduct, Voice, resolve_fields
from relvan.core.listings.gaps import Shelf, find_gaps
from tests.steps.listing_rules import BOOK

POT = ListedProduct(
    "PT", "Aubrey pot", category="pots", attributes={"Material": "stoneware"}, picture_sides=(800,)
)


def gaps_of(product=POT, own=None, *, price=1690, quantity=5, live=False):
    fields = resolve_fields(Voice(BOOK), own or {}, product)
    return find_gaps(BOOK, fields, product, Shelf(price=price, quantity=quantity, live=live))


def test_a_complete_listing_has_no_gaps_and_meets_all_demands():
    found = gaps_of()
    assert found.gaps == ()
    assert found.met == found.demands


@pytest.mark.parametrize(
    ("case", "field", "kind", "mend"),
    [
        ({"product": replace(POT, title="")}, "heading", "missing", "product"),
        ({"product": replace(POT, title="ab")}, "heading", "too short", "product"),
        ({"product": replace(POT, title="x" * 21)}, "heading", "too long", "listing"),
        ({"product": replace(POT, category="")}, "shelf", "no category", "listing"),
        ({"own": {"shelf": "c-moon"}}, "shelf", "no category", "listing"),
        ({"product": replace(POT, attributes={})}, "material", "missing", "product"),
        ({"own": {"days": "soon"}}, "days", "wrong form", "listing"),
        ({"own": {"days": "31"}}, "days", "wrong form", "listing"),
        ({"own": {"days": "-1"}}, "days", "wrong form", "listing"),
        ({"own": {"condition": "broken"}}, "condition", "not allowed", "listing"),
        ({"own": {"barcode": "4006381333932"}}, "barcode", "bad identifier", "product"),
        ({"product": replace(POT, picture_sides=())}, "pictures", "too few pictures", "pictures"),
        (
            {"product": replace(POT, picture_sides=(800, 200))},
            "pictures",
            "small pictures",
            "pictures",
        ),
        ({"price": None}, "price", "no price", "price"),
        ({"price": 99}, "price", "low price", "price"),
        ({"quantity": 0}, "quantity", "no stock", "stock"),
    ],
)
def test_each_thing_that_is_wrong_is_one_gap_with_the_place_to_mend_it(case, field, kind, mend):
    found = gaps_of(**case)
    assert [(gap.field, gap.kind, gap.mend) for gap in found.gaps] == [(field, kind, mend)]
    assert found.met == found.demands - 1


def test_a_field_that_a_category_asks_for_is_no_gap_in_another():
    tool = replace(POT, category="Tools", attributes={})
    assert gaps_of(tool).gaps == ()


def test_pictures_beyond_the_most_that_are_sent_do_not_matter():
    assert gaps_of(replace(POT, picture_sides=(800, 800, 800, 10))).gaps == ()


def test_a_listing_that_is_live_may_stand_at_nothing_left():
    assert gaps_of(quantity=0, live=True).gaps == ()
