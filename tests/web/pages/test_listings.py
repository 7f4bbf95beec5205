"""Tests the list of listings and one listing's page: what a deed would do, and what it does."""

import pytest
from lxml import html

from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.layers import LayerWish, make_layer, use_layers
from relvan.services.listings.publish import publish_listings
from relvan.store.listings import listings_of
from tests.house import (
    add_pot,
    connect,
    deliver,
    everything_done,
    list_everywhere,
    orders,
)
from tests.steps.families_on_channels import make_family, on
from tests.steps.listing_pages import text_of
from tests.visitor import post, words


def test_a_listings_page_shows_it_as_a_buyer_sees_it_and_what_differs(web, aubrey_pots, owner):
    ids = draft_listings(aubrey_pots, owner, "hagglet", ["PT-0"]).listing_ids
    change_listings(aubrey_pots, owner, ids, {"shelf": "hg-planters"})
    publish_listings(aubrey_pots, owner, ids)
    deliver(aubrey_pots)
    layer = make_layer(
        aubrey_pots, owner, LayerWish("hagglet", "returns", "Kind", {"returns": "Within 60 days."})
    )
    use_layers(aubrey_pots, owner, ids, {"returns": layer})
    page = web.get(f"/listings/{ids[0]}")
    told = text_of(page)
    for part in (
        "Aubrey pot 0 in oat",
        "Outdated",
        "Send it back within 30 days.",
        "Within 60 days.",
        "Margin",
        "from the layer Kind",
    ):
        assert part in told
    assert "Referral fee" in text_of(web.get(f"/why/margin/{ids[0]}"))
    assert "State of PT-0 on Hagglet: outdated" in text_of(web.get(f"/why/state/{ids[0]}"))
    assert web.get(f"/why/fortune/{ids[0]}").status_code == 404


def test_a_familys_page_shows_its_variants_and_which_must_be_there(web, aubrey_pots, owner):
    make_family(aubrey_pots, owner)
    ids = draft_listings(aubrey_pots, owner, "hagglet", ["PT"]).listing_ids
    head = text_of(web.get(f"/listings/{ids[0]}"))
    assert "the page of a family, 4 variants" in head
    assert "Buyers choose by Size and Glaze" in head
    member = on(aubrey_pots)["PT-9-INK"].id
    assert "The family waits for it" in text_of(post(web, f"/listings/{member}/must", must="yes"))
    change_listings(aubrey_pots, owner, ids[:1], {"shelf": "hg-planters"})
    change_facts(aubrey_pots, owner, [("PT-9-OAT", {"price retail": None})])
    foreseen = web.post(
        "/listings/foresee/publish", data={"pick": str(ids[0])}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "leave out the 1 variant with gaps" in text_of(foreseen)
    post(web, "/listings/do/publish", pick=str(ids[0]), leave_out="yes", back="/listings")
    deliver(aubrey_pots)
    assert on(aubrey_pots)["PT"].state == "live"


def test_a_listing_that_differs_from_what_was_sent_is_outdated_on_screen_and_in_the_api(
    web, api, workplace, owner, world
):
    connect(workplace, owner, world, "ownshop")
    add_pot(workplace, owner)
    found = list_everywhere(workplace, owner, "PT-14")["ownshop", "PT-14"]
    change_listings(workplace, owner, [found], {"name": "A better pot"})
    for path in (
        "/listings?state=behind",
        "/products/PT-14",
        "/listings/coverage",
        f"/listings/{found}",
        "/",
    ):
        text = text_of(web.get(path))
        assert "outdated" in text, path
        assert "behind" not in text, path
    told = api.get(f"/api/v1/listings/{found}").json()
    assert told["outdated"] == told["behind"] == ["content"]
    assert api.get("/api/v1/listings").json()["items"][0]["outdated"] == ["content"]


def test_products_are_drafted_sent_taken_down_and_put_back(web, workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    add_pot(workplace, owner, "PT-18")
    list_everywhere(workplace, owner, "PT-14")
    head = {"X-CSRF-Token": web.csrf}
    foreseen = web.post("/catalogue/foresee/draft", data={"pick": ["PT-14", "PT-18"]}, headers=head)
    assert "Hagglet" in foreseen.text
    drafted = words(
        post(web, "/listings/draft", pick=["PT-14", "PT-18"], channel=["hagglet", "ownshop"])
    )
    assert "2 drafts made" in drafted
    assert "2 not" in drafted
    with workplace.database.reading() as session:
        live = [str(row.id) for row in listings_of(session) if row.placed]
    for deed, told in (
        ("take-down", "would be taken down"),
        ("put-back", "are not down"),
        ("publish", "nothing to send"),
    ):
        assert told in web.post(f"/listings/foresee/{deed}", data={"pick": live}, headers=head).text
    for deed, state in (("take-down", "down"), ("put-back", "live")):
        assert "in the background" in words(
            post(web, f"/listings/do/{deed}", pick=live, back="/listings")
        )
        deliver(workplace)
        with workplace.database.reading() as session:
            assert {row.state for row in listings_of(session) if str(row.id) in live} == {state}
    before = everything_done(workplace)
    assert post(web, "/listings/do/nonsense", pick=live).status_code == 404
    assert everything_done(workplace) == before, "what nobody knows is not taken for publishing"


@pytest.mark.parametrize(
    ("path", "picks", "words"),
    [
        ("/orders/foresee/release", ["O-1001"], "1 would go to the warehouse"),
        ("/orders/foresee/reserve", ["O-1001"], "1 stay: reserved already"),
        ("/orders/foresee/unreserve", ["O-1001"], "1 would give their stock back"),
        ("/orders/foresee/cancel", ["O-1001"], "1 would be cancelled, for good"),
        ("/catalogue/foresee/archive", ["PT-14"], "stays: listed on Hagglet, Own shop"),
        ("/catalogue/foresee/draft", ["PT-14"], "on Hagglet: 0 new, 1 there already"),
        ("/listings/foresee/publish", ["1"], "1 have nothing to send"),
        ("/listings/foresee/put-back", ["1"], "1 are not down"),
    ],
)
def test_each_deed_foresees_what_it_would_do(shop, web, path, picks, words):
    answer = web.post(path, data={"pick": picks}, headers={"X-CSRF-Token": web.csrf})
    assert words in " ".join(html.fromstring(answer.text).text_content().split())
    assert (orders(shop)[0].tray, orders(shop)[0].words) == (
        "inbox",
        "1 of 1 to pick, not invoiced, paid",
    )
