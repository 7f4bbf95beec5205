"""Connects channels by address and token, after a test of the connection."""

import base64
import itertools
import secrets
from dataclasses import dataclass

from relvan.core.channels.connection import IN_USE, Connection
from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.waking import Work
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble, check_address
from relvan.gateways.channels.port import ChannelGateway
from relvan.services import audit
from relvan.services.channels.editions import edition
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key, channels, find_channel, replace_supply
from relvan.store.prices import first_list_in
from relvan.store.session import Session
from relvan.store.stock import warehouses
from relvan.store.tables import Channel

MOST_NAME = 60


@dataclass(frozen=True)
class ConnectChannel:
    """What is needed to connect a channel: its rulebook, the address of its seller API, and the
    token. `key` names the channel whose connection is renewed; `another` adds one more account of a
    marketplace that is connected already."""

    rulebook: str
    address: str
    token: str
    name: str = ""
    key: str = ""
    another: bool = False


def connect_channel(workplace: Workplace, actor: Actor, wish: ConnectChannel) -> str:
    """Tests the connection, then saves it with the token encrypted; returns the channel's key.
    Connecting again renews it, unless another account is wanted."""
    actor.must(Right.SETUP)
    book = workplace.rulebooks.of(wish.rulebook)
    check_address(wish.address, private_allowed=workplace.settings.private_addresses)
    if not wish.token.strip() or len(wish.token) > 500:
        raise refuse(
            "missing",
            f"“{book.token_label}” must not be empty.",
            "Copy it from the channel.",
            "token",
        )
    key = _key_of(workplace, wish, book)
    gateway = workplace.open_gateway(book, wish.address, wish.token.strip())
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()
    try:
        _test(gateway, book.name)
        if book.orders.webhook:
            gateway.set_webhook(f"{workplace.settings.base_url.rstrip('/')}/hooks/{key}", secret)
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Check address and token, then try again.", "address"
        ) from failure
    finally:
        gateway.close()
    with workplace.database.writing() as session:
        channel = find_channel(session, key)
        is_new = channel is None
        if channel is None:
            channel = _new_channel(session, book, key)
        elif channel.connection not in IN_USE:
            _take_up_again(channel)
            is_new = True
        if is_new or wish.name.strip():
            channel.name = free_name(session, wish.name.strip()[:MOST_NAME] or book.name, key)
        channel.address, channel.token = (
            wish.address.rstrip("/"),
            workplace.secrets.seal(wish.token.strip()),
        )
        channel.hook_secret = workplace.secrets.seal(secret) if book.orders.webhook else ""
        channel.failures, channel.probe_at, channel.last_ok_at = 0, None, workplace.now()
        session.flush()
        audit.record(
            session, actor, workplace.now(), audit.Subject("channel", channel.id), "connected"
        )
    workplace.wake(Work.CHANNELS, 0)
    return key


def test_channel(workplace: Workplace, actor: Actor, key: str) -> str:
    """Returns whose account this is, as the channel says. Refused when the channel does not answer."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        channel = channel_by_key(session, key)
    try:
        return workplace.gateway(channel).test()
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Check address and token.", "address"
        ) from failure


def _test(gateway: ChannelGateway, name: str) -> None:
    if not gateway.test():
        raise OutsideTrouble(f"{name} did not say whose account this is")


def _key_of(workplace: Workplace, wish: ConnectChannel, book: Rulebook) -> str:
    """Returns the key of the channel that is to be connected: of the one that is renewed, or a new
    one."""
    with workplace.database.reading() as session:
        taken = {channel.key: channel for channel in channels(session)}
    if wish.key:
        known = taken.get(wish.key)
        if known is None or known.rulebook != book.key:
            message = f"There is no channel “{wish.key[:40]}” of {book.name}."
            raise refuse("not-found", message, "Leave it out to connect a new one.", "channel")
        return wish.key
    if not wish.another or book.key not in taken:
        return book.key
    return next(key for n in itertools.count(2) if (key := f"{book.key}-{n}") not in taken)


def free_name(session: Session, wanted: str, key: str) -> str:
    """Returns a name for a channel that no other one has: the one wanted, with a number if need
    be."""
    taken = {one.name.casefold() for one in channels(session) if one.key != key}
    names = (wanted if n == 1 else f"{wanted} {n}" for n in itertools.count(1))
    return next(name for name in names if name.casefold() not in taken)


def _take_up_again(channel: Channel) -> None:
    """Takes up a channel that had been disconnected. Its orders are read from the first one on, so
    that none that came meanwhile is missed; those that are known are not taken twice."""
    if channel.connection == Connection.CLEARING:
        message = f"The listings of {channel.name} are still being deleted."
        raise refuse("clearing", message, "Try again in a minute.", "rulebook")
    channel.connection, channel.paused = Connection.CONNECTED, False
    channel.order_mark, channel.orders_read_at = 0, None
    channel.looked_to, channel.pass_began_at, channel.passed_at = "", None, None


def _new_channel(session: Session, book: Rulebook, key: str) -> Channel:
    """Returns a new channel: it sells all that is free in all warehouses, at list prices in its
    currency."""
    price_list = first_list_in(session, book.currency)
    if price_list is None:
        message = f"There is no price list in {book.currency} yet; {book.name} sells in it."
        raise refuse("no-price-list", message, "Add one under Prices, Price lists.", "rulebook")
    channel = Channel(
        key=key,
        name=key,
        rulebook=book.key,
        address="",
        token="",
        price_list_id=price_list.id,
        price_steps=[],
        stock_policy={},
        book=edition(book),
        currency=book.currency,
    )
    session.add(channel)
    session.flush()
    replace_supply(session, channel.id, [warehouse.id for warehouse in warehouses(session)])
    return channel
