"""What a phone tells of a round: each scan with a key of its own, in the order in which it was done."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from relvan.core.refusal import refuse

MOST_EVENTS = 500
MOST_KEY = 64
KINDS = ("pick", "undo", "wrong", "elsewhere")


@dataclass(frozen=True)
class PhoneScan:
    """One thing that was done on a phone: its key, its kind (pick, undo, a wrong scan that was refused
    there, or what a pick lacks being sent from elsewhere), the pick it is about, the units taken, what the
    scanner read or the key of the other warehouse, and when."""

    key: str
    kind: str
    pick: int
    quantity: int
    code: str
    at: datetime


def read_scans(told: Any) -> list[PhoneScan]:
    """Reads what a phone has sent.

    Raises:
        Refused: if it cannot be read; nothing of it is done then.
    """
    if not isinstance(told, list) or not 1 <= len(told) <= MOST_EVENTS:
        raise _unreadable(f"a list of 1 to {MOST_EVENTS} scans is wanted")
    return [_read(one) for one in told]


def _read(one: Any) -> PhoneScan:
    if not isinstance(one, Mapping):
        raise _unreadable("a scan is no object")
    key, kind = str(one.get("key", "")), one.get("kind")
    pick, quantity = one.get("pick"), one.get("quantity", 0)
    if not 8 <= len(key) <= MOST_KEY or kind not in KINDS:
        raise _unreadable("a scan needs a key of 8 to 64 characters and a kind")
    numbers: Sequence[Any] = (pick, quantity)
    if any(isinstance(n, bool) or not isinstance(n, int) or abs(n) > 2**31 for n in numbers):
        raise _unreadable("pick and quantity are whole numbers")
    try:
        at = datetime.fromisoformat(str(one.get("at", "")).replace("Z", "+00:00"))
    except ValueError:
        raise _unreadable("at is no time") from None
    if at.tzinfo is None:
        raise _unreadable("at has no zone")
    return PhoneScan(
        key, str(kind), int(pick or 0), int(quantity), str(one.get("code", ""))[:200], at
    )


def _unreadable(why: str) -> Exception:
    message = f"What the phone sent cannot be read: {why}."
    return refuse("form", message, "Reload the page; nothing is lost.", "scans")
