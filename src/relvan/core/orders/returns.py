"""Decides what may be taken off an order before it leaves, what may come back afterwards, and what is
given back for it. See docs/rules.md, “Changes of orders” and “Returns”.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.orders.discounts import part_up_to
from relvan.core.refusal import Refusal

MOST_REASON = 200


class ReturnState(StrEnum):
    """How far a return is."""

    EXPECTED = "expected"
    RECEIVED = "received"
    REFUNDED = "refunded"
    CANCELLED = "cancelled"


class ReturnTo(StrEnum):
    """Where goods go that come back."""

    STOCK = "stock"
    BLOCKED = "blocked"
    WRITTEN_OFF = "written-off"


@dataclass(frozen=True)
class LineStanding:
    """What of a line is ordered, picked, shipped and invoiced. Of a kit these are whole kits."""

    name: str
    quantity: int
    picked: int = 0
    shipped: int = 0
    invoiced: int = 0


def refuse_taking_off(line: LineStanding, units: int) -> list[Refusal]:
    """Returns why units cannot be taken off a line, or nothing."""
    open_units = line.quantity - line.picked
    if not 1 <= units <= line.quantity:
        message = f"{line.quantity} of {line.name} are ordered; it got {units}."
        return [Refusal("out-of-range", message, "Correct the units.", "quantity")]
    if units > open_units:
        message = f"{line.picked} of {line.name} are picked, so {open_units} can be taken off."
        fix = "Undo the picks first; or take what has left back as a return."
        return [Refusal("picked", message, fix, "quantity")]
    if units > line.quantity - line.invoiced:
        message = f"{line.invoiced} of {line.name} stand on an invoice."
        fix = "Give them back by a credit note first, to be invoiced again."
        return [Refusal("invoiced", message, fix, "quantity")]
    return []


def refuse_return(
    lines: Mapping[int, LineStanding],
    back_before: Mapping[int, int],
    wanted: Mapping[int, int],
    reason: str,
) -> list[Refusal]:
    """Returns why units cannot be expected back, or nothing. Lines are by their positions;
    `back_before` are the units in other returns."""
    found = []
    if not 1 <= len(reason.strip()) <= MOST_REASON:
        message = f"“Reason” must have 1 to {MOST_REASON} characters."
        found.append(Refusal("form", message, "Say why it comes back.", "reason"))
    if not any(wanted.values()):
        found.append(Refusal("missing", "Nothing comes back.", "Say how many units.", "lines"))
    for position, units in wanted.items():
        line = lines.get(position)
        if line is None:
            message = f"There is no line {position}."
            found.append(Refusal("not-found", message, "Load the order again.", "lines"))
            continue
        left = line.shipped - back_before.get(position, 0)
        if not 0 <= units <= left:
            message = f"{max(0, left)} of {line.name} can come back; it got {units}."
            found.append(Refusal("out-of-range", message, "Only what was shipped can.", "lines"))
    return found


@dataclass(frozen=True)
class Worth:
    """What a line came to, in minor units with the tax, over so many units; of these, so many were
    given back before and so many are now."""

    amount: int
    ordered: int
    before: int
    units: int

    @property
    def value(self) -> int:
        """What the units are worth, so that all parts add up to the line."""
        end = self.before + self.units
        whole = part_up_to(self.amount, end, self.ordered)
        return whole - part_up_to(self.amount, self.before, self.ordered)


def refund_of(lines: Sequence[Worth]) -> int:
    """Returns what units that come back are worth, in minor units.

    >>> refund_of([Worth(5000, 3, 0, 1), Worth(5000, 3, 1, 2)])
    5000
    """
    return sum(line.value for line in lines)


def refuse_refund(amount: int, worth: int, *, needs: str = "") -> list[Refusal]:
    """Returns why an amount cannot be given back for goods of some worth, or nothing."""
    if needs:
        return [Refusal("wrong-state", needs, "Receive the goods first.")]
    if not 1 <= amount <= worth:
        message = (
            f"“Amount” must be more than 0 and at most what the goods came to; it got {amount}."
        )
        return [Refusal("out-of-range", message, "Correct it.", "amount")]
    return []
