"""Trays of the order desk: creating, changing, putting in order and deleting them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from relvan.core.orders.rule_words import in_words
from relvan.core.orders.rules import Rule, RuleDeed
from relvan.core.orders.trays import (
    Tray,
    TrayForm,
    check_tray,
    is_first_tray,
    repeats_progress,
    tray_key,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.session import Session
from relvan.store.tables import TrayRow
from relvan.store.trays import (
    channels_starting_in,
    move_all,
    orders_in_tray,
    point_rules_to,
    rules_of,
    tray_by_key,
    trays_of,
)

MOST_TRAYS = 60
THE_DESK = 1  # the audit trail names trays by their key, under one subject


def tray_form(row: TrayRow) -> TrayForm:
    """Returns a tray as a person describes it."""
    return TrayForm(row.name, row.hue, row.remind_days, row.words)


def create_tray(workplace: Workplace, actor: Actor, form: TrayForm, *, anyway: bool = False) -> str:
    """Creates a tray as the last one before *Closed*; returns its key.

    Raises:
        Refused: `repeats-progress` if its name only repeats what progress says, unless it is to be
            created `anyway`.
    """
    actor.must(Right.ORDERS)
    if not anyway and repeats_progress(form.name):
        message = f"“{form.name}” is what the progress of an order says by itself."
        fix = "Use the filter that finds these orders, and keep it as a view; or create it anyway."
        raise refuse("repeats-progress", message, fix, "name")
    with workplace.database.writing() as session:
        rows = trays_of(session)
        refuse_if_any(check_tray(form, [row.name for row in rows]))
        key = tray_key(form.name)
        if key in {row.key for row in rows}:
            message = f"The key of a tray “{form.name}” is taken: one was renamed since."
            raise refuse("taken", message, "Choose another name.", "name")
        if len(rows) >= MOST_TRAYS:
            message = f"There are {MOST_TRAYS} trays, which is the most."
            raise refuse("too-many", message, "Delete one that is not used.")
        last = [row for row in rows if row.key not in (Tray.CLOSED, Tray.CANCELLED)]
        row = TrayRow(key=key, name=form.name.strip(), hue=form.hue, position=0)
        row.remind_days, row.words = form.remind_days, form.words.strip()
        session.add(row)
        rows.insert(rows.index(last[-1]) + 1 if last else 0, row)
        _number(rows)
        _note(session, workplace, actor, "tray created", {"name": ("", row.name)})
    workplace.forget_trays()
    return key


def change_tray(workplace: Workplace, actor: Actor, key: str, form: TrayForm) -> None:
    """Changes a tray. Its key stays, so orders, rules and channels that name it go on."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = tray_by_key(session, key)
        others = [other.name for other in trays_of(session) if other.key != key]
        refuse_if_any(check_tray(form, others))
        before = vars(tray_form(row))
        form = replace(form, name=form.name.strip(), words=form.words.strip())
        row.name, row.hue, row.remind_days, row.words = vars(form).values()
        changes = {
            name: (old, vars(form)[name]) for name, old in before.items() if old != vars(form)[name]
        }
        if changes:
            _note(session, workplace, actor, f"tray {key} changed", changes)
            after_commit(session, lambda: workplace.wake(Work.DESK, 0))
    workplace.forget_trays()


def order_trays(workplace: Workplace, actor: Actor, keys: Sequence[str]) -> None:
    """Puts the trays in an order; every tray must be named once."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        rows = {row.key: row for row in trays_of(session)}
        if sorted(keys) != sorted(rows):
            message = "The order must name every tray once."
            raise refuse("not-allowed", message, "Load the page again.", "trays")
        _number([rows[key] for key in keys])
    workplace.forget_trays()


@dataclass(frozen=True)
class TrayUse:
    """What names a tray: how many orders lie there, the rules that move orders there or ask for it,
    and the channels whose orders start there."""

    orders: int
    rules: tuple[Rule, ...]
    channels: tuple[str, ...]


def use_of_tray(workplace: Workplace, key: str) -> TrayUse:
    """Returns what names a tray."""
    with workplace.database.reading() as session:
        tray_by_key(session, key)
        return _use(session, key)


def uses_of_trays(workplace: Workplace) -> dict[str, TrayUse]:
    """Returns what names each tray."""
    with workplace.database.reading() as session:
        return {row.key: _use(session, row.key) for row in trays_of(session)}


def _use(session: Session, key: str) -> TrayUse:
    return TrayUse(
        orders_in_tray(session, key),
        tuple(rule for rule in rules_of(session) if _names(rule, key)),
        tuple(channel.name for channel in channels_starting_in(session, key)),
    )


def _names(rule: Rule, key: str) -> bool:
    moves = any(then.deed == RuleDeed.MOVE and then.value == key for then in rule.then)
    return moves or key in rule.only.trays


def delete_tray(workplace: Workplace, actor: Actor, key: str, to: str = "") -> int:
    """Deletes a tray; its orders go to another one, and rules and channels that name it name that
    one from then on. Returns how many orders were moved.

    Raises:
        Refused: if it is one of the first five, or if something names it and no other tray is
            named.
    """
    actor.must(Right.ORDERS)
    if is_first_tray(key):
        message = "The first five trays stay, since orders come there by themselves."
        raise refuse("in-use", message, "Rename it if it is called something else.", "tray")
    with workplace.database.writing() as session:
        row, use = tray_by_key(session, key), _use(session, key)
        names = {other.key: other.name for other in trays_of(session)}
        _check_successor(row, use, to, names)
        ids = []
        if to:
            ids = move_all(session, key, to, workplace.now())
            moved: audit.Changes = {"tray": (key, to)}
            entries = [(order_id, "moved", moved) for order_id in ids]
            audit.record_many(session, actor, workplace.now(), "order", entries)
            point_rules_to(session, {rule.id: _renamed(rule, key, to) for rule in use.rules})
            for channel in channels_starting_in(session, key):
                channel.start_tray = to
        session.delete(session.merge(row))
        _note(session, workplace, actor, "tray deleted", {"name": (names[key], names.get(to, ""))})
    workplace.forget_trays()
    return len(ids)


def _check_successor(row: TrayRow, use: TrayUse, to: str, names: Mapping[str, str]) -> None:
    if to in (row.key, Tray.CANCELLED) or (to and to not in names):
        message = f"Orders of “{row.name}” cannot go to “{names.get(to, to)}”."
        raise refuse("not-allowed", message, "Choose another tray.", "to")
    if to or not (use.orders or use.rules or use.channels):
        return
    sentences = [in_words(rule, names, {}) for rule in use.rules]
    named = [
        *([f"{use.orders:,} orders lie there"] if use.orders else []),
        *([f"{len(sentences)} rules name it"] if sentences else []),
        *([f"orders of {', '.join(use.channels)} start there"] if use.channels else []),
    ]
    message = f"“{row.name}” is in use: {', '.join(named)}."
    raise Refused(Refusal("in-use", message, "Say where its orders go from now on.", "to"))


def _renamed(rule: Rule, key: str, to: str) -> Rule:
    trays = tuple(dict.fromkeys(to if tray == key else tray for tray in rule.only.trays))
    then = tuple(
        replace(one, value=to) if one.deed == RuleDeed.MOVE and one.value == key else one
        for one in rule.then
    )
    return replace(rule, only=replace(rule.only, trays=trays), then=then)


def _number(rows: Sequence[TrayRow]) -> None:
    for position, row in enumerate(rows):
        row.position = position


def _note(
    session: Session, workplace: Workplace, actor: Actor, deed: str, changes: audit.Changes
) -> None:
    subject = audit.Subject("desk", THE_DESK)
    audit.record(session, actor, workplace.now(), subject, deed, changes)
