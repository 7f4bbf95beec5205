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
from relvan.core.orders.late_changes import NoticeKind
from relvan.core.orders.new import FirstPayment, LineToAdd, OrderToAdd, usual_method
from relvan.core.orders.policy import Unpaid
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.tax import tax_inside
from relvan.core.orders.tax_case import rates_in, tax_case
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse_if_any
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.add import AddedOrder, add_orders
from relvan.services.orders.addresses import with_written_phone
from relvan.services.orders.cancel import cancel_in
from relvan.services.orders.line_changes import take_off_open
from relvan.services.orders.payments import pay_in_full
from relvan.services.orders.readdress import take_told_address
from relvan.services.orders.short import note_oversales
from relvan.services.orders.told_lines import take_told_lines
from relvan.services.orders.work_out import order_progress, owed_by, work_out_orders
from relvan.services.outbox.tell import NOTHING_PENDING, Telling, tell
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.catalogue import products_by_code
from relvan.store.channels import TakingChannel, taking_channels
from relvan.store.notices import put_late_notice, was_decided
from relvan.store.order_lines import marks_of_orders, products_by_ref
from relvan.store.orders import channel_number_key, orders_by_channel_number
from relvan.store.session import Session
from relvan.store.tables import Order, OrderNotice

ProductFacts = tuple[int | None, str, str]  # id, kind, tax code
UNKNOWN: ProductFacts = (None, "", "standard")
Taxing = tuple[str, Mapping[str, Decimal]]  # how an order is taxed, and the percentage by tax code


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
        fresh, newer = _sorted_out(session, channel_id, told)
        numbers = _bring_up_to_date(session, workplace, channel_id, newer)
        return numbers | _take_new(session, workplace, channel_id, fresh)


def _sorted_out(
    session: Session, channel_id: int, told: Sequence[IncomingOrder]
) -> tuple[list[IncomingOrder], list[IncomingOrder]]:
    """Returns the newest version of every order that is not known yet, and the versions that are newer
    than what we have of known ones."""
    known = marks_of_orders(session, channel_id, [incoming.number for incoming in told])
    marks = {channel_number_key(number): mark for number, mark in known.items()}
    fresh: dict[str, IncomingOrder] = {}
    newer: list[IncomingOrder] = []
    for incoming in told:
        key = channel_number_key(incoming.number)
        if key in marks:
            if incoming.changed > marks[key]:
                newer.append(incoming)
        elif key not in fresh or fresh[key].changed < incoming.changed:
            fresh[key] = incoming
    return list(fresh.values()), newer


def _bring_up_to_date(
    session: Session, workplace: Workplace, channel_id: int, newer: Sequence[IncomingOrder]
) -> dict[str, str]:
    there = orders_by_channel_number(session, channel_id, [one.number for one in newer])
    numbers = {}
    for incoming in newer:
        key = channel_number_key(incoming.number)
        if number := _update(session, workplace, there[key], incoming):
            numbers[key] = number
    return numbers


def _take_new(
    session: Session, workplace: Workplace, channel_id: int, fresh: Sequence[IncomingOrder]
) -> dict[str, str]:
    """Takes the new ones among orders: those that were sent before we knew the channel are left out,
    and unpaid ones if the channel's policy says so."""
    new = [incoming for incoming in fresh if not incoming.sent]
    if not new:
        return {}
    channel = taking_channels(session)[channel_id]
    if channel.policy.unpaid == Unpaid.LEAVE:
        new = [incoming for incoming in new if incoming.paid]
    added = _save(session, workplace, SYSTEM, channel, new)
    _acknowledge(session, workplace, channel, new)
    plans = {order.id: order.plan for order in added}
    note_oversales(session, channel.id, plans, workplace.now())
    return {
        channel_number_key(one.number): order.number for one, order in zip(new, added, strict=True)
    }


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
        (order,) = _save(session, workplace, actor, None, [incoming])
        return order.number


def _save(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    channel: TakingChannel | None,
    told: Sequence[IncomingOrder],
) -> list[AddedOrder]:
    """Writes new orders, and reserves for those that stand."""
    known = _known_products(
        session, channel, [line for incoming in told for line in incoming.lines]
    )
    collected = channel is not None and channel.policy.collected
    new = [
        _new_order(workplace, channel, incoming, known, tax)
        for incoming, tax in zip(told, _taxes(workplace, told, collected=collected), strict=True)
    ]
    return add_orders(session, workplace, actor, new, caused_at=workplace.now())


def _taxes(
    workplace: Workplace, told: Sequence[IncomingOrder], *, collected: bool = False
) -> list[Taxing]:
    """Returns how each order is taxed."""
    table, found = workplace.tax, list[Taxing]()
    known: dict[tuple[str, date], Taxing] = {}
    for incoming in told:
        where = (incoming.ship_to.country, incoming.placed_at.date())
        if where not in known:
            case = tax_case(table, where[0], collected=collected)
            known[where] = (case.kind, rates_in(table, case, where[1]))
        found.append(known[where])
    return found


def _new_order(
    workplace: Workplace,
    channel: TakingChannel | None,
    incoming: IncomingOrder,
    known: Mapping[tuple[str, str], ProductFacts],
    taxing: Taxing,
) -> OrderToAdd:
    kind, percents = taxing
    total = incoming.delivery_price + sum(
        line.unit_price * line.quantity for line in incoming.lines
    )
    paid = total if incoming.paid else 0
    channel_id = channel.id if channel else None
    method = usual_method(channel_id)
    return OrderToAdd(
        channel_id=channel_id,
        channel_number=incoming.number or None,
        channel_mark=incoming.changed,
        tray=(channel.start_tray if channel else "") or Tray.INBOX,
        ship_to=incoming.ship_to,
        currency=incoming.currency,
        delivery_price=incoming.delivery_price,
        total=total,
        paid=paid,
        payment=FirstPayment(paid, method, workplace.local_now().date()) if paid else None,
        units=sum(line.quantity for line in incoming.lines),
        placed_at=incoming.placed_at,
        cancelled_at=workplace.now() if incoming.cancelled else None,
        tax_kind=kind,
        lines=[
            _new_line(line, known.get((line.listing_ref, line.sku), UNKNOWN), percents)
            for line in incoming.lines
            if line.quantity > 0  # else the buyer took it off before we knew of it
        ],
        deed=f"taken from {channel.name}" if channel else "taken by hand",
    )


def _new_line(
    line: IncomingLine, facts: ProductFacts, percents: Mapping[str, Decimal]
) -> LineToAdd:
    product_id, kind, tax_code = facts
    percent = percents[tax_code or "standard"]
    return LineToAdd(
        sku=line.sku,
        title=line.title,
        quantity=line.quantity,
        unit_price=line.unit_price,
        tax=tax_inside(line.unit_price * line.quantity, percent),
        tax_code=tax_code or "standard",
        tax_percent=str(percent),
        product_id=product_id,
        kind=kind,
        channel_line=line.channel_line,
        listing_ref=line.listing_ref,
    )


def _known_products(
    session: Session, channel: TakingChannel | None, lines: Sequence[IncomingLine]
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


def _acknowledge(
    session: Session, workplace: Workplace, channel: TakingChannel, told: Sequence[IncomingOrder]
) -> None:
    """Tells a channel that its orders have been taken. Nothing can wait to be told of them yet."""
    urgency = topic_urgency(Topic.ACKNOWLEDGE)
    news = [
        Telling(channel.id, order_subject(incoming.number), Topic.ACKNOWLEDGE, urgency)
        for incoming in told
        if incoming.number
    ]
    tell(session, workplace, news, NOTHING_PENDING)


def _update(
    session: Session, workplace: Workplace, order: Order, incoming: IncomingOrder
) -> str | None:
    if incoming.changed <= order.channel_mark:
        return None
    order.channel_mark = incoming.changed
    now = workplace.now()
    changed = False
    if order.cancelled_at is not None:
        return None
    if incoming.cancelled:
        return _follow_cancellation(session, workplace, order)
    if incoming.paid and owed_by(order) > 0:
        before = order.paid
        pay_in_full(session, workplace, order)
        subject = audit.Subject("order", order.id)
        audit.record(session, SYSTEM, now, subject, "paid", {"paid": (before, order.paid)})
        changed = True
    if take_told_lines(session, workplace, order, incoming):
        changed = True
    if take_told_address(session, workplace, SYSTEM, order, incoming.ship_to):
        changed = True
    if changed:
        work_out_orders(session, workplace, SYSTEM, [order])
    return order.number if changed else None


def _follow_cancellation(session: Session, workplace: Workplace, order: Order) -> str | None:
    """Cancels an order because its channel did. What was touched of it is laid before the team, who
    decide; once they let it go, the channel's news do not cancel it again."""
    if was_decided(session, order.id, NoticeKind.CANCELLED):
        return None
    facts = order_progress(session, order)
    if words := words_of_late_cancellation(facts):
        kind, units = NoticeKind.CANCELLED, facts.units_picked
        told = OrderNotice(
            order_id=order.id, words=words, at=workplace.now(), kind=kind, units=units
        )
        put_late_notice(session, told)
    if facts.units_shipped:
        take_off_open(session, workplace, SYSTEM, order)
    cancel_in(session, workplace, SYSTEM, order, "cancelled on the channel")
    changes_of(session).happened(order.id, RuleEvent.CANCELLED)
    return order.number
