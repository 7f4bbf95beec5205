"""Every price below its floor is found: one that a channel still shows, one that it changed, one
that was sold."""

import pytest

from relvan.services.channels.settings import change_channel
from relvan.services.prices.set import set_floor
from relvan.store.floors import SOLD_OF, prices_to_watch
from relvan.store.product_list import ProductFilter, product_page
from tests.house import add_pot, connect, deliver, list_everywhere, orders, read
from tests.snapshots import built_once
from tests.steps.drift import look, meddle


@built_once
def shop(workplace, owner, world):
    """Builds three pots of 16.90: one with a floor of 15.00, one without, and one that sells at a
    loss."""
    connect(workplace, owner, world)
    for sku in ("PT-14", "PT-16", "PT-18"):
        add_pot(workplace, owner, sku, cost=1500 if sku == "PT-18" else 500)
    set_floor(workplace, owner, "PT-14", 1500)
    list_everywhere(workplace, owner, "PT-14", "PT-16", "PT-18")
    change_channel(workplace, owner, "ownshop", {"mends": ["quantity"]})
    workplace.now.move(seconds=1)
    return workplace


def watched(shop):
    with shop.database.reading() as session:
        return [
            (one.listing.sku, one.listing.channel_key, one.lowest, one.shown, one.below)
            for one in prices_to_watch(session)
        ]


def below(shop, **wanted):
    with shop.database.reading() as session:
        return [row.sku for row in product_page(session, ProductFilter(**wanted))]


def test_what_a_channel_changed_to_below_the_floor_comes_first(shop, world):
    assert not any(one[-1] for one in watched(shop))
    meddle(world, prices="11.11")
    look(shop)
    assert below(shop, priced="below") == []  # one look alone may be mistaken
    look(shop)
    assert watched(shop)[0] == ("PT-14", "ownshop", 1500, 1111, True)
    assert below(shop, priced="below") == ["PT-14"]
    assert [one[:2] for one in watched(shop) if one[-1]] == [("PT-14", "ownshop")]
    meddle(world, prices="16.90")
    look(shop)
    assert below(shop, priced="below") == []


def test_what_it_changed_to_something_not_below_is_only_drift(shop, world):
    meddle(world, prices="15.00")
    for _ in range(2):
        look(shop)
    assert below(shop, priced="below") == []


def test_what_it_still_shows_while_it_cannot_be_told(shop, owner, world):
    world.weather("hagglet", "down")
    set_floor(shop, owner, "PT-16", 1800)
    deliver(shop)
    assert watched(shop)[0] == ("PT-16", "hagglet", 1800, 1690, True)
    assert below(shop, priced="below") == ["PT-16"]


@pytest.mark.parametrize(("price", "found"), [("11.11", ["PT-14"]), ("15.00", [])])
def test_what_was_sold_below_its_floor_lately(shop, world, api, price, found):
    meddle(world, prices=price)
    world.buy("ownshop", "PT-14", 2)
    world.buy("ownshop", "PT-16")
    read(shop)
    assert len(orders(shop)) == 2
    assert below(shop, sold_below_since=shop.now() - SOLD_OF) == found
    told = api.get("/api/v1/price-watch").json()
    assert told["sold_below"] == found
    assert [(one["sku"], one["below"]) for one in told["items"]] == [("PT-18", False)] * 2
    shop.now.move(days=90)  # the world has a clock of its own
    assert below(shop, sold_below_since=shop.now() - SOLD_OF) == []
