"""Tests the page on which a channel's catalogue pages are chosen."""

from relvan.services.listings.draft import draft_listings
from relvan.services.listings.pages import look_for_pages
from tests.house import channel_ids
from tests.steps.corvello import gtin, put_pages
from tests.steps.listing_pages import find, text_of
from tests.visitor import post


def test_catalogue_pages_are_compared_and_the_sure_ones_chosen_beforehand(
    web, aubrey_pots, owner, world
):
    put_pages(world, ("Aubrey pot 1 in oat", gtin(1)), ("Something like Aubrey", gtin(8)))
    draft_listings(aubrey_pots, owner, "corvello", ["PT-0", "PT-1"])
    assert "being looked for" in text_of(web.get("/listings/pages"))
    look_for_pages(aubrey_pots, channel_ids(aubrey_pots)["corvello"])
    page = web.get("/listings/pages?channel=corvello")
    checked = find(page, "input[type=radio][checked]")
    assert len(checked) == 1
    name, value = checked[0].get("name"), checked[0].get("value")
    other = next(
        box.get("name") for box in find(page, "input[type=radio]") if box.get("name") != name
    )
    done = post(web, "/listings/pages/choose", channel="corvello", **{name: value, other: "new"})
    assert "1 page chosen, 1 new asked for." in text_of(done)
    assert "has its page" in text_of(web.get("/listings/pages"))
    assert web.get("/listings/pages/pictures/..%2f..%2fx").status_code == 404
