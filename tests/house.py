"""Holds small verbs for tests: what a person at Quillmoss would have done before."""

import io
import time

from PIL import Image

from relvan.core.catalogue.product import ProductDraft
from relvan.services.bulk.work import work_next
from relvan.services.catalogue.pictures import add_picture
from relvan.services.catalogue.save import create_product
from relvan.services.channels.carriers import connect_carrier
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.check import check
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next
from relvan.services.outbox.sheets import sheet_due
from relvan.services.stock.move import MoveStock, move_stock
from relvan.store.catalogue import find_product
from relvan.store.channels import channels
from relvan.store.facts import facts_by_id
from relvan.store.history import HistoryFilter, product_history
from relvan.store.jobs import job_rows
from relvan.store.listings import listings_of
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.stock import stock_rows
from relvan.store.tables import Table

TEXT = "A stoneware pot with a glaze, thrown by hand."


def png(colour="green", side=400):
    """Builds a picture file."""
    out = io.BytesIO()
    Image.new("RGB", (side, side), colour).save(out, "PNG")
    return out.getvalue()


def pot(sku="PT-14", **facts):
    """Returns the draft of a product that every channel takes."""
    start = {
        "title": f"Pot {sku}",
        "description": TEXT,
        "category": "Pots",
        "weight_g": 700,
        "cost": 500,
        "attributes": {"material": "stoneware"},
        "prices": {"retail": 1690},
    }
    return ProductDraft(sku=sku, **{**start, **facts})


def add_pot(workplace, owner, sku="PT-14", units=10, warehouse="millrace", **facts):
    """Creates a product with a picture and stock; returns its SKU."""
    create_product(workplace, owner, pot(sku, **facts))
    add_picture(workplace, owner, sku, png(side=400 + len(sku)))
    if units:
        receive(workplace, owner, sku, units, warehouse)
    return sku


def receive(workplace, owner, sku, units, warehouse="millrace", **more):
    return move_stock(workplace, owner, MoveStock(sku, warehouse, "receipt", change=units, **more))


def count(workplace, owner, sku, units, warehouse="millrace", **more):
    return move_stock(workplace, owner, MoveStock(sku, warehouse, "count", counted=units, **more))


def connect(workplace, owner, world, *keys):
    """Connect channels and the carrier."""
    for key in keys or ("hagglet", "ownshop"):
        connect_channel(
            workplace, owner, ConnectChannel(key, world.seller_api(key), world.token(key))
        )
    connect_carrier(
        workplace, owner, "ostrel", "Ostrel Post", world.seller_api("ostrel"), world.token("ostrel")
    )


def channel_ids(workplace):
    with workplace.database.reading() as session:
        return {channel.key: channel.id for channel in channels(session)}


def list_everywhere(workplace, owner, *skus):
    """Drafts on every channel, closes the gaps, publishes and delivers; returns listing ids by
    (channel, SKU)."""
    found = {}
    for key in channel_ids(workplace):
        ids = draft_listings(workplace, owner, key, skus).listing_ids
        found |= {(key, sku): listing_id for sku, listing_id in zip(skus, ids, strict=True)}
        if key == "hagglet":
            change_listings(workplace, owner, ids, {"shelf": "hg-planters"})
        publish_listings(workplace, owner, ids)
    deliver(workplace)
    return found


def deliver(workplace, worker="test", most=200):
    """Delivers everything that is due, channel by channel; returns how many updates went out."""
    sent = 0
    for channel_id in channel_ids(workplace).values():
        for _ in range(most):
            delivery = deliver_next(workplace, channel_id, worker)
            sent += delivery.sent
            if not delivery.sent and not _is_handed_in(workplace, channel_id):
                break
            if not delivery.sent:  # a reply sheet is asked for now and then, by both clocks
                workplace.now.move(seconds=1)
                time.sleep(0.1)
    return sent


def _is_handed_in(workplace, channel_id):
    with workplace.database.reading() as session:
        return sheet_due(session, channel_id, workplace.now()) is not None


def persist(workplace, rounds=400):
    """Deliver through bad weather, moving the clock on whenever there is nothing due, until nothing
    waits."""
    for _ in range(rounds):
        waits = []
        for channel_id in channel_ids(workplace).values():
            delivery = deliver_next(workplace, channel_id, "test")
            if delivery.wait_s is not None or delivery.sent:
                waits.append(0 if delivery.sent else delivery.wait_s)
        if not waits:
            return
        workplace.now.move(seconds=min(waits) + 0.001)
        time.sleep(
            0.02 if min(waits) else 0
        )  # the world's rate limits run by the machine's own clock
    raise AssertionError("updates still wait")


def read(workplace):
    """Read the orders of every channel."""
    return [
        number
        for channel_id in channel_ids(workplace).values()
        for number in read_orders(workplace, channel_id).numbers
    ]


def orders(workplace, **wanted):
    with workplace.database.reading() as session:
        some = {name: (value,) for name, value in wanted.items()}
        return order_page(session, OrderFilter(**some), limit=500)


def assert_sound(workplace):
    """Returns every invariant of the database holds."""
    assert check(workplace.database) == []


def stock_of_sku(session, sku):
    """Returns a product's balances by its SKU."""
    return stock_rows(session, [find_product(session, sku).id])


def held(workplace, sku="PT-14"):
    with workplace.database.reading() as session:
        product = find_product(session, sku).id
        return facts_by_id(session, [product])[product]


def everything_done(workplace):
    with workplace.database.reading() as session:
        listings = [(row.id, row.state, row.wish, row.outdated) for row in listings_of(session)]
        return product_history(session, HistoryFilter(), limit=500), job_rows(session), listings


def work(workplace):
    """Work on the bulk jobs until none waits."""
    while work_next(workplace):
        pass


def every_row(workplace):
    """Returns every row of every table, to see that nothing at all was changed."""
    with workplace.database.reading() as session:
        return {
            table.name: sorted(map(repr, session.execute(table.select())))
            for table in Table.metadata.sorted_tables
        }
