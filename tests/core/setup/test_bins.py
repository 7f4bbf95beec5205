"""Codes of bins from a pattern, and their order."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.refusal import Refused
from relvan.core.setup.bins import MOST_BINS, read_codes, walking_order, written_out


@pytest.mark.parametrize(
    ("pattern", "count", "first", "last"),
    [
        ("{aisle:A-L}-{bay:01-40}", 480, "A-01", "L-40"),
        ("Y{1-3}", 3, "Y1", "Y3"),
        ("{08-11}", 4, "08", "11"),
        ("{8-11}", 4, "8", "11"),
        ("{a-c}/{1-2}", 6, "A/1", "C/2"),
        ("FLOOR", 1, "FLOOR", "FLOOR"),
        ("{hall:1-2}{aisle:A-B}-{bay:1-3}-{level:1-2}", 24, "1A-1-1", "2B-3-2"),
    ],
)
def test_a_pattern_stands_for_its_codes(pattern, count, first, last):
    codes = written_out(pattern)
    assert (len(codes), codes[0], codes[-1]) == (count, first, last)


@pytest.mark.parametrize(
    "pattern",
    [
        "",
        "{A-5}",
        "{L-A}",
        "{40-01}",
        "{a-C}",
        "{1-9999}{1-9999}",
        "A B",
        "-{1-2}",
        "{x}",
        "{1-12}{1-12}",
    ],
)
def test_a_pattern_that_cannot_be_read_is_refused(pattern):
    with pytest.raises(Refused) as refused:
        written_out(pattern)
    assert refused.value.first.field == "pattern"


@given(st.integers(1, 26), st.integers(1, 99))
def test_every_letter_is_beside_every_number_once(letters, numbers):
    last = chr(ord("A") + letters - 1)
    codes = written_out(f"{{A-{last}}}-{{01-{numbers:02}}}")
    assert len(codes) == len(set(codes)) == letters * numbers <= MOST_BINS
    assert walking_order(codes) == codes


@given(st.lists(st.from_regex(r"[A-Z]{1,2}-?[0-9]{1,3}", fullmatch=True), unique=True))
def test_an_order_has_all_codes_whatever_it_began_with(codes):
    order = walking_order(codes)
    assert sorted(order) == sorted(codes)
    assert walking_order(list(reversed(codes))) == order


def test_a_typed_list_has_each_code_once():
    assert read_codes("a-1, A-1\n b-2;\n\n") == ["A-1", "B-2"]
    with pytest.raises(Refused):
        read_codes("A-1, what is this")
