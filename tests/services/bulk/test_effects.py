"""Tests that the rehearsal of other list prices shows what every channel's price becomes, and that
is what it becomes."""

from relvan.core.catalogue.bulk import Operation
from relvan.services.bulk.effects import price_effects_of_rows
from relvan.services.catalogue.bulk import change_many
from relvan.services.channels.settings import change_channel
from relvan.services.jobs.life import move_job
from relvan.services.listings.draft import draft_listings
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.listings import listings_of
from tests.house import add_pot, connect, work
from tests.snapshots import built_once
from tests.steps.families_on_channels import make_family


@built_once
def shop(workplace, owner, world):
    """Builds pots on two channels: one sells well, one is near its cost, one is held by a floor;
    and a family on one."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-A")
    add_pot(workplace, owner, "PT-B", cost=1300)
    add_pot(workplace, owner, "PT-C", floor=1650)
    make_family(workplace, owner)
    change_channel(
        workplace, owner, "hagglet", {"price_steps": [{"kind": "percent", "percent": "8"}]}
    )
    for channel in ("hagglet", "ownshop"):
        draft_listings(workplace, owner, channel, ["PT-A", "PT-B", "PT-C", "PT"])
    return workplace


def rehearse(place, owner, by, *skus):
    job = change_many(place, owner, [Operation("price retail", "percent", by)], skus=skus)
    work(place)
    with place.database.reading() as session:
        return (
            job,
            price_effects_of_rows(session, place, job_verdicts(session, job)),
            job_rows(session, job_id=job)[0],
        )


def prices(place):
    with place.database.reading() as session:
        return {one.id: one.price for one in listings_of(session) if not one.is_head}


def test_every_channels_price_is_foreseen_as_it_comes_to_pass(shop, owner):
    before = prices(shop)
    with shop.database.reading() as session:
        variants = [one.product_id for one in listings_of(session) if one.head_id]
    assert variants
    job, effects, row = rehearse(shop, owner, "-10", "PT-A", "PT-B", "PT-C")
    assert row.spec["price_effects"]["changed"] == len(effects) == 6
    assert prices(shop) == before
    move_job(shop, owner, job, "apply")
    work(shop)
    assert {one.listing_id: one.new for one in effects} == {
        listing: price for listing, price in prices(shop).items() if price != before[listing]
    }


def test_what_a_floor_holds_and_what_turns_into_a_loss_comes_first(shop, owner):
    _, effects, row = rehearse(shop, owner, "-20", "PT-A", "PT-B", "PT-C")
    flags = [(one.sku, one.channel, one.turns_into_loss, one.floored) for one in effects]
    assert {flag[0] for flag in flags if flag[2]} == {"PT-B"}
    assert {flag[0] for flag in flags if flag[3]} == {"PT-C"}
    assert [flag[0] for flag in flags][0] == "PT-B"
    figures = row.spec["price_effects"]
    assert (figures["losses"], figures["floored"]) == (
        sum(one.turns_into_loss for one in effects),
        sum(one.floored for one in effects),
    )


def test_a_change_that_touches_no_price_says_nothing_of_prices(shop, owner):
    job = change_many(shop, owner, [Operation("brand", "set", "Quillmoss")], skus=["PT-A"])
    work(shop)
    with shop.database.reading() as session:
        assert "price_effects" not in job_rows(session, job_id=job)[0].spec
        assert price_effects_of_rows(session, shop, job_verdicts(session, job)) == []
