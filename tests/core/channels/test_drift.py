"""Tests drift: what counts as a difference, and how much of a channel one look reads."""

import pytest

from relvan.core.channels.drift import Stand, find_drift, pages_a_look

SENT = Stand(1690, 5, {"title": "A pot", "text": "Of clay", "stock": "x"})


@pytest.mark.parametrize(
    ("shown", "unsettled", "owned", "found"),
    [
        (SENT, (), (), []),
        (Stand(1690, 4, {}), (), (), [("quantity", "5", "4")]),
        (Stand(1690, 4, {}), ("quantity",), (), []),
        (Stand(1500, 4, {}), ("quantity",), (), [("price", "1690", "1500")]),
        (Stand(None, None, {}), (), (), []),
        (
            Stand(1690, 5, {"title": "A cup", "colour": "red"}),
            (),
            (),
            [("content", "title: A pot", "title: A cup")],
        ),
        (Stand(1690, 5, {"title": " A pot "}), (), (), []),
        (Stand(1690, 5, {"title": "A cup"}), (), ("title",), []),
        (Stand(1690, 5, {"title": "A cup"}), ("content",), (), []),
    ],
)
def test_what_is_sent_beside_what_is_shown(shown, unsettled, owned, found):
    told = [
        (one.topic, one.ours, one.theirs)
        for one in find_drift(SENT, shown, unsettled=unsettled, owned=owned)
    ]
    assert told == found


def test_what_was_never_sent_is_not_compared():
    assert find_drift(Stand(None, None, {}), SENT) == []


def test_a_long_text_is_told_short():
    (found,) = find_drift(Stand(None, None, {"text": "a" * 500}), Stand(None, None, {"text": "b"}))
    assert (len(found.ours), found.theirs) == (126, "text: b")


@pytest.mark.parametrize(("rate", "every", "pages"), [(30, 60, 90), (2, 60, 6), (0.01, 60, 1)])
def test_a_look_takes_a_small_share_of_the_rate_limit(rate, every, pages):
    assert pages_a_look(rate, every) == pages
