"""Which matters a seller's own tool may be told of, and what follows from its answer.

Messages are signed and numbered as the Standard Webhooks specification says (version 1, 2023). A
tool that gets a message twice recognises it by its number; a tool that answers *410 Gone* gets no
more messages.
"""

from collections.abc import Collection
from datetime import datetime, timedelta
from enum import StrEnum

from relvan.core.refusal import Refusal
from relvan.core.texts import is_seen

MOST_NAME = 60
MOST_WEBHOOKS = 20
KEPT = timedelta(days=3)  # a tool that is away for longer has to read everything anew anyway
GONE = 410


class Matter(StrEnum):
    """What a message is about."""

    STOCK = "stock"
    PRICE = "price"
    ORDER = "order"

    @property
    def type(self) -> str:
        """The type that the message has.

        >>> Matter.STOCK.type
        'stock.changed'
        """
        return f"{self.value}.changed"


class AnnouncementState(StrEnum):
    """Whether a message waits, was taken by a worker that is sending it, or has ended."""

    WAITING = "waiting"
    TAKEN = "taken"
    ENDED = "ended"


class AnnouncementOutcome(StrEnum):
    """What becomes of a message: it was delivered, it is tried again later, it is given up, or its
    webhook is closed."""

    HEARD = "heard"
    AGAIN = "again"
    GIVEN_UP = "given up"
    CLOSED = "closed"


def outcome(status: int | None, made_at: datetime, now: datetime) -> AnnouncementOutcome:
    """Returns what becomes of a message that was answered with an HTTP status, or not at all
    (None)."""
    if status is not None and 200 <= status < 300:
        return AnnouncementOutcome.HEARD
    if status == GONE:
        return AnnouncementOutcome.CLOSED
    return AnnouncementOutcome.GIVEN_UP if now - made_at > KEPT else AnnouncementOutcome.AGAIN


def check_webhook(name: str, matters: Collection[str]) -> list[Refusal]:
    """Checks that a webhook has a name of 1 to 60 characters and at least one matter."""
    found = []
    if not name.strip() or len(name) > MOST_NAME or not is_seen(name):
        message = f"“Name” must have 1 to {MOST_NAME} printable characters."
        found.append(Refusal("form", message, "Name the tool that answers there.", "name"))
    known = {matter.value for matter in Matter}
    if not matters or not known.issuperset(matters):
        told = ", ".join(sorted(map(str, matters))) or "nothing"
        message = f"“Is told of” must be some of {', '.join(sorted(known))}; it got {told[:80]}."
        found.append(
            Refusal("not-allowed", message, "Tick what the tool is to be told of.", "matters")
        )
    return found
