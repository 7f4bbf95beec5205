"""Tests how long what a channel refused holds: while that very thing says what it said."""

import pytest

from relvan.core.listings.refusals import (
    ListingProblem,
    Said,
    after_accepting,
    keep_problems,
    still_standing,
)

SAID = Said({"title": "A pot", "pictures": "aa bb"}, "mark-1", {"price": 1690, "quantity": 4})


def said(mark="mark-1", price=1690, quantity=4, **fields):
    return Said({**SAID.fields, **fields}, mark, {"price": price, "quantity": quantity})


CASES = [  # topic, field, what is said now, whether it still stands
    ("publish", "title", said(), True),
    ("publish", "title", said("mark-2", text="Other words"), True),
    ("publish", "title", said("mark-2", title="A jug"), False),
    ("publish", "pictures", said("mark-2", pictures="aa"), False),
    ("publish", "material", said("mark-2", title="A jug"), True),
    ("publish", "material", said("mark-2", material="clay"), False),
    ("publish", "", said(quantity=3), True),
    ("publish", "", said("mark-2"), False),
    ("publish", "price", said(price=1700), False),
    ("publish", "price", said("mark-2", title="A jug"), True),
    ("price", "", said("mark-2", quantity=1), True),
    ("price", "", said(price=1700), False),
    ("price", "units", said(price=1700), False),
    ("quantity", "", said(quantity=3), False),
    ("content", "title", said(title="A jug"), False),
]


@pytest.mark.parametrize(("topic", "field", "now", "stands"), CASES)
def test_a_refusal_stands_while_what_was_refused_is_said(topic, field, now, stands):
    problems = keep_problems(topic, [(field, "Not that.")], SAID)
    assert still_standing(problems, now) == (problems if stands else [])


def test_of_several_problems_each_ends_by_itself():
    problems = keep_problems("publish", [("title", "Too loud."), ("text", "Too short.")], SAID)
    assert still_standing(problems, said("mark-2", title="A jug")) == [problems[1]]


@pytest.mark.parametrize(
    ("accepted", "left"),
    [
        ("publish", []),
        ("content", ["price"]),
        ("price", ["publish", "content"]),
        ("quantity", ["publish", "content", "price"]),
    ],
)
def test_what_is_accepted_ends_what_was_refused_on_its_topic(accepted, left):
    problems = [ListingProblem("", "No.", topic, "") for topic in ("publish", "content", "price")]
    assert [problem.topic for problem in after_accepting(problems, accepted)] == left
