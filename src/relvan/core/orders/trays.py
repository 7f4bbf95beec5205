"""Where an order lies on the desk: our way of working. A person may choose it; these rules choose it first."""

from enum import StrEnum

from relvan.core.orders.facts import Extent, OrderFacts


class Tray(StrEnum):
    """The five trays a new seller starts with."""

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
CHOSEN_BY_HAND = tuple(tray for tray in TRAY_NAMES if tray != Tray.CANCELLED)  # that one is reached by cancelling


def tray_after_work(facts: OrderFacts, *, open_shipments: int, unknown_lines: int) -> Tray:
    """Where an order goes when a reservation, a shipment or a payment has changed.

    Closed needs all shipped and all paid; while a shipment is under way it is in the warehouse.
    """
    if open_shipments:
        return Tray.FLOOR
    if unknown_lines:
        return Tray.SHORT
    if facts.shipped == Extent.ALL:
        return Tray.CLOSED if facts.paid == Extent.ALL else Tray.FLOOR
    return Tray.INBOX if facts.reserved == Extent.ALL else Tray.SHORT
