"""The state of a listing follows from what is held and what was sent."""

import pytest

from relvan.core.listings.state import ListingFacts, ListingState, listing_state, outdated_topics

HELD = {"content": "a", "pictures": "p", "price": "100", "quantity": "5"}


def facts(**changes):
    start = {
        "gaps": 0,
        "wish": "none",
        "placed": False,
        "shown": False,
        "refusal": "",
        "held": HELD,
        "sent": {},
    }
    return ListingFacts(**{**start, **changes})


@pytest.mark.parametrize(
    ("changes", "state"),
    [
        ({"gaps": 2}, ListingState.DRAFT),
        ({}, ListingState.READY),
        ({"wish": "live"}, ListingState.SENDING),
        ({"wish": "live", "refusal": "no"}, ListingState.REFUSED),
        ({"refusal": "no"}, ListingState.REFUSED),
        ({"placed": True, "shown": True, "wish": "live", "sent": HELD}, ListingState.LIVE),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": {**HELD, "price": "90"}},
            ListingState.OUTDATED,
        ),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": HELD, "gaps": 1},
            ListingState.LIVE,
        ),
        ({"placed": True, "shown": True, "wish": "down", "sent": HELD}, ListingState.SENDING),
        ({"placed": True, "shown": False, "wish": "down", "sent": HELD}, ListingState.DOWN),
        ({"placed": True, "shown": False, "wish": "live", "sent": HELD}, ListingState.SENDING),
        (
            {"placed": True, "shown": True, "wish": "live", "sent": HELD, "refusal": "no"},
            ListingState.REFUSED,
        ),
    ],
)
def test_the_state_follows_from_the_facts_and_says_why(changes, state):
    found, why = listing_state(facts(**changes))
    assert found == state
    assert why.steps


def test_only_the_topics_that_differ_are_behind():
    sent = {**HELD, "price": "90", "quantity": "4"}
    assert outdated_topics(facts(placed=True, sent=sent)) == ("price", "quantity")
    assert outdated_topics(facts(placed=False, sent={})) == ()
