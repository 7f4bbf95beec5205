"""Tests how accounts at carriers are used, and what customs are told."""

import pytest

from relvan.core.shipping.accounts import (
    AccountUse,
    AfterLabel,
    LabelReference,
    check_account_use,
    reference_of,
)
from relvan.core.shipping.customs import CustomsLine, check_customs, needs_customs


def test_what_is_not_said_of_an_account_is_as_usual():
    use = AccountUse.read({"after_label": "dispatch", "collects": ["yard"]})
    assert use == AccountUse(after_label=AfterLabel.DISPATCH, collects=("yard",))
    assert AccountUse.read(use.as_dict()) == use
    assert (use.collects_from("yard"), use.collects_from("millrace")) == (True, False)
    assert AccountUse().collects_from("anywhere")


@pytest.mark.parametrize(
    ("told", "fields"),
    [
        ({}, []),
        ({"label_format": "zpl"}, ["label_format"]),
        ({"label_size": "A0", "reference": "moon"}, ["label_size", "reference"]),
        ({"after_label": ""}, ["after_label"]),
        ({"collects": ["millrace", "moon"]}, ["collects"]),
    ],
)
def test_what_cannot_be_is_refused_by_its_field(told, fields):
    assert [one.field for one in check_account_use(told, {"millrace"})] == fields


@pytest.mark.parametrize(
    ("reference", "numbers", "written"),
    [
        (LabelReference.BOTH, ("O-7", "S-9", "H-1", "PO 3"), "O-7 / S-9"),
        (LabelReference.ORDER, ("O-7", "S-9", "H-1", "PO 3"), "O-7"),
        (LabelReference.CHANNEL, ("O-7", "S-9", "H-1", "PO 3"), "H-1"),
        (LabelReference.CHANNEL, ("O-7", "S-9", "", "PO 3"), "O-7"),
        (LabelReference.CUSTOMER, ("O-7", "S-9", "H-1", "PO 3"), "PO 3"),
        (LabelReference.CUSTOMER, ("O-7", "S-9", "H-1", ""), "O-7"),
    ],
)
def test_the_reference_that_was_chosen_stands_on_labels(reference, numbers, written):
    assert reference_of(AccountUse(reference=reference), *numbers) == written


@pytest.mark.parametrize(
    ("origin", "destination", "needed"),
    [
        ("IE", "IE", False),
        ("IE", "DE", False),
        ("IE", "CH", True),
        ("CH", "IE", True),
        ("CH", "NO", True),
        ("CH", "CH", False),
        ("", "CH", False),
        ("IE", "", False),
    ],
)
def test_customs_are_told_where_a_border_is_crossed(origin, destination, needed):
    assert needs_customs(origin, destination) is needed


def test_goods_without_tariff_number_or_origin_are_named():
    whole = CustomsLine("A", "Pot", "691200", "IE", 1, 100, "EUR", 500)
    bare = CustomsLine("B", "Pot", "", "", 1, 100, "EUR", 500)
    assert check_customs([whole]) == []
    (refusal,) = check_customs([whole, bare])
    assert refusal.message.startswith("B has no tariff number and no country of origin")
