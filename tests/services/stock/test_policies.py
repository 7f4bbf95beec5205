"""Tests stock policies at every level: the nearest decides what each channel shows; at zero a
listing may be paused."""

import pytest

from relvan.core.refusal import NotFound, Refused
from relvan.services.channels.settings import change_channel
from relvan.services.listings.availability import availability
from relvan.services.stock.policies import set_policy
from relvan.store.listings import listings_of
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    count,
    deliver,
    list_everywhere,
    read,
)
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    """Builds two pots, 20 of each, on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    for sku in ("PT-14", "PT-18"):
        add_pot(workplace, owner, sku, units=20, category="Pots / Small")
    list_everywhere(workplace, owner, "PT-14", "PT-18")
    return workplace


def shown(world, channel="hagglet"):
    return {sku: listing["quantity"] for sku, listing in world.listings(channel).items()}


def listing_id(shop, sku_place, channel="hagglet"):
    with shop.database.reading() as session:
        found = listings_of(session, channel_id=channel_ids(shop)[channel])
    return found[sku_place].id


def test_the_nearest_policy_decides_and_the_next_one_holds_again(shop, owner, world):
    change_channel(shop, owner, "hagglet", {"stock_policy": {"cap": 12}})
    steps = [
        ("category", "pots", {"cap": 9}, {"PT-14": 9, "PT-18": 9}),
        ("category", "Pots / Small", {"share": 40}, {"PT-14": 8, "PT-18": 8}),
        ("product", "PT-14", {"cap": 7}, {"PT-14": 7, "PT-18": 8}),
        ("listing", str(listing_id(shop, 0)), {"fixed": 3}, {"PT-14": 3, "PT-18": 8}),
    ]
    for kind, of, policy, wanted in steps:
        assert set_policy(shop, owner, "hagglet", kind, of, policy)
        assert not set_policy(shop, owner, "hagglet", kind, of, policy)
        deliver(shop)
        assert shown(world) == wanted, kind
    assert shown(world, "ownshop") == {"PT-14": 20, "PT-18": 20}
    assert (
        availability(shop, "PT-18", "hagglet").why.steps[2].value == "of the category Pots / Small"
    )
    before = [{"PT-14": 12, "PT-18": 12}, *(wanted for _, _, _, wanted in steps[:-1])]
    for (kind, of, _, _), wanted in reversed(list(zip(steps, before, strict=True))):
        set_policy(shop, owner, "hagglet", kind, of, None)
        deliver(shop)
        assert shown(world) == wanted, kind
    assert_sound(shop)


def test_a_sale_follows_the_nearest_policy_too(shop, owner, world):
    set_policy(shop, owner, "hagglet", "product", "PT-14", {"cap": 18})
    world.buy("ownshop", "PT-14", 5)
    read(shop)
    deliver(shop)
    assert shown(world)["PT-14"] == 15


def test_a_product_that_is_not_listed_is_explained_by_it_as_well(shop, owner):
    add_pot(shop, owner, "PT-22", units=9, category="Pots")
    set_policy(shop, owner, "ownshop", "category", "Pots", {"cap": 2})
    assert availability(shop, "PT-22", "ownshop").quantity == 2


def test_a_listing_is_paused_at_zero_and_comes_back_by_itself(shop, owner, world):
    change_channel(shop, owner, "hagglet", {"stock_policy": {"pause_at_zero": True}})
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["state"] == "live"
    count(shop, owner, "PT-14", 0)
    deliver(shop)
    seen = world.listings("hagglet")["PT-14"]
    assert (seen["state"] == "live", seen["quantity"]) == (False, 0)
    assert world.listings("ownshop")["PT-14"]["state"] == "live"
    with shop.database.reading() as session:
        held = session.get_one(type(listings_of(session)[0]), listing_id(shop, 0))
        assert (held.state, held.wish, held.gone) == ("down", "live", "")
    count(shop, owner, "PT-14", 4)
    deliver(shop)
    seen = world.listings("hagglet")["PT-14"]
    assert (seen["state"], seen["quantity"]) == ("live", 4)
    assert_sound(shop)


@pytest.mark.parametrize(
    ("kind", "of", "policy", "error"),
    [
        ("category", "Nowhere", {}, NotFound),
        ("product", "NOPE", {}, NotFound),
        ("listing", "999999", {}, NotFound),
        ("listing", "first", {}, NotFound),
        ("shelf", "A", {}, Refused),
        ("product", "PT-14", {"share": 101}, Refused),
        ("product", "PT-14", {"shore": 1}, Refused),
    ],
)
def test_what_makes_no_sense_is_refused(shop, owner, kind, of, policy, error):
    with pytest.raises(error):
        set_policy(shop, owner, "hagglet", kind, of, policy)


def test_a_listing_of_another_channel_is_refused(shop, owner):
    with pytest.raises(Refused, match="another channel"):
        set_policy(shop, owner, "hagglet", "listing", str(listing_id(shop, 0, "ownshop")), {})
