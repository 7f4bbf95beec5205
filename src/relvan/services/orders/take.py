"""Taking orders in: each once by (channel, channel's number), reserved at intake; a newer telling updates it."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import sku_key
from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder, check_manual_order
from relvan.core.orders.tax import TAX_PERCENT, tax_inside
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse_if_any
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.cancel import cancel_in
from relvan.services.orders.lines import add_parts, is_stocked
from relvan.services.orders.reserve import reserve_in
from relvan.services.orders.work_out import work_out_orders
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.catalogue import kinds_of, products_by_code
from relvan.store.tables import Channel, Listing, Order, OrderLine, Product

PRODUCT_FACTS = tuple[int, str, str]


def take_channel_order(workplace: Workplace, channel_id: int, incoming: IncomingOrder) -> str | None:
    """Take an order of a channel, or bring it up to date; our number, or none when there was nothing to do.

    Safe to repeat, whatever comes twice or late: a telling no newer than the last one changes nothing.
    """
    with workplace.database.writing() as session:
        order = session.scalar(
            select(Order).where(Order.channel_id == channel_id, Order.channel_number == incoming.number)
        )
        if order is not None:
            return _update(session, workplace, order, incoming)
        if incoming.sent:
            return None  # it was sent before we knew the channel
        channel = session.get_one(Channel, channel_id)
        order = _save(session, workplace, channel, incoming)
        _reserve_new(session, workplace, order, incoming, channel)
        return order.number


def take_manual_order(
    workplace: Workplace, actor: Actor, lines: tuple[IncomingLine, ...], ship_to: Address, *, paid: bool
) -> str:
    """Take an order by hand; return its number. Stock is reserved at once where there is enough."""
    actor.must(Right.ORDERS)
    refuse_if_any(check_manual_order(lines, ship_to))
    incoming = IncomingOrder(
        number="",
        placed_at=workplace.now(),
        currency=workplace.settings.currency,
        lines=lines,
        ship_to=ship_to,
        paid=paid,
    )
    with workplace.database.writing() as session:
        order = _save(session, workplace, None, incoming)
        audit.record(session, actor, workplace.now(), "order", order.id, "taken by hand")
        reserve_in(session, workplace, actor, order, caused_at=workplace.now())
        return order.number


def _save(session: Session, workplace: Workplace, channel: Channel | None, incoming: IncomingOrder) -> Order:
    total = incoming.delivery_price + sum(line.unit_price * line.quantity for line in incoming.lines)
    order = Order(
        number=next_number(session, "O"),
        channel_id=channel.id if channel else None,
        channel_number=incoming.number or None,
        channel_mark=incoming.changed,
        tray=Tray.INBOX,
        customer=incoming.ship_to.name,
        ship_to=incoming.ship_to.as_dict(),
        currency=incoming.currency,
        delivery_price=incoming.delivery_price,
        total=total,
        paid=total if incoming.paid else 0,
        units=sum(line.quantity for line in incoming.lines),
        placed_at=incoming.placed_at,
        taken_at=workplace.now(),
    )
    session.add(order)
    session.flush()
    known = _known_products(session, channel, incoming.lines)
    lines = []
    for position, line in enumerate(incoming.lines, 1):
        product_id, kind, tax_code = known.get(position, (None, "", "standard"))
        gross = line.unit_price * line.quantity
        lines.append(
            OrderLine(
                order_id=order.id,
                position=position,
                channel_line=line.channel_line,
                sku=line.sku,
                title=line.title,
                product_id=product_id,
                stocked=is_stocked(kind),
                quantity=line.quantity,
                unit_price=line.unit_price,
                tax=tax_inside(gross, TAX_PERCENT[tax_code or "standard"]),
            )
        )
    session.add_all(lines)
    session.flush()
    kinds = kinds_of(session, [product_id for product_id, kind, _ in known.values() if kind == "kit"])
    add_parts(session, lines, {product_id: apart for product_id, (_, apart) in kinds.items()})
    return order


def _known_products(
    session: Session, channel: Channel | None, lines: tuple[IncomingLine, ...]
) -> dict[int, PRODUCT_FACTS]:
    """Products by the position of their line: by the listing that was bought, else by SKU or alias."""
    by_ref: dict[str, PRODUCT_FACTS] = {}
    if channel is not None:
        rows = session.execute(
            select(Listing.ref, Product.id, Product.kind, Product.tax_code)
            .join(Product, Product.id == Listing.product_id)
            .where(Listing.channel_id == channel.id, Listing.ref.in_([line.listing_ref for line in lines]))
        )
        by_ref = {ref: (product_id, kind, tax_code) for ref, product_id, kind, tax_code in rows if ref}
    by_code = products_by_code(session, [line.sku for line in lines if line.sku])
    found = {}
    for position, line in enumerate(lines, 1):
        facts = by_ref.get(line.listing_ref) or by_code.get(sku_key(line.sku))
        if facts:
            found[position] = facts
    return found


def _reserve_new(
    session: Session, workplace: Workplace, order: Order, incoming: IncomingOrder, channel: Channel
) -> None:
    audit.record(session, SYSTEM, workplace.now(), "order", order.id, f"taken from {channel.name}")
    acknowledge = Telling(
        channel.id, f"order:{order.channel_number}", Topic.ACKNOWLEDGE, topic_urgency(Topic.ACKNOWLEDGE)
    )
    tell(session, workplace, [acknowledge])
    if incoming.cancelled:
        order.cancelled_at = workplace.now()
        work_out_orders(session, workplace, SYSTEM, [order])
        return
    lines = session.scalars(select(OrderLine.product_id).where(OrderLine.order_id == order.id))
    sold = frozenset((channel.id, product_id) for product_id in lines if product_id is not None)
    reserve_in(session, workplace, SYSTEM, order, caused_at=workplace.now(), sold=sold)


def _update(session: Session, workplace: Workplace, order: Order, incoming: IncomingOrder) -> str | None:
    if incoming.changed <= order.channel_mark:
        return None
    order.channel_mark = incoming.changed
    now = workplace.now()
    changed = False
    if incoming.cancelled and order.cancelled_at is None:
        cancel_in(session, workplace, SYSTEM, order, "cancelled on the channel")
        return order.number
    if incoming.paid and order.paid < order.total:
        audit.record(session, SYSTEM, now, "order", order.id, "paid", {"paid": (order.paid, order.total)})
        order.paid = order.total
        changed = True
    ship_to = incoming.ship_to.as_dict()
    if ship_to != order.ship_to and order.fact_shipped == "none":
        audit.record(session, SYSTEM, now, "order", order.id, "address changed", {"ship to": (order.ship_to, ship_to)})
        order.ship_to, order.customer = ship_to, incoming.ship_to.name
        changed = True
    if changed:
        work_out_orders(session, workplace, SYSTEM, [order])
    return order.number if changed else None
