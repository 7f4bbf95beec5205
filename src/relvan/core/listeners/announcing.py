"""What a seller's own tool may be told of, and what becomes of an announcement by its answer.

Announcements are signed and numbered as the Standard Webhooks specification says (version 1, 2023): a tool that gets
one twice knows it by its number, and one that answers *410 Gone* is told nothing more.
"""

from collections.abc import Collection
from datetime import datetime, timedelta
from enum import StrEnum

from relvan.core.refusal import Refusal

MOST_NAME = 60
MOST_LISTENERS = 20
KEPT = timedelta(days=3)  # a tool that is away for longer has to read everything anew anyway
GONE = 410


class Matter(StrEnum):
    """What an announcement is about."""

    STOCK = "stock"
    PRICE = "price"
    ORDER = "order"

    @property
    def type(self) -> str:
        """The type that an announcement bears.

        >>> Matter.STOCK.type
        'stock.changed'
        """
        return f"{self.value}.changed"


class Outcome(StrEnum):
    """What becomes of an announcement: heard; tried again later; given up; or its listener is told nothing more."""

    HEARD = "heard"
    AGAIN = "again"
    GIVEN_UP = "given up"
    CLOSED = "closed"


def outcome(status: int | None, made_at: datetime, now: datetime) -> Outcome:
    """What becomes of an announcement that was answered with an HTTP status, or not at all (None)."""
    if status is not None and 200 <= status < 300:
        return Outcome.HEARD
    if status == GONE:
        return Outcome.CLOSED
    return Outcome.GIVEN_UP if now - made_at > KEPT else Outcome.AGAIN


def check_listener(name: str, matters: Collection[str]) -> list[Refusal]:
    """A listener has a name of 1 to 60 characters and hears of something."""
    found = []
    if not 1 <= len(name.strip()) <= MOST_NAME or not name.isprintable():
        message = f"“Name” must have 1 to {MOST_NAME} printable characters."
        found.append(Refusal("form", message, "Say which tool listens there.", "name"))
    known = {matter.value for matter in Matter}
    if not matters or not known.issuperset(matters):
        told = ", ".join(sorted(map(str, matters))) or "nothing"
        message = f"“Hears of” must be some of {', '.join(sorted(known))}; it got {told[:80]}."
        found.append(Refusal("not-allowed", message, "Tick what the tool is to hear of.", "matters"))
    return found
