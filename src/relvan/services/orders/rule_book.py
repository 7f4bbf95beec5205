"""The rules of the order desk as the seller writes them: creating, changing, putting in order,
deleting, and trying them on the last orders.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from relvan.core.orders.rule_checks import MOST_RULES, check_order_rule, refuse_circle
from relvan.core.orders.rules import Rule, RuleDeed, plain_rule, why_not
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.orders.rules import rule_facts_of_rows
from relvan.services.orders.trays import THE_DESK
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_names
from relvan.store.database import after_commit
from relvan.store.mailing import mail_texts
from relvan.store.session import Session
from relvan.store.tables import OrderRule
from relvan.store.trays import last_orders, rule_row, rule_rows, rules_of, trays_of

TRIED_ON = 500


def save_rule(workplace: Workplace, actor: Actor, rule: Rule) -> int:
    """Creates a rule as the last one, or changes the one with its id; returns the id.

    Raises:
        Refused: if the rule cannot be, or if the rules would then go round in a circle.
    """
    actor.must(Right.ORDERS)
    rule = replace(rule, name=rule.name.strip())
    with workplace.database.writing() as session:
        _check(session, rule)
        rules = [one for one in rules_of(session) if one.id != rule.id or not rule.id]
        refuse_circle([*rules, rule])
        if rule.id:
            row = rule_row(session, rule.id)
            row.rule = plain_rule(rule)
        else:
            if len(rules) >= MOST_RULES:
                message = f"There are {MOST_RULES} rules, which is the most."
                raise refuse("too-many", message, "Delete one that is not used.")
            row = OrderRule(position=len(rules), rule=plain_rule(rule))
            session.add(row)
        session.flush()
        deed = f"rule “{rule.name}” {'changed' if rule.id else 'created'}"
        _note(session, workplace, actor, deed)
        after_commit(session, lambda: workplace.wake(Work.DESK, 0))
        return row.id


def _check(session: Session, rule: Rule) -> None:
    trays = {row.key for row in trays_of(session)}
    channels = {key for key, _ in channel_names(session, ended=True)}
    texts = {str(text.id) for text in mail_texts(session)}
    refuse_if_any(check_order_rule(rule, trays, channels, texts))


def order_rules(workplace: Workplace, actor: Actor, ids: Sequence[int]) -> None:
    """Puts the rules in an order; every rule must be named once."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        rows = {row.id: row for row in rule_rows(session)}
        if sorted(ids) != sorted(rows):
            message = "The order must name every rule once."
            raise refuse("not-allowed", message, "Load the page again.", "rules")
        for position, rule_id in enumerate(ids):
            rows[rule_id].position = position


def delete_rule(workplace: Workplace, actor: Actor, rule_id: int) -> Rule:
    """Deletes a rule; returns it, so that it can be created again."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = rule_row(session, rule_id)
        rule = next(one for one in rules_of(session) if one.id == rule_id)
        session.delete(row)
        _note(session, workplace, actor, f"rule “{rule.name}” deleted")
        return rule


@dataclass(frozen=True)
class TriedRule:
    """What a rule would have done to the last orders: the numbers of those that it is for as they
    are now, and how many each condition kept from it."""

    rule: Rule
    numbers: tuple[str, ...]
    kept: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class RulesTried:
    """What each rule would do, and on how many orders that was tried."""

    orders: int
    rules: tuple[TriedRule, ...]


def try_rules(workplace: Workplace, rule: Rule | None = None) -> RulesTried:
    """Says what each rule would do to the last 500 orders, each as it is now; nothing is changed.
    With a rule, only that one is tried, saved or not."""
    with workplace.database.reading() as session:
        if rule is not None:
            _check(session, rule)
            refuse_circle([*(one for one in rules_of(session) if one.id != rule.id), rule])
        rules = [rule] if rule is not None else rules_of(session)
        facts = rule_facts_of_rows(session, workplace, last_orders(session, TRIED_ON))
    found = []
    for one in rules:
        numbers, kept = [], dict[str, int]()
        for order in facts.values():
            hindrance = why_not(one, order)
            if hindrance:
                kept[hindrance] = kept.get(hindrance, 0) + 1
            else:
                numbers.append(order.number)
        most_first = sorted(kept.items(), key=lambda pair: -pair[1])
        found.append(TriedRule(one, tuple(numbers), tuple(most_first)))
    return RulesTried(len(facts), tuple(found))


def rule_of(session: Session, rule_id: int) -> Rule:
    """Returns a rule by its id."""
    found = next((rule for rule in rules_of(session) if rule.id == rule_id), None)
    if found is None:
        raise not_found("rule", rule_id)
    return found


def _note(session: Session, workplace: Workplace, actor: Actor, deed: str) -> None:
    audit.record(session, actor, workplace.now(), audit.Subject("desk", THE_DESK), deed)


def rules_with_mail(session: Session, text_id: int) -> list[str]:
    """Returns the names of the rules that send a text of a mail."""
    return [
        rule.name
        for rule in rules_of(session)
        for then in rule.then
        if then.deed == RuleDeed.MAIL and then.value == str(text_id)
    ]
