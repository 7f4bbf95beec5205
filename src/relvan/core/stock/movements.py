"""The stock ledger: what each kind of movement does to the units on hand and to those that are
blocked. Balances are sums of movements; nothing else changes them."""

from dataclasses import dataclass
from enum import StrEnum

from relvan.core.refusal import Refusal, refuse

MOST_UNITS = 10_000_000


class Reason(StrEnum):
    """Why stock moved."""

    OPENING = "opening"
    RECEIPT = "receipt"
    COUNT = "count"
    RETURN = "return"
    WRITE_OFF = "write-off"
    TRANSFER = "transfer"
    BLOCK = "block"
    UNBLOCK = "unblock"
    SHORT_PICK = "short pick"
    DISPATCH = "dispatch"
    UNDO = "undo"


# What a person may choose by hand; the others follow from picking and dispatching.
BY_HAND = (
    Reason.RECEIPT,
    Reason.COUNT,
    Reason.RETURN,
    Reason.WRITE_OFF,
    Reason.BLOCK,
    Reason.UNBLOCK,
    Reason.OPENING,
)
RAISES = (Reason.OPENING, Reason.RECEIPT, Reason.RETURN)


@dataclass(frozen=True)
class Level:
    """What one bin holds of one product by the books: the units on hand, how many of them are blocked,
    and how many were `picked` and have not left the house yet. Those are counted as on hand until they
    leave, but do not lie in the bin any more."""

    on_hand: int
    blocked: int
    picked: int = 0

    @property
    def lies(self) -> int:
        """The units that lie in the bin."""
        return self.on_hand - self.picked


@dataclass(frozen=True)
class Change:
    """What a movement does: the units that it adds to on hand and to blocked; negative numbers take
    away."""

    on_hand: int
    blocked: int = 0


def movement_change(
    reason: Reason, level: Level, *, change: int | None, counted: int | None
) -> Change:
    """Returns what a movement by hand does to a bin: it either adds `change` units, or sets the
    number `counted` there. What was picked and has not left is neither counted nor taken away.

    A count is the truth about the bin: it also lifts what a short pick or a block had set aside
    there, as far as those goods are gone. Refused are movements with neither or both numbers, a
    sign that does not fit the reason, and more units taken than are there.
    """
    if (change is None) == (counted is None):
        raise refuse(
            "movement",
            "Give either a change or the number counted.",
            "Fill in one of the two.",
            "change",
        )
    if counted is not None:
        return _counted_change(reason, level, counted)
    assert change is not None
    if change == 0 or abs(change) > MOST_UNITS:
        raise refuse(
            "out-of-range",
            f"“Change” must be a number of units but 0; it got {change:,}.",
            "",
            "change",
        )
    if reason == Reason.COUNT:
        raise refuse(
            "movement",
            "A count needs the number counted.",
            "Fill in how many lie there.",
            "counted",
        )
    return _move(reason, level, change)


def _counted_change(reason: Reason, level: Level, counted: int) -> Change:
    if reason not in (Reason.COUNT, Reason.OPENING):
        raise refuse(
            "movement",
            f"A {reason.value} needs a change, not a count.",
            "Choose the reason count.",
            "reason",
        )
    if not 0 <= counted <= MOST_UNITS:
        message = f"“Counted” must be between 0 and {MOST_UNITS:,}; it got {counted:,}."
        raise refuse("out-of-range", message, "Correct the number.", "counted")
    gone = max(0, level.lies - counted)
    return Change(counted - level.lies, -min(level.blocked, gone))


def _move(reason: Reason, level: Level, change: int) -> Change:
    size = abs(change)
    if reason in RAISES:
        if change < 0:
            raise refuse(
                "movement",
                f"A {reason.value} adds units; it got {change}.",
                "Use write-off instead.",
                "change",
            )
        return Change(size)
    if reason == Reason.WRITE_OFF:
        _refuse_more_than(size, level.lies, "here")
        return Change(-size, -max(0, level.blocked - (level.lies - size)))
    if reason == Reason.BLOCK:
        _refuse_more_than(size, level.lies - level.blocked, "here and not blocked")
        return Change(0, size)
    if reason == Reason.UNBLOCK:
        _refuse_more_than(size, level.blocked, "blocked")
        return Change(0, -size)
    raise refuse(
        "movement", f"A {reason.value} is not made by hand.", "Choose another reason.", "reason"
    )


def _refuse_more_than(size: int, there: int, word: str) -> None:
    if size > there:
        raise refuse(
            "not-enough",
            f"{size} units are more than the {there} {word}.",
            "Count the bin first.",
            "change",
        )


def reversed_change(change: Change, level: Level) -> Change:
    """Returns the movement that undoes another. It is refused when the goods have moved on since."""
    after = Level(level.on_hand - change.on_hand, level.blocked - change.blocked, level.picked)
    if not 0 <= after.blocked <= after.lies:
        raise refuse("moved-on", "These units have moved on since.", "Count the bin instead.")
    return Change(-change.on_hand, -change.blocked)


def check_note(note: str) -> list[Refusal]:
    """Checks that a note has at most 200 characters."""
    if len(note) > 200:
        return [
            Refusal("too-long", "“Note” must have at most 200 characters.", "Shorten it.", "note")
        ]
    return []
