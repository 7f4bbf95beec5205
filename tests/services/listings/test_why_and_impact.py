"""Tests whys that leave nothing out, products that are not listed, and an impact that is what comes
to pass."""

import pytest

from relvan.core.catalogue.product import AliasFacts, ProductDraft
from relvan.core.listings.layers import STEPS
from relvan.services.catalogue.save import create_product
from relvan.services.channels.settings import change_channel
from relvan.services.listings.availability import availability, shown_on
from relvan.services.listings.draft import draft_listings
from relvan.services.listings.explain_price import explain_price
from relvan.services.listings.impact import impact_of_layer, impact_of_use
from relvan.services.listings.layers import LayerWish, make_layer, use_layers
from relvan.store.catalogue import find_product
from relvan.store.listings import listings_of
from tests.house import add_pot, connect, receive
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    """Builds a pot with twenty in the yard, which does not feed Hagglet, and three in Millrace."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=3)
    receive(workplace, owner, "PT-14", 20, "yard")
    change_channel(workplace, owner, "hagglet", {"supply_list": ["millrace"]})
    return workplace


@pytest.mark.parametrize("listed", [False, True])
def test_warehouses_that_do_not_feed_a_channel_are_named_with_the_reason(shop, owner, listed):
    if listed:
        draft_listings(shop, owner, "hagglet", ["PT-14"])
    shown = availability(shop, "PT-14", "hagglet")
    assert (shown.free, shown.quantity) == (3, 3)
    left_out = [step for step in shown.why.steps if step.label == "Yard"]
    assert [(step.value, step.detail) for step in left_out] == [
        ("not counted", "20 free there, but it does not feed this channel")
    ]
    assert not [
        step
        for step in availability(shop, "PT-14", "ownshop").why.steps
        if step.value == "not counted"
    ]


def test_a_service_is_not_counted_whether_it_is_listed_or_not(shop, owner):
    create_product(
        shop, owner, ProductDraft("WRAP", "Gift wrap", kind="service", prices={"retail": 250})
    )
    unlisted = availability(shop, "WRAP", "hagglet")
    assert unlisted.quantity > 0
    assert [step.detail for step in unlisted.why.steps] == ["a service is not counted"]
    draft_listings(shop, owner, "hagglet", ["WRAP"])
    assert availability(shop, "WRAP", "hagglet") == unlisted
    assert availability(shop, "WRAP").why.steps[0].value == "not counted"


@pytest.mark.parametrize("channel", ["hagglet", "ownshop"])
def test_an_unlisted_product_shows_and_costs_what_it_will_when_it_is_listed(shop, owner, channel):
    change_channel(
        shop,
        owner,
        channel,
        {
            "price_steps": [{"kind": "percent", "percent": "8"}],
            "stock_policy": {"share": "60", "hold_back": 1},
        },
    )
    before = availability(shop, "PT-14", channel), explain_price(shop, "PT-14", channel)
    draft_listings(shop, owner, channel, ["PT-14"])
    assert (availability(shop, "PT-14", channel), explain_price(shop, "PT-14", channel)) == before


def test_the_impact_of_a_price_layer_knows_an_aliass_own_price(shop, owner):
    own = AliasFacts("Own title", "", {"retail": 2000})
    add_pot(shop, owner, "PT-18", aliases=("OLD-18",), alias_facts={"OLD-18": own})
    ids = draft_listings(shop, owner, "hagglet", ["PT-18", "OLD-18"]).listing_ids
    steps = {STEPS: [{"kind": "percent", "percent": "10"}]}
    layer = make_layer(shop, owner, LayerWish("hagglet", "price", "Dearer", steps))
    foreseen = {
        sample.sku: (sample.old, sample.new)
        for sample in impact_of_use(shop, ids, {"price": layer}).samples
    }
    assert foreseen == {"PT-18": ("16.90 EUR", "18.59 EUR"), "OLD-18": ("20.00 EUR", "22.00 EUR")}
    use_layers(shop, owner, ids, {"price": layer})
    with shop.database.reading() as session:
        product = find_product(session, "PT-18").id
        assert {one.alias: one.price for one in listings_of(session, product_ids=[product])} == {
            "": 1859,
            "OLD-18": 2200,
        }
    dearer = impact_of_layer(shop, layer, {STEPS: [{"kind": "percent", "percent": "20"}]})
    assert {sample.sku: sample.new for sample in dearer.samples}["OLD-18"] == "24.00 EUR"
    with shop.database.reading() as session:
        assert len(shown_on(session, shop, product)) == 2
