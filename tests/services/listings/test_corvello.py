"""Tests a channel with a catalogue of its own that answers by reply sheet: pages chosen, handed in,
partly refused, lost."""

import pytest

from relvan.core.refusal import Refused
from relvan.services.catalogue.pictures import add_picture
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.pages import choose_pages, look_again, look_for_pages, search_pages
from relvan.services.listings.publish import publish_listings, take_down_listings
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.store.job_rows import job_verdicts
from relvan.store.listings import listings_of
from relvan.store.pages import count_without_page, page_rows
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    count,
    deliver,
    persist,
    png,
    read,
)
from tests.snapshots import built_once
from tests.steps.corvello import gtin, put_pages


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "corvello")
    for number in range(3):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Aubrey pot {number} in oat",
            brand="Quillmoss",
            gtin=gtin(number),
        )
    return workplace


def on(workplace):
    with workplace.database.reading() as session:
        return listings_of(session, channel_id=channel_ids(workplace)["corvello"])


def candidates(workplace, listing_id):
    with workplace.database.reading() as session:
        (row,) = page_rows(session, listing_id=listing_id)
        return row.candidates


def place(workplace, owner, world, *skus):
    """Drafts products on pages that are there, publishes them, and lets the channel answer."""
    put_pages(world, *((f"Aubrey pot {sku[-1]} in oat", gtin(int(sku[-1]))) for sku in skus))
    ids = draft_listings(workplace, owner, "corvello", skus).listing_ids
    look_for_pages(workplace, channel_ids(workplace)["corvello"])
    choose_pages(workplace, owner, {i: candidates(workplace, i)[0]["page"] for i in ids})
    publish_listings(workplace, owner, ids)
    deliver(workplace)
    return ids


def test_a_draft_asks_for_a_page_and_for_nothing_else(shop, owner):
    (listing_id,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    (listing,) = on(shop)
    assert [(gap["kind"], gap["mend"]) for gap in listing.gaps] == [("no page", "page")]
    choose_pages(shop, owner, {listing_id: "new"})
    assert {gap["field"] for gap in on(shop)[0].gaps} >= {"aisle"}, "a new page is to be described"


def test_pages_are_found_by_gtin_with_reasons_and_the_only_one_is_sure(shop, owner, world):
    (page,) = put_pages(world, ("Pot Aubrey 1, oat glaze", gtin(1)))
    ids = draft_listings(shop, owner, "corvello", ["PT-1", "PT-2"]).listing_ids
    assert look_for_pages(shop, channel_ids(shop)["corvello"]) == 2
    assert look_for_pages(shop, channel_ids(shop)["corvello"]) == 0, "each is looked for once"
    first = candidates(shop, ids[0])[0]
    assert (first["page"], first["sure"], first["reasons"][0]) == (page, True, "same GTIN")
    second = candidates(shop, ids[1])[0]
    assert (second["page"], second["sure"]) == (page, False)
    assert "other GTIN" in second["reasons"]
    with shop.database.reading() as session:
        assert count_without_page(session) == 2


def test_of_two_pages_with_one_gtin_neither_is_sure(shop, owner, world):
    put_pages(world, ("Aubrey pot 1 in oat", gtin(1)), ("Aubrey pot 1 in oat, boxed", gtin(1)))
    (listing_id,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    look_for_pages(shop, channel_ids(shop)["corvello"])
    told = candidates(shop, listing_id)
    assert [one["sure"] for one in told] == [False, False]
    assert "another page has this GTIN too" in told[0]["reasons"]


def test_a_person_looks_by_words_and_looks_again(shop, owner, world):
    put_pages(world, ("Something else altogether", gtin(7)))
    (listing_id,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    assert [one.title for one in search_pages(shop, owner, listing_id, "altogether")] == [
        "Something else altogether"
    ]
    look_again(shop, owner, [listing_id])
    assert candidates(shop, listing_id) is None
    world.weather("corvello", "down")
    assert look_for_pages(shop, channel_ids(shop)["corvello"]) == 0, "it is left for the next round"
    with pytest.raises(Refused) as refused:
        search_pages(shop, owner, listing_id, "altogether")
    assert refused.value.first.code == "unreachable"


def test_what_is_handed_in_goes_live_when_the_sheet_is_read(shop, owner, world):
    ids = place(shop, owner, world, "PT-0", "PT-1")
    assert {listing.state for listing in on(shop)} == {"live"}
    shown = world.listings("corvello")
    assert {sku: (row["price"], row["quantity"]) for sku, row in shown.items()} == {
        "PT-0": (1690, 10),
        "PT-1": (1690, 10),
    }
    world.buy("corvello", "PT-1", 4)
    read(shop)
    count(shop, owner, "PT-0", 2)
    deliver(shop)
    shown = world.listings("corvello")
    assert (shown["PT-0"]["quantity"], shown["PT-1"]["quantity"]) == (2, 6)
    take_down_listings(shop, owner, ids[:1])
    deliver(shop)
    assert world.listings("corvello")["PT-0"]["state"] == "resting"
    assert_sound(shop)


def test_goods_without_a_gtin_need_a_reason_and_then_get_a_page(shop, owner, world):
    change_facts(shop, owner, [("PT-1", {"gtin": None, "attribute Diameter": "14 cm"})])
    (listing_id,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    choose_pages(shop, owner, {listing_id: "new"})
    change_listings(shop, owner, [listing_id], {"aisle": "cv-101"})
    assert [gap["field"] for gap in on(shop)[0].gaps] == ["no_gtin_because"]
    choose_pages(shop, owner, {listing_id: "new"}, reason="handmade")
    assert on(shop)[0].state == "ready"
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    assert on(shop)[0].state == "live"
    assert world.client.get(on(shop)[0].page).status_code == 200
    assert on(shop)[0].own["page"].startswith("CP-"), "it stands on its page like any other now"
    add_picture(shop, owner, "PT-1", png("red"))
    change_facts(shop, owner, [("PT-1", {"title": "Another title, quite"})])
    assert on(shop)[0].state == "live", "what the page shows is the channel's affair"


def test_a_sheet_that_refuses_some_lines_refuses_no_other(shop, owner, world):
    put_pages(world, *((f"Aubrey pot {n} in oat", gtin(n)) for n in range(2)))
    ids = draft_listings(shop, owner, "corvello", ["PT-0", "PT-1", "PT-2"]).listing_ids
    choose_pages(shop, owner, {ids[0]: "CP-999999", ids[2]: "CP-999998"})
    look_for_pages(shop, channel_ids(shop)["corvello"])
    choose_pages(shop, owner, {ids[1]: candidates(shop, ids[1])[0]["page"]})
    job = publish_listings(shop, owner, ids)
    deliver(shop)
    assert [listing.state for listing in on(shop)] == ["refused", "live", "refused"]
    assert on(shop)[0].gaps[-1]["message"] == "The channel says: There is no such page."
    with shop.database.reading() as session:
        told = {row.subject: (row.verdict, row.reason) for row in job_verdicts(session, job)}
    assert told["PT-0 on Corvello"] == ("refused", "There is no such page.")
    assert told["PT-1 on Corvello"][0] == "done"


@pytest.mark.parametrize("kind", ["lost answers", "flaky", "throttled"])
def test_hand_ins_through_bad_weather_place_everything_once(shop, owner, world, kind):
    put_pages(world, *((f"Aubrey pot {n} in oat", gtin(n)) for n in range(3)))
    ids = draft_listings(shop, owner, "corvello", ["PT-0", "PT-1", "PT-2"]).listing_ids
    look_for_pages(shop, channel_ids(shop)["corvello"])
    choose_pages(shop, owner, {i: candidates(shop, i)[0]["page"] for i in ids})
    world.weather("corvello", kind, seed=5)
    publish_listings(shop, owner, ids)
    persist(shop)
    world.weather("corvello", "calm")
    persist(shop)
    assert {listing.state for listing in on(shop)} == {"live"}
    assert len(world.client.get("/world/corvello/listings").json()) == 3
    assert_sound(shop)


def test_a_worker_killed_after_handing_in_finds_its_sheet(shop, owner, world, monkeypatch):
    from relvan.services.outbox import sheets

    put_pages(world, ("Aubrey pot 1 in oat", gtin(1)))
    (listing_id,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    look_for_pages(shop, channel_ids(shop)["corvello"])
    choose_pages(shop, owner, {listing_id: candidates(shop, listing_id)[0]["page"]})
    publish_listings(shop, owner, [listing_id])

    def killed(*_):
        raise KeyboardInterrupt

    channel = channel_ids(shop)["corvello"]
    with monkeypatch.context() as patched:
        patched.setattr(sheets, "_keep_waiting", killed)
        with pytest.raises(KeyboardInterrupt):
            deliver_next(shop, channel, "dying")
    assert reclaim(shop, "dying") == 1
    deliver(shop)
    assert on(shop)[0].state == "live"
    assert len(world.client.get("/world/corvello/listings").json()) == 1


def test_a_change_while_the_sheet_is_awaited_is_told_after_it(shop, owner, world):
    place(shop, owner, world, "PT-1")
    channel = channel_ids(shop)["corvello"]
    count(shop, owner, "PT-1", 7)
    assert deliver_next(shop, channel, "test").sent == 1
    count(shop, owner, "PT-1", 4)
    deliver(shop)
    assert world.listings("corvello")["PT-1"]["quantity"] == 4
    assert on(shop)[0].state == "live"
    assert_sound(shop)


def slow_then_fast(shop, owner, world, seconds, *skus):
    """Counts PT-1 as 7, which is handed in and answered after some seconds, then as 4, which waits;
    returns the channel."""
    place(shop, owner, world, *skus)
    channel = channel_ids(shop)["corvello"]
    world.replies_after(seconds)
    count(shop, owner, "PT-1", 7)
    assert deliver_next(shop, channel, "test").sent == 1
    world.replies_after(0)
    count(shop, owner, "PT-1", 4)
    return channel


def test_a_change_is_handed_in_only_when_the_one_before_it_is_answered(shop, owner, world):
    """The channel may work through a short hand-in before a long one that came first: the older
    number would win."""
    channel = slow_then_fast(shop, owner, world, 1.5, "PT-1", "PT-2")
    count(shop, owner, "PT-2", 6)
    assert deliver_next(shop, channel, "test").sent == 1, (
        "what is about another listing need not wait"
    )
    told = deliver_next(shop, channel, "other")
    assert told.sent == 0, "PT-1 waits for its sheet"
    assert told.wait_s is not None
    deliver(shop)
    assert {sku: row["quantity"] for sku, row in world.listings("corvello").items()} == {
        "PT-1": 4,
        "PT-2": 6,
    }
    assert {listing.state for listing in on(shop)} == {"live"}
    assert_sound(shop)


def test_a_sheet_that_does_not_come_for_long_keeps_no_change_waiting(shop, owner, world):
    channel = slow_then_fast(shop, owner, world, 600, "PT-1")
    assert deliver_next(shop, channel, "test").sent == 0
    shop.now.move(minutes=11)
    deliver_next(shop, channel, "test")  # asks for the sheet once more
    assert deliver_next(shop, channel, "test").sent == 1
    shop.now.move(seconds=2)
    deliver_next(shop, channel, "test")
    assert world.listings("corvello")["PT-1"]["quantity"] == 4
    world.client.post(
        "/world/clock", json={"advance_minutes": 11}
    )  # now the old one is worked through, and wins there
    deliver(shop)
    assert world.listings("corvello")["PT-1"]["quantity"] == 4, (
        "told once more, since the old sheet came after the new"
    )
    assert on(shop)[0].state == "live"
    assert_sound(shop)


def test_pages_that_nobody_knows_cannot_be_chosen_for_listings_that_are_not_there(shop, owner):
    with pytest.raises(Refused):
        choose_pages(shop, owner, {999: "CP-1"})
