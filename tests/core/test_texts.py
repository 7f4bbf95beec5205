"""Tests which characters names and codes may have."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.identity import check_sku
from relvan.core.texts import LINES, PATH, SEEN_CODE, SEEN_NAME, WORDS, is_seen


@pytest.mark.parametrize(
    ("text", "seen"),
    [
        ("POT 14", True),
        ("Töpfe & Überwürfe", True),
        ("", True),
        ("tab\there", False),
        ("end\n", False),
        ("no\u00a0break", False),
        ("zero\u200bwidth", False),
        ("\ufeffmark", False),
        ("right\u202eleft", False),
    ],
)
def test_what_can_be_seen(text, seen):
    assert is_seen(text) == seen


@pytest.mark.parametrize(
    ("pattern", "fits", "does_not"),
    [
        (WORDS, ["a", " a ", "a b"], ["", "  ", "a\nb", "\u00a0"]),
        (SEEN_NAME, ["a", "  a b"], ["", "  ", "a\u200b"]),
        (SEEN_CODE, ["a", "a b"], ["", " a", "a ", "a\u200bb"]),
        (PATH, ["Pots", "Pots / Indoors"], ["", "/", " / "]),
        (LINES, ["", "a\nb", "a\tb"], ["a\x00b"]),
    ],
)
def test_a_pattern_takes_what_its_name_says(pattern, fits, does_not):
    assert all(re.search(pattern, text) for text in fits)
    assert not any(re.search(pattern, text) for text in does_not)


@given(st.text(max_size=70))
def test_the_pattern_of_a_code_says_what_the_check_of_a_sku_says(text):
    fits = re.fullmatch(SEEN_CODE, text) is not None and len(text) <= 64
    assert fits == (not check_sku(text))
