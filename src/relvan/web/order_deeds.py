"""The deeds of the order desk as pages offer them: their buttons, what they need to be told, and what
carries them out and takes them back.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from relvan.core.orders.deeds import OrderDeed
from relvan.core.refusal import refuse
from relvan.services.mail.write import mail_orders
from relvan.services.orders.aside import assign_orders, set_aside, tag_orders, take_back_aside
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.shipping.centres import send_to_centre
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.web.reading import day_of

Told = Mapping[str, str]
Deed = Callable[[Workplace, Actor, Sequence[str], Told], list[Verdict]]


@dataclass(frozen=True)
class DeedButton:
    """A deed as a page offers it: the words and the style of its button, how it is told afterwards,
    what carries it out, the deed that takes it back, and what a person fills in for it."""

    words: str
    style: str
    done: str
    deed: Deed
    undo: OrderDeed | None = None
    fields: tuple[str, ...] = ()


def _plain(deed: Callable[[Workplace, Actor, Sequence[str]], list[Verdict]]) -> Deed:
    return lambda workplace, actor, numbers, _told: deed(workplace, actor, numbers)


def _set_aside(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], told: Told
) -> list[Verdict]:
    until = day_of(told.get("until", ""), "until")
    if until is None:
        message = "“Until” must not be empty."
        raise refuse("missing", message, "Choose the day on which it comes back.", "until")
    return set_aside(workplace, actor, numbers, told.get("reason", ""), until)


def chosen_text(told: str) -> int:
    """Returns the id of the text that a person has chosen."""
    if not told.isascii() or not told.isdigit():
        message = "“Text” must not be empty."
        raise refuse("missing", message, "Choose one; they are written under Setup, Mail.", "text")
    return int(told)


BUTTONS: Mapping[OrderDeed, DeedButton] = {
    OrderDeed.RELEASE: DeedButton(
        "Release", "btn-do", "Released", _plain(release_orders), OrderDeed.TAKE_BACK
    ),
    OrderDeed.RESERVE: DeedButton(
        "Reserve", "btn-line", "Reserved", _plain(reserve_orders), OrderDeed.UNRESERVE
    ),
    OrderDeed.TAKE_BACK: DeedButton(
        "Undo release", "btn-line", "Release undone", _plain(take_back_shipments), OrderDeed.RELEASE
    ),
    OrderDeed.UNRESERVE: DeedButton(
        "Free stock", "btn-line", "Freed", _plain(unreserve_orders), OrderDeed.RESERVE
    ),
    OrderDeed.RESERVE_ANYWHERE: DeedButton(
        "Take it from another warehouse",
        "btn-line",
        "Reserved",
        _plain(reserve_anywhere),
        OrderDeed.UNRESERVE,
    ),
    OrderDeed.RELEASE_PART: DeedButton(
        "Send what is there",
        "btn-line",
        "Released in part",
        _plain(release_parts),
        OrderDeed.TAKE_BACK,
    ),
    OrderDeed.MOVE: DeedButton(
        "Move to",
        "btn-line",
        "Moved",
        lambda workplace, actor, numbers, told: move_orders(
            workplace, actor, numbers, told.get("tray", "")
        ),
        fields=("tray",),
    ),
    OrderDeed.SET_ASIDE: DeedButton(
        "Set aside",
        "btn-line",
        "Set aside",
        _set_aside,
        OrderDeed.BRING_BACK,
        fields=("reason", "until"),
    ),
    OrderDeed.BRING_BACK: DeedButton(
        "Bring back", "btn-line", "Brought back", _plain(take_back_aside)
    ),
    OrderDeed.TAG: DeedButton(
        "Tag",
        "btn-line",
        "Tagged",
        lambda workplace, actor, numbers, told: tag_orders(
            workplace, actor, numbers, told.get("tag", "")
        ),
        OrderDeed.UNTAG,
        fields=("tag",),
    ),
    OrderDeed.UNTAG: DeedButton(
        "Delete the tag",
        "btn-line",
        "Tag deleted",
        lambda workplace, actor, numbers, told: tag_orders(
            workplace, actor, numbers, told.get("tag", ""), off=True
        ),
        OrderDeed.TAG,
        fields=("tag",),
    ),
    OrderDeed.ASSIGN: DeedButton(
        "Assign",
        "btn-line",
        "Assigned",
        lambda workplace, actor, numbers, told: assign_orders(
            workplace, actor, numbers, told.get("login", "")
        ),
        fields=("login",),
    ),
    OrderDeed.MAIL: DeedButton(
        "Mail",
        "btn-line",
        "Mails are written",
        lambda workplace, actor, numbers, told: mail_orders(
            workplace, actor, numbers, chosen_text(told.get("text", ""))
        ),
        fields=("text",),
    ),
    OrderDeed.SEND_TO_CENTRE: DeedButton(
        "Send to centre",
        "btn-line",
        "Handed over",
        lambda workplace, actor, numbers, told: send_to_centre(
            workplace, actor, numbers, told.get("warehouse", "")
        ),
        fields=("warehouse",),
    ),
    OrderDeed.INVOICE: DeedButton("Invoice", "btn-line", "Invoiced", _plain(invoice_orders)),
    OrderDeed.CANCEL: DeedButton("Cancel", "btn-stop", "Cancelled", _plain(cancel_orders)),
}
# the deeds that the bar offers at once, and those behind *More*
LIST_DEEDS = (
    OrderDeed.RELEASE,
    OrderDeed.RESERVE,
    OrderDeed.INVOICE,
    OrderDeed.MOVE,
    OrderDeed.SET_ASIDE,
)
MORE_DEEDS = (
    OrderDeed.RELEASE_PART,
    OrderDeed.RESERVE_ANYWHERE,
    OrderDeed.UNRESERVE,
    OrderDeed.TAKE_BACK,
    OrderDeed.SEND_TO_CENTRE,
    OrderDeed.BRING_BACK,
    OrderDeed.TAG,
    OrderDeed.UNTAG,
    OrderDeed.ASSIGN,
    OrderDeed.MAIL,
    OrderDeed.CANCEL,
)
