"""Lets a person choose who gets goods that are not enough for all, and serves waiting orders by the
rule that was chosen.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from relvan.core.orders.policy import USUAL
from relvan.core.orders.scarce import (
    ServeBy,
    ServedOrders,
    WaitingOrder,
    choose_by_age,
    choose_served,
    in_turn,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.changes import Changes
from relvan.services.orders.reserve import reserve_in, reserve_orders
from relvan.services.verdicts import Verdict
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.channels import channel_keys, order_policies, order_policy_of
from relvan.store.order_lines import orders_by_id
from relvan.store.orders import lines_of, reservations_of, short_order_ids, short_orders_wanting
from relvan.store.session import Session
from relvan.store.stock import balances_of
from relvan.store.tables import Channel, Order

MOST_CONTESTED = 2_000
IN_TRANSACTION_S = 0.5


@dataclass(frozen=True)
class Alternative:
    """One way to give the goods out: by which rule, or which channel goes first; which orders are
    served whole, their value by currency in minor units, and since when the oldest of the others
    waits."""

    by: ServeBy
    first: str
    served: ServedOrders
    amounts: Mapping[str, int]
    oldest_left: datetime | None


@dataclass(frozen=True)
class Contest:
    """Orders that wait for goods of which there are not enough: how many, the alternatives, and the
    products, each as (SKU, units wanted, units free)."""

    orders: int
    alternatives: Sequence[Alternative]
    goods: Sequence[tuple[str, int, int]]


def contest(workplace: Workplace) -> Contest:
    """Returns the alternatives for all orders that are short of stock now; nothing is changed."""
    with workplace.database.reading() as session:
        orders = orders_by_id(session, short_order_ids(session, MOST_CONTESTED))
        waiting, free = waiting_orders(session, orders)
        skus = _skus(session, orders)
    by_number = {order.number: order for order in orders}
    found = [
        _alternative(ServeBy.AGE, "", choose_by_age(free, waiting), by_number),
        *(
            _alternative(by, "", choose_served(free, waiting, by), by_number)
            for by in (ServeBy.MOST, ServeBy.MONEY)
        ),
        *(
            _alternative(ServeBy.AGE, key, choose_by_age(free, waiting, first=key), by_number)
            for key in dict.fromkeys(order.channel for order in waiting if order.channel)
        ),
    ]
    wanted: dict[str, int] = {}
    for order in waiting:
        for product, units in order.units.items():
            wanted[product] = wanted.get(product, 0) + units
    goods = [
        (skus[product], units, free.get(product, 0))
        for product, units in wanted.items()
        if units > free.get(product, 0)
    ]
    return Contest(len(waiting), found, sorted(goods, key=lambda row: row[2] - row[1]))


def _alternative(
    by: ServeBy, first: str, served: ServedOrders, orders: Mapping[str, Order]
) -> Alternative:
    amounts: dict[str, int] = {}
    for number in served.whole:
        order = orders[number]
        amounts[order.currency] = amounts.get(order.currency, 0) + order.total
    left = [order.placed_at for number, order in orders.items() if number not in served.whole]
    return Alternative(by, first, served, amounts, min(left, default=None))


def _skus(session: Session, orders: Sequence[Order]) -> dict[str, str]:
    lines = lines_of(session, [order.id for order in orders])
    return {
        str(line.product_id): line.sku
        for some in lines.values()
        for line in some
        if line.product_id is not None
    }


def waiting_orders(
    session: Session, orders: Sequence[Order]
) -> tuple[list[WaitingOrder], dict[str, int]]:
    """Returns orders with what they still lack, and the units that are free by product. Orders with
    a line that belongs to no product cannot be served whole and are left out."""
    ids = [order.id for order in orders]
    lines, held = lines_of(session, ids), reservations_of(session, ids)
    keys = channel_keys(session)
    waiting, products = [], set[int]()
    for order in orders:
        units: dict[str, int] = {}
        known = True
        for line in lines[order.id]:
            lacking = (
                line.quantity - line.shipped - sum(one.quantity for one in held.get(line.id, ()))
            )
            if not line.stocked or lacking <= 0:
                continue
            if line.product_id is None:
                known = False
                break
            products.add(line.product_id)
            product = str(line.product_id)
            units[product] = units.get(product, 0) + lacking
        if known and units:
            channel = keys.get(order.channel_id or 0, "")
            waiting.append(
                WaitingOrder(
                    order.number, order.placed_at, order.total, units, _promised(order), channel
                )
            )
    free = {
        str(product_id): sum(balance.free for balance in by_warehouse.values())
        for product_id, by_warehouse in balances_of(session, products).items()
    }
    return waiting, free


def _promised(order: Order) -> date | None:
    return date.fromisoformat(order.promised_on) if order.promised_on else None


def serve_by_choice(
    workplace: Workplace,
    actor: Actor,
    by: str,
    *,
    first: str = "",
    keep: bool = False,
) -> list[Verdict]:
    """Reserves for the orders that an alternative serves, in its order; returns a verdict for each.
    With `keep` the choice becomes the habit of the channels whose orders wait."""
    actor.must(Right.ORDERS)
    if by not in set(ServeBy):
        message = f"“by” must be one of {', '.join(ServeBy)}; it got “{by[:20]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "by")
    with workplace.database.reading() as session:
        orders = orders_by_id(session, short_order_ids(session, MOST_CONTESTED))
        waiting, free = waiting_orders(session, orders)
    if by == ServeBy.AGE:
        served = choose_by_age(free, waiting, first=first)
    else:
        served = choose_served(free, waiting, ServeBy(by))
    if keep and not first:
        _keep_habit(workplace, actor, ServeBy(by), {order.channel_id for order in orders})
    return reserve_orders(workplace, actor, served.whole)


def _keep_habit(
    workplace: Workplace, actor: Actor, by: ServeBy, channel_ids: Collection[int | None]
) -> None:
    with workplace.database.writing() as session:
        for channel_id in channel_ids:
            if channel_id is None:
                continue
            channel = session.get_one(Channel, channel_id)
            before = order_policy_of(channel).serve_by
            if before == by:
                continue
            channel.order_policy = {**channel.order_policy, "serve_by": str(by)}
            changes = {"who is served first": (str(before), str(by))}
            subject = audit.Subject("channel", channel.id)
            audit.record(session, actor, workplace.now(), subject, "changed", changes)


def in_habitual_order(session: Session, orders: Sequence[Order]) -> list[Order]:
    """Returns orders that wait for goods in the order in which they are tried: by the habit that
    their channels share, else the oldest first."""
    policies = order_policies(session, {order.channel_id for order in orders})
    habits = {
        policies[order.channel_id].serve_by for order in orders if order.channel_id is not None
    } or {USUAL.serve_by}
    by_number = {order.number: order for order in orders}
    if len(habits) > 1 or habits == {ServeBy.AGE}:
        waiting = [
            WaitingOrder(order.number, order.placed_at, order.total, {}, _promised(order))
            for order in orders
        ]
        return [by_number[order.key] for order in in_turn(waiting)]
    waiting, free = waiting_orders(session, orders)
    served = choose_served(free, waiting, next(iter(habits)), seconds=IN_TRANSACTION_S)
    first = [by_number[number] for number in served.whole]
    rest = [order for order in orders if order.number not in served.whole]
    return [*first, *rest]


def serve_waiting_orders(session: Session, workplace: Workplace, changes: Changes) -> None:
    """Tries to reserve for orders that are short of stock, after stock became free: by the habit of
    their channels, else the oldest first. The numbers of those that got it are kept with the
    changes."""
    freed = changes.take_freed()
    if not freed:
        return
    orders = orders_by_id(session, short_orders_wanting(session, freed))
    for order in in_habitual_order(session, orders) if orders else ():
        if reserve_in(session, workplace, SYSTEM, order).whole:
            changes.served.append(order.number)
