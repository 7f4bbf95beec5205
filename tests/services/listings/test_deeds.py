"""Tests deeds on listings: what is foreseen is what is done, by hand as by file, families as
one."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from relvan.core.channels.sending import OPEN_UPDATES, Topic
from relvan.core.listings.deeds import ListingDeed
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import do_listings, plan_deed
from relvan.store.catalogue import find_product, variants_of
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.listings import listings_of
from relvan.store.tables import OutboxEntry
from tests.house import add_pot, assert_sound, connect, count, deliver
from tests.snapshots import built_once
from tests.steps.families_on_channels import make_family
from tests.steps.imports import carry, rehearse, verdicts


@built_once
def shop(workplace, owner, world):
    """Builds a shop on Hagglet: a pot that can go live, one without a shelf, and a family of
    four."""
    connect(workplace, owner, world, "hagglet", "ownshop")
    for sku in ("PT-0", "PT-1"):
        add_pot(workplace, owner, sku)
    make_family(workplace, owner)
    ids = draft_listings(workplace, owner, "hagglet", ["PT-0", "PT-1", "PT"]).listing_ids
    change_listings(workplace, owner, ids[:1], {"shelf": "hg-planters"})
    draft_listings(workplace, owner, "ownshop", ["PT-0"])
    return workplace


def all_listings(place):
    with place.database.reading() as session:
        return listings_of(session)


def waiting(place):
    """Returns (listing, topic) of what is to be told."""
    with place.database.reading() as session:
        entries = session.query(OutboxEntry).filter(OutboxEntry.state.in_(OPEN_UPDATES))
        return {(entry.listing_id, entry.topic) for entry in entries}


DEEDS = st.lists(
    st.tuples(st.sampled_from(ListingDeed), st.booleans(), st.sets(st.integers(0, 7), min_size=1)),
    min_size=1,
    max_size=5,
)


@settings(max_examples=10, suppress_health_check=list(HealthCheck))
@given(deeds=DEEDS)
def test_what_is_foreseen_is_what_is_done(shop, owner, deeds):
    everything = [listing.id for listing in all_listings(shop)]
    for deed, leave_out, chosen in deeds:
        ids = [everything[place % len(everything)] for place in sorted(chosen)]
        with shop.database.reading() as session:
            foreseen = plan_deed(session, deed, ids, leave_out=leave_out).steps
        before = waiting(shop)
        wishes_before = {listing.id: listing.wish for listing in all_listings(shop)}
        job = do_listings(shop, owner, deed, ids, leave_out=leave_out)
        with shop.database.reading() as session:
            rows = {row.listing_id: row for row in job_verdicts(session, job)}
            assert rows.keys() == foreseen.keys()
            assert job_rows(session, job_id=job)[0].total == len(foreseen)
        wishes = {listing.id: listing.wish for listing in all_listings(shop)}
        for listing_id, step in foreseen.items():
            assert (rows[listing_id].verdict == "refused") == bool(step.refused)
            wish = wishes_before[listing_id] if step.refused else step.answer.wish
            assert wishes[listing_id] == wish
            told = {(listing_id, str(topic)) for topic in step.answer.topics}
            assert told <= waiting(shop)
        untouched = {pair for pair in waiting(shop) - before if pair[0] not in foreseen}
        assert untouched == set(), "nothing is told about other listings"
        deliver(shop)
    assert_sound(shop)


def by_file(place, owner, *rows):
    return rehearse(place, owner, "listing-deeds", "\n".join(["SKU,Channel,Deed", *rows]) + "\n")


def test_listings_are_published_taken_down_and_put_back_by_file(shop, owner, world):
    job, found = by_file(
        shop, owner, "PT-0,hagglet,publish", "PT-1,Hagglet,Publish", "PT-0,ownshop,publish"
    )
    assert verdicts(found) == ["changes", "refused", "changes"]
    assert "1 gap keeps it from going live" in found[1][3]
    done = carry(shop, owner, job)
    assert verdicts(done) == ["done", "refused", "done"]
    assert "It goes out with bulk job" in done[0][3]
    deliver(shop)
    assert "PT-0" in world.listings("hagglet")
    assert "PT-0" in world.listings("ownshop")
    job, found = by_file(shop, owner, "PT-0,hagglet,take-down", "PT-0,ownshop,put back")
    assert verdicts(found) == ["changes", "same"]
    carry(shop, owner, job)
    deliver(shop)
    assert [one.state for one in all_listings(shop) if one.placed] == ["down", "live"]
    job, _ = by_file(shop, owner, "PT-0,hagglet,put back")
    carry(shop, owner, job)
    deliver(shop)
    assert [one.state for one in all_listings(shop) if one.placed] == ["live", "live"]


@pytest.mark.parametrize("backwards", [False, True])
def test_a_family_goes_as_one_in_any_order_of_rows_and_a_refused_head_stops_its_members(
    shop, owner, backwards
):
    listings = all_listings(shop)
    head = next(listing for listing in listings if listing.is_head)
    with shop.database.reading() as session:
        family = find_product(session, "PT").id
        skus = ["PT", *(variant.sku for variant in variants_of(session, [family])[family])]
    rows = [f"{sku},hagglet,publish" for sku in skus]
    _, found = by_file(shop, owner, *(rows[::-1] if backwards else rows))
    assert set(verdicts(found)) == {"refused"}, found
    change_listings(shop, owner, [head.id], {"shelf": "hg-planters"})
    job, found = by_file(shop, owner, *(rows[::-1] if backwards else rows))
    assert set(verdicts(found)) == {"changes"}, found
    assert set(verdicts(carry(shop, owner, job))) == {"done"}
    assert (head.id, str(Topic.PUBLISH)) in waiting(shop)


def test_a_head_alone_stands_for_its_whole_family(shop, owner, world):
    head = next(listing for listing in all_listings(shop) if listing.is_head)
    change_listings(shop, owner, [head.id], {"shelf": "hg-planters"})
    job, found = by_file(shop, owner, "PT,hagglet,publish")
    assert verdicts(found) == ["changes"]
    carry(shop, owner, job)
    deliver(shop)
    assert len([one for one in all_listings(shop) if one.placed]) == 5
    assert_sound(shop)


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("PT-0,moon,publish", "There is no channel “moon”."),
        ("NOPE,hagglet,publish", "“NOPE” is not listed on hagglet."),
        ("PT-0,hagglet,delete", "“Deed” must be one of publish, take down, put back"),
        ("PT-0,hagglet,", "“Deed” is empty."),
        ("PT-0,hagglet,put back", "It has never been on the channel"),
    ],
)
def test_a_row_that_cannot_be_done_says_why(shop, owner, row, reason):
    _, found = by_file(shop, owner, row)
    assert verdicts(found) == ["refused"]
    assert reason in found[0][3]


def test_the_same_listing_twice_is_refused_and_a_job_of_deeds_is_not_undone(shop, owner):
    from relvan.core.refusal import Refused
    from relvan.services.jobs.life import move_job

    job, found = by_file(shop, owner, "PT-0,hagglet,publish", "PT-0,hagglet,take down")
    assert verdicts(found) == ["changes", "refused"]
    carry(shop, owner, job)
    with pytest.raises(Refused, match="cannot be undone"):
        move_job(shop, owner, job, "undo")


def test_stock_sells_out_before_a_listing_is_put_back(shop, owner):
    ids = [one.id for one in all_listings(shop) if not one.is_head][:1]
    do_listings(shop, owner, ListingDeed.PUBLISH, ids)
    deliver(shop)
    do_listings(shop, owner, ListingDeed.TAKE_DOWN, ids)
    deliver(shop)
    count(shop, owner, "PT-0", 0)
    with shop.database.reading() as session:
        assert (
            plan_deed(session, ListingDeed.PUT_BACK, ids).steps[ids[0]].refused
            == "None is free to sell."
        )
