"""Creates, changes, tests and deletes webhooks."""

import base64
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.webhooks.announcing import MOST_WEBHOOKS, check_webhook
from relvan.gateways.calling import OutsideTrouble, check_address
from relvan.gateways.webhooks import Message, post_message
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.tables import Webhook
from relvan.store.webhooks import count_webhooks, find_webhook, forget_announcements


@dataclass(frozen=True)
class KeepWebhook:
    """What a webhook is to be: its name, its address, and the matters that it is told of."""

    name: str
    address: str
    matters: Sequence[str]


def add_webhook(workplace: Workplace, actor: Actor, wish: KeepWebhook) -> tuple[int, str]:
    """Creates a webhook; returns its id and the secret that its messages are signed with, which is
    shown only this once."""
    actor.must(Right.SETUP)
    _check(workplace, wish)
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()
    with workplace.database.writing() as session:
        if count_webhooks(session) >= MOST_WEBHOOKS:
            raise refuse(
                "too-many",
                f"There are {MOST_WEBHOOKS} webhooks already.",
                "Take one away first.",
                "name",
            )
        webhook = Webhook(
            name=wish.name.strip(),
            address=wish.address,
            secret=workplace.secrets.seal(secret),
            matters=list(wish.matters),
            made_at=workplace.now(),
        )
        session.add(webhook)
        session.flush()
        told = {"address": (None, wish.address), "hears of": (None, ", ".join(wish.matters))}
        audit.record(
            session, actor, workplace.now(), audit.Subject("webhook", webhook.id), "made", told
        )
        return webhook.id, secret


def change_webhook(
    workplace: Workplace, actor: Actor, webhook_id: int, new: Mapping[str, Any]
) -> None:
    """Changes some of name, address, matters and active. Messages for a paused webhook are sent
    when it is active again."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        now = find_webhook(session, webhook_id)
    wish = KeepWebhook(
        new.get("name", now.name), new.get("address", now.address), new.get("matters", now.matters)
    )
    _check(workplace, wish)
    kept = {**asdict(wish), "name": wish.name.strip(), "active": new.get("active", now.active)}
    with workplace.database.writing() as session:
        webhook = find_webhook(session, webhook_id)
        changes = {
            name: (old, value)
            for name, value in kept.items()
            if (old := getattr(webhook, name)) != value
        }
        for name, value in kept.items():
            setattr(webhook, name, value)
        if changes:
            webhook.failures, webhook.rests_until, webhook.trouble = 0, None, ""
            audit.record(
                session,
                actor,
                workplace.now(),
                audit.Subject("webhook", webhook.id),
                "changed",
                changes,
            )


def drop_webhook(workplace: Workplace, actor: Actor, webhook_id: int) -> None:
    """Deletes a webhook with all messages that wait for it."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        webhook = find_webhook(session, webhook_id)
        forget_announcements(session, webhook_id)
        told = {"address": (webhook.address, None)}
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("webhook", webhook.id),
            "taken away",
            told,
        )
        session.delete(webhook)


def try_webhook(workplace: Workplace, actor: Actor, webhook_id: int) -> int:
    """Sends a webhook a message of the type `try`, which changes nothing; returns the status that
    it answered."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        webhook = find_webhook(session, webhook_id)
    key, secret = f"msg_{workplace.new_key()}", workplace.secrets.open(webhook.secret)
    private = workplace.settings.private_addresses
    try:
        return post_message(
            webhook.address,
            secret,
            Message(key=key, at=workplace.now(), type="try", data={"webhook": webhook.name}),
            private_allowed=private,
        )
    except OutsideTrouble as trouble:
        raise refuse(
            "unreachable", f"{trouble}.", "See whether the tool runs there.", "address"
        ) from trouble


def _check(workplace: Workplace, wish: KeepWebhook) -> None:
    refuse_if_any(check_webhook(wish.name, wish.matters))
    if len(wish.address) > 400:
        raise refuse(
            "too-long", "“Address” must have at most 400 characters.", "Shorten it.", "address"
        )
    check_address(wish.address, private_allowed=workplace.settings.private_addresses)
