"""Promises stock to orders and frees it again. An order that cannot have everything waits."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from relvan.core.orders.deeds import (
    DOES,
    DeedAnswer,
    DeedOutcome,
    OrderDeed,
    OrderStanding,
    deeds_of,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.core.stock.reserving import Promise, ReservationPlan
from relvan.services import audit
from relvan.services.changes import Sold, changes_of
from relvan.services.orders.blocks import for_orders
from relvan.services.orders.plan import plan_reservations
from relvan.services.orders.work_out import work_out_orders
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import skus_of
from relvan.store.order_standing import standings_of
from relvan.store.orders import lines_of, reservations_of, units_in_shipments
from relvan.store.session import Session
from relvan.store.stock import balance_rows, change_reserved
from relvan.store.tables import Order, Reservation


@dataclass(frozen=True)
class Reserving:
    """How stock is promised to an order: whole or not at all, or in `part` what there is; with
    `anywhere` also from warehouses that do not feed its channel. When there is a sale behind it, it
    also has when that became known, and the (channel, product) pairs that the channel has lowered
    itself."""

    part: bool = False
    anywhere: bool = False
    caused_at: datetime | None = None
    sold: Sold = frozenset()


WHOLE = Reserving()


def reserve_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Promises stock to each order in the order in which they are named; returns a verdict for
    each."""
    return _reserve_each(workplace, actor, numbers, OrderDeed.RESERVE, WHOLE)


def reserve_anywhere(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Promises stock to each order, also from warehouses that do not feed its channel; returns a
    verdict for each."""
    how = Reserving(anywhere=True)
    return _reserve_each(workplace, actor, numbers, OrderDeed.RESERVE_ANYWHERE, how)


def _reserve_each(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], deed: OrderDeed, how: Reserving
) -> list[Verdict]:
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str | Refused]:
        plans = plan_reservations(session, orders, anywhere=how.anywhere).plans
        whole = [order for order in orders if plans[order.id].whole]
        if whole:
            reserve_all(session, workplace, actor, whole, how)
        short = [order for order in orders if not plans[order.id].whole]
        return dict(_short_refusals(session, deed, short, plans))

    return for_orders(workplace, numbers, do, deed)


def unreserve_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Frees what is promised to each order and not yet in a shipment."""
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str]:
        freed = free_all(session, workplace, actor, orders)
        work_out_orders(session, workplace, actor, orders)
        changes_of(session).stock_moved(freed)
        return {}

    return for_orders(workplace, numbers, do, OrderDeed.UNRESERVE)


def reserve_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    how: Reserving = WHOLE,
) -> ReservationPlan:
    """Promises stock to one order inside a transaction; brings along its progress and all listings
    concerned."""
    return reserve_all(session, workplace, actor, [order], how)[order.id]


def reserve_all(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    orders: Sequence[Order],
    how: Reserving = WHOLE,
) -> dict[int, ReservationPlan]:
    """Promises stock to orders one after the other; returns a plan for each by its id. What depends
    on it is brought along once for all of them."""
    for order in orders:
        if order.cancelled_at:
            raise refuse(
                "cancelled", f"“{order.number}” is cancelled.", "Nothing can be reserved for it."
            )
    planned = plan_reservations(session, orders, part=how.part, anywhere=how.anywhere)
    plans, lines, held = planned.plans, planned.lines, planned.held
    products = planned.products
    got = [
        order
        for order in orders
        if (plans[order.id].whole or how.part) and plans[order.id].promises
    ]
    for order in got:
        order.routed = planned.routed[order.id]
    _promise(session, [promise for order in got for promise in plans[order.id].promises], held)
    audit.record_many(
        session,
        actor,
        workplace.now(),
        "order",
        [(order.id, _deed(plans[order.id]), {}) for order in got],
    )
    work_out_orders(session, workplace, actor, orders)
    served = (order for order in orders if plans[order.id].whole or how.part)
    whole = {line.product_id for order in served for line in lines[order.id]}
    if (
        touched := products
        if how.sold
        else {product_id for product_id in whole if product_id is not None}
    ):
        changes_of(session).stock_moved(touched, caused_at=how.caused_at, sold=how.sold)
    return plans


def _deed(plan: ReservationPlan) -> str:
    return "reserved" if plan.whole else "reserved in part"


def free_in(session: Session, workplace: Workplace, actor: Actor, order: Order) -> set[int]:
    """Frees what is promised to an order beyond its open shipments; returns the products whose
    stock became free."""
    return free_all(session, workplace, actor, [order])


def free_all(
    session: Session, workplace: Workplace, actor: Actor, orders: Sequence[Order]
) -> set[int]:
    """Frees what is promised to orders beyond their open shipments; returns the products whose stock
    became free."""
    session.flush()
    ids = [order.id for order in orders]
    in_shipments, lines = units_in_shipments(session, ids), lines_of(session, ids)
    held = reservations_of(session, ids)
    sums: dict[tuple[int, int], int] = defaultdict(int)
    freed: dict[int, None] = {}
    for order in orders:
        for reservation in (one for line in lines[order.id] for one in held.get(line.id, ())):
            place = (reservation.order_line_id, reservation.warehouse_id)
            keep = in_shipments.get(place, 0)
            if reservation.quantity <= keep:
                continue
            sums[reservation.product_id, reservation.warehouse_id] += keep - reservation.quantity
            freed[order.id] = None
            if keep:
                reservation.quantity = keep
            else:
                session.delete(reservation)
    session.flush()
    change_reserved(session, sums)
    entries: list[tuple[int | None, str, audit.Changes]] = [(one, "freed", {}) for one in freed]
    audit.record_many(session, actor, workplace.now(), "order", entries)
    return {product_id for product_id, _ in sums}


def lower_reservation(session: Session, reservation: Reservation, units: int) -> None:
    """Takes units off a reservation and off the balance that keeps their sum."""
    lower_reservations(session, {reservation: units})


def lower_reservations(session: Session, units: Mapping[Reservation, int]) -> None:
    """Takes units off reservations and off the balances that keep their sums."""
    balances = balance_rows(session, {one.product_id for one in units})
    for reservation, fewer in units.items():
        balances[reservation.product_id, reservation.warehouse_id].reserved -= fewer
        if reservation.quantity == fewer:
            session.delete(reservation)
        else:
            reservation.quantity -= fewer
    session.flush()


def answer_for(session: Session, order: Order, deed: OrderDeed) -> DeedAnswer:
    """Returns what an action leads to for an order as it is.

    Raises:
        Refused: if it is refused.
    """
    answer = deeds_of(standings_of(session, [order])[order.id])[deed]
    answer.raise_if_refused()
    return answer


def part_answer(
    session: Session, order: Order, standing: OrderStanding, plan: ReservationPlan
) -> DeedAnswer:
    """Returns what sending what is there leads to, once it is known what could be reserved."""
    if standing.unreleased or plan.promises:
        return DOES
    if standing.shipments:
        return DeedAnswer(
            DeedOutcome.ALREADY,
            "already",
            f"What there is of “{order.number}” is with the warehouse.",
        )
    return short_answer(session, OrderDeed.RELEASE_PART, order, plan)


FIXES = {
    OrderDeed.RESERVE: "Wait for stock, or move some.",
    OrderDeed.RESERVE_ANYWHERE: "No warehouse has it. Wait for stock, or send a part.",
    OrderDeed.RELEASE_PART: "Wait for stock, or cancel it.",
}


def short_answer(
    session: Session, deed: OrderDeed, order: Order, plan: ReservationPlan
) -> DeedAnswer:
    """Returns the answer that names the goods which an order lacks."""
    return _short_answer(deed, order, plan, _missing_skus(session, [plan]))


def _missing_skus(session: Session, plans: Sequence[ReservationPlan]) -> dict[int, str]:
    ids = {missing.product for plan in plans for missing in plan.missing}
    return skus_of(session, ids) if ids else {}


def _short_answer(
    deed: OrderDeed, order: Order, plan: ReservationPlan, skus: Mapping[int, str]
) -> DeedAnswer:
    parts = ", ".join(f"{missing.quantity} of {skus[missing.product]}" for missing in plan.missing)
    return DeedAnswer(
        DeedOutcome.REFUSED, "short", f"“{order.number}” is short of {parts}.", FIXES[deed]
    )


def _short_refusals(
    session: Session, deed: OrderDeed, orders: Sequence[Order], plans: Mapping[int, ReservationPlan]
) -> Iterator[tuple[int, Refused]]:
    """Yields for orders that lack goods why they were refused, by their ids."""
    skus = _missing_skus(session, [plans[order.id] for order in orders])
    for order in orders:
        try:
            _short_answer(deed, order, plans[order.id], skus).raise_if_refused()
        except Refused as refused:
            yield order.id, refused


def _promise(
    session: Session, promises: Sequence[Promise], held: Mapping[int, Sequence[Reservation]]
) -> None:
    if not promises:
        return
    by_place: dict[tuple[int, int], Reservation] = {
        (line, reservation.warehouse_id): reservation
        for line, rows in held.items()
        for reservation in rows
    }
    sums: dict[tuple[int, int], int] = defaultdict(int)
    for promise in promises:
        sums[promise.product, promise.warehouse] += promise.quantity
        existing = by_place.get((promise.line, promise.warehouse))
        if existing:
            existing.quantity += promise.quantity
        else:
            session.add(
                Reservation(
                    order_line_id=promise.line,
                    product_id=promise.product,
                    warehouse_id=promise.warehouse,
                    quantity=promise.quantity,
                )
            )
    session.flush()
    change_reserved(session, sums)


def promise_route(session: Session, order: Order, plan: ReservationPlan) -> None:
    """Promises what a plan says, inside a transaction."""
    _promise(session, plan.promises, reservations_of(session, [order.id]))
