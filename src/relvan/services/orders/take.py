"""Takes orders in, each once by (channel, channel's number), and reserves their stock. A newer
version updates the order."""

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal

from relvan.core.catalogue.identity import sku_key
from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import order_subject
from relvan.core.orders.changing import words_of_late_cancellation
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder, check_manual_order
from relvan.core.orders.policy import Unpaid
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.tax import tax_inside
from relvan.core.orders.tax_case import rates_in, tax_case
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse_if_any
from relvan.core.setup.numbering import Series
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_numbers
from relvan.services.orders.addresses import with_written_phone
from relvan.services.orders.cancel import cancel_in
from relvan.services.orders.lines import add_parts, is_stocked
from relvan.services.orders.payments import channel_payment, pay_in_full
from relvan.services.orders.readdress import take_told_address
from relvan.services.orders.reserve import Reserving, reserve_all, reserve_in
from relvan.services.orders.short import note_oversales
from relvan.services.orders.told_lines import take_told_lines
from relvan.services.orders.work_out import order_progress, work_out_orders
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.catalogue import kinds_of, products_by_code
from relvan.store.channels import order_policy_of
from relvan.store.order_lines import products_by_ref, products_ordered
from relvan.store.orders import channel_number_key, orders_by_channel_number
from relvan.store.session import Session
from relvan.store.tables import Channel, Order, OrderLine
from relvan.store.trays import add_notice

ProductFacts = tuple[int | None, str, str]  # id, kind, tax code
UNKNOWN: ProductFacts = (None, "", "standard")


def take_channel_orders(
    workplace: Workplace, channel_id: int, told: Sequence[IncomingOrder]
) -> dict[str, str]:
    """Takes orders of a channel in one transaction, or brings them up to date. Returns our numbers
    of those with news, by the channel's numbers.

    It is safe to repeat, whatever comes twice or late: a version that is not newer than the last
    one changes nothing.
    """
    if not told:
        return {}
    with workplace.database.writing() as session:
        there = orders_by_channel_number(
            session, channel_id, [incoming.number for incoming in told]
        )
        numbers: dict[str, str] = {}
        fresh: dict[str, IncomingOrder] = {}
        for incoming in told:
            key = channel_number_key(incoming.number)
            if key in there:
                if number := _update(session, workplace, there[key], incoming):
                    numbers[key] = number
            elif key not in fresh or fresh[key].changed < incoming.changed:
                fresh[key] = incoming
        new = [
            incoming for incoming in fresh.values() if not incoming.sent
        ]  # else sent before we knew the channel
        channel = session.get_one(Channel, channel_id) if new else None
        if channel is not None and order_policy_of(channel).unpaid == Unpaid.LEAVE:
            new = [incoming for incoming in new if incoming.paid]
        if channel is not None and new:
            orders = _save(session, workplace, channel, new)
            _reserve_new(session, workplace, orders, new, channel)
            numbers |= {
                channel_number_key(one.number): order.number
                for one, order in zip(new, orders, strict=True)
            }
        return numbers


def take_manual_order(
    workplace: Workplace,
    actor: Actor,
    lines: tuple[IncomingLine, ...],
    ship_to: Address,
    *,
    paid: bool,
) -> str:
    """Takes an order by hand; returns its number. Stock is reserved at once where there is enough."""
    actor.must(Right.ORDERS)
    refuse_if_any(check_manual_order(lines, ship_to))
    ship_to = with_written_phone(ship_to)
    incoming = IncomingOrder(
        number="",
        placed_at=workplace.now(),
        currency=workplace.firm.currency,
        lines=lines,
        ship_to=ship_to,
        paid=paid,
    )
    with workplace.database.writing() as session:
        (order,) = _save(session, workplace, None, [incoming])
        audit.record(
            session, actor, workplace.now(), audit.Subject("order", order.id), "taken by hand"
        )
        changes_of(session).happened(order.id, RuleEvent.TAKEN)
        plan = reserve_in(session, workplace, actor, order, Reserving(caused_at=workplace.now()))
        if not plan.whole:
            changes_of(session).happened(order.id, RuleEvent.SHORT)
        return order.number


def _save(
    session: Session, workplace: Workplace, channel: Channel | None, told: Sequence[IncomingOrder]
) -> list[Order]:
    """Writes new orders with their lines."""
    numbers = next_numbers(session, Series.ORDER, len(told), workplace.now())
    orders = [
        _new_order(workplace, channel, incoming, number)
        for incoming, number in zip(told, numbers, strict=True)
    ]
    session.add_all(orders)
    session.flush()
    known = _known_products(
        session, channel, [line for incoming in told for line in incoming.lines]
    )
    collected = channel is not None and order_policy_of(channel).collected
    taxes = _taxes(workplace, orders, told, collected=collected)
    lines = [
        _line(order, position, line, known.get((line.listing_ref, line.sku), UNKNOWN), tax)
        for order, incoming, tax in zip(orders, told, taxes, strict=True)
        for position, line in enumerate(incoming.lines, 1)
        if line.quantity > 0  # else the buyer took it off before we knew of it
    ]
    session.add_all(lines)
    session.add_all(channel_payment(workplace, order, order.paid) for order in orders if order.paid)
    session.flush()
    kinds = kinds_of(
        session, [key for key, kind, _ in known.values() if key is not None and kind == "kit"]
    )
    add_parts(session, lines, {product_id: apart for product_id, (_, apart) in kinds.items()})
    return orders


def _taxes(
    workplace: Workplace,
    orders: Sequence[Order],
    told: Sequence[IncomingOrder],
    *,
    collected: bool = False,
) -> list[Mapping[str, Decimal]]:
    """Says of each order how it is taxed; returns the percentage by tax code."""
    table, found = workplace.tax, list[Mapping[str, Decimal]]()
    known: dict[tuple[str, date], tuple[str, Mapping[str, Decimal]]] = {}
    for order, incoming in zip(orders, told, strict=True):
        where = (incoming.ship_to.country, incoming.placed_at.date())
        if where not in known:
            case = tax_case(table, where[0], collected=collected)
            known[where] = (case.kind, rates_in(table, case, where[1]))
        order.tax_kind, rates = known[where]
        found.append(rates)
    return found


def _new_order(
    workplace: Workplace, channel: Channel | None, incoming: IncomingOrder, number: str
) -> Order:
    total = incoming.delivery_price + sum(
        line.unit_price * line.quantity for line in incoming.lines
    )
    return Order(
        number=number,
        channel_id=channel.id if channel else None,
        channel_number=incoming.number or None,
        channel_mark=incoming.changed,
        tray=(channel.start_tray if channel else "") or Tray.INBOX,
        tray_since=workplace.now(),
        customer=incoming.ship_to.name,
        ship_to=incoming.ship_to.as_dict(),
        country=incoming.ship_to.country,
        currency=incoming.currency,
        delivery_price=incoming.delivery_price,
        total=total,
        paid=total if incoming.paid else 0,
        units=sum(line.quantity for line in incoming.lines),
        placed_at=incoming.placed_at,
        taken_at=workplace.now(),
    )


def _line(
    order: Order,
    position: int,
    line: IncomingLine,
    facts: ProductFacts,
    tax: Mapping[str, Decimal],
) -> OrderLine:
    product_id, kind, tax_code = facts
    gross = line.unit_price * line.quantity
    percent = tax[tax_code or "standard"]
    return OrderLine(
        order_id=order.id,
        position=position,
        channel_line=line.channel_line,
        listing_ref=line.listing_ref,
        sku=line.sku,
        title=line.title,
        product_id=product_id,
        stocked=is_stocked(kind),
        quantity=line.quantity,
        unit_price=line.unit_price,
        tax=tax_inside(gross, percent),
        tax_code=tax_code or "standard",
        tax_percent=str(percent),
    )


def _known_products(
    session: Session, channel: Channel | None, lines: Sequence[IncomingLine]
) -> dict[tuple[str, str], ProductFacts]:
    """Returns the products of lines by (reference, SKU): by the listing that was bought, else by
    SKU or alias."""
    by_ref: Mapping[str, ProductFacts] = {}
    if channel is not None:
        by_ref = products_by_ref(session, channel.id, {line.listing_ref for line in lines} - {""})
    by_code = products_by_code(
        session, [line.sku for line in lines if line.sku and line.listing_ref not in by_ref]
    )
    found = {}
    for line in lines:
        facts = by_ref.get(line.listing_ref) or by_code.get(sku_key(line.sku))
        if facts:
            found[line.listing_ref, line.sku] = facts
    return found


def _reserve_new(
    session: Session,
    workplace: Workplace,
    orders: Sequence[Order],
    told: Sequence[IncomingOrder],
    channel: Channel,
) -> None:
    now = workplace.now()
    entries: list[tuple[int | None, str, audit.Changes]] = [
        (order.id, f"taken from {channel.name}", {}) for order in orders
    ]
    audit.record_many(session, SYSTEM, now, "order", entries)
    urgency = topic_urgency(Topic.ACKNOWLEDGE)
    news = [
        Telling(channel.id, order_subject(order.channel_number), Topic.ACKNOWLEDGE, urgency)
        for order in orders
        if order.channel_number is not None
    ]
    tell(session, workplace, news)
    standing: list[Order] = []
    gone: list[Order] = []
    for order, incoming in zip(orders, told, strict=True):
        if incoming.cancelled:
            order.cancelled_at = now
        (gone if incoming.cancelled else standing).append(order)
    if gone:
        work_out_orders(session, workplace, SYSTEM, gone)
    for order in standing:
        changes_of(session).happened(order.id, RuleEvent.TAKEN)
    if standing:
        ordered = products_ordered(session, [order.id for order in standing])
        sold = frozenset((channel.id, product_id) for product_id in ordered)
        plans = reserve_all(
            session, workplace, SYSTEM, standing, Reserving(caused_at=now, sold=sold)
        )
        note_oversales(session, channel.id, plans, now)
        for order in standing:
            if not plans[order.id].whole:
                changes_of(session).happened(order.id, RuleEvent.SHORT)


def _update(
    session: Session, workplace: Workplace, order: Order, incoming: IncomingOrder
) -> str | None:
    if incoming.changed <= order.channel_mark:
        return None
    order.channel_mark = incoming.changed
    now = workplace.now()
    changed = False
    if incoming.cancelled and order.cancelled_at is None:
        if words := words_of_late_cancellation(order_progress(session, order)):
            add_notice(session, order.id, words, now)
        cancel_in(session, workplace, SYSTEM, order, "cancelled on the channel")
        changes_of(session).happened(order.id, RuleEvent.CANCELLED)
        return order.number
    if incoming.paid and order.paid < order.total:
        audit.record(
            session,
            SYSTEM,
            now,
            audit.Subject("order", order.id),
            "paid",
            {"paid": (order.paid, order.total)},
        )
        pay_in_full(session, workplace, order)
        changed = True
    if take_told_lines(session, workplace, order, incoming):
        changed = True
    if take_told_address(session, workplace, SYSTEM, order, incoming.ship_to):
        changed = True
    if changed:
        work_out_orders(session, workplace, SYSTEM, [order])
    return order.number if changed else None
