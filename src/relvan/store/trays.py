"""Queries over the trays of the order desk, its rules, and what is noted of orders: tags, and until when
they are set aside.
"""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.orm import Session

from relvan.core.orders.rules import Rule, plain_rule, read_rule
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.kept import kept
from relvan.store.portable import insert_into
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Channel,
    DeskRun,
    Order,
    OrderLine,
    OrderRule,
    OrderTag,
    TrayRow,
)

RULES = select(OrderRule.id, OrderRule.rule).order_by(OrderRule.position, OrderRule.id)


def trays_of(session: Session) -> list[TrayRow]:
    """Returns all trays in their order."""
    return list(session.scalars(select(TrayRow).order_by(TrayRow.position, TrayRow.key)))


def tray_by_key(session: Session, key: str) -> TrayRow:
    """Returns a tray by its key."""
    row = session.get(TrayRow, key)
    if row is None:
        raise not_found("tray", key)
    return row


def orders_in_tray(session: Session, key: str) -> int:
    """Returns how many orders lie in a tray."""
    statement = select(func.count()).select_from(Order).where(Order.tray == key)
    return session.scalar(statement) or 0


def move_all(session: Session, key: str, to: str, now: datetime) -> list[int]:
    """Moves all orders of a tray to another one; returns their ids."""
    ids = list(session.scalars(select(Order.id).where(Order.tray == key)))
    wanted = update(Order).where(Order.tray == key).values(tray=to, tray_since=now)
    session.execute(wanted.execution_options(synchronize_session=False))
    session.expire_all()
    return ids


def channels_starting_in(session: Session, key: str) -> list[Channel]:
    """Returns the channels whose orders start in a tray."""
    return list(session.scalars(select(Channel).where(Channel.start_tray == key)))


@kept
def rules_of(session: Session) -> Sequence[Rule]:
    """Returns all rules in the order in which they are asked."""
    rows = bare_rows(session, RULES)
    return [read_rule(told, rule_id) for rule_id, told in rows]


def rule_row(session: Session, rule_id: int) -> OrderRule:
    """Returns a rule by its id."""
    row = session.get(OrderRule, rule_id)
    if row is None:
        raise not_found("rule", rule_id)
    return row


def rule_rows(session: Session) -> list[OrderRule]:
    """Returns the rows of all rules in their order."""
    return list(session.scalars(select(OrderRule).order_by(OrderRule.position, OrderRule.id)))


def point_rules_to(session: Session, rules: Mapping[int, Rule]) -> None:
    """Saves rules by their ids."""
    for rule_id, rule in rules.items():
        session.get_one(OrderRule, rule_id).rule = plain_rule(rule)


def tags_of(session: Session, order_ids: Collection[int]) -> dict[int, list[str]]:
    """Returns the tags of orders, in the order of the alphabet, by the order's id."""
    found: dict[int, list[str]] = defaultdict(list)
    for order_id, tag in bare_rows(session, *_tags_among(order_ids)):
        found[order_id].append(tag)
    return found


@built_once
def _tags_among(order_ids: Collection[int]) -> Select[int, str]:
    return (
        select(OrderTag.order_id, OrderTag.tag)
        .where(among(OrderTag.order_id, order_ids))
        .order_by(OrderTag.order_id, OrderTag.tag)
    )


def all_tags(session: Session) -> list[str]:
    """Returns every tag that an order has, in the order of the alphabet."""
    return list(session.scalars(select(OrderTag.tag).distinct().order_by(OrderTag.tag)))


def add_tag(session: Session, order_ids: Sequence[int], tag: str) -> None:
    """Adds a tag to orders; those that have it keep it."""
    if order_ids:
        rows = [{"order_id": order_id, "tag": tag} for order_id in order_ids]
        session.execute(insert_into(session, OrderTag).on_conflict_do_nothing(), rows)


def delete_tag(session: Session, order_ids: Collection[int], tag: str) -> None:
    """Deletes a tag of orders."""
    session.execute(
        delete(OrderTag).where(among(OrderTag.order_id, order_ids), OrderTag.tag == tag)
    )


def due_back(session: Session, today: date, most: int) -> list[Order]:
    """Returns orders that were set aside until a day that has come."""
    wanted = select(Order).where(Order.aside_until <= today.isoformat())
    return list(session.scalars(wanted.order_by(Order.aside_until, Order.id).limit(most)))


REMINDER = 0  # the id under which the reminder of a tray is noted among the rules


def waiting_in(
    session: Session, rule_id: int, tray: str, before: datetime, most: int
) -> list[tuple[int, datetime]]:
    """Returns (id, since when it lies there) of orders that have lain in a tray since before a
    moment, are not set aside, and have not been seen there by a rule, the oldest first. An empty
    tray means every tray whose orders wait."""
    seen = select(DeskRun.order_id).where(
        DeskRun.order_id == Order.id, DeskRun.rule_id == rule_id, DeskRun.since == Order.tray_since
    )
    wanted = select(Order.id, Order.tray_since).where(
        Order.tray_since < before, Order.aside_until.is_(None), ~seen.exists()
    )
    of_tray = Order.tray == tray if tray else Order.tray.not_in(("closed", "cancelled"))
    wanted = wanted.where(of_tray)
    rows = session.execute(wanted.order_by(Order.tray_since, Order.id).limit(most))
    return [(order_id, since) for order_id, since in rows if since is not None]


def note_seen(session: Session, rule_id: int, seen: Sequence[tuple[int, datetime]]) -> None:
    """Notes that a rule has seen orders that lie in their trays since these moments."""
    if not seen:
        return
    rows = [{"order_id": order_id, "rule_id": rule_id, "since": since} for order_id, since in seen]
    statement = insert_into(session, DeskRun)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=[DeskRun.order_id, DeskRun.rule_id],
            set_={"since": statement.excluded.since},
        ),
        rows,
    )


@dataclass(frozen=True)
class RuledOrder:
    """What rules ask of an order, as it is kept."""

    id: int
    number: str
    channel: str | None
    country: str
    tray: str
    tray_since: datetime | None
    total: int
    reserved: str
    picked: str
    shipped: str
    invoiced: str
    paid: str


def ruled_orders(session: Session, order_ids: Collection[int]) -> list[RuledOrder]:
    """Returns what rules ask of orders."""
    return rows_as(RuledOrder, session, _ruled().where(among(Order.id, order_ids)))


def last_orders(session: Session, most: int) -> list[RuledOrder]:
    """Returns the orders that were taken last, the newest first."""
    return rows_as(RuledOrder, session, _ruled().order_by(Order.id.desc()).limit(most))


def _ruled() -> Select[*tuple[Any, ...]]:
    return select(
        Order.id,
        Order.number,
        Channel.key,
        Order.country,
        Order.tray,
        Order.tray_since,
        Order.total,
        Order.fact_reserved,
        Order.fact_picked,
        Order.fact_shipped,
        Order.fact_invoiced,
        Order.fact_paid,
    ).outerjoin(Channel, Channel.id == Order.channel_id)


def lines_by_order(session: Session, order_ids: Collection[int]) -> dict[int, int]:
    """Returns how many lines orders have, without those of the parts of kits."""
    wanted = (
        select(OrderLine.order_id, func.count())
        .where(among(OrderLine.order_id, order_ids), OrderLine.part_of.is_(None))
        .group_by(OrderLine.order_id)
    )
    return dict(session.execute(wanted).all())
