"""No text that a person types breaks the search."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.store.search import first_matches, match_text


@given(st.text(max_size=40))
def test_no_text_that_a_person_types_breaks_the_search(typed):
    query = match_text(typed) or ""
    assert query.count('"') % 2 == 0


@pytest.mark.parametrize(
    "words", ["a\U0001e900b", "x²y", "पॉट", "a'b\"c", "\ufb01n", "ẞ_1", "(", "NEAR(a b)", "a*"]
)
def test_any_sign_may_be_looked_for(workplace, words):
    with workplace.database.reading() as session:
        assert first_matches(session, words, 5) == []
