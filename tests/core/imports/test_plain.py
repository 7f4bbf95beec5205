"""Tests judging many rows of a file at once: whatever could be refused is left to be judged by
itself."""

import pytest

from relvan.core.catalogue.plain import Standing
from relvan.core.imports.blocks import Block
from relvan.core.imports.plain import RepeatedValues, judge_plain, keys_of, repeated
from relvan.core.imports.things import Options

NOTHING_TWICE = RepeatedValues((), ())


def block(*skus, refusals=None, **columns):
    named = {name.replace("__", " "): values for name, values in columns.items()}
    return Block(list(range(2, 2 + len(skus))), {"sku": list(skus), **named}, refusals or {})


def judge(rows, known=None, taken=(), twice=NOTHING_TWICE, **options):
    return judge_plain(rows, keys_of(rows), known or {}, taken, twice, Options(**options))


def told(judged):
    """Returns (position, SKU, verdict, change) of the rows that are beyond question, in the order
    of the file."""
    return sorted(
        (rows.positions[at], rows.subjects[at], verdict, rows.change(at))
        for verdict, rows in judged.clear.items()
        for at in range(len(rows))
    )


def test_new_products_are_told_with_all_their_facts_and_known_ones_with_what_differs():
    rows = block("NEW", "Old", title=["A pot", "Pot"], weight_g=[None, 720], fragile=[False, True])
    judged = judge(rows, {"old": Standing(7, True, "single", ("Pot", 700, None))})
    assert judged.others == []
    assert told(judged) == [
        (
            2,
            "NEW",
            "new",
            {"sku": (None, "NEW"), "kind": (None, "single"), "title": (None, "A pot")},
        ),
        (3, "Old", "changes", {"weight_g": (700, 720), "fragile": (None, True)}),
    ]


def test_a_product_without_a_title_is_called_by_its_sku():
    [(_, _, verdict, change)] = told(judge(block("NEW", title=[None])))
    assert verdict == "new"
    assert change["title"] == (None, "NEW")
    [(_, _, _, change)] = told(judge(block("NEW")))
    assert change["title"] == (None, "NEW"), "nor is a column needed for it"


@pytest.mark.parametrize(
    ("now", "said", "clear", "change"),
    [
        ("Pot", None, False, None),
        ("Pot", None, True, {"brand": ("Pot", None)}),
        (" Pot ", "Pot", False, None),
        (" Pot ", "pot", False, {"brand": (" Pot ", "pot")}),
        (None, "Pot", False, {"brand": (None, "Pot")}),
        (None, None, True, None),
    ],
)
def test_an_empty_cell_leaves_a_fact_unless_it_is_to_empty_it(now, said, clear, change):
    judged = judge(
        block("A", brand=[said]), {"a": Standing(1, True, "single", (now,))}, clear=clear
    )
    assert told(judged) == [(2, "A", "changes" if change else "same", change)]


@pytest.mark.parametrize(
    "stands",
    [
        Standing(1, False, "single", ("Pot",)),  # found by an alias, or in the archive
        Standing(1, True, "family", ("Pot",)),
        Standing(1, True, "kit", ("Pot",)),
        Standing(1, True, "service", ("Pot",)),
    ],
)
def test_what_is_no_ordinary_product_is_left_to_be_judged_by_itself(stands):
    assert judge(block("A", brand=["Pot"]), {"a": stands}).others == [0]


@pytest.mark.parametrize(
    ("rows", "more"),
    [
        (block(None, brand=["Pot"]), {}),
        (block("A", brand=["x" * 121]), {}),
        (block("A ", brand=["Pot"]), {}),
        (block("A", gtin=["4006381333932"]), {}),
        (block("A", gtin=["4006381333931"]), {"taken": {"04006381333931"}}),
        (block("A", gtin=["4006381333931"]), {"twice": RepeatedValues((), {"04006381333931"})}),
        (block("A", brand=["Pot"]), {"twice": RepeatedValues({"a"}, ())}),
        (block("A", brand=["Pot"]), {"create": False}),
        (block("A", brand=["Pot"], refusals={0: ["something"]}), {}),
        (block("A", length_mm=[1], width_mm=[None], height_mm=[1]), {}),
    ],
)
def test_whatever_could_be_refused_is_left_to_be_judged_by_itself(rows, more):
    judged = judge(rows, **more)
    assert (judged.clear, judged.others) == ({}, [0])


def test_a_changed_gtin_and_an_emptied_title_are_left_to_be_judged_by_themselves():
    rows = block("A", "B", gtin=["4006381333931", "036000291452"])
    stands = {
        "a": Standing(1, True, "single", ("036000291452",)),
        "b": Standing(2, True, "single", ("036000291452",)),
    }
    judged = judge(rows, stands)
    assert judged.others == [0]
    assert told(judged) == [(3, "B", "same", None)]
    emptied = judge(
        block("A", title=[None]), {"a": Standing(1, True, "single", ("Pot",))}, clear=True
    )
    assert emptied.others == [0]


def test_what_is_said_twice_is_found_across_blocks_by_case_by_alias_and_by_length():
    blocks = [
        block("A", "B", "OLD-3", gtin=["036000291452", None, None]),
        block("b", "PT-3", "C", gtin=["0036000291452", "4006381333931", None]),
    ]
    keyed = [(keys_of(rows), rows) for rows in blocks]
    found = repeated(keyed, {"old-3": "pt-3"})
    assert found.skus == {"b", "pt-3", "old-3"}
    assert found.gtins == {"00036000291452"}
    assert repeated(keyed, {}).skus == {"b"}
