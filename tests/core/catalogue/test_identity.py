"""Tests SKUs and GTINs: what is accepted, what is refused, what counts as the same."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.identity import (
    check_gtin,
    check_sku,
    gtin_check_digit,
    gtin_key,
    is_code_of,
    sku_key,
)


@pytest.mark.parametrize("sku", ["A", "PT-14-CEL", "Ünïcode 7", "x" * 64, "a/b c"])
def test_a_sku_of_printable_characters_is_accepted(sku):
    assert check_sku(sku) == []


@pytest.mark.parametrize(
    ("sku", "part"),
    [
        ("", "empty"),
        (" A", "space"),
        ("A ", "space"),
        ("x" * 65, "64"),
        ("A\tB", "printable"),
        ("A\nB", "printable"),
    ],
)
def test_a_sku_of_another_form_is_refused_with_the_reason(sku, part):
    (refusal,) = check_sku(sku)
    assert refusal.code == "sku"
    assert part in refusal.message


@pytest.mark.parametrize("gtin", ["4006381333931", "036000291452", "96385074", "10614141000415"])
def test_a_gtin_with_its_check_digit_is_accepted(gtin):
    assert check_gtin(gtin) == []


@pytest.mark.parametrize(
    "gtin", ["", "123", "40063813339310000", "4006381E33931", "４００６３８１３３３９３１"]
)
def test_what_is_not_8_12_13_or_14_digits_is_no_gtin(gtin):
    assert [refusal.code for refusal in check_gtin(gtin)] == ["gtin"]


def test_a_wrong_check_digit_names_the_right_one():
    (refusal,) = check_gtin("4006381333932")
    assert refusal.code == "gtin-check-digit"
    assert refusal.fix == "The check digit would be 1: 4006381333931."


@given(
    st.sampled_from([7, 11, 12, 13]).flatmap(
        lambda n: st.text("0123456789", min_size=n, max_size=n)
    )
)
def test_every_number_has_exactly_one_check_digit(digits):
    accepted = [last for last in "0123456789" if not check_gtin(digits + last)]
    assert accepted == [gtin_check_digit(digits)]


@given(st.text("0123456789", min_size=11, max_size=11), st.integers(0, 10), st.integers(1, 9))
def test_one_wrong_digit_is_always_noticed(digits, place, change):
    whole = digits + gtin_check_digit(digits)
    wrong = whole[:place] + str((int(whole[place]) + change) % 10) + whole[place + 1 :]
    assert check_gtin(wrong)


def test_case_and_padding_do_not_make_codes_different():
    assert sku_key("Pot-14") == sku_key("POT-14")
    assert gtin_key("036000291452") == gtin_key("0036000291452") == "00036000291452"


@pytest.mark.parametrize(
    ("code", "fits"),
    [
        ("pt-14", True),
        ("4006381333931", True),
        ("04006381333931", True),
        ("OLD-1", True),
        ("old-1", True),
        ("PT-1", False),
        ("4006381333932", False),
        ("", False),
        ("9" * 40, False),
    ],
)
def test_a_scanned_code_fits_sku_gtin_or_alias(code, fits):
    assert is_code_of(code, "PT-14", "4006381333931", ("OLD-1",)) is fits


def test_a_product_without_a_gtin_is_not_fitted_by_any_number():
    assert not is_code_of("4006381333931", "PT-14", None)
