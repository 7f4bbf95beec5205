"""Tests what is chosen of a list: never more than was shown."""

from lxml import html

from tests.house import orders
from tests.visitor import post


def test_all_that_match_is_never_more_than_was_shown(shop, web):
    """A sentence that says what it cannot say any more would match everything."""
    for path, query in (
        ("/orders/do/release", "channel=gone"),
        ("/orders/foresee/release", "tray=attic"),
        ("/catalogue/archive", "category=Gone"),
        ("/catalogue/foresee/draft", "not_on=gone"),
        ("/listings/draft", "drafts=4711"),
    ):
        answer = post(web, path, all="yes", query=query, channel="hagglet")
        assert answer.status_code == 422, path
        assert "narrows this list no longer" in html.fromstring(answer.text).text_content()
    assert orders(shop)[0].words == "1 of 1 to pick, not invoiced, paid"
