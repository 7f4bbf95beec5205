"""Connects accounts at carriers, after a test of the connection."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.checks import check_text
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.shipping.accounts import AccountUse, check_account_use
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble, check_address
from relvan.gateways.carriers.dialects import CARRIERS, dialect_of, open_carrier
from relvan.gateways.carriers.port import CarrierAccount
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import find_carrier
from relvan.store.stock import warehouses
from relvan.store.tables import Carrier

MOST_NAME = 60
KEY = re.compile(r"[a-z]+(?:-[a-z0-9]{1,20})?")


@dataclass(frozen=True)
class CarrierWish:
    """What is to be of a carrier account; what is None stays as it is."""

    name: str | None = None
    address: str | None = None
    token: str | None = None


def use_account(
    workplace: Workplace, actor: Actor, key: str, told: Mapping[str, Any]
) -> AccountUse:
    """Says how an account is used: the file and paper of its labels, what stands on them, from which
    warehouses it collects, and what happens once a label is there; what is left out stays.

    Raises:
        Refused: if a value is not one of those that there are.
    """
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        carrier = find_carrier(session, key)
        if carrier is None:
            raise not_found("carrier", key)
        refuse_if_any(check_account_use(told, {one.key for one in warehouses(session)}))
        before = AccountUse.read(carrier.use).as_dict()
        after = AccountUse.read({**before, **told}).as_dict()
        changes = {
            name: (before[name], value) for name, value in after.items() if before[name] != value
        }
        carrier.use = after
        if changes:
            subject = audit.Subject("carrier", carrier.id)
            audit.record(session, actor, workplace.now(), subject, "use changed", changes)
        return AccountUse.read(after)


def connect_carrier(
    workplace: Workplace, actor: Actor, key: str, name: str, address: str, token: str
) -> str:
    """Tests an account at a carrier, then saves it with the token encrypted; returns whose account
    it is, as the carrier says."""
    actor.must(Right.SETUP)
    if dialect_of(key) not in CARRIERS or not KEY.fullmatch(key):
        message = f"Nobody here speaks to a carrier “{key[:40]}”."
        raise refuse("unknown", message, f"Choose one of {', '.join(CARRIERS)}.", "carrier")
    refuse_if_any(check_text("name", "Name", name, MOST_NAME, needed=True))
    if not token.strip() or len(token) > 500:
        message = "“Token” must have 1 to 500 characters."
        raise refuse("missing", message, "Copy it from the carrier.", "token")
    account = _asked(workplace, key, name, address, token.strip())
    with workplace.database.writing() as session:
        carrier = find_carrier(session, key)
        if carrier is None:
            carrier = Carrier(key=key, name=name, address=address, token="")
            session.add(carrier)
        carrier.name, carrier.address = name.strip(), address.rstrip("/")
        carrier.token = workplace.secrets.seal(token.strip())
        carrier.services = account.services
        session.flush()
        audit.record(
            session, actor, workplace.now(), audit.Subject("carrier", carrier.id), "connected"
        )
    return account.holder


def change_carrier(workplace: Workplace, actor: Actor, key: str, wish: CarrierWish) -> str:
    """Changes an account at a carrier, and tests it as it is to be; returns whose account it is."""
    actor.must(Right.SETUP)
    carrier = carrier_by_key(workplace, key)
    return connect_carrier(
        workplace,
        actor,
        key,
        carrier.name if wish.name is None else wish.name,
        carrier.address if wish.address is None else wish.address,
        workplace.secrets.open(carrier.token) if wish.token is None else wish.token,
    )


def test_carrier(workplace: Workplace, actor: Actor, key: str) -> str:
    """Returns whose account this is, as the carrier says, and keeps the names of its services. Refused
    when it does not answer."""
    actor.must(Right.SETUP)
    carrier = carrier_by_key(workplace, key)
    token = workplace.secrets.open(carrier.token)
    account = _asked(workplace, key, carrier.name, carrier.address, token)
    with workplace.database.writing() as session:
        kept = find_carrier(session, key)
        if kept is not None:
            kept.services = account.services
    return account.holder


def carrier_by_key(workplace: Workplace, key: str) -> Carrier:
    """Returns a carrier account by its key."""
    with workplace.database.reading() as session:
        carrier = find_carrier(session, key)
    if carrier is None:
        raise not_found("carrier", key)
    return carrier


def _asked(workplace: Workplace, key: str, name: str, address: str, token: str) -> CarrierAccount:
    private = workplace.settings.private_addresses
    check_address(address, private_allowed=private)
    gateway = open_carrier(key, name, address, token, private_allowed=private)
    try:
        return gateway.account()
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Check address and token.", "address"
        ) from failure
    finally:
        gateway.close()
