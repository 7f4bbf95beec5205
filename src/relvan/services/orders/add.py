"""Writes new orders with their lines, payments and reservations, from wherever they come: a channel, a
file or a person. Everything is worked out first, and each table is then written by one statement for
all orders.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from relvan.core.catalogue.product import ProductKind
from relvan.core.orders.facts import LineFacts, OrderFacts, order_facts
from relvan.core.orders.new import LineToAdd, OrderToAdd
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.trays import settled_tray
from relvan.core.setup.numbering import Series
from relvan.core.stock.reserving import ReservationPlan, Want
from relvan.core.webhooks.announcing import Matter
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_numbers
from relvan.services.orders.lines import KitPartLine, is_stocked, parts_of_kits
from relvan.services.orders.plan import RoutedPlan, Supply
from relvan.services.orders.work_out import NOTHING_YET, note_reached
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Actor, Workplace
from relvan.store.bulk import insert_columns
from relvan.store.catalogue import kinds_of
from relvan.store.ids import new_ids
from relvan.store.session import Session
from relvan.store.stock import change_reserved
from relvan.store.tables import Order, OrderLine, PaymentRow, Reservation


@dataclass(frozen=True)
class AddedOrder:
    """An order that was written: its id, its number, and what was promised to it. What is missing of
    an order that came cancelled is not told."""

    id: int
    number: str
    plan: ReservationPlan


# columns that are written as they are told
TOLD_OF_ORDER = (
    *("currency", "total", "units", "placed_at", "tax_kind", "paid", "channel_id"),
    *("channel_number", "channel_mark", "cancelled_at", "customer_id", "bill_to", "tax_number"),
    *("with_tax", "delivery_price", "promised_on", "reference", "salesperson_id"),
    *("warehouse_id", "overridden"),
)
TOLD_OF_LINE = (
    *("sku", "title", "quantity", "unit_price", "tax", "tax_code", "tax_percent", "product_id"),
    *("is_free", "channel_line", "listing_ref", "discount", "tax_worked", "cost", "price_why"),
)
TOLD_OF_PAYMENT = ("amount", "method", "state", "note", "key")
NOTHING_WANTED = RoutedPlan(ReservationPlan((), ()), {})


@dataclass(frozen=True)
class _Row:
    """A line as it is written: its id, that of its order, its place in it, and the kit's line of
    which it is a part, with the units of it in one kit."""

    id: int
    order_id: int
    position: int
    line: LineToAdd
    stocked: bool
    part_of: int | None = None
    apart: bool = False
    each: int = 1

    @property
    def is_known(self) -> bool:
        return self.line.product_id is not None or self.line.is_free


@dataclass(frozen=True)
class _Settled:
    """An order with what was worked out of it before it is written."""

    id: int
    number: str
    told: OrderToAdd
    rows: Sequence[_Row]
    routed: RoutedPlan
    facts: OrderFacts
    tray: str

    @property
    def plan(self) -> ReservationPlan:
        return self.routed.plan

    @property
    def is_served(self) -> bool:
        return self.plan.whole and bool(self.plan.promises)


def add_orders(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    told: Sequence[OrderToAdd],
    *,
    caused_at: datetime | None = None,
    job_id: int | None = None,
) -> list[AddedOrder]:
    """Writes new orders inside a transaction and reserves for each in turn what it needs, whole or
    not at all; an order that came cancelled gets nothing. What depends on it is noted in the unit of
    work.

    `caused_at` is when the sale became known, and `job_id` the bulk job that brings the orders.
    """
    if not told:
        return []
    session.flush()
    numbers = next_numbers(session, Series.ORDER, len(told), workplace.local_now())
    kits = _kits(session, told)
    counted = sum(1 + len(kits.parts_of(line)) for order in told for line in order.lines)
    ids, line_ids = new_ids(session, {Order: len(told), OrderLine: counted})
    rows = _rows(told, ids, iter(line_ids), kits)
    settled = _settle(session, told, ids, numbers, rows)
    now = workplace.now()
    _write(session, settled, now)
    _write_payments(session, settled, now)
    entries: list[tuple[int | None, str, audit.Changes]] = [
        (one.id, one.told.deed, one.told.deed_changes) for one in settled
    ]
    entries += ((one.id, "reserved", {}) for one in settled if one.is_served)
    audit.record_many(session, actor, now, "order", entries, job_id=job_id)
    _promise(session, settled)
    _note(session, settled, caused_at)
    announce(session, workplace, Matter.ORDER, numbers)
    return [AddedOrder(one.id, one.number, one.plan) for one in settled]


@dataclass(frozen=True)
class _Kits:
    """The parts of the kits that are ordered, and the kind of each kit with whether its parts may
    travel apart, by the kit's id."""

    parts: Mapping[int, Sequence[KitPartLine]]
    kinds: Mapping[int, tuple[str, bool]]

    def parts_of(self, line: LineToAdd) -> Sequence[KitPartLine]:
        """Returns the parts of a line's kit; of what is no kit none."""
        return self.parts.get(line.product_id or 0, ())

    def is_apart(self, line: LineToAdd) -> bool:
        """Says whether a line is of a kit whose parts may travel apart."""
        return bool(self.parts_of(line)) and self.kinds[line.product_id or 0][1]


def _kits(session: Session, told: Sequence[OrderToAdd]) -> _Kits:
    kits = {
        line.product_id
        for order in told
        for line in order.lines
        if line.kind == ProductKind.KIT and line.product_id is not None
    }
    return _Kits(parts_of_kits(session, kits), kinds_of(session, kits))


def _rows(
    told: Sequence[OrderToAdd], ids: Sequence[int], line_ids: Iterator[int], kits: _Kits
) -> dict[int, Sequence[_Row]]:
    """Returns the lines of every order by its id, those of kits followed by their parts."""
    found: dict[int, Sequence[_Row]] = {}
    for order_id, order in zip(ids, told, strict=True):
        rows: list[_Row] = []
        for position, line in enumerate(order.lines, 1):
            parts, apart = kits.parts_of(line), kits.is_apart(line)
            stocked = is_stocked(line.kind) and not line.is_free
            own = _Row(next(line_ids), order_id, position, line, stocked)
            rows.append(own)
            rows += (_part(own, part, next(line_ids), apart=apart) for part in parts)
        found[order_id] = rows
    return found


def _part(own: _Row, part: KitPartLine, line_id: int, *, apart: bool) -> _Row:
    """Returns the line of a part of a kit, free of charge."""
    units = part.quantity * own.line.quantity
    line = LineToAdd(part.sku, part.title, units, 0, 0, "standard", "", part.product_id)
    return _Row(
        line_id,
        own.order_id,
        own.position,
        line,
        stocked=True,
        part_of=own.id,
        apart=apart,
        each=part.quantity,
    )


def _settle(
    session: Session,
    told: Sequence[OrderToAdd],
    ids: Sequence[int],
    numbers: Sequence[str],
    rows: Mapping[int, Sequence[_Row]],
) -> list[_Settled]:
    """Works out what each order gets, in turn, and how far it has come."""
    products = {
        row.line.product_id
        for some in rows.values()
        for row in some
        if row.stocked and row.line.product_id is not None
    }
    supply = Supply(session, products, {order.channel_id for order in told})
    found = []
    for order_id, number, order in zip(ids, numbers, told, strict=True):
        own = rows[order_id]
        routed = NOTHING_WANTED
        if order.cancelled_at is None:
            routed = supply.plan(_wants(own), order.channel_id, order.warehouse_id)
        facts = _facts(order, own, routed.plan)
        tray = settled_tray(
            order.tray,
            facts,
            cancelled=order.cancelled_at is not None,
            open_shipments=0,
            unknown_lines=sum(not row.is_known for row in own),
        )
        found.append(_Settled(order_id, number, order, own, routed, facts, tray))
    return found


def _wants(rows: Sequence[_Row]) -> list[Want]:
    return [
        Want(
            row.id,
            row.line.product_id,
            row.line.quantity,
            None if row.apart else row.part_of,
            1 if row.apart else row.each,
        )
        for row in rows
        if row.stocked and row.line.product_id is not None
    ]


def _facts(order: OrderToAdd, rows: Sequence[_Row], plan: ReservationPlan) -> OrderFacts:
    reserved: dict[int, int] = {}
    for promise in plan.promises if plan.whole else ():
        reserved[promise.line] = reserved.get(promise.line, 0) + promise.quantity
    lines = [
        LineFacts(
            row.line.quantity,
            row.stocked,
            reserved.get(row.id, 0),
            known=row.is_known,
            of_kit=row.part_of is not None,
        )
        for row in rows
    ]
    return order_facts(lines, paid=order.paid, total=order.total)


def _write(session: Session, settled: Sequence[_Settled], now: datetime) -> None:
    told = [one.told for one in settled]
    count = len(settled)
    columns: dict[str, Sequence[Any]] = {
        name: [getattr(order, name) for order in told] for name in TOLD_OF_ORDER
    }
    columns |= {
        "id": [one.id for one in settled],
        "number": [one.number for one in settled],
        "tray": [str(one.tray) for one in settled],
        "tray_since": [now] * count,
        "taken_at": [now] * count,
        "customer": [order.ship_to.name for order in told],
        "ship_to": [order.ship_to.as_dict() for order in told],
        "country": [order.ship_to.country for order in told],
        "words": ["cancelled" if one.told.cancelled_at else one.facts.words for one in settled],
        "routed": [one.routed.considered if one.is_served else None for one in settled],
    }
    columns |= {
        f"fact_{name}": [str(getattr(one.facts, name)) for one in settled]
        for name in ("reserved", "picked", "shipped", "invoiced", "paid")
    }
    insert_columns(session, Order, columns)
    rows = [row for one in settled for row in one.rows]
    of_lines: dict[str, Sequence[Any]] = {
        name: [getattr(row.line, name) for row in rows] for name in TOLD_OF_LINE
    }
    of_lines |= {
        name: [getattr(row, name) for row in rows]
        for name in ("id", "order_id", "position", "stocked", "part_of", "apart")
    }
    insert_columns(session, OrderLine, of_lines)


def _write_payments(session: Session, settled: Sequence[_Settled], now: datetime) -> None:
    paid = [(one.id, one.told.payment) for one in settled if one.told.payment is not None]
    if not paid:
        return
    columns: dict[str, Sequence[Any]] = {
        name: [getattr(payment, name) for _, payment in paid] for name in TOLD_OF_PAYMENT
    }
    columns |= {
        "order_id": [order_id for order_id, _ in paid],
        "day": [payment.day.isoformat() for _, payment in paid],
        "made_at": [now] * len(paid),
    }
    insert_columns(session, PaymentRow, columns)


def _promise(session: Session, settled: Sequence[_Settled]) -> None:
    """Writes what is promised to those orders that can be served whole."""
    served = [one for one in settled if one.is_served]
    promises = [promise for one in served for promise in one.plan.promises]
    if not promises:
        return
    columns = {
        "order_line_id": [promise.line for promise in promises],
        "product_id": [promise.product for promise in promises],
        "warehouse_id": [promise.warehouse for promise in promises],
        "quantity": [promise.quantity for promise in promises],
    }
    insert_columns(session, Reservation, columns)
    sums: dict[tuple[int, int], int] = {}
    for promise in promises:
        place = (promise.product, promise.warehouse)
        sums[place] = sums.get(place, 0) + promise.quantity
    change_reserved(session, sums)


def _note(session: Session, settled: Sequence[_Settled], caused_at: datetime | None) -> None:
    """Notes in the unit of work what has happened: to orders, and to the stock of their products. What
    a channel has sold it has lowered itself."""
    changes = changes_of(session)
    standing = [one for one in settled if one.told.cancelled_at is None]
    for one in standing:
        changes.happened(one.id, RuleEvent.TAKEN)
    for one in standing:
        extents = {name: str(getattr(one.facts, name)) for name in NOTHING_YET}
        note_reached(session, one.id, NOTHING_YET, extents)
    for one in standing:
        if not one.plan.whole:
            changes.happened(one.id, RuleEvent.SHORT)
    sold = frozenset(_sold(standing))
    touched = {product for _, product in sold} | {
        promise.product for one in standing if one.is_served for promise in one.plan.promises
    }
    if touched:
        changes.stock_moved(touched, caused_at=caused_at, sold=sold)


def _sold(standing: Sequence[_Settled]) -> Iterator[tuple[int, int]]:
    """Yields (channel, product) of what channels have sold."""
    for one in standing:
        if (channel_id := one.told.channel_id) is not None:
            for row in one.rows:
                if (product_id := row.line.product_id) is not None:
                    yield channel_id, product_id
