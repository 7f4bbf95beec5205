"""Takes orders of a file as they were rehearsed, and undoes that as long as nothing was done with
them.

Some orders are one transaction, with their customers, payments and reservations.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time
from zoneinfo import ZoneInfo

from relvan.core.imports.blocks import Row
from relvan.core.imports.things import Options
from relvan.core.orders.by_file import FiledOrder
from relvan.core.orders.deeds import OrderDeed, deeds_of
from relvan.core.orders.filed_prices import PricedFiledLine, PricedFiledOrder, filed_from
from relvan.core.orders.new import FirstPayment, LineToAdd, OrderToAdd, usual_method
from relvan.core.orders.rules import tag_of
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.setup.numbering import Series
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_numbers
from relvan.services.orders.add import add_orders
from relvan.services.orders.addresses import with_written_phone, written_phone
from relvan.services.orders.by_file import FileDesk
from relvan.services.orders.cancel import cancel_all
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import skus_and_costs
from relvan.store.customers import add_missing_addresses
from relvan.store.ids import add_together
from relvan.store.invoices import payments_by_orders
from relvan.store.order_standing import standings_of
from relvan.store.orders import numbers_by_reference, orders_by_numbers
from relvan.store.session import Session
from relvan.store.tables import (
    BulkJobRow,
    Customer,
    CustomerAddress,
    Order,
)
from relvan.store.trays import add_tag


@dataclass(frozen=True)
class _Taking:
    """An order that is to be written, with its row and what it came to."""

    row: BulkJobRow
    priced: PricedFiledOrder

    @property
    def filed(self) -> FiledOrder:
        return self.priced.filed


def take_filed_orders(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    rows: Sequence[BulkJobRow],
    options: Options,
) -> dict[int, str]:
    """Takes orders inside a transaction. Returns by position why some were not; the rows keep the
    numbers of the others. Their customers are not mailed of it: it may have been long ago."""
    actor.must(Right.ORDERS)
    taking, reasons, desk = _to_take(session, workplace, rows)
    if not taking:
        return reasons
    _give_customers(session, workplace, actor, taking, desk)
    found = skus_and_costs(
        session, {line.goods.product for one in taking for line in one.priced.lines} - {0}
    )
    new = [_new_order(workplace, actor, one, desk, options, found) for one in taking]
    job_id = rows[0].job_id
    added = add_orders(session, workplace, actor, new, caused_at=workplace.now(), job_id=job_id)
    for one, order in zip(taking, added, strict=True):
        one.row.more = {**(one.row.more or {}), "number": order.number}
        for tag in one.filed.tags:
            add_tag(session, [order.id], tag_of(tag))
    changes_of(session).drop_mails({order.id for order in added})
    return reasons


def _to_take(
    session: Session, workplace: Workplace, rows: Sequence[BulkJobRow]
) -> tuple[list[_Taking], dict[int, str], FileDesk]:
    read = [(row, *filed_from(row.more or {})) for row in rows]
    before = numbers_by_reference(session, [filed.reference for _, filed, _, _ in read])
    desk = FileDesk(session, workplace, [filed for _, filed, _, _ in read])
    taking: list[_Taking] = []
    reasons: dict[int, str] = {}
    for row, filed, were_known, total in read:
        if filed.reference.casefold() in before:
            number = before[filed.reference.casefold()]
            reasons[row.position] = f"It was taken meanwhile, as {number}."
            continue
        held = {line.row: Row(line.row, {}) for line in filed.lines}
        priced = desk.priced(filed, held)
        reason = _moved(priced, were_known, total)
        if reason:
            reasons[row.position] = f"It has changed since: {reason} Rehearse the file again."
            continue
        taking.append(_Taking(row, priced))
    return taking, reasons, desk


def _moved(priced: PricedFiledOrder, were_known: Sequence[bool], total: int) -> str:
    for line, was in zip(priced.lines, were_known, strict=True):
        if bool(line.goods.product) != was:
            return f"“{line.filed.sku}” is {'no product any more' if was else 'a product now'}."
    return "" if priced.total == total else "its tax or its total."


def _give_customers(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    taking: Sequence[_Taking],
    desk: FileDesk,
) -> None:
    """Creates customers for the mail addresses that are new. The address of an order is remembered
    beside those before, and changes nothing else of a customer."""
    fresh: dict[str, FiledOrder] = {}
    for one in taking:
        mail = one.filed.ship_to.mail
        if mail and desk.customer(one.filed) is None:
            fresh.setdefault(mail.casefold(), one.filed)
    numbers = next_numbers(session, Series.CUSTOMER, len(fresh), workplace.local_now())
    made = [
        Customer(
            number=number,
            name=filed.ship_to.name,
            mail=filed.ship_to.mail,
            phone=written_phone(filed.phone, filed.ship_to.country) if filed.phone else "",
            tax_number=filed.tax_number,
            made_at=workplace.now(),
        )
        for number, filed in zip(numbers, fresh.values(), strict=True)
    ]
    add_together(session, made)
    entries: list[tuple[int | None, str, audit.Changes]] = [(row.id, "created", {}) for row in made]
    audit.record_many(session, actor, workplace.now(), "customer", entries)
    for row in made:
        desk.know(row)
    addresses: dict[tuple[int, str], CustomerAddress] = {}
    for one in taking:
        customer = desk.customer(one.filed)
        if customer is not None and one.filed.ship_to.street:
            address = with_written_phone(one.filed.ship_to)
            key = (customer.id, address.mark)
            addresses[key] = CustomerAddress(customer_id=customer.id, address=address.as_dict())
    add_missing_addresses(session, list(addresses.values()))


def _new_order(
    workplace: Workplace,
    actor: Actor,
    one: _Taking,
    desk: FileDesk,
    options: Options,
    products: Mapping[int, tuple[str, str, int | None]],
) -> OrderToAdd:
    filed, now = one.filed, workplace.now()
    customer = desk.customer(filed)
    placed = datetime.combine(filed.placed, time(12), ZoneInfo(workplace.firm.time_zone))
    is_today = filed.placed == workplace.local_now().date()
    return OrderToAdd(
        tray=options.tray or Tray.INBOX,
        customer_id=customer.id if customer else None,
        ship_to=with_written_phone(filed.ship_to),
        bill_to=(customer.bill_to or None) if customer else None,
        tax_number=filed.tax_number or (customer.tax_number if customer else ""),
        tax_kind=desk.tax_case(filed).kind,
        currency=filed.currency,
        with_tax=filed.with_tax,
        delivery_price=filed.delivery,
        total=one.priced.total,
        paid=_paid(one) if options.payments == "firm" else 0,
        payment=_payment(one, options.payments),
        units=one.priced.units,
        placed_at=now if is_today else placed.astimezone(UTC),
        promised_on=filed.promised.isoformat() if filed.promised else None,
        reference=filed.reference,
        salesperson_id=actor.person_id,
        lines=[_new_line(line, products) for line in one.priced.lines],
        deed=f"taken from a file as {filed.reference}",
    )


def _paid(one: _Taking) -> int:
    """Returns what the file says was paid, in minor units."""
    paid = one.filed.paid
    return one.priced.total if paid is True else int(paid)


def _payment(one: _Taking, state: str) -> FirstPayment | None:
    """Returns what the file says was paid; a provisional payment counts when somebody releases it."""
    if state == "none" or not (amount := _paid(one)):
        return None
    return FirstPayment(
        amount,
        usual_method(None),
        one.filed.paid_on or one.filed.placed,
        state,
        note=f"by file, {one.filed.reference}",
        key=f"file:{one.row.job_id}:{one.row.position}",
    )


def _new_line(
    line: PricedFiledLine, products: Mapping[int, tuple[str, str, int | None]]
) -> LineToAdd:
    sku, title, cost = products.get(line.goods.product, (line.filed.sku, "", None))
    return LineToAdd(
        sku=sku,
        title=line.filed.title or title or sku,
        product_id=line.goods.product or None,
        kind=line.goods.kind,
        is_free=not line.goods.product,
        quantity=line.filed.quantity,
        unit_price=line.unit_price,
        discount=line.filed.discount,
        tax=line.tax,
        tax_worked=line.tax_worked,
        tax_code=line.tax_code,
        tax_percent=str(line.percent),
        cost=cost,
    )


def undo_filed_orders(
    session: Session, workplace: Workplace, actor: Actor, rows: Sequence[BulkJobRow]
) -> dict[int, str]:
    """Cancels orders that a file brought, and frees their references, so that a corrected file brings
    them again. Returns by position why some stay: something was done with them."""
    actor.must(Right.ORDERS)
    numbers = {row.position: str((row.more or {}).get("number", "")) for row in rows}
    found = orders_by_numbers(session, list(numbers.values()))
    orders = {order.number: order for order in found}
    standing = standings_of(session, list(orders.values()))
    payments = payments_by_orders(session, [order.id for order in orders.values()])
    reasons: dict[int, str] = {}
    gone: list[Order] = []
    for row in rows:
        order = orders.get(numbers[row.position])
        if order is None:
            reasons[row.position] = "The order is not there any more."
            continue
        key = f"file:{row.job_id}:{row.position}"
        own = [one for one in payments.get(order.id, ()) if one.key == key]
        answer = deeds_of(standing[order.id])[OrderDeed.CANCEL]
        if reason := _done_with(order, answer.does, len(payments.get(order.id, ())) - len(own)):
            reasons[row.position] = f"{order.number} stays: {reason}"
            continue
        for payment in own:
            payment.state = "void"
        order.paid = 0
        gone.append(order)
    cancel_all(session, workplace, actor, gone, "taken back with its file")
    entries: list[tuple[int | None, str, audit.Changes]] = [
        (order.id, "changed", {"reference": (order.reference, "")}) for order in gone
    ]
    audit.record_many(session, actor, workplace.now(), "order", entries)
    for order in gone:
        order.reference = ""
    changes_of(session).drop_mails({order.id for order in orders.values()})
    return reasons


def _done_with(order: Order, can_be_cancelled: bool, other_payments: int) -> str:
    """Returns what was done with an order since it was taken, or nothing."""
    if not can_be_cancelled:
        return "it is picked, sent or cancelled already."
    if order.fact_invoiced != "none":
        return "it is invoiced."
    return "a payment was noted." if other_payments else ""
