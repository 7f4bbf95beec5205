"""Tests our words and a channel's words for traits, attributes and values."""

from relvan.core.listings.translating import (
    Translation,
    TranslationKind,
    Translations,
    translate_traits,
)
from tests.steps.listing_rules import BOOK


def test_an_entry_of_a_category_goes_before_one_of_all():
    value = TranslationKind.VALUE
    table = Translations.of(
        [
            Translation(value, "colour", "Ink", "blue"),
            Translation(value, "colour", "Ink", "deep blue", "c-pots"),
            Translation(TranslationKind.ATTRIBUTE, "material", "Stuff", "material"),
        ]
    )
    assert table.value("c-pots", "colour", "ink") == "deep blue"
    assert table.value("c-tools", "colour", "INK") == "blue"
    assert table.value("", "colour", "Oat") == ""
    assert table.origin("c-pots", BOOK.field("material")) == "attributes.Stuff"


def test_traits_of_a_channel_that_knows_any_are_told_as_they_are():
    (told,) = translate_traits(BOOK, "", {"Glaze": "Ink"}, Translations())
    assert (told.theirs, told.value, told.lacks) == ("Glaze", "Ink", "")
