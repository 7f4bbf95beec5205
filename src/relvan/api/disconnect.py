"""Serves the disconnecting of channels over HTTP: what it would touch, and doing it."""

from dataclasses import asdict
from typing import Annotated, Any

from relvan.api.described import described
from relvan.api.desk import By, api_router
from relvan.api.shapes import Shape
from relvan.core.channels.connection import Connection, ListingsThen, OrdersThen
from relvan.core.people.roles import Right
from relvan.services.disconnect import (
    disconnect,
    end_at_once,
    foresee_disconnecting,
    stay_connected,
)

router = api_router(tags=["channels"])


class PartingShape(Shape):
    """What happens to the channel's `listings` there and to its open `orders`."""

    listings: Annotated[str, described(ListingsThen)]
    orders: Annotated[str, described(OrdersThen)]


@router.get("/channels/{channel}/disconnect")
def get_disconnect(by: By, channel: str) -> dict[str, Any]:
    """Says what disconnecting the channel would touch: its `listings`, those that are `live` and
    those with values of their `own`, what was found there `unlinked`, `orders` that are not sent
    and how many of them are `cancellable`, and updates `waiting`."""
    by.actor.must(Right.SETUP)
    return asdict(foresee_disconnecting(by.workplace, channel))


@router.post("/channels/{channel}/disconnect")
def post_disconnect(by: By, channel: str, wish: PartingShape) -> dict[str, Any]:
    """Disconnects the channel. It is `ending` until the channel has answered what it must still be
    told, and `clearing` while its listings are being deleted here."""
    found = disconnect(by.workplace, by.actor, channel, wish.model_dump())
    return {"connection": str(found)}


@router.post("/channels/{channel}/disconnect/at-once")
def post_disconnect_at_once(by: By, channel: str) -> dict[str, Any]:
    """Ends the connection of a channel that is ending, without waiting for its answers."""
    end_at_once(by.workplace, by.actor, channel)
    return {"connection": str(Connection.CLEARING)}


@router.delete("/channels/{channel}/disconnect")
def delete_disconnect(by: By, channel: str) -> dict[str, Any]:
    """Cancels the end of a connection; what was taken down until then stays down."""
    stay_connected(by.workplace, by.actor, channel)
    return {"connection": str(Connection.CONNECTED)}
