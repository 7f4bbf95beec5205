"""Tests a channel that sells in another currency and is changed by patches: drafted, sold, changed,
taken down, lapsed."""

import pytest

from relvan.core.refusal import Refused
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.explain_price import explain_price
from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.orders.release import release_orders
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.prices.set import set_list_price
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.store.order_list import stuck_in_trays
from relvan.store.orders import order_by_number
from tests.house import assert_sound, count, deliver, orders, persist, read
from tests.steps.loomstead import listing, place
from tests.steps.sale import packed, picks_of, shipments


@pytest.fixture
def shop(loomstead_shop):
    return loomstead_shop


def test_a_channel_in_francs_needs_a_price_list_in_francs(workplace, owner, world):
    wish = ConnectChannel("loomstead", world.seller_api("loomstead"), world.token("loomstead"))
    with pytest.raises(Refused) as refused:
        connect_channel(workplace, owner, wish)
    assert (refused.value.first.code, refused.value.first.field) == ("no-price-list", "rulebook")
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    assert connect_channel(workplace, owner, wish) == "loomstead"
    with pytest.raises(Refused) as refused:
        change_channel(workplace, owner, "loomstead", {"price_list": "retail"})
    assert refused.value.first.code == "currency"
    assert "sells in CHF; “Retail” is in EUR" in refused.value.first.message


def test_it_is_sold_in_francs_and_falls_everywhere(shop, owner, world):
    place(shop, owner)
    shown = world.listings("loomstead")["PT-14"]
    assert (shown["price"], shown["currency"], shown["quantity"]) == (1800, "CHF", 10)
    number = world.buy("loomstead", "PT-14", 3)
    read(shop)
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 7
    (row,) = orders(shop)
    assert (row.channel_number, row.currency, row.total) == (number, "CHF", 3 * 1800 + 490)
    world.buy("ownshop", "PT-14")
    read(shop)
    with shop.database.reading() as session:
        (stuck,) = stuck_in_trays(session).values()
    assert stuck.orders == 2
    assert dict(stuck.amounts) == {"CHF": 5890, "EUR": 1690 + 490}, (
        "francs and euros are not added up"
    )

    assert release_orders(shop, owner, [row.number])[0].ok
    (shipment,) = [held.id for held in shipments(shop, "to pick")]
    walk = make_pick_list(shop, owner, [shipment])
    record_pick(shop, owner, walk, picks_of(shop, walk)[0].id, 3)
    (tracking,) = packed(shop, owner, shipment)
    assert dispatch_shipments(shop, owner, [shipment])[0].ok
    deliver(shop)
    seen = world.order("loomstead", number)
    assert (seen["state"], [parcel["code"] for parcel in seen["tracking"]]) == ("sent", [tracking])
    with shop.database.reading() as session:
        assert order_by_number(session, row.number).fact_shipped == "all"
    assert_sound(shop)


def test_a_floor_in_euros_does_not_hold_a_price_in_francs_and_says_so(shop, owner):
    set_list_price(shop, owner, "PT-14", "chf", 900)
    price = explain_price(shop, "PT-14", "loomstead")
    assert (price.money.amount, price.floored) == (900, False)
    assert any("there is no rate to CHF" in step.detail for step in price.why.steps)


def test_a_category_decides_which_fields_there_are(shop, owner):
    ids = draft_listings(shop, owner, "loomstead", ["PT-14"]).listing_ids

    def gaps(**own):
        change_listings(shop, owner, ids, own)
        return {gap["field"]: gap["kind"] for gap in listing(shop).gaps}

    assert gaps() == {"corner": "no category"}
    assert gaps(corner="pots-middle") == {}, (
        "stoneware comes from the product, in the channel's own letters"
    )
    assert gaps(corner="seeds-herbs") == {"sows_in": "missing"}
    assert gaps(sows_in="tomorrow") == {"sows_in": "not allowed"}
    assert gaps(sows_in="spring") == {}
    assert gaps(corner="pots-middle", made_of="cheese") == {"made_of": "not allowed"}
    assert gaps(made_of="") == {}
    assert gaps(keywords=",".join(f"word {n}" for n in range(10))) == {"keywords": "too long"}
    assert gaps(keywords="x" * 21) == {"keywords": "too long"}


def test_what_another_category_asked_for_is_not_sent(shop, owner, world):
    place(shop, owner, "loomstead", sows_in="spring")
    (piece,) = world.client.get(
        "/loomstead/desk/pieces", headers={"Authorization": f"Key {world.token('loomstead')}"}
    ).json()["pieces"]
    assert piece["facts"] == {"made of": "stoneware"}


def test_a_change_reaches_the_page_and_so_do_price_and_quantity(shop, owner, world):
    held = place(shop, owner, "loomstead")
    change_listings(shop, owner, [held.id], {"title": "A pot of another name"})
    set_list_price(shop, owner, "PT-14", "chf", 1950)
    count(shop, owner, "PT-14", 4)
    assert listing(shop).outdated
    publish_listings(shop, owner, [held.id])
    deliver(shop)
    shown = world.listings("loomstead")["PT-14"]
    assert (shown["title"], shown["price"], shown["quantity"]) == ("A pot of another name", 1950, 4)
    assert (listing(shop).state, listing(shop).outdated) == ("live", "")


def test_it_is_taken_down_and_put_back(shop, owner, world):
    held = place(shop, owner, "loomstead")
    take_down_listings(shop, owner, [held.id])
    deliver(shop)
    assert (world.listings("loomstead")["PT-14"]["state"], listing(shop).state) == (
        "withdrawn",
        "down",
    )
    put_back_listings(shop, owner, [held.id])
    deliver(shop)
    assert (world.listings("loomstead")["PT-14"]["state"], listing(shop).state) == ("live", "live")


def test_what_it_refuses_becomes_a_gap_in_its_words(shop, owner, world):
    held = place(shop, owner, "loomstead", title="A pot", width="14 cm")
    change_listings(shop, owner, [held.id], {"title": "Pot"})
    assert {gap["kind"] for gap in listing(shop).gaps} == {"too short"}, (
        "the rulebook knows it before it is sent"
    )


@pytest.mark.parametrize("kind", ["lost answers", "flaky", "throttled"])
def test_in_bad_weather_one_piece_is_placed_and_shows_the_last_of_all(shop, owner, world, kind):
    world.weather("loomstead", kind, seed=5)
    held = draft_listings(shop, owner, "loomstead", ["PT-14"]).listing_ids
    change_listings(shop, owner, held, {"corner": "pots-middle"})
    publish_listings(shop, owner, held)
    persist(shop)
    for units, price in ((8, 1810), (6, 1820), (5, 1830)):
        count(shop, owner, "PT-14", units)
        set_list_price(shop, owner, "PT-14", "chf", price)
        persist(shop)
    world.weather("loomstead", "calm")
    persist(shop)
    assert len(world.client.get("/world/loomstead/listings").json()) == 1
    shown = world.listings("loomstead")["PT-14"]
    assert (shown["price"], shown["quantity"]) == (1830, 5)
    assert_sound(shop)
