"""Tests how typed forms are read: whole numbers, lines, and everything that cannot be read at
once."""

import pytest

from relvan.core.refusal import Refused
from relvan.web.reading import FormReader


@pytest.mark.parametrize(
    ("typed", "value"), [("", None), (" 12 ", 12), ("1,200", 1200), ("+3", 3), ("-3", -3)]
)
def test_whole_numbers_as_people_type_them(typed, value):
    read = FormReader({"n": typed})
    assert read.whole("n", "N") == value
    read.raise_if_refused()


@pytest.mark.parametrize("typed", ["1.5", "ten", "--1", "1e3", "９", "1234567890"])
def test_what_is_no_whole_number_is_refused_beside_its_field(typed):
    read = FormReader({"n": typed})
    read.whole("n", "N")
    with pytest.raises(Refused) as refused:
        read.raise_if_refused()
    assert refused.value.first.field == "n"


def test_everything_that_cannot_be_read_is_told_together():
    read = FormReader({"a": "x", "b": "", "c": "free"})
    read.whole("a", "A"), read.needed_whole("b", "B"), read.amount("c", "EUR")
    with pytest.raises(Refused) as refused:
        read.raise_if_refused()
    assert [refusal.field for refusal in refused.value.refusals] == ["a", "b", "c"]


def test_line_ends_are_one_character():
    assert FormReader({"t": " a\r\nb\r\n"}).lines("t") == "a\nb"
