"""The trays of the order desk, and the tray of an order until a person or a rule chooses one."""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.orders.facts import Extent, OrderFacts
from relvan.core.refusal import Refusal

MOST_NAME = 40
MOST_DAYS = 365
HUES = ("clay", "moss", "lake", "plum", "straw", "slate", "rose", "umber")


class Tray(StrEnum):
    """The five trays that a new seller starts with. They can be renamed, but not deleted."""

    INBOX = "inbox"
    FLOOR = "floor"
    SHORT = "short"
    CLOSED = "closed"
    CANCELLED = "cancelled"


@dataclass(frozen=True)
class TrayForm:
    """A tray as a person describes it: its name, the hue under its name, after how many days in it
    an order is reminded of (0 for never), and what the customer reads while an order lies there
    (empty if the customer is not to see it)."""

    name: str
    hue: str = "slate"
    remind_days: int = 0
    words: str = ""


def tray_key(name: str) -> str:
    """Returns the key of a new tray, which stays when the tray is renamed.

    >>> tray_key("Ask the customer!")
    'ask-the-customer'
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:MOST_NAME]


def check_tray(form: TrayForm, others: Collection[str]) -> list[Refusal]:
    """Checks a tray; `others` are the names of all other trays."""
    found = []
    name = form.name.strip()
    if not 1 <= len(name) <= MOST_NAME or not tray_key(name):
        message = f"“Name” must have 1 to {MOST_NAME} characters, and a letter or digit among them."
        found.append(Refusal("form", message, "Name it as your team would.", "name"))
    if name.lower() in {other.lower() for other in others}:
        message = f"There is a tray “{name}” already."
        found.append(Refusal("taken", message, "Choose another name.", "name"))
    if form.hue not in HUES:
        message = f"“Hue” must be one of {', '.join(HUES)}; it got “{form.hue[:20]}”."
        found.append(Refusal("not-allowed", message, "Choose one of them.", "hue"))
    if not 0 <= form.remind_days <= MOST_DAYS:
        message = f"“Reminder” must be after 0 to {MOST_DAYS} days; it got {form.remind_days}."
        found.append(Refusal("out-of-range", message, "0 stands for never.", "remind_days"))
    if len(form.words) > 200:
        message = "“What the customer reads” must have at most 200 characters."
        found.append(Refusal("too-long", message, "Shorten it.", "words"))
    return found


# words for what progress says, and the progress that they name
_PROGRESS_NAMES = {
    "reserved": "reserved",
    "picked": "picked",
    "packed": "picked",
    "shipped": "shipped",
    "sent": "shipped",
    "dispatched": "shipped",
    "invoiced": "invoiced",
    "billed": "invoiced",
    "paid": "paid",
}
# what is still to be done, and the filter that finds it
_TO_DO = {
    "reserve": {"reserved": "open"},
    "pick": {"reserved": "all", "picked": "open"},
    "pack": {"picked": "all", "shipped": "open"},
    "ship": {"picked": "all", "shipped": "open"},
    "send": {"picked": "all", "shipped": "open"},
    "invoice": {"invoiced": "open"},
    "bill": {"invoiced": "open"},
}
_EXTENTS = {"not": "open", "un": "open", "part": "part", "partly": "part", "partially": "part"}
_SAYS_NOTHING = frozenset(
    ("orders", "all", "and", "but", "yet", "still", "is", "are", "fully", "completely", "be")
)


def repeats_progress(name: str) -> Mapping[str, str]:
    """Returns the filter that a tray of this name would only repeat, or nothing.

    >>> dict(repeats_progress("Shipped, not invoiced")), dict(repeats_progress("paid but unsent"))
    ({'shipped': 'all', 'invoiced': 'open'}, {'paid': 'all', 'shipped': 'open'})
    >>> dict(repeats_progress("Paid by cheque"))
    {}
    """
    found: dict[str, str] = {}
    before = ""
    words = re.findall(r"[a-z]+", name.lower())
    for word in (word for word in words if word not in _SAYS_NOTHING):
        bare = word.removeprefix("un")
        if word in _PROGRESS_NAMES or bare in _PROGRESS_NAMES:
            extent = "open" if word not in _PROGRESS_NAMES else _EXTENTS.get(before, "all")
            found[_PROGRESS_NAMES[bare]] = extent
        elif before == "to" and word in _TO_DO:
            found |= _TO_DO[word]
        elif word not in (*_EXTENTS, "to"):
            return {}
        before = word
    return {} if before in (*_EXTENTS, "to") else found


def is_first_tray(key: str) -> bool:
    """Says whether a tray is one of the five that everybody has."""
    return key in set(Tray)


def tray_after_work(facts: OrderFacts, *, open_shipments: int, unknown_lines: int) -> Tray:
    """Returns the tray of an order after a reservation, a shipment or an invoice has changed, as
    long as it lies in one of the first five.

    An order is closed when all of it is shipped and invoiced; while a shipment is under way it lies
    in the warehouse's tray.
    """
    if open_shipments:
        return Tray.FLOOR
    if unknown_lines:
        return Tray.SHORT
    if facts.shipped == Extent.ALL:
        return Tray.CLOSED if facts.invoiced == Extent.ALL else Tray.FLOOR
    return Tray.INBOX if facts.reserved == Extent.ALL else Tray.SHORT


def settled_tray(
    tray: str, facts: OrderFacts, *, cancelled: bool, open_shipments: int, unknown_lines: int
) -> str:
    """Returns the tray in which an order lies now. One that a person or a rule chose stays, unless the
    order is cancelled.
    """
    if cancelled:
        return Tray.CANCELLED
    if not is_first_tray(tray):
        return tray
    return tray_after_work(facts, open_shipments=open_shipments, unknown_lines=unknown_lines)
