"""Tests that the headings which people give the columns of a file of orders are understood."""

import pytest

from relvan.core.imports.kinds import KINDS, FileKind
from relvan.core.imports.mapping import guess_mapping

ORDERS = KINDS[FileKind.ORDERS]
HEADINGS = {
    "price": (
        "Unit price",
        "Preis brutto",
        "Bruttopreis",
        "Einzelpreis",
        "Price (incl. VAT)",
        "Price incl. VAT",
        "Prix TTC",
    ),
    "net_price": ("Net price", "Preis netto", "Price ex VAT", "Prix HT", "Einzelpreis netto"),
    "quantity": ("Qty", "Menge", "Anzahl", "Stück"),
    "reference": ("Order no.", "Bestellnummer", "InvoiceNo"),
    "placed": ("Order date", "Datum", "InvoiceDate"),
}


@pytest.mark.parametrize("name", HEADINGS)
def test_a_heading_names_its_column_in_several_languages(name):
    guessed = {heading: guess_mapping(ORDERS, [heading], [])[0].name for heading in HEADINGS[name]}
    assert guessed == dict.fromkeys(HEADINGS[name], name)


def test_no_heading_names_two_columns():
    seen = {}
    for column in ORDERS.columns:
        for heading in (column.heading, *column.also):
            assert seen.setdefault(heading.casefold(), column.name) == column.name, heading
