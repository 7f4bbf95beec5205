"""What may be done to an order now, and why not. Service, foresight, page and API all ask `deeds_of`.

The answer follows from what is true of the order (its progress, its shipments, its payment), never from its tray: the
tray is only where people look for it.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.orders.facts import Extent
from relvan.core.refusal import Refused, not_found, refuse


class OrderDeed(StrEnum):
    """Something that a person, a rule or the API can do to one order or to many."""

    RELEASE = "release"
    RESERVE = "reserve"
    RESERVE_ANYWHERE = "reserve-anywhere"
    RELEASE_PART = "release-part"
    TAKE_BACK = "take-back"
    UNRESERVE = "unreserve"
    CANCEL = "cancel"
    MOVE = "move"


class Outcome(StrEnum):
    """What a deed comes to: it changes the order, it finds the order so already, or it is refused."""

    DOES = "does"
    ALREADY = "already"
    REFUSED = "refused"


@dataclass(frozen=True)
class DeedAnswer:
    """What one deed would do to one order; `message` and `fix` say why it does nothing or is refused."""

    outcome: Outcome
    code: str = ""
    message: str = ""
    fix: str = ""

    @property
    def does(self) -> bool:
        """Whether the deed would change the order."""
        return self.outcome == Outcome.DOES

    def raise_if_refused(self) -> None:
        """Raise the refusal, if it is one."""
        if self.outcome == Outcome.REFUSED:
            raise refuse(self.code, self.message, self.fix)


DOES = DeedAnswer(Outcome.DOES)


@dataclass(frozen=True)
class OrderStanding:
    """What the deeds on an order depend on.

    `unreleased` are the units reserved for it that lie in no open shipment. `waiting` and `begun` count its shipments
    on pick or before it: those of which nothing has been picked yet, and those of which something has. `shipments`
    counts all that have not left. `from_channel` says that a channel took the payment.
    """

    number: str
    reserved: Extent
    picked: Extent
    shipped: Extent
    paid: Extent
    from_channel: bool = False
    cancelled: bool = False
    unreleased: int = 0
    shipments: int = 0
    waiting: int = 0
    begun: int = 0


def read_deed(name: str) -> OrderDeed:
    """The deed of that name.

    >>> str(read_deed("release"))
    'release'

    Raises:
        NotFound: if there is no such deed.
    """
    if name not in set(OrderDeed):
        raise not_found("deed", name)
    return OrderDeed(name)


def deeds_of(order: OrderStanding) -> Mapping[OrderDeed, DeedAnswer]:
    """What each deed would come to on an order as it stands.

    Whether enough stock is free is not asked here: `RESERVE`, `RESERVE_ANYWHERE` and `RELEASE_PART` may still be short
    of it, which the plan of the reservation says (`core/stock/reserving.py`).
    """
    return {deed: _RULES[deed](order) for deed in OrderDeed}


def _refused(code: str, message: str, fix: str) -> DeedAnswer:
    return DeedAnswer(Outcome.REFUSED, code, message, fix)


def _already(message: str) -> DeedAnswer:
    return DeedAnswer(Outcome.ALREADY, "already", message)


def _over(order: OrderStanding) -> DeedAnswer | None:
    """Why nothing can be sent or reserved any more, if that is so."""
    if order.cancelled:
        return _refused("cancelled", f"“{order.number}” is cancelled.", "Nothing more can be sent of it.")
    if order.shipped == Extent.ALL:
        return _refused("shipped", f"“{order.number}” has been shipped.", "There is nothing more to send.")
    return None


def _reserve(order: OrderStanding) -> DeedAnswer:
    if over := _over(order):
        return over
    if order.reserved == Extent.ALL:
        return _already(f"“{order.number}” is reserved in full already.")
    return DOES


def _not_payable(order: OrderStanding) -> DeedAnswer | None:
    """An order of a channel is sent once it is paid; one taken by hand may be paid later."""
    if order.from_channel and order.paid != Extent.ALL:
        return _refused("not-paid", f"“{order.number}” is not paid.", "The channel tells Relvan when it is.")
    return None


def _release(order: OrderStanding) -> DeedAnswer:
    if over := _over(order):
        return over
    if order.reserved != Extent.ALL:
        message = f"“{order.number}” is not reserved in full."
        return _refused("short", message, "Reserve it first, or wait for stock.")
    if unpaid := _not_payable(order):
        return unpaid
    if not order.unreleased:
        return _already(f"All of “{order.number}” is with the warehouse already.")
    return DOES


def _release_part(order: OrderStanding) -> DeedAnswer:
    if over := _over(order):
        return over
    if unpaid := _not_payable(order):
        return unpaid
    if order.reserved == Extent.ALL and not order.unreleased:
        return _already(f"All of “{order.number}” is with the warehouse already.")
    return DOES


def _take_back(order: OrderStanding) -> DeedAnswer:
    if order.begun or not order.waiting:
        message = f"“{order.number}” has nothing that can be taken back."
        return _refused("under-way", message, "Only shipments of which nothing has been picked come back.")
    return DOES


def _unreserve(order: OrderStanding) -> DeedAnswer:
    if not order.unreleased:
        message = f"Nothing of “{order.number}” can be freed."
        return _refused("nothing", message, "Take its release back first.")
    return DOES


def _cancel(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        return _already(f"“{order.number}” is cancelled already.")
    if order.picked != Extent.NONE or order.shipped != Extent.NONE:
        message = f"“{order.number}” is picked or sent in part."
        return _refused("under-way", message, "Finish sending it, or take it back as a return.")
    return DOES


def _move(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        return _refused("cancelled", f"“{order.number}” is cancelled.", "It stays in its tray.")
    return DOES


_RULES: Mapping[OrderDeed, Callable[[OrderStanding], DeedAnswer]] = {
    OrderDeed.RELEASE: _release,
    OrderDeed.RESERVE: _reserve,
    OrderDeed.RESERVE_ANYWHERE: _reserve,
    OrderDeed.RELEASE_PART: _release_part,
    OrderDeed.TAKE_BACK: _take_back,
    OrderDeed.UNRESERVE: _unreserve,
    OrderDeed.CANCEL: _cancel,
    OrderDeed.MOVE: _move,
}


def answer_of(refused: Refused) -> DeedAnswer:
    """The answer that says a refusal."""
    first = refused.first
    return DeedAnswer(Outcome.REFUSED, first.code, first.message, first.fix)
