"""Tests the page of patterns: every shared piece is on it, in every state that it has."""

import re

import pytest
from lxml import html

from relvan.core.listings.state import STATE_WORDS
from relvan.web.patterns import STEPS, VERDICTS
from relvan.web.rendering import HERE, PIECES
from relvan.web.words import VERDICTS as VERDICT_WORDS

PARTS = HERE / "templates" / "parts"
MACRO = re.compile(r"{%-? macro (\w+)")


@pytest.mark.parametrize("kind", PIECES)
def test_every_shared_piece_is_on_the_page(kind):
    page = (PARTS / "patterns.html").read_text() + (PARTS / "lists.html").read_text()
    names = MACRO.findall((PARTS / f"{kind}.html").read_text())
    assert names
    missing = [name for name in names if not re.search(rf"(?<!macro )\b{name}\(", page)]
    assert not missing


def test_states_verdicts_and_steps_are_shown_in_words(web):
    page = html.fromstring(web.get("/patterns").text)
    text = " ".join(page.text_content().split())
    for words in (
        *STATE_WORDS.values(),
        *(VERDICT_WORDS.get(verdict, verdict) for verdict in VERDICTS),
        "not followed",
        "draft, 1 gap",
        "draft, 4 gaps",
    ):
        assert words in text
    kinds = page.xpath("//select[@name='step_kind']/option[@selected]/@value")
    assert kinds == [step.kind for step in STEPS if step.kind]
    assert page.xpath("//*[@aria-label='A job that is running']//*[@width='4']")
    assert len(page.xpath("//svg[@class='waterfall']/rect")) == 7


def test_every_heading_of_a_table_says_something():
    empty = re.compile(r"<th[^>]*>\s*</th>")
    found = [path.name for path in HERE.rglob("*.html") if empty.search(path.read_text())]
    assert found == []
