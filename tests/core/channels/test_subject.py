"""Tests what an update is about: read from its text form as it was written, and nothing else is
read."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.channels.subject import SubjectKind, UpdateSubject, listing_subject, order_subject


@given(st.sampled_from(list(SubjectKind)), st.text(max_size=40))
def test_a_subject_is_read_as_it_was_written(kind, key):
    subject = UpdateSubject(kind, key)
    assert UpdateSubject.read(str(subject)) == subject


@pytest.mark.parametrize("text", ["", "12", "shop:12", "Listing:12"])
def test_another_text_is_no_subject(text):
    with pytest.raises(ValueError, match="SubjectKind"):
        UpdateSubject.read(text)


def test_a_number_with_a_colon_stays_whole():
    assert UpdateSubject.read(str(order_subject("HG:7"))).key == "HG:7"
    assert str(listing_subject(12)) == "listing:12"
