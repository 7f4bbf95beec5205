"""Connecting channels and carriers by address and token, with a test of the connection first."""

import base64
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right
from relvan.core.prices.steps import check_steps, steps_data, steps_from
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.stock.availability import check_policy, policy_data, policy_from
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble, check_address
from relvan.gateways.carriers.ostrel import open_carrier
from relvan.gateways.channels.port import ChannelGateway
from relvan.services import audit
from relvan.services.channels.editions import edition
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key
from relvan.store.stock import warehouse_by_key
from relvan.store.tables import Carrier, Channel, PriceList, SupplyWarehouse, Warehouse


@dataclass(frozen=True)
class ConnectChannel:
    """What is needed to connect a channel: its rulebook, the address of its seller API, the token."""

    rulebook: str
    address: str
    token: str
    name: str = ""


def connect_channel(workplace: Workplace, actor: Actor, wish: ConnectChannel) -> str:
    """Try the connection, then keep it, its token encrypted; return the channel's key. Connecting again renews it."""
    actor.must(Right.SETUP)
    book = workplace.rulebooks.of(wish.rulebook)
    check_address(wish.address, private_allowed=workplace.settings.private_addresses)
    if not wish.token.strip() or len(wish.token) > 500:
        raise refuse("missing", f"“{book.token_label}” must not be empty.", "Copy it from the channel.", "token")
    gateway = workplace.open_gateway(book, wish.address, wish.token.strip())
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()
    try:
        _test(gateway, book.name)
        if book.orders.webhook:
            gateway.set_webhook(f"{workplace.settings.base_url.rstrip('/')}/hooks/{book.key}", secret)
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse("unreachable", f"{failure}.", "Check address and token, then try again.", "address") from failure
    finally:
        gateway.close()
    with workplace.database.writing() as session:
        channel = session.scalar(select(Channel).where(Channel.key == book.key))
        if channel is None:
            channel = _new_channel(session, book)
        channel.name = wish.name.strip()[:60] or book.name
        channel.address, channel.token = wish.address.rstrip("/"), workplace.secrets.seal(wish.token.strip())
        channel.hook_secret = workplace.secrets.seal(secret) if book.orders.webhook else ""
        channel.failures, channel.probe_at, channel.last_ok_at = 0, None, workplace.now()
        session.flush()
        audit.record(session, actor, workplace.now(), "channel", channel.id, "connected")
    return book.key


def test_channel(workplace: Workplace, actor: Actor, key: str) -> str:
    """Whose account the channel says this is; refused when it does not answer."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        channel = channel_by_key(session, key)
    try:
        return workplace.gateway(channel).test()
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse("unreachable", f"{failure}.", "Check address and token.", "address") from failure


def connect_carrier(workplace: Workplace, actor: Actor, key: str, name: str, address: str, token: str) -> None:
    """Try a carrier account, then keep it, its token encrypted."""
    actor.must(Right.SETUP)
    check_address(address, private_allowed=workplace.settings.private_addresses)
    gateway = open_carrier(name, address, token, private_allowed=workplace.settings.private_addresses)
    try:
        gateway.test()
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse("unreachable", f"{failure}.", "Check address and token.", "address") from failure
    finally:
        gateway.close()
    with workplace.database.writing() as session:
        carrier = session.scalar(select(Carrier).where(Carrier.key == key))
        if carrier is None:
            carrier = Carrier(key=key, name=name, address=address, token="")
            session.add(carrier)
        carrier.name, carrier.address, carrier.token = name, address.rstrip("/"), workplace.secrets.seal(token)
        session.flush()
        audit.record(session, actor, workplace.now(), "carrier", carrier.id, "connected")


def change_channel(workplace: Workplace, actor: Actor, key: str, wishes: Mapping[str, Any]) -> None:
    """Change a channel's settings: `supply_list` (warehouse keys in order), `stock_policy`, `price_list` (key),
    `price_steps`, `paused`. Every listing of the channel is worked out again."""
    actor.must(Right.SETUP)
    unknown = wishes.keys() - {"supply_list", "stock_policy", "price_list", "price_steps", "paused"}
    if unknown:
        raise refuse("unknown", f"A channel has no setting “{sorted(unknown)[0]}”.", "", sorted(unknown)[0])
    with workplace.database.writing() as session:
        channel = channel_by_key(session, key)
        changes: dict[str, tuple[Any, Any]] = {}
        for name, value in wishes.items():
            before, after = _SETTERS[name](session, workplace, channel, value)
            if before != after:
                changes[name] = (before, after)
        if not changes:
            return
        session.flush()
        audit.record(session, actor, workplace.now(), "channel", channel.id, "changed", changes)
        refresh_soon(session, workplace, actor, f"Work out {channel.name} after new settings", channel_id=channel.id)
    workplace.wake("deliver", channel.id)


def _set_policy(session: Session, workplace: Workplace, channel: Channel, value: Any) -> tuple[Any, Any]:
    policy = policy_from(value or {})
    refuse_if_any(check_policy(policy))
    before, channel.stock_policy = channel.stock_policy, policy_data(policy)
    return before, channel.stock_policy


def _set_steps(session: Session, workplace: Workplace, channel: Channel, value: Any) -> tuple[Any, Any]:
    steps = steps_from(value or [])
    refuse_if_any(check_steps(steps))
    before, channel.price_steps = channel.price_steps, steps_data(steps)
    return before, channel.price_steps


def _set_price_list(session: Session, workplace: Workplace, channel: Channel, value: Any) -> tuple[Any, Any]:
    price_list = session.scalar(select(PriceList).where(PriceList.key == str(value)))
    if price_list is None:
        raise not_found("price list", value)
    wanted = workplace.rulebook(channel).currency
    if price_list.currency != wanted:
        message = f"{channel.name} sells in {wanted}; “{price_list.name}” is in {price_list.currency}."
        raise refuse("currency", message, f"Choose or make a list in {wanted}.", "price_list")
    before, channel.price_list_id = channel.price_list_id, price_list.id
    return before, channel.price_list_id


def _set_paused(session: Session, workplace: Workplace, channel: Channel, value: Any) -> tuple[Any, Any]:
    before, channel.paused = channel.paused, bool(value)
    return before, channel.paused


def _set_supply(session: Session, workplace: Workplace, channel: Channel, value: Any) -> tuple[Any, Any]:
    if not isinstance(value, list) or len(set(value)) != len(value):
        raise refuse("form", "“Supply list” must name each warehouse at most once.", "", "supply_list")
    wanted = [warehouse_by_key(session, str(name)) for name in value]
    statement = select(Warehouse.key).join(SupplyWarehouse, SupplyWarehouse.warehouse_id == Warehouse.id)
    statement = statement.where(SupplyWarehouse.channel_id == channel.id).order_by(SupplyWarehouse.position)
    before = list(session.scalars(statement))
    session.execute(delete(SupplyWarehouse).where(SupplyWarehouse.channel_id == channel.id))
    for position, warehouse in enumerate(wanted):
        session.add(SupplyWarehouse(channel_id=channel.id, warehouse_id=warehouse.id, position=position))
    return before, [warehouse.key for warehouse in wanted]


_SETTERS = {
    "stock_policy": _set_policy,
    "price_steps": _set_steps,
    "price_list": _set_price_list,
    "paused": _set_paused,
    "supply_list": _set_supply,
}


def _test(gateway: ChannelGateway, name: str) -> None:
    if not gateway.test():
        raise OutsideTrouble(f"{name} did not say whose account this is")


def _new_channel(session: Session, book: Rulebook) -> Channel:
    """A new channel sells from all warehouses, at list prices in its currency, all that is free."""
    price_list = session.scalar(select(PriceList).where(PriceList.currency == book.currency).order_by(PriceList.id))
    if price_list is None:
        message = f"There is no price list in {book.currency} yet; {book.name} sells in it."
        raise refuse("no-price-list", message, "Make one first.", "rulebook")
    channel = Channel(
        key=book.key, name=book.key, rulebook=book.key, address="", token="", price_list_id=price_list.id,
        price_steps=[], stock_policy={}, book=edition(book),
    )  # fmt: skip
    session.add(channel)
    session.flush()
    for position, warehouse in enumerate(session.scalars(select(Warehouse).order_by(Warehouse.id))):
        session.add(SupplyWarehouse(channel_id=channel.id, warehouse_id=warehouse.id, position=position))
    return channel
