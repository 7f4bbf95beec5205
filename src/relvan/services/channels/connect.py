"""Connects channels and carriers by address and token, after a test of the connection."""

import base64
import secrets
from dataclasses import dataclass

from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.waking import Work
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble, check_address
from relvan.gateways.carriers.ostrel import open_carrier
from relvan.gateways.channels.port import ChannelGateway
from relvan.services import audit
from relvan.services.channels.editions import edition
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key, find_carrier, find_channel, replace_supply
from relvan.store.prices import first_list_in
from relvan.store.session import Session
from relvan.store.stock import warehouses
from relvan.store.tables import Carrier, Channel


@dataclass(frozen=True)
class ConnectChannel:
    """What is needed to connect a channel: its rulebook, the address of its seller API, and the
    token."""

    rulebook: str
    address: str
    token: str
    name: str = ""


def connect_channel(workplace: Workplace, actor: Actor, wish: ConnectChannel) -> str:
    """Tests the connection, then saves it with the token encrypted; returns the channel's key.
    Connecting again renews it."""
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
    gateway = workplace.open_gateway(book, wish.address, wish.token.strip())
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()
    try:
        _test(gateway, book.name)
        if book.orders.webhook:
            gateway.set_webhook(
                f"{workplace.settings.base_url.rstrip('/')}/hooks/{book.key}", secret
            )
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Check address and token, then try again.", "address"
        ) from failure
    finally:
        gateway.close()
    with workplace.database.writing() as session:
        channel = find_channel(session, book.key)
        if channel is None:
            channel = _new_channel(session, book)
        channel.name = wish.name.strip()[:60] or book.name
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
    return book.key


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


def connect_carrier(
    workplace: Workplace, actor: Actor, key: str, name: str, address: str, token: str
) -> None:
    """Tests an account at a carrier, then saves it with the token encrypted."""
    actor.must(Right.SETUP)
    check_address(address, private_allowed=workplace.settings.private_addresses)
    gateway = open_carrier(
        name, address, token, private_allowed=workplace.settings.private_addresses
    )
    try:
        gateway.test()
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Check address and token.", "address"
        ) from failure
    finally:
        gateway.close()
    with workplace.database.writing() as session:
        carrier = find_carrier(session, key)
        if carrier is None:
            carrier = Carrier(key=key, name=name, address=address, token="")
            session.add(carrier)
        carrier.name, carrier.address, carrier.token = (
            name,
            address.rstrip("/"),
            workplace.secrets.seal(token),
        )
        session.flush()
        audit.record(
            session, actor, workplace.now(), audit.Subject("carrier", carrier.id), "connected"
        )


def _test(gateway: ChannelGateway, name: str) -> None:
    if not gateway.test():
        raise OutsideTrouble(f"{name} did not say whose account this is")


def _new_channel(session: Session, book: Rulebook) -> Channel:
    """Returns a new channel: it sells all that is free in all warehouses, at list prices in its
    currency."""
    price_list = first_list_in(session, book.currency)
    if price_list is None:
        message = f"There is no price list in {book.currency} yet; {book.name} sells in it."
        raise refuse("no-price-list", message, "Add one under Prices, Price lists.", "rulebook")
    channel = Channel(
        key=book.key,
        name=book.key,
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
