"""Tests files of families as people have them: a column for each trait; one file for products with
their families."""

import pytest

from tests.house import add_pot, assert_sound
from tests.steps.imports import carry, facts, rehearse, verdicts


def test_a_column_that_names_no_field_is_a_trait(workplace, owner):
    text = (
        "Family,SKU,Title,Glaze,Diameter\n"
        'PT,PT-14-INK,"Aubrey pot, ink",Ink,14 cm\nPT,PT-14-OAT,"Aubrey pot, oat",Oat,14 cm\n'
        "CUP,CUP-S,Cup small,,8 cm\nCUP,CUP-L,Cup large,,10 cm\n"
    )
    job, found = rehearse(workplace, owner, "families", text)
    assert verdicts(found) == ["new"] * 4
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 4
    assert facts(workplace, "PT")["axes"] == [["Glaze", ["Ink", "Oat"]], ["Diameter", ["14 cm"]]]
    assert facts(workplace, "CUP")["axes"] == [["Diameter", ["8 cm", "10 cm"]]]
    assert facts(workplace, "PT-14-OAT")["trait Glaze"] == "Oat"
    assert_sound(workplace)


def test_five_hundred_products_with_their_families_need_one_file(workplace, owner):
    lines = ["SKU,Title,Weight (g),Price,Family,Glaze,Diameter"]
    lines += [f"S-{n},Single {n},{100 + n},9.90,,," for n in range(20)]
    lines += [
        f'F{family}-{number},"Pot {family}, glaze {number % 8}, size {number // 8}",700,16.90,F{family},'
        f"Glaze {number % 8},{number // 8} cm"
        for family in range(30)
        for number in range(16)
    ]
    job, found = rehearse(workplace, owner, "products", "\n".join([lines[0], *lines[:0:-1]]) + "\n")
    assert verdicts(found) == ["new"] * 500
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 500
    assert facts(workplace, "F7")["title"] == "Pot 7"
    assert (facts(workplace, "F7")["kind"], facts(workplace, "F7-3")["family"]) == ("family", "F7")
    assert [len(values) for _, values in facts(workplace, "F7")["axes"]] == [8, 2]
    assert_sound(workplace)
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back"] * 500
    assert facts(workplace, "F7")["archived"] is True


def test_a_family_that_is_there_gets_the_values_that_the_file_adds(workplace, owner):
    first = "SKU,Title,Family,Glaze\nPT-I,Pot ink,PT,Ink\nPT-O,Pot oat,PT,Oat\n"
    carry(workplace, owner, rehearse(workplace, owner, "products", first)[0])
    more = "SKU,Title,Family,Glaze\nPT-R,Pot rust,PT,Rust\nPT-I,Pot ink,PT,Ink\n"
    job, found = rehearse(workplace, owner, "products", more)
    assert verdicts(found) == ["new", "same"]
    carry(workplace, owner, job)
    assert facts(workplace, "PT")["axes"] == [["Glaze", ["Ink", "Oat", "Rust"]]]
    assert_sound(workplace)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("Family,SKU,Title\nPT,PT-1,One\nPT,PT-2,Two\n", "The family “PT” has no traits yet."),
        (
            "Family,SKU,A,B,C,D\nPT,PT-1,1,2,3,4\nPT,PT-2,2,3,4,5\n",
            "Its family “PT” is refused: “Traits” must be 1 to 3",
        ),
        ("Family,SKU,Glaze\nPT,PT-1,Ink\nPT,PT-2,ink\n", "“PT-2” and “PT-1” are both Glaze ink."),
        ("Family,SKU,Glaze\nPT,PT-1,Ink\nPT,PT-2,\n", "“PT-2” has no value for “Glaze”."),
    ],
)
def test_a_refusal_says_what_is_wrong_and_names_only_rows_that_there_are(
    workplace, owner, text, reason
):
    _, found = rehearse(workplace, owner, "families", text)
    assert verdicts(found) == ["refused", "refused"]
    reasons = [row[3] for row in found]
    assert any(reason in one for one in reasons), reasons
    assert not [one for one in reasons if "are both ." in one or "which it names" in one]


def test_a_product_is_no_family_because_others_name_it_so(workplace, owner):
    add_pot(workplace, owner, "SINGLE")
    text = "SKU,Title,Family,Glaze\nPT-1,One,SINGLE,Ink\nPT-2,Two,SINGLE,Oat\nPT-3,Three,,\n"
    _, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found) == ["refused", "refused", "new"]
    assert "“SINGLE” must be a family; it is a single." in found[0][3]
    assert facts(workplace, "SINGLE")["kind"] == "single"


def test_a_column_of_notes_on_products_of_all_kinds_is_no_trait(workplace, owner):
    text = "SKU,Title,Family,Glaze,Remarks\nPT-1,One,PT,Ink,ask Ada\nPT-2,Two,PT,Oat,\nS-1,Single,,,sold out soon\n"
    job, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found) == ["new"] * 3
    carry(workplace, owner, job)
    assert [name for name, _ in facts(workplace, "PT")["axes"]] == ["Glaze"]
