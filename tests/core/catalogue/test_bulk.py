"""Tests what an operation of a change of many makes of a fact."""

import pytest

from relvan.core.catalogue.bulk import Operation, carry_out, check_operations
from relvan.core.catalogue.facts import is_empty
from relvan.core.refusal import Refused


@pytest.mark.parametrize(
    ("operation", "before", "after"),
    [
        (Operation("cost", "percent", "10"), 500, 550),
        (Operation("cost", "percent", "-12,5 %"), 1000, 875),
        (Operation("cost", "more", "-9.99"), 500, None),
        (Operation("cost", "more", "0.50"), 500, 550),
        (Operation("cost", "percent", "10"), None, None),
        (Operation("weight_g", "more", "5"), 100, 105),
        (Operation("brand", "set", "Q"), "X", "Q"),
        (Operation("brand", "empty"), "X", None),
        (Operation("title", "replace", "pot", "bowl"), "A pot", "A bowl"),
        (Operation("title", "before", "New:"), "pot", "New: pot"),
        (Operation("title", "after", "x"), "pot", "pot x"),
        (Operation("fragile", "set", "yes"), None, True),
        (Operation("price retail", "set", "12,50"), None, 1250),
    ],
)
def test_an_operation_makes_of_a_fact_what_it_says(operation, before, after):
    facts = {"kind": "single"} | ({operation.fact: before} if before is not None else {})
    found = carry_out([operation], facts, "EUR").get(operation.fact)
    assert (None if is_empty(found) or found == 0 else found) == after


@pytest.mark.parametrize(
    ("operation", "code"),
    [
        (Operation("colour", "set", "red"), "unknown"),
        (Operation("", "empty"), "unknown"),
        (Operation("sku", "set", "A"), "not-allowed"),
        (Operation("weight_g", "before", "1"), "not-allowed"),
        (Operation("brand", "set", " "), "missing"),
        (Operation("origin", "set", "o\u000fh"), "form"),
        (Operation("title", "after", "two\nlines"), "form"),
    ],
)
def test_an_operation_that_suits_no_detail_is_refused(operation, code):
    with pytest.raises(Refused) as refused:
        check_operations([operation])
    assert [refusal.code for refusal in refused.value.refusals] == [code]


def test_operations_that_suit_their_details_are_taken():
    check_operations(
        [
            Operation("attribute Colour", "set", "red"),
            Operation("price retail", "percent", "5"),
            Operation("description", "set", "two\nlines"),
        ]
    )
