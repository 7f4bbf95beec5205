"""Holds steps of tests about drift."""

from relvan.services.listings.standing import read_standing
from tests.house import (
    channel_ids,
)


def look(shop, key="ownshop"):
    shop.now.move(minutes=1)
    return read_standing(shop, channel_ids(shop)[key])


def meddle(world, **prices_or_stock):
    """Somebody changes something in the shop's own administration."""
    headers = {"Authorization": f"Bearer {world.token('ownshop')}"}
    for what, value in prices_or_stock.items():
        body = {
            "prices": {"prices": [{"sku": "PT-14", "price": value}]},
            "stock": {"levels": [{"sku": "PT-14", "room": "web", "count": value}]},
        }[what]
        world.client.post(
            f"{world.seller_api('ownshop')}/{what}", json=body, headers=headers
        ).raise_for_status()
