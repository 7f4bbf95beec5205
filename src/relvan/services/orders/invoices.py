"""Issues invoices and credit notes. The number of each is taken in the transaction that issues it,
so that numbers have no holes; what is issued never changes.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from relvan.core.mail.texts import MailEvent
from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.intake import Address
from relvan.core.orders.invoicing import (
    Billable,
    InvoiceLine,
    InvoiceSums,
    brought_to,
    delivery_lines,
    line_of,
    sums_of,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.setup.firm import Firm
from relvan.core.setup.numbering import Series
from relvan.services import audit
from relvan.services.changes import MailWish, changes_of
from relvan.services.counters import next_serial
from relvan.services.orders.blocks import for_orders, one_after_another
from relvan.services.orders.reserve import answer_for
from relvan.services.orders.work_out import work_out_orders
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.ids import add_together
from relvan.store.invoices import (
    credited_units,
    invoice_by_number,
    invoices_of_order,
    last_dispatch,
    lines_of_invoice,
)
from relvan.store.orders import lines_of, order_by_id, order_by_number
from relvan.store.session import Session
from relvan.store.tables import InvoiceLineRow, InvoiceRow, Order, OrderLine

DUE_DAYS = 14
MOST_REASON = 300
DELIVERY = "Delivery"


def invoice_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], *, shipped_only: bool = False
) -> list[Verdict]:
    """Invoices what is open of each order, or with `shipped_only` what of it has been shipped.
    Returns a verdict for each, with the number of the invoice."""
    actor.must(Right.ORDERS)

    def one(session: Session, order: Order) -> str:
        units = _shipped_units(session, order) if shipped_only else None
        return invoice_in(session, workplace, actor, order, units).number

    return for_orders(workplace, numbers, one_after_another(one), OrderDeed.INVOICE)


def invoice_lines(workplace: Workplace, actor: Actor, number: str, units: Mapping[int, int]) -> str:
    """Invoices units of some lines of an order, by the lines' ids; returns the invoice's number."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        answer_for(session, order, OrderDeed.INVOICE)
        return invoice_in(session, workplace, actor, order, units).number


def _shipped_units(session: Session, order: Order) -> dict[int, int]:
    """Returns the units by line that have been shipped and stand on no invoice. What is not stocked
    counts as shipped; a kit as far as all of its parts have left."""
    lines = lines_of(session, [order.id])[order.id]
    parts: dict[int, list[OrderLine]] = {}
    for line in lines:
        if line.part_of is not None:
            parts.setdefault(line.part_of, []).append(line)
    found = {}
    for line in lines:
        if line.part_of is not None:
            continue
        gone = line.shipped if line.stocked else line.quantity
        if line.id in parts:
            gone = min(part.shipped * line.quantity // part.quantity for part in parts[line.id])
        if gone > line.invoiced:
            found[line.id] = gone - line.invoiced
    return found


def invoice_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    units: Mapping[int, int] | None = None,
) -> InvoiceRow:
    """Issues an invoice inside a transaction, over what is open of an order or over some units of
    its lines. The delivery charge stands on the first invoice.

    Raises:
        Refused: if nothing is open, or the firm has no name and address yet.
    """
    refuse_unnamed(workplace.firm)
    lines = [line for line in lines_of(session, [order.id])[order.id] if line.part_of is None]
    wanted = _wanted(order, lines, units)
    goods = [line_of(billable(order, line), wanted[line.id]) for line in lines if wanted[line.id]]
    charge = order.delivery_price - order.delivery_invoiced
    made = [*goods, *delivery_lines(charge, goods, DELIVERY, with_tax=order.with_tax)]
    if not made:
        message = f"Nothing of “{order.number}” is open to be invoiced."
        raise refuse("nothing", message, "Ship something of it first, or invoice all of it.")
    sums = sums_of(made, with_tax=order.with_tax)
    if sums.tax and not workplace.firm.vat_number:
        message = "The firm has no VAT number, which an invoice with tax must have."
        raise refuse("firm", message, "Type it under Setup, Firm; or set the rates of tax to 0.")
    row = _write(session, workplace, order, made, sums)
    for line in lines:
        line.invoiced += wanted[line.id]
    order.delivery_invoiced += charge
    _note(session, workplace, actor, order, f"invoiced as {row.number}")
    _mail_paper(session, order, MailEvent.INVOICED, row.number)
    return row


def _mail_paper(session: Session, order: Order, event: MailEvent, number: str) -> None:
    """Notes that the customer is to be mailed an invoice or credit note, if there is a text for it."""
    changes_of(session).to_mail(MailWish(order.id, event, f"{event}:{number}", paper=number))


def refuse_unnamed(firm: Firm) -> None:
    """Refuses to issue papers in nobody's name."""
    if not firm.is_named:
        message = "The firm has no name and address yet, which every invoice must have."
        raise refuse("firm", message, "Describe it under Setup, Firm.")


def _wanted(
    order: Order, lines: Sequence[OrderLine], units: Mapping[int, int] | None
) -> dict[int, int]:
    """Returns the units of each line that are invoiced; all that is open, or those that are named."""
    open_units = {line.id: line.quantity - line.invoiced for line in lines}
    if units is None:
        return open_units
    for line_id, wish in units.items():
        if line_id not in open_units:
            message = f"“{order.number}” has no line {line_id}."
            raise refuse("not-found", message, "Load the order again.", "lines")
        if not 0 <= wish <= open_units[line_id]:
            message = f"{open_units[line_id]} of this line can be invoiced; it got {wish}."
            raise refuse("out-of-range", message, "Correct the units.", "lines")
    return {line.id: units.get(line.id, 0) for line in lines}


def billable(order: Order, line: OrderLine, *, again: bool = False) -> Billable:
    """Returns a line as it can be invoiced; with `again` as if nothing of it had been."""
    return Billable(
        line.id,
        line.sku,
        line.title,
        line.quantity,
        0 if again else line.invoiced,
        line.unit_price,
        line.discount,
        Decimal(line.tax_percent or 0),
        order.with_tax,
        0 if order.with_tax or line.tax_worked is None else line.tax - line.tax_worked,
    )


def _write(
    session: Session,
    workplace: Workplace,
    order: Order,
    lines: Sequence[InvoiceLine],
    sums: InvoiceSums,
) -> InvoiceRow:
    today = workplace.local_now().date()
    left = last_dispatch(session, order.id)
    before = invoices_of_order(session, order.id)
    used = sum(row.prepaid for row in before if row.kind == "invoice")
    serial, number = next_serial(session, Series.INVOICE, workplace.local_now())
    row = _row(workplace, order, sums, today)
    row.number, row.kind, row.serial = number, "invoice", serial
    row.supplied_on = left.date().isoformat() if left else today.isoformat()
    row.prepaid = max(0, min(order.paid - used, sums.payable))
    row.due_on = (today + timedelta(days=DUE_DAYS)).isoformat()
    _save(session, row, lines)
    return row


def _row(workplace: Workplace, order: Order, sums: InvoiceSums, today: date) -> InvoiceRow:
    return InvoiceRow(
        order_id=order.id,
        currency=order.currency,
        seller=seller_of(workplace.firm),
        buyer=buyer_of(order),
        issued_on=today.isoformat(),
        tax_kind=order.tax_kind,
        with_tax=order.with_tax,
        rates=[
            {"percent": str(rate.percent), "net": rate.net, "tax": rate.tax} for rate in sums.rates
        ],
        net=sums.net,
        tax=sums.tax,
        total=sums.total,
        payable=sums.payable,
        made_at=workplace.now(),
    )


def _save(session: Session, row: InvoiceRow, lines: Sequence[InvoiceLine]) -> None:
    session.add(row)
    session.flush()
    made = [
        InvoiceLineRow(
            invoice_id=row.id,
            order_line_id=line.line,
            position=position,
            sku=line.sku,
            title=line.title,
            quantity=line.quantity,
            unit_price=line.unit_price,
            discount=line.discount,
            net=line.net,
            paid=line.paid,
            percent=str(line.percent),
        )
        for position, line in enumerate(lines, 1)
    ]
    add_together(session, made)


def seller_of(firm: Firm) -> dict[str, Any]:
    """Returns what papers say of the seller."""
    return {
        **firm.address.as_dict(),
        "name": firm.name,
        "vat_number": firm.vat_number,
        "eori": firm.eori,
    }


def buyer_of(order: Order) -> dict[str, Any]:
    """Returns what papers say of the buyer."""
    to = Address.read(order.bill_to or order.ship_to).as_dict()
    ship_to = Address.read(order.ship_to).as_dict()
    return {**to, "tax_number": order.tax_number, "ship_to": ship_to}


def credit_invoice(
    workplace: Workplace,
    actor: Actor,
    number: str,
    reason: str,
    units: Mapping[int, int] | None = None,
    *,
    again: bool = False,
) -> str:
    """Issues a credit note over an invoice, or over units of some of its lines by their positions;
    returns its number. With `again` these units are to be invoiced once more, as after a mistake.

    Raises:
        Refused: if more would be given back than stands on the invoice, or without a reason.
    """
    actor.must(Right.ORDERS)
    reason = reason.strip()
    if not 1 <= len(reason) <= MOST_REASON:
        message = f"“Reason” must have 1 to {MOST_REASON} characters."
        raise refuse("form", message, "Say why it is given back.", "reason")
    with workplace.database.writing() as session:
        row = invoice_by_number(session, number)
        wish = Credit(reason, units, again)
        return credit_in(session, workplace, actor, row, wish).number


@dataclass(frozen=True)
class Credit:
    """What a credit note gives back, and why: the units by the positions of the invoice's lines, or
    None for all that is left; whether they are to be invoiced again; and the amount, in minor units,
    where less is given back for them than they came to."""

    reason: str
    units: Mapping[int, int] | None = None
    again: bool = False
    amount: int | None = None


def credit_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    row: InvoiceRow,
    wish: Credit,
) -> InvoiceRow:
    """Issues a credit note over an invoice inside a transaction."""
    if row.kind != "invoice":
        message = f"“{row.number}” is a credit note."
        raise refuse("not-allowed", message, "Correct the invoice itself.")
    order = order_by_id(session, row.order_id)
    lines = lines_of_invoice(session, row.id)
    wanted = _to_credit(row, lines, credited_units(session, row.id), wish.units)
    made = [_part(line, before, units) for line, before, units in wanted]
    if wish.amount is not None:
        made = brought_to(made, wish.amount, with_tax=row.with_tax)
    sums = sums_of(made, with_tax=row.with_tax)
    serial, number = next_serial(session, Series.CREDIT_NOTE, workplace.local_now())
    note = _row(workplace, order, sums, workplace.local_now().date())
    note.number, note.kind, note.serial = number, "credit", serial
    note.corrects_id, note.reason, note.again = row.id, wish.reason, wish.again
    note.seller, note.buyer, note.tax_kind = row.seller, row.buyer, row.tax_kind
    note.supplied_on, note.due_on = row.supplied_on, note.issued_on
    positions = [line.position for line, _, _ in wanted]
    _save(session, note, made)
    for saved, position in zip(lines_of_invoice(session, note.id), positions, strict=True):
        saved.position = position  # by which it names the line of the invoice
    if wish.again:
        _open_again(session, order, wanted)
    else:
        order.credited += note.payable
    _note(session, workplace, actor, order, f"credited by {note.number}")
    _mail_paper(session, order, MailEvent.REFUNDED, note.number)
    return note


Credited = tuple[InvoiceLineRow, int, int]  # the line, the units credited before, those now


def _to_credit(
    row: InvoiceRow,
    lines: Sequence[InvoiceLineRow],
    before: Mapping[int, int],
    units: Mapping[int, int] | None,
) -> list[Credited]:
    left = {line.position: line.quantity - before.get(line.position, 0) for line in lines}
    wishes = left if units is None else units
    for position, wish in wishes.items():
        if position not in left or not 0 <= wish <= left[position]:
            message = (
                f"{left.get(position, 0)} of line {position} of “{row.number}” can be given back;"
                f" it got {wish}."
            )
            raise refuse("out-of-range", message, "Correct the units.", "lines")
    found = [
        (line, before.get(line.position, 0), wishes[line.position])
        for line in lines
        if wishes.get(line.position, 0)
    ]
    if not found:
        message = f"Nothing of “{row.number}” is left to be given back."
        raise refuse("nothing", message, "Look at its credit notes.")
    return found


def _part(line: InvoiceLineRow, before: int, units: int) -> InvoiceLine:
    """Returns the part of an invoice's line for some units, so that all parts add up to it."""
    percent = Decimal(line.percent)

    def share(amount: int) -> int:
        return amount * (before + units) // line.quantity - amount * before // line.quantity

    return InvoiceLine(
        line.order_line_id,
        line.sku,
        line.title,
        units,
        line.unit_price,
        share(line.discount),
        share(line.net),
        share(line.paid),
        percent,
    )


def _open_again(session: Session, order: Order, credited: Sequence[Credited]) -> None:
    lines = {line.id: line for line in lines_of(session, [order.id])[order.id]}
    for line, before, units in credited:
        if line.order_line_id is None:
            part = replace(_part(line, before, units), discount=0)
            order.delivery_invoiced -= part.paid if order.with_tax else part.net
        else:
            lines[line.order_line_id].invoiced -= units


def _note(session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str) -> None:
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed)
    work_out_orders(session, workplace, actor, [order])
