"""Lets one of Corvello's centres hold goods of Quillmoss and send orders for it."""

import httpx

from relvan.services.channels.settings import change_channel
from relvan.services.orders.release import release_orders
from relvan.services.orders.reroute import move_promise
from relvan.services.setup.warehouses import add_warehouse
from relvan.services.shipping.centres import mind_centres, send_to_centre
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key, supply_keys
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.orders import lines_of, order_by_number, reservations_of
from relvan.store.stock import warehouse_by_id
from relvan.store.tables import OrderLine

DEPOT = {
    "key": "depot",
    "name": "Corvello Depot",
    "kind": "centre",
    "channel": "corvello",
    "centre": "arden",
    "address": {
        "name": "Corvello, Arden",
        "street": "2 Canal Reach",
        "postcode": "AR1 2CF",
        "town": "Arden",
        "country": "IE",
    },
    "pick_up": {"days": [0, 1, 2, 3, 4, 5], "cut_off": "18:00"},
}
SPARE = 10


def send_from_the_depot(workplace: Workplace, owner: Actor, world: httpx.Client) -> None:
    """Adds the depot with goods of three open orders; one order is handed over, and one waits for it."""
    add_warehouse(workplace, owner, DEPOT)
    with workplace.database.reading() as session:
        rows = order_page(
            session, OrderFilter(tray=("inbox",), reserved=("all",), paid=("all",)), limit=3
        )
        numbers = [row.number for row in rows]
        orders = [order_by_number(session, number) for number in numbers]
        found = lines_of(session, [order.id for order in orders])
        lines = [line for order in orders for line in found[order.id] if line.stocked]
        supply = supply_keys(session, channel_by_key(session, "corvello").id)
    stock = {line.sku: line.quantity + SPARE for line in lines}
    for sku, units in stock.items():
        wish = MoveStock(sku, "depot", "opening", change=units, note="counted by Corvello")
        move_stock(workplace, owner, wish)
    address = f"/world/corvello/centres/{DEPOT['centre']}/stock"
    world.put(address, json={"stock": stock}).raise_for_status()
    change_channel(workplace, owner, "corvello", {"supply_list": [*supply, "depot"]})
    send_to_centre(workplace, owner, numbers[:1], "depot")
    mind_centres(workplace)
    for line in found[orders[1].id]:
        _let_leave_from_depot(workplace, owner, numbers[1], line)
    release_orders(workplace, owner, numbers[1:2])


def _let_leave_from_depot(workplace: Workplace, owner: Actor, number: str, line: OrderLine) -> None:
    if not line.stocked:
        return
    with workplace.database.reading() as session:
        held = reservations_of(session, [line.order_id]).get(line.id, [])
        starts = {warehouse_by_id(session, one.warehouse_id).key for one in held}
    for start in sorted(starts):
        move_promise(workplace, owner, number, line.id, "depot", start)
