"""Tests pictures brought in by a file of addresses: looked at first, fetched one by one, taken
back."""

from relvan.services.catalogue.pictures import add_picture, picture_roles, remove_picture
from tests.house import add_pot, assert_sound, png
from tests.steps.imports import carry, rehearse, verdicts


def roles(workplace, sku="PT-14"):
    return [role for _, role in picture_roles(workplace, sku)]


def test_rows_are_judged_before_anything_is_fetched(workplace, owner, world):
    add_pot(workplace, owner, "PT-14", units=0)
    address = f"{world.url}/nothing.png"
    lines = [
        f"PT-14,{address},main",
        f"PT-14,{address},further",
        f"NONE,{address},",
        f"PT-14,{address}?b,poster",
        "PT-14,ftp://example.com/a.png,",
        "PT-14,,",
        "PT-14,picture:" + "0" * 64 + ",",
        ",x,",
    ]
    _, found = rehearse(
        workplace, owner, "pictures", "sku,address,role\n" + "\n".join(lines) + "\n"
    )
    assert verdicts(found) == ["changes", *["refused"] * 7]
    told = (
        "in row 2 already",
        "not in the catalogue",
        "“Role” must be one of",
        "http",
        "“Address” is empty",
        "There is no picture",
        "“SKU” is empty",
    )
    for row, words in zip(found[1:], told, strict=True):
        assert words in row[3], row


def test_what_cannot_be_fetched_is_refused_and_stops_no_other(workplace, owner, world):
    add_pot(workplace, owner, "PT-14", units=0)
    kept = add_picture(workplace, owner, "PT-14", png("red"))
    remove_picture(workplace, owner, "PT-14", kept)
    text = f"sku,address,role\nPT-14,{world.url}/nothing.png,\nPT-14,{world.url}/world,\nPT-14,picture:{kept},main\n"
    job, found = rehearse(workplace, owner, "pictures", text)
    assert verdicts(found) == ["changes"] * 3
    after = carry(workplace, owner, job)
    assert verdicts(after) == ["refused", "refused", "done"]
    assert "no picture" in after[0][3]
    assert picture_roles(workplace, "PT-14")[0] == (kept, "main")
    assert verdicts(carry(workplace, owner, job, "undo")) == ["refused", "refused", "taken back"]
    assert kept not in [sha for sha, _ in picture_roles(workplace, "PT-14")]
    assert_sound(workplace)


def test_a_picture_that_is_there_in_that_role_is_the_same(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    (sha, role), *_ = picture_roles(workplace, "PT-14")
    _, found = rehearse(
        workplace, owner, "pictures", f"sku,address,role\nPT-14,picture:{sha},{role}\n"
    )
    assert verdicts(found) == ["same"]


def test_taking_back_leaves_what_was_there_before_and_what_somebody_took_off(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    add_pot(workplace, owner, "PT-18", units=0)
    held = add_picture(workplace, owner, "PT-14", png("blue"))
    text = f"sku,address,role\nPT-14,picture:{held},main\nPT-18,picture:{held},further\n"
    job, found = rehearse(workplace, owner, "pictures", text)
    assert verdicts(found) == ["changes"] * 2
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 2
    remove_picture(workplace, owner, "PT-18", held)
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back"] * 2
    assert held in [sha for sha, _ in picture_roles(workplace, "PT-14")], (
        "it was its own before the file came"
    )
    assert held not in [sha for sha, _ in picture_roles(workplace, "PT-18")]
