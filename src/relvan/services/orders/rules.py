"""Lets the rules of the order desk run, in the transaction in which something has happened to an
order.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import timedelta

from relvan.core.mail.texts import MailEvent
from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.facts import Extent
from relvan.core.orders.rules import (
    Rule,
    RuleDeed,
    RuleEvent,
    RuleFacts,
    RuleThen,
    matches,
)
from relvan.core.refusal import Refused
from relvan.services import audit
from relvan.services.changes import Changes, MailWish, changes_of
from relvan.services.orders.aside import set_aside_in, tag_in
from relvan.services.orders.invoices import invoice_in
from relvan.services.orders.release import release_in
from relvan.services.orders.reserve import answer_for, reserve_in
from relvan.services.orders.scarce import serve_waiting_orders
from relvan.services.orders.work_out import put_in_tray
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.notices import add_notice
from relvan.store.orders import order_by_id
from relvan.store.session import Session
from relvan.store.tables import Order
from relvan.store.trays import (
    RuledOrder,
    lines_by_order,
    ruled_orders,
    rules_of,
    tags_of,
)


def follow_rules(session: Session, workplace: Workplace, changes: Changes) -> None:
    """Lets the rules follow what has happened to orders in this transaction, and what the rules
    themselves make happen. It ends, since no set of rules can go round in a circle."""
    if not changes.events:
        return
    rules = [rule for rule in rules_of(session) if rule.active]
    while events := changes.take_events():
        waited_for = {rule.when for rule in rules}
        relevant = [one for one in events if one[1] in waited_for]
        if not relevant:
            continue
        session.flush()
        facts = rule_facts_of(session, workplace, {order_id for order_id, _, _ in relevant})
        for order_id, event, rule_id in relevant:
            for rule in rules:  # each sees what those before it have done
                if rule.when == event and rule_id in (0, rule.id):
                    facts[order_id] = _follow(session, workplace, rule, facts[order_id], order_id)
        serve_waiting_orders(session, workplace, changes)


def _follow(
    session: Session, workplace: Workplace, rule: Rule, facts: RuleFacts, order_id: int
) -> RuleFacts:
    """Does what a rule says if it is for an order; returns the facts of the order afterwards."""
    if not matches(rule, facts):
        return facts
    order = order_by_id(session, order_id)
    actor = replace(SYSTEM, via=f"rule “{rule.name}”")
    for then in rule.then:
        try:
            DEEDS[then.deed](session, workplace, actor, order, then)
        except Refused as refused:
            words = f"not done: {refused.first.message}"
            subject = audit.Subject("order", order.id)
            audit.record(session, actor, workplace.now(), subject, words)
    session.flush()
    return rule_facts_of(session, workplace, {order_id})[order_id]


def rule_facts_of(
    session: Session, workplace: Workplace, order_ids: set[int]
) -> dict[int, RuleFacts]:
    """Returns what rules ask of orders, by their ids."""
    return rule_facts_of_rows(session, workplace, ruled_orders(session, order_ids))


def rule_facts_of_rows(
    session: Session, workplace: Workplace, rows: Sequence[RuledOrder]
) -> dict[int, RuleFacts]:
    """Returns what rules ask of orders that have been read, by their ids."""
    ids = [row.id for row in rows]
    lines, tags, now = lines_by_order(session, ids), tags_of(session, ids), workplace.now()
    return {
        row.id: RuleFacts(
            row.number,
            row.channel or "none",
            row.country,
            row.tray,
            row.total,
            lines.get(row.id, 0),
            _progress(row),
            frozenset(tags.get(row.id, ())),
            (now - row.tray_since).days if row.tray_since else 0,
        )
        for row in rows
    }


def _progress(row: RuledOrder) -> dict[str, Extent]:
    return {
        name: Extent(getattr(row, name))
        for name in ("reserved", "picked", "shipped", "invoiced", "paid")
    }


Deed = Callable[[Session, Workplace, Actor, Order, RuleThen], None]


def _move(
    session: Session, workplace: Workplace, actor: Actor, order: Order, then: RuleThen
) -> None:
    answer_for(session, order, OrderDeed.MOVE)
    put_in_tray(session, workplace, actor, order, then.value)


def _set_aside(
    session: Session, workplace: Workplace, actor: Actor, order: Order, then: RuleThen
) -> None:
    answer_for(session, order, OrderDeed.SET_ASIDE)
    until = workplace.local_now().date() + timedelta(days=then.days)
    set_aside_in(session, workplace, actor, order, then.value, until)


def _tag(
    session: Session, workplace: Workplace, actor: Actor, order: Order, then: RuleThen
) -> None:
    tag_in(session, workplace, actor, order.id, then.value)


def _reserve(
    session: Session, workplace: Workplace, actor: Actor, order: Order, _then: RuleThen
) -> None:
    if not answer_for(session, order, OrderDeed.RESERVE).does:
        return
    if not reserve_in(session, workplace, actor, order).whole:
        changes_of(session).happened(order.id, RuleEvent.SHORT)


def _release(
    session: Session, workplace: Workplace, actor: Actor, order: Order, _then: RuleThen
) -> None:
    if answer_for(session, order, OrderDeed.RELEASE).does:
        release_in(session, workplace, actor, order)


def _invoice(
    session: Session, workplace: Workplace, actor: Actor, order: Order, _then: RuleThen
) -> None:
    if answer_for(session, order, OrderDeed.INVOICE).does:
        invoice_in(session, workplace, actor, order)


def _notify(
    session: Session, workplace: Workplace, _actor: Actor, order: Order, then: RuleThen
) -> None:
    add_notice(session, order.id, then.value, workplace.now())


def _mail(
    session: Session, workplace: Workplace, _actor: Actor, order: Order, then: RuleThen
) -> None:
    """Notes the mail, which the station of mail writes. One rule sends an order one text a day."""
    day = workplace.local_now().date().isoformat()
    key = f"rule:{order.id}:{then.value}:{day}"
    changes_of(session).to_mail(MailWish(order.id, MailEvent.BY_HAND, key, text_id=int(then.value)))


DEEDS: Mapping[RuleDeed, Deed] = {
    RuleDeed.MOVE: _move,
    RuleDeed.SET_ASIDE: _set_aside,
    RuleDeed.TAG: _tag,
    RuleDeed.RESERVE: _reserve,
    RuleDeed.RELEASE: _release,
    RuleDeed.INVOICE: _invoice,
    RuleDeed.NOTIFY: _notify,
    RuleDeed.MAIL: _mail,
}
