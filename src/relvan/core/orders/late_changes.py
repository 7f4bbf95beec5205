"""Decides what a person may choose where a channel changes an order after its goods were picked,
invoiced or have left. See docs/rules.md, “Changes of orders”.
"""

from dataclasses import dataclass
from enum import StrEnum

from relvan.core.refusal import Refusal


class NoticeKind(StrEnum):
    """What lies before the team about an order: something to know, or a change by its channel that came
    too late to be followed: it cancelled the order, changed its address, or its buyer took units off."""

    NOTE = "note"
    CANCELLED = "cancelled"
    ADDRESS = "address"
    TAKEN_OFF = "taken-off"


class LateChoice(StrEnum):
    """What a person can do about a notice: say that it was seen; put picked goods of a cancelled order
    back; take units off now, with their picks and by a credit note where they are invoiced; expect what
    has left back; give back what was paid for it though it stays with the buyer; let it go, as if the
    channel had changed nothing."""

    SEEN = "seen"
    PUT_BACK = "put-back"
    TAKE_OFF = "take-off"
    RECALL = "recall"
    REFUND = "refund"
    LET_GO = "let-go"


@dataclass(frozen=True)
class LateStanding:
    """What stands in the way of a late change, in units: what is still here, of a cancelled order only
    what is picked, and what has left and is not expected back yet."""

    waiting: int = 0
    left: int = 0


def choices_of(kind: NoticeKind, standing: LateStanding) -> tuple[LateChoice, ...]:
    """Returns what a person may choose about a notice, the most usual first.

    >>> [str(one) for one in choices_of(NoticeKind.CANCELLED, LateStanding(left=2))]
    ['recall', 'refund', 'let-go']
    """
    if kind == NoticeKind.CANCELLED and standing.waiting:
        return (LateChoice.PUT_BACK,)
    if kind == NoticeKind.ADDRESS and standing.left:
        return (LateChoice.RECALL, LateChoice.LET_GO)
    if kind == NoticeKind.TAKEN_OFF and standing.waiting:
        return (LateChoice.TAKE_OFF, LateChoice.LET_GO)
    if kind in (NoticeKind.CANCELLED, NoticeKind.TAKEN_OFF) and standing.left:
        return (LateChoice.RECALL, LateChoice.REFUND, LateChoice.LET_GO)
    return (LateChoice.SEEN,)


def refuse_choice(
    choice: str, kind: NoticeKind, standing: LateStanding
) -> tuple[LateChoice | None, list[Refusal]]:
    """Reads what a person chose about a notice; returns it, or why it cannot be done."""
    allowed = choices_of(kind, standing)
    if choice in allowed:
        return LateChoice(choice), []
    message = f"“Choice” must be one of {', '.join(allowed)}; it got “{choice[:30]}”."
    return None, [Refusal("not-allowed", message, "Load the order again.", "choice")]
