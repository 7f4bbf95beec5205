"""Puts together what a message says: the thing as it is at the moment of sending, and nothing when
it does not exist any more."""

from collections.abc import Callable, Collection, Mapping
from typing import Any

from relvan.core.webhooks.announcing import Matter
from relvan.services.workplace import Workplace
from relvan.store.catalogue import skus_of
from relvan.store.channels import channels
from relvan.store.holdings import load_holdings
from relvan.store.listings import listings_of
from relvan.store.orders import orders_by_numbers
from relvan.store.session import Session
from relvan.store.stock import stock_rows

Said = dict[str, dict[str, Any]]


def say(
    session: Session, workplace: Workplace, subjects: Mapping[Matter, Collection[str]]
) -> dict[Matter, Said]:
    """Returns what there is to say of some things, by matter and subject."""
    return {
        matter: SAYING[matter](session, workplace, list(wanted))
        for matter, wanted in subjects.items()
    }


def _stock(session: Session, _workplace: Workplace, subjects: Collection[str]) -> Said:
    ids = [int(subject) for subject in subjects]
    names, holdings = skus_of(session, ids), load_holdings(session, ids)
    found: Said = {
        str(i): {"sku": names[i], "free": holdings.free(i), "warehouses": []}
        for i in ids
        if i in names
    }
    by_sku = {said["sku"]: said["warehouses"] for said in found.values()}
    for row in stock_rows(
        session, [i for i in ids if i not in holdings.kits]
    ):  # a kit is stocked as its parts
        by_sku[row.sku].append(
            {
                "warehouse": row.warehouse_key,
                "on_hand": row.on_hand,
                "reserved": row.reserved,
                "blocked": row.blocked,
                "safety": row.safety,
                "free": row.free,
            }
        )
    return found


def _price(session: Session, workplace: Workplace, subjects: Collection[str]) -> Said:
    listings = listings_of(session, listing_ids=[int(subject) for subject in subjects])
    names, places = (
        skus_of(session, [listing.product_id for listing in listings]),
        {one.id: one for one in channels(session)},
    )
    found: Said = {}
    for listing in listings:
        channel = places[listing.channel_id]
        currency = workplace.rulebook(channel).currency
        amount, regular = listing.price, listing.regular
        found[str(listing.id)] = {
            "sku": listing.alias or names[listing.product_id],
            "channel": channel.key,
            "listing": listing.id,
            "state": listing.state,
            "price": None if amount is None else {"amount": amount, "currency": currency},
            "regular": None if regular is None else {"amount": regular, "currency": currency},
        }
    return found


def _say_orders(session: Session, _workplace: Workplace, subjects: Collection[str]) -> Said:
    places = {one.id: one.key for one in channels(session)}
    return {
        order.number: {
            "number": order.number,
            "channel": places[order.channel_id] if order.channel_id else None,
            "channel_number": order.channel_number,
            "tray": order.tray,
            "cancelled": order.cancelled_at is not None,
            "facts": {
                "reserved": order.fact_reserved,
                "picked": order.fact_picked,
                "shipped": order.fact_shipped,
                "invoiced": order.fact_invoiced,
                "paid": order.fact_paid,
            },
        }
        for order in orders_by_numbers(session, subjects)
    }


SAYING: Mapping[Matter, Callable[[Session, Workplace, Collection[str]], Said]] = {
    Matter.STOCK: _stock,
    Matter.PRICE: _price,
    Matter.ORDER: _say_orders,
}
