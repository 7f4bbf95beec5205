"""Says how a channel is connected, and what disconnecting it means for its listings and orders."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.refusal import refuse


class Connection(StrEnum):
    """How a channel is connected. While it is ending, the channel is still told what was chosen;
    while it is being cleared, its listings are deleted here, some at a time."""

    CONNECTED = "connected"
    ENDING = "ending"
    CLEARING = "clearing"
    ENDED = "ended"


# a channel that is connected as far as anybody sees
IN_USE = (Connection.CONNECTED, Connection.ENDING)


class ListingsThen(StrEnum):
    """What happens on the channel to what is listed there."""

    LEAVE = "leave"
    TAKE_DOWN = "take-down"


class OrdersThen(StrEnum):
    """What happens to the channel's open orders."""

    KEEP = "keep"
    CANCEL = "cancel"


@dataclass(frozen=True)
class Parting:
    """How a channel is to be disconnected."""

    listings: ListingsThen = ListingsThen.LEAVE
    orders: OrdersThen = OrdersThen.KEEP

    @property
    def is_told(self) -> bool:
        """Says whether the channel must be told something before the connection ends. It is not
        told of orders that are cancelled here; the person who cancels them does that."""
        return self.listings == ListingsThen.TAKE_DOWN


@dataclass(frozen=True)
class ChannelHoldings:
    """What disconnecting a channel touches: its listings that buyers can see, all its listings,
    those of them with values of their own, listings found there that belong to no product, orders
    that are not sent yet with how many of them can be cancelled, and updates that wait."""

    live: int
    listings: int
    own: int
    unlinked: int
    orders: int
    cancellable: int
    waiting: int


def read_parting(wish: Mapping[str, str]) -> Parting:
    """Returns what was chosen for `listings` and `orders`. Neither has a value that is taken for
    granted, because both are about what buyers see.

    >>> read_parting({"listings": "leave", "orders": "keep"}).is_told
    False

    Raises:
        Refused: if one of the two is missing or is no choice.
    """
    return Parting(
        ListingsThen(_chosen(wish, "listings", "its listings", _LISTINGS_THEN)),
        OrdersThen(_chosen(wish, "orders", "its open orders", _ORDERS_THEN)),
    )


_LISTINGS_THEN: Mapping[str, str] = {
    ListingsThen.TAKE_DOWN: "take them down there first",
    ListingsThen.LEAVE: "leave them there",
}
_ORDERS_THEN: Mapping[str, str] = {
    OrdersThen.KEEP: "keep them and send them",
    OrdersThen.CANCEL: "cancel those of which nothing is picked",
}


def _chosen(wish: Mapping[str, str], field: str, words: str, choices: Mapping[str, str]) -> str:
    value = wish.get(field, "")
    if value not in choices:
        named = [f"{said} ({key})" for key, said in choices.items()]
        fix = f"Choose: {' or '.join(named)}."
        raise refuse("not-chosen", f"Nobody has chosen what happens to {words}.", fix, field)
    return value


def check_parting(connection: str, paused: bool, parting: Parting, name: str) -> None:
    """Checks that a channel can be disconnected so.

    Raises:
        Refused: if it is being disconnected already, or if it is paused and would have to be told.
    """
    if connection != Connection.CONNECTED:
        message = f"{name} is being disconnected already."
        raise refuse("already", message, "Wait for it, or end it at once.", "channel")
    if paused and parting.is_told:
        message = f"{name} is paused, so nothing can be told to it."
        fix = "Resume it first, or leave its listings there."
        raise refuse("paused", message, fix, "listings")
