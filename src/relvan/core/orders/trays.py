"""Chooses the tray of an order until a person chooses one."""

from enum import StrEnum

from relvan.core.orders.facts import Extent, OrderFacts


class Tray(StrEnum):
    """The five trays that a new seller starts with."""

    INBOX = "inbox"
    FLOOR = "floor"
    SHORT = "short"
    CLOSED = "closed"
    CANCELLED = "cancelled"


TRAY_NAMES = {
    Tray.INBOX: "Inbox",
    Tray.FLOOR: "In the warehouse",
    Tray.SHORT: "Short of stock",
    Tray.CLOSED: "Closed",
    Tray.CANCELLED: "Cancelled",
}
CHOSEN_BY_HAND = tuple(
    tray for tray in TRAY_NAMES if tray != Tray.CANCELLED
)  # that one is reached by cancelling


def tray_after_work(facts: OrderFacts, *, open_shipments: int, unknown_lines: int) -> Tray:
    """Returns the tray of an order after a reservation, a shipment or a payment has changed.

    An order is closed when all of it is shipped and paid; while a shipment is under way it lies in
    the warehouse's tray.
    """
    if open_shipments:
        return Tray.FLOOR
    if unknown_lines:
        return Tray.SHORT
    if facts.shipped == Extent.ALL:
        return Tray.CLOSED if facts.paid == Extent.ALL else Tray.FLOOR
    return Tray.INBOX if facts.reserved == Extent.ALL else Tray.SHORT
