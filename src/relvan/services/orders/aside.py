"""What is noted of orders on the desk: until when they are set aside and why, their tags, who takes
care of them, and what the team is reminded of.
"""

from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta

from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.rules import RuleEvent, tag_of
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.blocks import for_orders, one_after_another
from relvan.services.orders.work_out import put_in_tray
from relvan.services.verdicts import Verdict
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.notices import add_notice
from relvan.store.orders import order_by_number
from relvan.store.people import person_by_login
from relvan.store.session import Session
from relvan.store.tables import Order
from relvan.store.trays import (
    REMINDER,
    add_tag,
    delete_tag,
    due_back,
    note_seen,
    rules_of,
    tags_of,
    tray_by_key,
    trays_of,
    waiting_in,
)

MOST_REASON = 200
MOST_AHEAD = timedelta(days=730)
AT_ONCE = 200


def set_aside(
    workplace: Workplace,
    actor: Actor,
    numbers: Sequence[str],
    reason: str,
    until: date,
    *,
    tray: str = "",
) -> list[Verdict]:
    """Sets orders aside for a reason until a day, on which they come back by themselves; with `tray`
    they are moved there too."""
    actor.must(Right.ORDERS)
    reason, today = reason.strip(), workplace.local_now().date()
    if not 1 <= len(reason) <= MOST_REASON:
        message = f"“Reason” must have 1 to {MOST_REASON} characters."
        raise refuse("form", message, "Say what the order waits for.", "reason")
    if not today < until <= today + MOST_AHEAD:
        message = f"“Until” must be a day after today, within two years; it got {until}."
        raise refuse("out-of-range", message, "Choose the day on which it comes back.", "until")

    def one(session: Session, order: Order) -> None:
        if tray:
            tray_by_key(session, tray)
            put_in_tray(session, workplace, actor, order, tray)
        set_aside_in(session, workplace, actor, order, reason, until)

    return for_orders(workplace, numbers, one_after_another(one), OrderDeed.SET_ASIDE)


def set_aside_in(
    session: Session, workplace: Workplace, actor: Actor, order: Order, reason: str, until: date
) -> None:
    """Sets an order aside inside a transaction."""
    day = until.isoformat()
    if (order.aside_until, order.aside_reason) == (day, reason):
        return
    changes = {"set aside until": (order.aside_until, day), "reason": (order.aside_reason, reason)}
    order.aside_until, order.aside_reason = day, reason
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, "set aside", changes)


def take_back_aside(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Brings orders back that were set aside."""
    actor.must(Right.ORDERS)

    def one(session: Session, order: Order) -> None:
        _come_back(session, workplace, actor, order, "brought back")

    return for_orders(workplace, numbers, one_after_another(one))


def _come_back(
    session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str
) -> None:
    if order.aside_until is None:
        return
    changes = {"set aside until": (order.aside_until, None), "reason": (order.aside_reason, "")}
    order.aside_until, order.aside_reason = None, ""
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed, changes)


def tag_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], tag: str, *, off: bool = False
) -> list[Verdict]:
    """Adds a tag to orders, or deletes it with `off`."""
    actor.must(Right.ORDERS)
    tag = tag_of(tag)
    if not tag:
        message = "“Tag” must have a letter or a digit."
        raise refuse("form", message, "Type a word, such as gift.", "tag")

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str]:
        tags = tags_of(session, [order.id for order in orders])
        for order in orders:
            if (tag in tags[order.id]) == off:
                tag_in(session, workplace, actor, order.id, tag, off=off)
        return {}

    return for_orders(workplace, numbers, do)


def tag_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order_id: int,
    tag: str,
    *,
    off: bool = False,
) -> None:
    """Adds or deletes a tag inside a transaction."""
    (delete_tag if off else add_tag)(session, [order_id], tag)
    subject = audit.Subject("order", order_id)
    changes = {"tag": (tag, "") if off else ("", tag)}
    audit.record(
        session, actor, workplace.now(), subject, "tag deleted" if off else "tagged", changes
    )


def assign_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], login: str
) -> list[Verdict]:
    """Says who takes care of orders; nobody when no login is given."""
    actor.must(Right.ORDERS)
    with workplace.database.reading() as session:
        person = person_by_login(session, login) if login else None
        if login and person is None:
            raise not_found("person", login)
        person_id, name = (person.id, person.name) if person else (None, "")

    def one(session: Session, order: Order) -> None:
        if order.assigned_id == person_id:
            return
        order.assigned_id = person_id
        subject = audit.Subject("order", order.id)
        changes = {"assigned to": ("", name)}
        audit.record(session, actor, workplace.now(), subject, "assigned", changes)

    return for_orders(workplace, numbers, one_after_another(one))


def link_for_customer(workplace: Workplace, actor: Actor, number: str) -> str:
    """Returns the secret that opens an order's page for the customer; it is made when it is first
    asked for."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        if not order.secret:
            subject = audit.Subject("order", order.id)
            audit.record(session, actor, workplace.now(), subject, "link for the customer made")
        return customer_secret(workplace, order)


def customer_secret(workplace: Workplace, order: Order) -> str:
    """Returns the secret of an order's page for the customer inside a transaction; it is made when
    it is first asked for."""
    if not order.secret:
        order.secret = workplace.new_key()
    return order.secret


def mind_the_desk(workplace: Workplace) -> bool:
    """Brings back orders that were set aside until today, reminds of those that have lain too long
    in a tray, and lets the rules about waiting run. Returns whether there may be more to do now."""
    now, today = workplace.now(), workplace.local_now().date()
    with workplace.database.writing() as session:
        back = due_back(session, today, AT_ONCE)
        for order in back:
            _come_back(session, workplace, SYSTEM, order, "came back")
            add_notice(session, order.id, "It was set aside until today.", now)
    _remind(workplace)
    _let_waiting_rules_run(workplace)
    return len(back) == AT_ONCE


def _remind(workplace: Workplace) -> None:
    now = workplace.now()
    with workplace.database.reading() as session:
        minding = [row for row in trays_of(session) if row.remind_days]
    for row in minding:
        days = "day" if row.remind_days == 1 else "days"
        words = f"It has lain in {row.name} for {row.remind_days} {days} or longer."
        before = now - timedelta(days=row.remind_days)
        for session, found in _seen_once(workplace, REMINDER, row.key, before):
            for order_id in found:
                add_notice(session, order_id, words, now)


def _let_waiting_rules_run(workplace: Workplace) -> None:
    with workplace.database.reading() as session:
        rules = [
            rule for rule in rules_of(session) if rule.active and rule.when == RuleEvent.WAITED
        ]
    for rule in rules:
        before = workplace.now() - timedelta(days=rule.days)
        for tray in rule.only.trays or ("",):
            for session, found in _seen_once(workplace, rule.id, tray, before):
                for order_id in found:
                    changes_of(session).happened(order_id, RuleEvent.WAITED, rule.id)


def _seen_once(
    workplace: Workplace, rule_id: int, tray: str, before: datetime
) -> Iterator[tuple[Session, list[int]]]:
    """Yields the orders that have lain in a tray since before a moment and were not seen by a rule,
    some at a time, each time in a transaction that notes that they have been seen."""
    more = True
    while more:
        with workplace.database.writing() as session:
            found = waiting_in(session, rule_id, tray, before, AT_ONCE)
            note_seen(session, rule_id, found)
            yield session, [order_id for order_id, _ in found]
            more = len(found) == AT_ONCE
