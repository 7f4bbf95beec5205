"""What a listing says, what keeps it from going live, and where it stands."""

from dataclasses import replace

import pytest

from relvan.core.listings.cascade import FieldValue, ListedProduct, Source, Voice, resolve_fields
from relvan.core.listings.gaps import Shelf, find_gaps
from relvan.core.listings.state import ListingFacts, ListingState, listing_state, topics_behind
from tests.steps.listing_rules import BOOK

POT = ListedProduct(
    "PT", "Aubrey pot", category="pots", attributes={"Material": "stoneware"}, picture_sides=(800,)
)


def gaps_of(product=POT, own=None, *, price=1690, quantity=5, live=False):
    fields = resolve_fields(Voice(BOOK), own or {}, product)
    return find_gaps(BOOK, fields, product, Shelf(price=price, quantity=quantity, live=live))


def test_each_value_comes_from_the_nearest_source():
    fields = resolve_fields(Voice(BOOK), {"heading": "Our own"}, POT)
    assert fields["heading"] == FieldValue("Our own", Source.LISTING)
    assert fields["shelf"] == FieldValue("c-pots", Source.PRODUCT)
    assert fields["material"] == FieldValue("stoneware", Source.PRODUCT)
    assert fields["days"] == FieldValue("2", Source.RULEBOOK)
    assert fields["barcode"] == FieldValue("", Source.NONE)


def test_a_category_of_the_same_name_is_found_without_regard_to_case_and_another_is_not():
    assert resolve_fields(Voice(BOOK), {}, POT)["shelf"].value == "c-pots"
    assert resolve_fields(Voice(BOOK), {}, replace(POT, category="Vases"))["shelf"] == FieldValue(
        "", Source.NONE
    )


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
    assert found.met == found.demands - 1 or field in ("condition", "barcode")


def test_a_field_that_a_category_asks_for_is_no_gap_in_another():
    tool = replace(POT, category="Tools", attributes={})
    assert gaps_of(tool).gaps == ()


def test_pictures_beyond_the_most_that_are_sent_do_not_matter():
    assert gaps_of(replace(POT, picture_sides=(800, 800, 800, 10))).gaps == ()


def test_a_listing_that_is_live_may_stand_at_nothing_left():
    assert gaps_of(quantity=0, live=True).gaps == ()


HELD = {"content": "a", "pictures": "p", "price": "100", "quantity": "5"}


def facts(**changes):
    start = {
        "gaps": 0,
        "wish": "none",
        "placed": False,
        "shown": False,
        "refusal": "",
        "held": HELD,
        "sent": {},
    }
    return ListingFacts(**{**start, **changes})


@pytest.mark.parametrize(
    ("changes", "state"),
    [
        ({"gaps": 2}, ListingState.DRAFT),
        ({}, ListingState.READY),
        ({"wish": "live"}, ListingState.SENDING),
        ({"wish": "live", "refusal": "no"}, ListingState.REFUSED),
        ({"refusal": "no"}, ListingState.REFUSED),
        ({"placed": True, "shown": True, "wish": "live", "sent": HELD}, ListingState.LIVE),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": {**HELD, "price": "90"}},
            ListingState.BEHIND,
        ),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": HELD, "gaps": 1},
            ListingState.LIVE,
        ),
        ({"placed": True, "shown": True, "wish": "down", "sent": HELD}, ListingState.SENDING),
        ({"placed": True, "shown": False, "wish": "down", "sent": HELD}, ListingState.DOWN),
        ({"placed": True, "shown": False, "wish": "live", "sent": HELD}, ListingState.SENDING),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": HELD, "refusal": "no"},
            ListingState.REFUSED,
        ),
    ],
)
def test_the_state_follows_from_the_facts_and_says_why(changes, state):
    found, why = listing_state(facts(**changes))
    assert found == state
    assert why.steps


def test_only_the_topics_that_differ_are_behind():
    sent = {**HELD, "price": "90", "quantity": "4"}
    assert topics_behind(facts(placed=True, sent=sent)) == ("price", "quantity")
    assert topics_behind(facts(placed=False, sent={})) == ()
