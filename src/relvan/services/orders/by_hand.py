"""Saves orders that a person enters; a warning is overridden with a reason."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.orders.by_hand import (
    OrderWarning,
)
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.orders.invoicing import tax_on
from relvan.core.orders.new import FirstPayment, LineToAdd, OrderToAdd, usual_method
from relvan.core.orders.tax import tax_inside
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse_if_any
from relvan.services.orders.add import add_orders
from relvan.services.orders.customers import customer_for
from relvan.services.orders.judge import JudgedDraft, JudgedLine, judge_in
from relvan.services.workplace import Actor, Workplace
from relvan.store.orders import order_by_id
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine


@dataclass(frozen=True)
class Entered:
    """An order or estimate that was saved: its number, and what was warned of."""

    number: str
    warnings: tuple[OrderWarning, ...]


def enter_order(
    workplace: Workplace,
    actor: Actor,
    draft: OrderDraft,
    *,
    paid: bool = False,
    strict: bool = True,
) -> Entered:
    """Saves an order that a person enters; stock is reserved at once where there is enough.

    Raises:
        Refused: if something is missing or wrong; or with `strict`, if a warning has no reason.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        judged = judge_in(session, workplace, draft)
        refuse_open(judged, strict=strict)
        order = write_order(session, workplace, actor, judged, paid=paid)
        return Entered(order.number, tuple(judged.warnings))


def refuse_open(judged: JudgedDraft, *, strict: bool) -> None:
    """Refuses a draft that cannot be saved as it is."""
    refuse_if_any(judged.refusals)
    if strict and judged.open_warnings:
        raise Refused(
            *(
                Refusal(
                    "warning", one.message, "Give a reason, and it is saved.", f"because-{one.code}"
                )
                for one in judged.open_warnings
            )
        )


def write_order(
    session: Session, workplace: Workplace, actor: Actor, judged: JudgedDraft, *, paid: bool = False
) -> Order:
    """Writes a judged draft as an order inside a transaction, and reserves for it."""
    draft, now = judged.draft, workplace.now()
    customer = customer_for(session, workplace, actor, judged.customer, draft)
    changes = {
        f"overridden: {code}": ("", reason) for code, reason in draft.overridden.items() if reason
    }
    paid_now = judged.total if paid else 0
    new = OrderToAdd(
        tray=draft.tray or Tray.INBOX,
        customer_id=customer.id if customer else None,
        ship_to=draft.ship_to,
        bill_to=customer.bill_to or None if customer else None,
        tax_number=customer.tax_number if customer else "",
        tax_kind=judged.case.kind,
        currency=judged.currency,
        with_tax=draft.prices_with_tax,
        delivery_price=draft.delivery,
        total=judged.total,
        paid=paid_now,
        payment=FirstPayment(paid_now, usual_method(None), workplace.local_now().date())
        if paid_now
        else None,
        units=sum(line.typed.quantity for line in judged.lines),
        placed_at=now,
        promised_on=draft.promised.isoformat() if draft.promised else None,
        reference=draft.reference.strip(),
        salesperson_id=judged.salesperson_id or actor.person_id,
        warehouse_id=judged.warehouse_id,
        overridden=dict(draft.overridden),
        lines=[_new_line(line) for line in judged.lines],
        deed="taken by hand",
        deed_changes=changes,
    )
    (added,) = add_orders(session, workplace, actor, [new], caused_at=now)
    return order_by_id(session, added.id)


def _new_line(line: JudgedLine) -> LineToAdd:
    typed, product = line.typed, line.product
    tax = (
        tax_inside(typed.gross, typed.percent)
        if typed.with_tax
        else tax_on(typed.gross, typed.percent)
    )
    why = line.proposed.why
    if line.line.unit_price is not None:
        why = why.then("typed by hand", line.line.unit_price)
    return LineToAdd(
        sku=product.sku if product else line.line.sku,
        title=line.title,
        product_id=product.id if product else None,
        kind=product.kind if product else "",
        is_free=product is None,
        quantity=typed.quantity,
        unit_price=typed.unit_price,
        discount=typed.discount,
        tax=tax,
        tax_code=line.tax_code,
        tax_percent=str(typed.percent),
        cost=product.cost if product else None,
        price_why=why.as_dicts(),
    )


def draft_of_order(session: Session, order: Order, lines: Sequence[OrderLine]) -> OrderDraft:
    """Returns an order as a draft, to enter it once more."""
    return OrderDraft(
        customer="",
        mail=Address.read(order.ship_to).mail,
        ship_to=Address.read(order.ship_to),
        lines=tuple(
            DraftLine(
                line.sku,
                line.quantity,
                line.title if line.is_free or line.product_id is None else "",
                line.unit_price,
                line.discount,
            )
            for line in lines
            if line.part_of is None
        ),
        currency=order.currency,
        prices_with_tax=order.with_tax,
        delivery=order.delivery_price,
    )
