"""Says what may be done to an order now, and why not. Service, preview, page and API all ask
`deeds_of`.

The answer follows from the order's progress, its shipments and its payment, never from its tray:
the tray only says where people look for it.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.orders.facts import Extent
from relvan.core.refusal import Refused, not_found, refuse


class OrderDeed(StrEnum):
    """An action that a person, a rule or the API can take on one order or on many."""

    RELEASE = "release"
    RESERVE = "reserve"
    RESERVE_ANYWHERE = "reserve-anywhere"
    RELEASE_PART = "release-part"
    TAKE_BACK = "take-back"
    UNRESERVE = "unreserve"
    CANCEL = "cancel"
    MOVE = "move"
    SET_ASIDE = "set-aside"
    BRING_BACK = "bring-back"
    TAG = "tag"
    UNTAG = "untag"
    INVOICE = "invoice"
    ASSIGN = "assign"
    MAIL = "mail"
    SEND_TO_CENTRE = "send-to-centre"


class DeedOutcome(StrEnum):
    """What an action leads to: it changes the order, the order is so already, or it is refused."""

    DOES = "does"
    ALREADY = "already"
    REFUSED = "refused"


@dataclass(frozen=True)
class DeedAnswer:
    """What one action would do to one order. `message` and `fix` say why it does nothing or is
    refused."""

    outcome: DeedOutcome
    code: str = ""
    message: str = ""
    fix: str = ""

    @property
    def does(self) -> bool:
        """Says whether the action would change the order."""
        return self.outcome == DeedOutcome.DOES

    def raise_if_refused(self) -> None:
        """Raises the refusal when the action is refused."""
        if self.outcome == DeedOutcome.REFUSED:
            raise refuse(self.code, self.message, self.fix)


DOES = DeedAnswer(DeedOutcome.DOES)


@dataclass(frozen=True)
class OrderStanding:
    """The facts that the actions on an order depend on.

    `unreleased` are the units reserved for it that lie in no open shipment. `waiting` and `begun`
    count its shipments that are not picked in full: `waiting` those of which nothing has been
    picked, `begun` the others. `shipments` counts all that have not left. `must_be_paid` says
    that nothing leaves before it is paid, `touched` that units of it were picked,
    and `mailable` that its customer has a mail address. `to_hand_over` counts shipments that wait to
    be handed over to a centre.
    """

    number: str
    reserved: Extent
    picked: Extent
    shipped: Extent
    paid: Extent
    invoiced: Extent = Extent.NONE
    must_be_paid: bool = False
    cancelled: bool = False
    unreleased: int = 0
    shipments: int = 0
    waiting: int = 0
    begun: int = 0
    touched: bool = False
    aside: bool = False
    mailable: bool = False
    to_hand_over: int = 0


def read_deed(name: str) -> OrderDeed:
    """Returns the action with a name; an unknown name is refused.

    >>> str(read_deed("release"))
    'release'

    Raises:
        NotFound: if there is no such deed.
    """
    if name not in set(OrderDeed):
        raise not_found("deed", name)
    return OrderDeed(name)


def deeds_of(order: OrderStanding) -> Mapping[OrderDeed, DeedAnswer]:
    """Returns what each action would lead to for an order as it is.

    Whether enough stock is free is not considered here: `RESERVE`, `RESERVE_ANYWHERE` and
    `RELEASE_PART` may still lack it, which the plan of the reservation says
    (`core/stock/reserving.py`).
    """
    return {deed: _RULES[deed](order) for deed in OrderDeed}


def _refused(code: str, message: str, fix: str) -> DeedAnswer:
    return DeedAnswer(DeedOutcome.REFUSED, code, message, fix)


def _already(message: str) -> DeedAnswer:
    return DeedAnswer(DeedOutcome.ALREADY, "already", message)


def _over(order: OrderStanding) -> DeedAnswer | None:
    """Returns why nothing can be sent or reserved any more, if that is so."""
    if order.cancelled:
        return _refused(
            "cancelled", f"“{order.number}” is cancelled.", "Nothing more can be sent of it."
        )
    if order.shipped == Extent.ALL:
        return _refused(
            "shipped", f"“{order.number}” has been shipped.", "There is nothing more to send."
        )
    return None


def _reserve(order: OrderStanding) -> DeedAnswer:
    if over := _over(order):
        return over
    if order.reserved == Extent.ALL:
        return _already(f"“{order.number}” is reserved in full already.")
    return DOES


def _not_payable(order: OrderStanding) -> DeedAnswer | None:
    """Returns why an order may not be sent before it is paid. Orders of a channel must be paid, if
    its policy does not say otherwise; those taken by hand may be paid later."""
    if order.must_be_paid and order.paid != Extent.ALL:
        return _refused(
            "not-paid", f"“{order.number}” is not paid.", "The channel tells Relvan when it is."
        )
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
        message = f"“{order.number}” has no release that can be undone."
        return _refused(
            "under-way", message, "A release can be undone as long as nothing has been picked."
        )
    return DOES


def _unreserve(order: OrderStanding) -> DeedAnswer:
    if not order.unreleased:
        message = f"Nothing of “{order.number}” can be freed."
        return _refused("nothing", message, "Take its release back first.")
    return DOES


def _cancel(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        return _already(f"“{order.number}” is cancelled already.")
    if order.touched:
        message = f"“{order.number}” is picked or sent in part."
        fix = "Finish sending it, recall it from the centre, or take it back as a return."
        return _refused("under-way", message, fix)
    return DOES


def _move(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        return _refused("cancelled", f"“{order.number}” is cancelled.", "It stays in its tray.")
    return DOES


def _set_aside(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        return _refused("cancelled", f"“{order.number}” is cancelled.", "It waits for nothing.")
    if order.shipped == Extent.ALL and order.invoiced == Extent.ALL:
        message = f"“{order.number}” is shipped and invoiced."
        return _refused("closed", message, "It waits for nothing.")
    return DOES


def _invoice(order: OrderStanding) -> DeedAnswer:
    if order.cancelled:
        message = f"“{order.number}” is cancelled."
        return _refused("cancelled", message, "Nothing of it is to be invoiced.")
    if order.invoiced == Extent.ALL:
        return _already(f"“{order.number}” is invoiced in full already.")
    return DOES


def _bring_back(order: OrderStanding) -> DeedAnswer:
    return DOES if order.aside else _already(f"“{order.number}” is not set aside.")


def _send_to_centre(order: OrderStanding) -> DeedAnswer:
    if over := _over(order):
        return over
    if order.to_hand_over:
        return DOES
    if unpaid := _not_payable(order):
        return unpaid
    if order.reserved == Extent.ALL and not order.unreleased:
        return _already(f"All of “{order.number}” is with a warehouse already.")
    return DOES


def _mail(order: OrderStanding) -> DeedAnswer:
    if not order.mailable:
        message = f"“{order.number}” has no mail address."
        return _refused("no-address", message, "Add it to the customer.")
    return DOES


def _always(_order: OrderStanding) -> DeedAnswer:
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
    OrderDeed.SET_ASIDE: _set_aside,
    OrderDeed.BRING_BACK: _bring_back,
    OrderDeed.TAG: _always,
    OrderDeed.UNTAG: _always,
    OrderDeed.INVOICE: _invoice,
    OrderDeed.ASSIGN: _always,
    OrderDeed.MAIL: _mail,
    OrderDeed.SEND_TO_CENTRE: _send_to_centre,
}


def answer_of(refused: Refused) -> DeedAnswer:
    """Turns a refusal into an answer."""
    first = refused.first
    return DeedAnswer(DeedOutcome.REFUSED, first.code, first.message, first.fix)
