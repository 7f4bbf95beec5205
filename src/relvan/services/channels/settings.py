"""The settings of a channel: the warehouses it sells from, how much of the stock it shows, and its
prices."""

from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal, InvalidOperation
from typing import Any

from relvan.core.catalogue.checks import check_number, check_text
from relvan.core.channels.drift import TOPICS as DRIFTING
from relvan.core.money import MOST_MINOR
from relvan.core.orders.policy import check_policy_wish, read_order_policy
from relvan.core.people.roles import Right
from relvan.core.prices.steps import (
    ConvertStep,
    check_steps,
    steps_data,
    steps_from,
    target_currency,
)
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.stock.availability import check_policy, policy_data, policy_from
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import Concern, changes_of
from relvan.services.channels.connect import MOST_NAME, free_name
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import (
    ChannelSettings,
    channel_by_key,
    channel_settings,
    order_policy_of,
    replace_supply,
    supply_keys,
)
from relvan.store.prices import price_list_by_key, rates_on
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_key
from relvan.store.tables import Channel, PriceList, Warehouse
from relvan.store.trays import trays_of

QUIET = frozenset(
    {"paused", "mends", "name", "orders"}
)  # nothing that listings are worked out from


def change_channel(workplace: Workplace, actor: Actor, key: str, wishes: Mapping[str, Any]) -> None:
    """Changes the settings of a channel: `name`, `supply_list` (warehouse keys in order), `stock_policy`,
    `price_list` (key), `price_steps`, `least_margin` (percent of the net price, or None),
    `delivery_cost` (what delivery counts for there, in minor units of the seller's currency),
    `orders` (how its orders are taken in and routed, `core/orders/policy.py`),
    `mends` (topics whose drift is sent again without asking), `paused`. Every listing of the
    channel is worked out again."""
    actor.must(Right.SETUP)
    unknown = wishes.keys() - _SETTERS.keys()
    if unknown:
        raise refuse(
            "unknown", f"A channel has no setting “{sorted(unknown)[0]}”.", "", sorted(unknown)[0]
        )
    with workplace.database.writing() as session:
        channel = channel_by_key(session, key)
        changes = _set(session, workplace, channel, wishes)
        if not changes:
            return
        session.flush()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("channel", channel.id),
            "changed",
            changes,
        )
        if changes.keys() - QUIET:
            title = f"Work out {channel.name} after new settings"
            changes_of(session).settings_changed(Concern(actor, title, channel_id=channel.id))
    workplace.wake(Work.DELIVER, channel.id)


def try_settings(
    session: Session, workplace: Workplace, key: str, wishes: Mapping[str, Any]
) -> ChannelSettings:
    """Returns the settings of a channel as they would be, in a session that writes nothing. Refused
    as saving them would be."""
    channel = channel_by_key(session, key)
    kept = channel_settings(session)[channel.id]
    supply = list(kept.supply_list)
    if "supply_list" in wishes:
        supply = [warehouse.id for warehouse in _supply(session, wishes["supply_list"])]
    _set(
        session,
        workplace,
        channel,
        {name: value for name, value in wishes.items() if name != "supply_list"},
    )
    return replace(
        kept,
        price_list=session.get_one(PriceList, channel.price_list_id),
        steps=steps_from(channel.price_steps),
        policy=policy_from(channel.stock_policy),
        supply_list=tuple(supply),
        least_margin=None if channel.least_margin is None else Decimal(channel.least_margin),
        delivery_cost=channel.delivery_cost,
    )


def _set(
    session: Session, workplace: Workplace, channel: Channel, wishes: Mapping[str, Any]
) -> dict[str, tuple[Any, Any]]:
    """Applies settings; returns what differs, old and new."""
    changes: dict[str, tuple[Any, Any]] = {}
    for name, value in wishes.items():
        before, after = _SETTERS[name](session, workplace, channel, value)
        if before != after:
            changes[name] = (before, after)
    if changes.keys() & {"price_list", "price_steps"}:
        _check_currency(session, workplace, channel)
    return changes


def _set_policy(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    policy = policy_from(value or {})
    refuse_if_any(check_policy(policy))
    before, channel.stock_policy = channel.stock_policy, policy_data(policy)
    return before, channel.stock_policy


def _set_steps(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    steps = steps_from(value or [])
    refuse_if_any(check_steps(steps))
    before, channel.price_steps = channel.price_steps, steps_data(steps)
    return before, channel.price_steps


def _set_price_list(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    price_list = price_list_by_key(session, str(value))
    before, channel.price_list_id = channel.price_list_id, price_list.id
    return before, channel.price_list_id


def _check_currency(session: Session, workplace: Workplace, channel: Channel) -> None:
    """Checks that the price steps lead from the currency of the list to that of the channel, by
    known rates."""
    price_list = session.get_one(PriceList, channel.price_list_id)
    steps, wanted = steps_from(channel.price_steps), workplace.rulebook(channel).currency
    reached = target_currency(price_list.currency, steps)
    if reached != wanted:
        message = (
            f"{channel.name} sells in {wanted}; “{price_list.name}” is in {price_list.currency}"
        )
        message += "." if reached == price_list.currency else f" and the steps lead to {reached}."
        raise refuse(
            "currency",
            message,
            f"Choose or make a list in {wanted}, or add the step “convert”.",
            "price_list",
        )
    rates, at = rates_on(session, workplace.now().date()), price_list.currency
    for step in steps:
        if isinstance(step, ConvertStep):
            if rates.between(at, step.currency) is None:
                message = f"There is no rate from {at} to {step.currency} for today."
                raise refuse("no-rate", message, "Add it under Prices, Rates.", "price_steps")
            at = step.currency


def _set_margin(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    text = "" if value is None else str(value).strip().replace(",", ".")
    try:
        wanted = Decimal(text) if text else None
    except InvalidOperation:
        raise refuse(
            "form", "“Least margin” must be a percentage.", "Type it like 12.", "least_margin"
        ) from None
    if wanted is not None and not (wanted.is_finite() and -100 <= wanted <= 90):
        raise refuse(
            "out-of-range",
            "“Least margin” must be between -100 and 90 percent.",
            "",
            "least_margin",
        )
    before, channel.least_margin = (
        channel.least_margin,
        None if wanted is None else f"{wanted.normalize():f}",
    )
    return before, channel.least_margin


def _set_delivery(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    refuse_if_any(
        check_number("delivery_cost", "Delivery counted at", value, 0, MOST_MINOR, "minor units")
    )
    before, channel.delivery_cost = channel.delivery_cost, int(value or 0)
    return before, channel.delivery_cost


def _set_paused(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    before, channel.paused = channel.paused, bool(value)
    return before, channel.paused


def _set_supply(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    wanted = _supply(session, value)
    before = supply_keys(session, channel.id)
    replace_supply(session, channel.id, [warehouse.id for warehouse in wanted])
    return before, [warehouse.key for warehouse in wanted]


def _set_mends(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    wanted = value if isinstance(value, list) else str(value or "").split()
    if any(topic not in DRIFTING for topic in wanted):
        message = f"“Mends” must name some of {', '.join(DRIFTING)}."
        raise refuse("not-allowed", message, "Leave the others out.", "mends")
    before, channel.mends = channel.mends, " ".join(topic for topic in DRIFTING if topic in wanted)
    return before, channel.mends


def _set_orders(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    wish = value if isinstance(value, dict) else {}
    refuse_if_any(check_policy_wish(wish, {row.key for row in trays_of(session)}))
    before = order_policy_of(channel).as_dict()
    after = read_order_policy({**before, **wish}).as_dict()
    channel.start_tray = after["tray"]
    channel.order_policy = {name: told for name, told in after.items() if name != "tray"}
    return before, after


def _supply(session: Session, value: Any) -> list[Warehouse]:
    """Returns the warehouses of a supply list, in its order."""
    if not isinstance(value, list) or len(set(value)) != len(value):
        raise refuse(
            "form", "“Supply list” must name each warehouse at most once.", "", "supply_list"
        )
    return [warehouse_by_key(session, str(name)) for name in value]


def _set_name(
    session: Session, workplace: Workplace, channel: Channel, value: Any
) -> tuple[Any, Any]:
    name = str(value or "").strip()
    refuse_if_any(check_text("name", "Name", name, MOST_NAME, needed=True))
    if free_name(session, name, channel.key) != name:
        message = f"There is another channel “{name}”."
        raise refuse("exists", message, "Choose a name that tells them apart.", "name")
    before, channel.name = channel.name, name
    return before, name


_SETTERS = {
    "name": _set_name,
    "stock_policy": _set_policy,
    "price_steps": _set_steps,
    "price_list": _set_price_list,
    "least_margin": _set_margin,
    "delivery_cost": _set_delivery,
    "paused": _set_paused,
    "mends": _set_mends,
    "supply_list": _set_supply,
    "orders": _set_orders,
}
