"""Tests which rows of a file are one thing."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.imports.things import Options, Row, gather, target

PRODUCTS = KINDS[FileKind.PRODUCTS]


def rows_of(*values):
    return [Row(n, held) for n, held in enumerate(values, 2)]


@given(st.permutations([("OUT", "IN", 1), ("IN", "A", 2), ("OUT", "A", 1), ("IN", "B", 1)]))
def test_rows_of_a_kit_are_gathered_in_any_order(parts):
    things = gather(
        KINDS[FileKind.KITS],
        rows_of(*({"kit": k, "part": p, "quantity": q} for k, p, q in parts)),
        Options(),
    )
    found = {thing.sku: sorted(thing.parts) for thing in things}
    assert found == {"OUT": [("A", 1), ("IN", 1)], "IN": [("A", 2), ("B", 1)]}


def test_parts_are_added_or_replace_those_there():
    (thing,) = gather(
        KINDS[FileKind.KITS], rows_of({"kit": "K", "part": "a", "quantity": 5}), Options()
    )
    now = {"sku": "K", "kind": "kit", "parts": [["A", 1], ["B", 2]]}
    assert target(thing, now, Options())["parts"] == [["A", 5], ["B", 2]]
    assert target(thing, now, Options(members="replace"))["parts"] == [["a", 5]]


def test_an_empty_cell_empties_only_when_that_was_chosen():
    row = Row(2, {"sku": "A"}, empty=frozenset({"brand"}))
    for clear, left in ((False, "Q"), (True, None)):
        (thing,) = gather(PRODUCTS, [row], Options(clear=clear))
        assert (
            target(thing, {"sku": "A", "kind": "single", "brand": "Q"}, Options(clear=clear)).get(
                "brand"
            )
            == left
        )
