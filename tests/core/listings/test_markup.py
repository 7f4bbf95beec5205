"""Structured text in the tags that a channel allows."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.markup import to_html


@pytest.mark.parametrize(
    ("text", "allowed", "sent"),
    [
        ("One.\n\nTwo & three.", ("p",), "<p>One.</p><p>Two &amp; three.</p>"),
        (
            "A list:\n- one\n- two\nEnd.",
            ("p", "ul", "li"),
            "<p>A list:</p><ul><li>one</li><li>two</li></ul><p>End.</p>",
        ),
        (
            "<p onclick='x()'>A <b>pot</b></p><script>y()</script>",
            ("p", "b"),
            "<p>A <b>pot</b></p>",
        ),
        ("<a href='http://x'>here</a>", ("p",), "here"),
        ("Line one\nline two", ("p", "br"), "<p>Line one<br>line two</p>"),
        ("3 < 5 and 7 > 2", ("p",), "<p>3 &lt; 5 and 7 &gt; 2</p>"),
    ],
)
def test_text_is_structured_in_the_allowed_tags_and_cleaned(text, allowed, sent):
    assert to_html(text, allowed) == sent


@given(st.text(max_size=120))
def test_no_tag_beyond_the_allowed_is_ever_sent(text):
    import re

    assert {
        tag.lower() for tag in re.findall(r"<\s*/?\s*([a-z]+)", to_html(text, ("p", "br")))
    } <= {"p", "br"}
