"""Sale prices start and end by themselves, on every channel; every price sent is kept with its
cause."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from relvan.core.refusal import Refused
from relvan.services.listings.explain_price import explain_price
from relvan.services.prices.sales import PlanSale, end_sale, plan_sale, turn_sales
from relvan.services.prices.set import set_floor, set_list_price
from relvan.store.prices_sent import SentFilter, prices_sent
from relvan.store.tables import SaleWindow
from tests.house import add_pot, assert_sound, connect, deliver, list_everywhere
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    """Builds a pot of 16.90 on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def plan(shop, owner, amount, start, end, sku="PT-14"):
    now = shop.now()
    wish = PlanSale(sku, "retail", amount, now + timedelta(hours=start), now + timedelta(hours=end))
    return plan_sale(shop, owner, wish)


def there(world, channel="ownshop"):
    return world.listings(channel)["PT-14"]["price"]


def windows(shop):
    with shop.database.reading() as session:
        return list(
            session.scalars(
                select(SaleWindow.state)
                .where(SaleWindow.state != "over")
                .order_by(SaleWindow.since)
            )
        )


def test_a_window_starts_and_ends_by_itself(shop, owner, world):
    plan(shop, owner, 1290, 2, 5)
    assert turn_sales(shop) == 0
    deliver(shop)
    assert (there(world), windows(shop)) == (1690, ["planned"])
    shop.now.move(hours=2)
    assert turn_sales(shop) == 1
    assert turn_sales(shop) == 0
    deliver(shop)
    assert (there(world), there(world, "hagglet"), windows(shop)) == (1290, 1290, ["running"])
    price = explain_price(shop, "PT-14", "ownshop")
    assert (price.money.amount, price.regular.amount) == (1290, 1690)
    shop.now.move(hours=3)
    assert turn_sales(shop) == 1
    deliver(shop)
    assert (there(world), there(world, "hagglet"), windows(shop)) == (1690, 1690, [])
    assert_sound(shop)


def test_the_own_shop_shows_the_regular_price_beside_it(shop, owner, world):
    plan(shop, owner, 1290, 0, 5)
    deliver(shop)
    assert world.item("PT-14")["before"] == "16.90"
    set_list_price(
        shop, owner, "PT-14", "retail", 1890
    )  # the sale price stays, what it goes instead of does not
    deliver(shop)
    assert (world.item("PT-14")["price"], world.item("PT-14")["before"]) == ("12.90", "18.90")


def test_the_floor_holds_for_a_sale_price(shop, owner, world):
    set_floor(shop, owner, "PT-14", 1500)
    plan(shop, owner, 1290, 0, 5)
    deliver(shop)
    assert there(world) == 1500


def test_one_that_is_over_before_anybody_looked_is_never_shown(shop, owner, world):
    plan(shop, owner, 1290, 1, 2)
    shop.now.move(hours=9)
    assert turn_sales(shop) == 1
    assert deliver(shop) == 0
    assert windows(shop) == []


def test_it_can_be_ended_before_its_time_and_planned_twice_is_planned_once(shop, owner, world):
    first = plan(shop, owner, 1290, 0, 5)
    assert plan(shop, owner, 1290, 0, 5) == first
    deliver(shop)
    shop.now.move(minutes=1)
    end_sale(shop, owner, first)
    end_sale(shop, owner, first)
    deliver(shop)
    assert (there(world), windows(shop)) == (1690, [])
    with pytest.raises(Refused, match="lower than the regular"):
        plan(shop, owner, 1690, 0, 5)
    assert_sound(shop)


def test_every_price_sent_is_kept_with_its_cause(shop, owner):
    plan(shop, owner, 1290, 0, 1)
    deliver(shop)
    shop.now.move(hours=1)
    turn_sales(shop)
    deliver(shop)
    set_list_price(shop, owner, "PT-14", "retail", 1890)
    deliver(shop)
    with shop.database.reading() as session:
        found = prices_sent(session, SentFilter(channel="hagglet"))
    assert [(row.amount, row.regular, row.cause) for row in found] == [
        (1890, None, "product changed by Owner"),
        (1690, None, "a sale price starts or ends"),
        (1290, 1690, "sale price planned by Owner"),
        (1690, None, "published"),
    ]
