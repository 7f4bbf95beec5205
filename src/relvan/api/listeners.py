"""Listeners over HTTP: the seller's own tools that hear of changes."""

from typing import Any

from pydantic import Field

from relvan.api.desk import By, api_router
from relvan.api.shapes import Shape
from relvan.services.listeners.keep import KeepListener, add_listener, change_listener, drop_listener, try_listener
from relvan.store.listeners import ListenerRow, listener_rows

router = api_router(tags=["listeners"])


class NewListener(Shape):
    """A tool at an address, and what it hears of: stock, price, order."""

    name: str = Field(max_length=200)
    address: str = Field(max_length=1000)
    matters: list[str] = Field(max_length=10)


class ChangedListener(Shape):
    """What is to be another."""

    name: str | None = Field(default=None, max_length=200)
    address: str | None = Field(default=None, max_length=1000)
    matters: list[str] | None = Field(default=None, max_length=10)
    active: bool | None = None


def _shape(row: ListenerRow) -> dict[str, Any]:
    return {
        "id": row.id, "name": row.name, "address": row.address, "matters": row.matters, "active": row.active,
        "failures": row.failures, "trouble": row.trouble, "heard_at": row.heard_at, "waiting": row.waiting,
        "oldest": row.oldest,
    }  # fmt: skip


@router.get("/listeners")
def list_listeners(by: By) -> dict[str, Any]:
    """Every listener, with what waits for it and why it does not hear."""
    with by.workplace.database.reading() as session:
        return {"items": [_shape(row) for row in listener_rows(session)]}


@router.post("/listeners", status_code=201)
def post_listener(by: By, wish: NewListener) -> dict[str, Any]:
    """Make a listener; the answer tells its secret, this once."""
    listener, secret = add_listener(by.workplace, by.actor, KeepListener(wish.name, wish.address, wish.matters))
    return {"id": listener, "secret": secret}


@router.patch("/listeners/{listener}")
def patch_listener(by: By, listener: int, wish: ChangedListener) -> dict[str, Any]:
    """Change a listener, let it rest, or let it hear again."""
    change_listener(by.workplace, by.actor, listener, wish.model_dump(exclude_none=True))
    with by.workplace.database.reading() as session:
        return next(_shape(row) for row in listener_rows(session) if row.id == listener)


@router.delete("/listeners/{listener}")
def delete_listener(by: By, listener: int) -> dict[str, int]:
    """Take a listener away with all that waits for it."""
    drop_listener(by.workplace, by.actor, listener)
    return {"id": listener}


@router.post("/listeners/{listener}/try")
def post_try(by: By, listener: int) -> dict[str, int]:
    """Tell a listener something that changes nothing; what it answered."""
    return {"status": try_listener(by.workplace, by.actor, listener)}
