"""Tests what is true of an order: its progress and the words for it."""

import pytest

from relvan.core.orders.facts import Extent, LineFacts, order_facts

ALL, PART, NONE = Extent.ALL, Extent.PART, Extent.NONE


@pytest.mark.parametrize(
    ("lines", "paid", "facts", "words"),
    [
        ([LineFacts(2)], 0, (NONE, NONE, NONE, NONE), "2 of 2 short, not invoiced, not paid"),
        (
            [LineFacts(2, reserved=2)],
            100,
            (ALL, NONE, NONE, ALL),
            "2 of 2 to pick, not invoiced, paid",
        ),
        (
            [LineFacts(2, reserved=1)],
            50,
            (PART, NONE, NONE, PART),
            "1 of 2 short, 1 of 2 to pick, not invoiced, part paid",
        ),
        (
            [LineFacts(2, reserved=2, picked=1)],
            100,
            (ALL, PART, NONE, ALL),
            "1 of 2 to pick, 1 to ship, not invoiced, paid",
        ),
        (
            [LineFacts(2, picked=2, shipped=2)],
            100,
            (ALL, ALL, ALL, ALL),
            "shipped, not invoiced, paid",
        ),
        (
            [LineFacts(1, picked=1, shipped=1), LineFacts(1)],
            100,
            (PART, PART, PART, ALL),
            "1 of 2 short, not invoiced, paid",
        ),
        ([LineFacts(1, stocked=False)], 100, (ALL, ALL, ALL, ALL), "shipped, not invoiced, paid"),
        (
            [LineFacts(1, known=False)],
            100,
            (NONE, NONE, NONE, ALL),
            "1 unknown line, 1 of 1 short, not invoiced, paid",
        ),
    ],
)
def test_facts_and_words(lines, paid, facts, words):
    found = order_facts(lines, paid=paid, total=100)
    assert (found.reserved, found.picked, found.shipped, found.paid) == facts
    assert found.words == words
