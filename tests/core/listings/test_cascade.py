"""Tests from which source each value of a listing comes."""

from dataclasses import replace

from relvan.core.listings.cascade import FieldValue, ListedProduct, Source, Voice, resolve_fields
from tests.steps.listing_rules import BOOK

POT = ListedProduct(
    "PT", "Aubrey pot", category="pots", attributes={"Material": "stoneware"}, picture_sides=(800,)
)


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
