"""Serves webhooks over HTTP: the seller's own tools that are told of changes.

The calls also answer under `/listeners`, their name in the version before.
"""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Flag, WebAddress, described, described_text
from relvan.api.desk import By, api_router
from relvan.api.shapes import Shape
from relvan.core.texts import SEEN_NAME
from relvan.core.webhooks.announcing import MOST_NAME, Matter
from relvan.services.webhooks.keep import (
    KeepWebhook,
    add_webhook,
    change_webhook,
    drop_webhook,
    try_webhook,
)
from relvan.store.webhooks import WebhookRow, webhook_rows

router = api_router(tags=["webhooks"])


Name = Annotated[str, Field(max_length=200), described_text(SEEN_NAME, MOST_NAME)]
Matters = Annotated[
    list[Annotated[str, described(Matter)]],
    Field(max_length=10, json_schema_extra={"minItems": 1}),
]


class NewWebhook(Shape):
    """A tool at an address, and the matters of which it is told: stock, price, order."""

    name: Name
    address: WebAddress
    matters: Matters


class ChangedWebhook(Shape):
    """The fields of a webhook that change."""

    name: Name | None = None
    address: WebAddress | None = None
    matters: Matters | None = None
    active: Flag | None = None


def _webhook_shape(row: WebhookRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "address": row.address,
        "matters": row.matters,
        "active": row.active,
        "failures": row.failures,
        "trouble": row.trouble,
        "heard_at": row.heard_at,
        "waiting": row.waiting,
        "oldest": row.oldest,
    }


@router.get("/webhooks")
@router.get("/listeners", include_in_schema=False)
def list_webhooks(by: By) -> dict[str, Any]:
    """Returns every webhook, with how many messages wait for it and why the last one was not
    delivered.
    """
    with by.workplace.database.reading() as session:
        return {"items": [_webhook_shape(row) for row in webhook_rows(session)]}


@router.post("/webhooks", status_code=201)
@router.post("/listeners", status_code=201, include_in_schema=False)
def post_webhook(by: By, wish: NewWebhook) -> dict[str, Any]:
    """Creates a webhook. The answer holds its secret, this one time."""
    webhook, secret = add_webhook(
        by.workplace, by.actor, KeepWebhook(wish.name, wish.address, wish.matters)
    )
    return {"id": webhook, "secret": secret}


@router.patch("/webhooks/{webhook}")
@router.patch("/listeners/{webhook}", include_in_schema=False)
def patch_webhook(by: By, webhook: int, wish: ChangedWebhook) -> dict[str, Any]:
    """Changes a webhook, pauses it, or resumes it."""
    change_webhook(by.workplace, by.actor, webhook, wish.model_dump(exclude_none=True))
    with by.workplace.database.reading() as session:
        return next(_webhook_shape(row) for row in webhook_rows(session) if row.id == webhook)


@router.delete("/webhooks/{webhook}")
@router.delete("/listeners/{webhook}", include_in_schema=False)
def delete_webhook(by: By, webhook: int) -> dict[str, int]:
    """Deletes a webhook with all messages that wait for it."""
    drop_webhook(by.workplace, by.actor, webhook)
    return {"id": webhook}


@router.post("/webhooks/{webhook}/try")
@router.post("/listeners/{webhook}/try", include_in_schema=False)
def post_try(by: By, webhook: int) -> dict[str, int]:
    """Sends a webhook a test message, which changes nothing, and returns the status of its answer."""
    return {"status": try_webhook(by.workplace, by.actor, webhook)}
