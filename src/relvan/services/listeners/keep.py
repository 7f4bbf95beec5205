"""Listeners made, changed, tried and taken away."""

import base64
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import func, select

from relvan.core.listeners.announcing import MOST_LISTENERS, check_listener
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.gateways.calling import OutsideTrouble, check_address
from relvan.gateways.listeners import announce
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.listeners import find_listener, forget_announcements
from relvan.store.tables import Listener


@dataclass(frozen=True)
class KeepListener:
    """What a listener is to be: its name, its address, what it hears of."""

    name: str
    address: str
    matters: Sequence[str]


def add_listener(workplace: Workplace, actor: Actor, wish: KeepListener) -> tuple[int, str]:
    """Make a listener; its id and the secret that its announcements are signed with, told this once."""
    actor.must(Right.SETUP)
    _check(workplace, wish)
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()
    with workplace.database.writing() as session:
        if (session.scalar(select(func.count()).select_from(Listener)) or 0) >= MOST_LISTENERS:
            raise refuse("too-many", f"There are {MOST_LISTENERS} listeners already.", "Take one away first.", "name")
        listener = Listener(
            name=wish.name.strip(), address=wish.address, secret=workplace.secrets.seal(secret),
            matters=list(wish.matters), made_at=workplace.now(),
        )  # fmt: skip
        session.add(listener)
        session.flush()
        told = {"address": (None, wish.address), "hears of": (None, ", ".join(wish.matters))}
        audit.record(session, actor, workplace.now(), "listener", listener.id, "made", told)
        return listener.id, secret


def change_listener(workplace: Workplace, actor: Actor, listener_id: int, new: Mapping[str, Any]) -> None:
    """Change some of name, address, matters and active. What waits for one that rests is told when it is active."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        now = find_listener(session, listener_id)
    wish = KeepListener(new.get("name", now.name), new.get("address", now.address), new.get("matters", now.matters))
    _check(workplace, wish)
    kept = {**asdict(wish), "name": wish.name.strip(), "active": new.get("active", now.active)}
    with workplace.database.writing() as session:
        listener = find_listener(session, listener_id)
        changes = {name: (old, value) for name, value in kept.items() if (old := getattr(listener, name)) != value}
        for name, value in kept.items():
            setattr(listener, name, value)
        if changes:
            listener.failures, listener.rests_until, listener.trouble = 0, None, ""
            audit.record(session, actor, workplace.now(), "listener", listener.id, "changed", changes)


def drop_listener(workplace: Workplace, actor: Actor, listener_id: int) -> None:
    """Take a listener away with all that waits for it."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        listener = find_listener(session, listener_id)
        forget_announcements(session, listener_id)
        told = {"address": (listener.address, None)}
        audit.record(session, actor, workplace.now(), "listener", listener.id, "taken away", told)
        session.delete(listener)


def try_listener(workplace: Workplace, actor: Actor, listener_id: int) -> int:
    """Tell a listener something that changes nothing, of the type `try`; the status that it answered."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        listener = find_listener(session, listener_id)
    key, secret = f"msg_{workplace.new_key()}", workplace.secrets.open(listener.secret)
    private = workplace.settings.private_addresses
    try:
        return announce(
            listener.address, secret, key=key, at=workplace.now(), type="try", data={"listener": listener.name},
            private_allowed=private,
        )  # fmt: skip
    except OutsideTrouble as trouble:
        raise refuse("unreachable", f"{trouble}.", "See whether the tool runs there.", "address") from trouble


def _check(workplace: Workplace, wish: KeepListener) -> None:
    refuse_if_any(check_listener(wish.name, wish.matters))
    if len(wish.address) > 400:
        raise refuse("too-long", "“Address” must have at most 400 characters.", "Shorten it.", "address")
    check_address(wish.address, private_allowed=workplace.settings.private_addresses)
