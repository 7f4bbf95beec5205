"""Adds to the demo what is wrong on purpose: goods that were recalled, a listing that the channel
refuses, an order for something unknown, orders for more than there is.
"""

from collections.abc import Callable

import httpx

from relvan.core.orders.intake import Address, IncomingLine
from relvan.demo.buyers import buy
from relvan.demo.drawings import draw
from relvan.demo.plan import NOTICE, TELEPHONE_ORDERS
from relvan.services.listings.draft import change_listings
from relvan.services.listings.publish import publish_listings, take_down_listings
from relvan.services.orders.take import take_manual_order
from relvan.services.stock.move import MoveStock, move_stock, set_safety
from relvan.services.workplace import Actor, Workplace
from relvan.store.listing_list import ListingFilter, listing_page


def go_wrong(
    workplace: Workplace, owner: Actor, world: httpx.Client, settle: Callable[..., None]
) -> None:
    """Adds all of it."""
    note = "recalled: loose spray head"
    move_stock(workplace, owner, MoveStock("WA-MIST", "millrace", "block", change=3, note=note))
    _refused_listing(workplace, owner)
    settle("hagglet")
    _unknown_line(workplace, world)
    _short_orders(workplace, owner)
    buy(world, "hagglet", "SE-BASIL", 1, workplace.now(), paid=False)
    set_safety(workplace, owner, "PT-14-CEL", "millrace", 2)
    with workplace.database.reading() as session:
        rows = listing_page(session, ListingFilter(channel="ownshop", state="live"), limit=200)
    take_down_listings(workplace, owner, [row.id for row in rows if row.sku == "TL-BRUSH"])
    name = {"name": "Mint 'Garden Row', seed tin for two window boxes"}
    change_listings(workplace, owner, [row.id for row in rows if row.sku == "SE-MINT"], name)


def _refused_listing(workplace: Workplace, owner: Actor) -> None:
    with workplace.database.reading() as session:
        rows = listing_page(session, ListingFilter(channel="hagglet", words="SE-CORI"))
    ids = [row.id for row in rows]
    heading = {"heading": "Coriander seeds, no counterfeit, slow to bolt"}
    change_listings(workplace, owner, ids, heading)
    publish_listings(workplace, owner, ids)


def _unknown_line(workplace: Workplace, world: httpx.Client) -> None:
    """Places a notice on Hagglet by hand, under a code that the catalogue does not know."""
    token = world.get("/world").json()["standins"]["hagglet"]["token"]
    head = {"Authorization": f"Token {token}", "Request-Id": "by-hand-1"}
    photo = world.post(
        "/hagglet/seller/photos", content=draw("tin", "#8A7B5C", "Twine"), headers=head
    )
    body = {**NOTICE, "photos": [photo.json()["photo"]]}
    world.post("/hagglet/seller/notices", json=body, headers=head).raise_for_status()
    buy(world, "hagglet", "TWINE-G", 1, workplace.now())


def _short_orders(workplace: Workplace, owner: Actor) -> None:
    """Enters orders by telephone for more than there is."""
    for sku, title, units, price, name in TELEPHONE_ORDERS:
        to = Address(name, "4 Quay Street", "Port Ellery", "D04 K7K2", "IE", "orders@example.com")
        line = IncomingLine("", sku, title, units, price)
        take_manual_order(workplace, owner, (line,), to, paid=True)
