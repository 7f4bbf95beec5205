"""Tests updates whose answers are lost, late or change their minds; leases; queries."""

from datetime import timedelta

import pytest
from sqlalchemy import select, update

from relvan.services.channels.settings import change_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings, take_down_listings
from relvan.services.listings.quantities import refresh_quantities
from relvan.services.outbox.deliver import reclaim
from relvan.store.channels import channel_by_key, channel_health
from relvan.store.tables import Channel, Listing, OutboxEntry
from tests.house import (
    add_pot,
    count,
    deliver,
    list_everywhere,
    read,
)
from tests.steps.outbox import listing


@pytest.fixture
def shop(one_pot):
    return one_pot


def test_a_listing_taken_down_while_it_is_being_placed_does_not_stay_up(
    shop, owner, world, monkeypatch
):
    ids = draft_listings(shop, owner, "hagglet", ["PT-14"]).listing_ids
    change_listings(shop, owner, ids, {"shelf": "hg-planters"})
    publish_listings(shop, owner, ids)
    with shop.database.reading() as session:
        gateway = shop.gateway(channel_by_key(session, "hagglet"))
    publish = gateway.publish

    def slow(offer, key):
        placed = publish(offer, key)
        take_down_listings(shop, owner, ids)
        return placed

    monkeypatch.setattr(gateway, "publish", slow)
    deliver(shop)
    assert (world.listings("hagglet")["PT-14"]["state"], listing(shop, ids[0]).state) == (
        "closed",
        "down",
    )


def test_an_update_that_is_accepted_ends_an_earlier_refusal(shop, owner, world):
    listing_id = list_everywhere(shop, owner, "PT-14")["hagglet", "PT-14"]
    change_listings(shop, owner, [listing_id], {"heading": "A counterfeit pot"})
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    assert listing(shop, listing_id).state == "refused"
    change_listings(shop, owner, [listing_id], {"heading": "An honest pot"})
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    assert (listing(shop, listing_id).state, listing(shop, listing_id).gaps) == ("live", [])


def test_a_refusal_stands_until_what_was_refused_is_mended(shop, owner, world):
    listing_id = list_everywhere(shop, owner, "PT-14")["hagglet", "PT-14"]
    change_listings(shop, owner, [listing_id], {"heading": "A counterfeit pot"})
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    count(shop, owner, "PT-14", 3)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 3
    assert listing(shop, listing_id).state == "refused", "a number that is accepted mends no words"
    change_listings(shop, owner, [listing_id], {"text": "Other words, for a pot of the same kind."})
    assert listing(shop, listing_id).state == "refused"
    assert [gap["field"] for gap in listing(shop, listing_id).gaps] == ["heading"]
    change_listings(shop, owner, [listing_id], {"heading": "An honest pot"})
    assert (listing(shop, listing_id).state, listing(shop, listing_id).gaps) == ("behind", [])


def test_a_lease_that_is_over_is_taken_back_and_the_late_answer_counts_for_nothing(
    shop, owner, world
):
    list_everywhere(shop, owner, "PT-14")
    count(shop, owner, "PT-14", 3)
    with shop.database.writing() as session:
        session.execute(
            update(OutboxEntry)
            .where(OutboxEntry.state == "waiting")
            .values(
                state="sending", taken_by="gone", taken_until=shop.now() + timedelta(seconds=90)
            )
        )
    assert reclaim(shop) == 0
    shop.now.move(seconds=91)
    assert reclaim(shop) == 2
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 3


def test_the_lag_from_sale_to_the_other_channel_is_measured(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    world.buy("hagglet", "PT-14")
    read(shop)
    shop.now.move(seconds=1.5)
    deliver(shop)
    with shop.database.reading() as session:
        found = channel_health(session, [session.get_one(Channel, 2)], shop.now())[2]
    assert found.lag_p95_s == pytest.approx(1.5)


def test_a_channel_whose_cap_hides_a_sale_is_told_again_what_it_shows(shop, owner, world):
    change_channel(shop, owner, "hagglet", {"stock_policy": {"cap": 4}})
    list_everywhere(shop, owner, "PT-14")
    world.buy("hagglet", "PT-14", 2)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 2
    read(shop)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 4


def test_listings_are_worked_out_without_a_query_per_row(shop, owner, world, count_queries):
    from relvan.services.listings.refresh import refresh_listings

    skus = [add_pot(shop, owner, f"PX-{n:02d}") for n in range(20)]
    list_everywhere(shop, owner, *skus)
    numbers = []
    for most in (1, 20):
        with count_queries(shop.database) as seen, shop.database.writing() as session:
            ids = session.scalars(select(Listing.product_id)).all()[:most]
            refresh_listings(session, shop, product_ids=ids)
        numbers.append(len(seen))
    assert numbers[0] == numbers[1] <= 20, (
        "begin, the query above, and one for each thing a listing is made of"
    )


def test_quantities_are_worked_out_without_a_query_per_row(shop, owner, world, count_queries):
    skus = [add_pot(shop, owner, f"PX-{n:02d}") for n in range(20)]
    list_everywhere(shop, owner, *skus)
    numbers = []
    for most in (1, 2, 20):  # the first time the settings are read
        with count_queries(shop.database) as seen, shop.database.writing() as session:
            ids = session.scalars(select(Listing.product_id)).all()[:most]
            refresh_quantities(session, shop, product_ids=ids)
        numbers.append(len(seen))
    assert numbers[1] == numbers[2] <= 12
