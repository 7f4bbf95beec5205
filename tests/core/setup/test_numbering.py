"""How numbers are written."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.setup.numbering import check_pattern, write_number


@pytest.mark.parametrize(
    ("pattern", "written"),
    [
        ("O-{number}", "O-1042"),
        ("{year}/{number:06}", "2026/001042"),
        ("A.{number:02}_B", "A.1042_B"),
    ],
)
def test_a_number_is_written_by_its_pattern(pattern, written):
    assert check_pattern("x", "X", pattern) == []
    assert write_number(pattern, 1042, 2026) == written


@pytest.mark.parametrize(
    "pattern",
    [
        "",
        "O-",
        "{number}{number}",
        "{year}{number}",
        "{number}{year}",
        "4{number}",
        "{number}4",
        "O {number}",
        "<b>{number}",
        "{number}-{month}",
        "{year}-{year}-{number}",
        "O-{number}" + "x" * 30,
    ],
)
def test_a_pattern_in_which_the_number_cannot_be_told_is_refused(pattern):
    (refusal,) = check_pattern("order pattern", "Numbers of orders", pattern)
    assert refusal.field == "order pattern"


@given(st.lists(st.integers(1, 10**9), min_size=2, max_size=2, unique=True))
def test_two_numbers_are_never_written_alike(numbers):
    first, second = (write_number("A-{year}-{number:05}", one, 2026) for one in numbers)
    assert first != second
