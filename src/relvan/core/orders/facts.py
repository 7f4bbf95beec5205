"""Works out the progress of an order from quantities and amounts; a person never chooses it. See
docs/rules.md, “Orders”."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum


class Extent(StrEnum):
    """How far something has come."""

    NONE = "none"
    PART = "part"
    ALL = "all"


@dataclass(frozen=True)
class LineFacts:
    """The units of one line. `reserved` are promised and still here; `picked`, `shipped` and
    `invoiced` are totals. A line `of_kit` is a part of a kit, which is invoiced as a whole."""

    quantity: int
    stocked: bool = True
    reserved: int = 0
    picked: int = 0
    shipped: int = 0
    invoiced: int = 0
    known: bool = True
    of_kit: bool = False


@dataclass(frozen=True)
class OrderFacts:
    """The progress of an order: none, part or all of it is reserved, picked, shipped, invoiced and
    paid; what is open, in words; and the units of its stocked lines, with how many of them are
    reserved (or shipped already), picked and shipped."""

    reserved: Extent
    picked: Extent
    shipped: Extent
    invoiced: Extent
    paid: Extent
    words: str
    units: int
    units_reserved: int
    units_picked: int
    units_shipped: int


def extent(done: int, whole: int) -> Extent:
    """Returns none, part or all; of nothing, all is done."""
    if done >= whole:
        return Extent.ALL
    return Extent.PART if done > 0 else Extent.NONE


def order_facts(lines: Sequence[LineFacts], *, paid: int, total: int) -> OrderFacts:
    """Returns the progress of an order; amounts are in minor units."""
    stocked = [line for line in lines if line.stocked]
    wanted = sum(line.quantity for line in stocked)
    shipped = sum(line.shipped for line in stocked)
    picked = sum(line.picked for line in stocked)
    reserved = sum(min(line.quantity, line.reserved + line.shipped) for line in stocked)
    invoiced = sum(line.invoiced for line in lines)
    to_invoice = sum(line.quantity for line in lines if not line.of_kit)
    return OrderFacts(
        reserved=extent(reserved, wanted),
        picked=extent(picked, wanted),
        shipped=extent(shipped, wanted),
        invoiced=extent(invoiced, to_invoice),
        paid=extent(paid, total),
        words=_words(lines, wanted, reserved, picked, shipped)
        + f", {INVOICED_WORDS[extent(invoiced, to_invoice)]}"
        + f", {PAID_WORDS[extent(paid, total)]}",
        units=wanted,
        units_reserved=reserved,
        units_picked=picked,
        units_shipped=shipped,
    )


INVOICED_WORDS = {
    Extent.ALL: "invoiced",
    Extent.PART: "part invoiced",
    Extent.NONE: "not invoiced",
}
PAID_WORDS = {Extent.ALL: "paid", Extent.PART: "part paid", Extent.NONE: "not paid"}


def _words(
    lines: Sequence[LineFacts], wanted: int, reserved: int, picked: int, shipped: int
) -> str:
    parts = []
    unknown = sum(1 for line in lines if not line.known)
    if unknown:
        parts.append(f"{unknown} unknown {'line' if unknown == 1 else 'lines'}")
    if shipped >= wanted and not unknown:
        parts.append("shipped")
    else:
        if reserved < wanted:
            parts.append(f"{wanted - reserved} of {wanted} short")
        if picked < reserved:
            parts.append(f"{reserved - picked} of {wanted} to pick")
        if shipped < picked:
            parts.append(f"{picked - shipped} to ship")
    return ", ".join(parts)
