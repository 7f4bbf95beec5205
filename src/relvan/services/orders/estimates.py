"""Estimates: made for a customer, open until their last day, and accepted as an order at their
prices.
"""

from dataclasses import replace
from datetime import date

from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.draft import OrderDraft, read_draft
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse
from relvan.core.setup.numbering import Series
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.by_hand import Entered, refuse_open, write_order
from relvan.services.orders.customers import customer_for
from relvan.services.orders.judge import JudgedDraft, judge_in
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.customers import (
    estimate_by_number,
    estimate_by_secret,
    order_of_estimate,
)
from relvan.store.session import Session
from relvan.store.tables import Estimate


def enter_estimate(
    workplace: Workplace, actor: Actor, draft: OrderDraft, *, strict: bool = True
) -> Entered:
    """Saves an estimate with its prices as they are now.

    Raises:
        Refused: if something is missing or wrong, if it is for nobody in particular, or with
            `strict`, if a warning has no reason.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        judged = judge_in(session, workplace, replace(draft, kind=OrderKind.ESTIMATE))
        refuse_open(judged, strict=strict)
        if draft.last_day is not None and draft.last_day < workplace.local_now().date():
            message = "“Last day” must not be in the past."
            raise refuse("out-of-range", message, "Choose a later day.", "last_day")
        customer = customer_for(session, workplace, actor, judged.customer, draft)
        if customer is None:
            message = "An estimate is for a customer, who needs a mail address."
            raise refuse("missing", message, "Choose the customer or type the address.", "mail")
        row = Estimate(
            number=next_number(session, Series.ESTIMATE, workplace.local_now()),
            customer_id=customer.id,
            draft=_fixed(judged, customer.number).as_dict(),
            currency=judged.currency,
            total=judged.total,
            last_day=draft.last_day.isoformat() if draft.last_day else "",
            state="open",
            secret=workplace.new_key(),
            made_at=workplace.now(),
        )
        session.add(row)
        session.flush()
        _note(session, workplace, actor, row, "created")
        return Entered(row.number, tuple(judged.warnings))


def _fixed(judged: JudgedDraft, customer: str) -> OrderDraft:
    """Returns the draft with its prices as they were judged, so that they hold until the last day, and
    with the words for the goods that the customer reads."""
    lines = tuple(
        replace(
            line.line,
            title=line.title,
            unit_price=line.typed.unit_price,
            discount=line.typed.discount,
        )
        for line in judged.lines
    )
    return replace(
        judged.draft, customer=customer, lines=lines, discount=0, currency=judged.currency
    )


def accept_estimate(
    workplace: Workplace, actor: Actor, number: str, *, prices_confirmed: bool = False
) -> str:
    """Makes the order of an estimate at its prices; returns the order's number. Accepting twice
    returns the same order.

    Raises:
        Refused: `expired` after its last day, unless a person has confirmed the prices anew.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = estimate_by_number(session, number)
        return _accept(session, workplace, actor, row, late=prices_confirmed)


def accept_by_link(workplace: Workplace, secret: str) -> str:
    """Accepts an estimate for the customer who has its link; returns the order's number."""
    with workplace.database.writing() as session:
        row = estimate_by_secret(session, secret)
        return _accept(session, workplace, replace(SYSTEM, via="customer"), row, late=False)


def _accept(
    session: Session, workplace: Workplace, actor: Actor, row: Estimate, *, late: bool
) -> str:
    if row.state == "accepted":
        return order_of_estimate(session, row.id) or ""
    if row.state == "cancelled":
        message = f"“{row.number}” was cancelled."
        raise refuse("cancelled", message, "Make a new estimate.")
    if is_expired(row, workplace.local_now().date()) and not late:
        message = f"“{row.number}” could be accepted until {row.last_day}."
        raise refuse("expired", message, "Confirm the prices anew, or make a new estimate.")
    draft = replace(read_draft(row.draft), kind=OrderKind.ORDER)
    judged = judge_in(session, workplace, draft)
    refuse_open(judged, strict=False)
    order = write_order(session, workplace, actor, judged)
    order.estimate_id = row.id
    row.state, row.ended_at = "accepted", workplace.now()
    _note(session, workplace, actor, row, f"accepted as {order.number}")
    return order.number


def is_expired(row: Estimate, today: date) -> bool:
    """Says whether the last day of an open estimate is over."""
    return row.state == "open" and today.isoformat() > row.last_day


def cancel_estimate(workplace: Workplace, actor: Actor, number: str) -> None:
    """Cancels an estimate, so that it cannot be accepted any more."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = estimate_by_number(session, number)
        if row.state == "accepted":
            message = f"“{row.number}” is accepted."
            raise Refused(Refusal("accepted", message, "Cancel its order instead."))
        if row.state == "cancelled":
            return
        row.state, row.ended_at = "cancelled", workplace.now()
        _note(session, workplace, actor, row, "cancelled")


def _note(session: Session, workplace: Workplace, actor: Actor, row: Estimate, deed: str) -> None:
    subject = audit.Subject("estimate", row.id)
    audit.record(session, actor, workplace.now(), subject, deed)
