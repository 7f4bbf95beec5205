"""What a person enters of an order or an estimate, as plain data that can be kept and shown again."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import date
from typing import Any

from relvan.core.money import MINOR_DIGITS
from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.discounts import spread
from relvan.core.orders.intake import MOST_LINES, MOST_UNITS_A_LINE, Address
from relvan.core.refusal import Refusal

MOST_REFERENCE = 80
MOST_TITLE = 200


@dataclass(frozen=True)
class DraftLine:
    """A line as it is entered: a SKU, or a title alone for goods or work that are no product; the
    units; the price of one where a person has typed one, and the discount on the line, both in
    minor units."""

    sku: str
    quantity: int = 1
    title: str = ""
    unit_price: int | None = None
    discount: int = 0


@dataclass(frozen=True)
class OrderDraft:
    """An order or estimate as it is entered. `prices_with_tax` says whether prices have the tax
    inside, `discount` is on the whole order, and `overridden` has reasons by the codes of
    warnings. `salesperson` is a login, and `warehouse` the key of the only one it may leave from; of
    neither, the person who enters it and every warehouse are meant."""

    customer: str = ""
    mail: str = ""
    ship_to: Address = field(default_factory=Address)
    lines: tuple[DraftLine, ...] = ()
    kind: OrderKind = OrderKind.ORDER
    currency: str = ""
    prices_with_tax: bool = True
    discount: int = 0
    delivery: int = 0
    promised: date | None = None
    reference: str = ""
    salesperson: str = ""
    warehouse: str = ""
    last_day: date | None = None
    tray: str = ""
    overridden: Mapping[str, str] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        """Returns the draft as plain data."""
        told = {**asdict(self), "kind": str(self.kind), "overridden": dict(self.overridden)}
        for name in ("promised", "last_day"):
            told[name] = told[name].isoformat() if told[name] else None
        told["lines"] = [asdict(line) for line in self.lines]
        return told


def read_draft(told: Mapping[str, Any]) -> OrderDraft:
    """Reads a draft from plain data that `as_dict` has made."""
    days = {
        name: date.fromisoformat(told[name]) if told.get(name) else None
        for name in ("promised", "last_day")
    }
    return OrderDraft(
        **{
            **told,
            **days,
            "ship_to": Address.read(told.get("ship_to", {})),
            "lines": tuple(DraftLine(**line) for line in told.get("lines", ())),
            "kind": OrderKind(told.get("kind", OrderKind.ORDER)),
        }
    )


def check_draft(draft: OrderDraft) -> list[Refusal]:
    """Checks that a draft is complete and its figures are possible."""
    found = []
    if not 1 <= len(draft.lines) <= MOST_LINES:
        message = f"“Lines” must be 1 to {MOST_LINES}; there are {len(draft.lines)}."
        found.append(Refusal("missing", message, "Add at least one line.", "lines"))
    for line in draft.lines:
        found += _check_line(line)
    if draft.currency and draft.currency not in MINOR_DIGITS:
        message = f"“{draft.currency[:10]}” is not the code of a currency."
        found.append(Refusal("not-allowed", message, "Type it like EUR.", "currency"))
    if len(draft.reference) > MOST_REFERENCE:
        message = f"“Reference” must have at most {MOST_REFERENCE} characters."
        found.append(Refusal("too-long", message, "Shorten it.", "reference"))
    for name, amount in (("discount", draft.discount), ("delivery", draft.delivery)):
        if amount < 0:
            message = f"“{name.capitalize()}” must not be negative."
            found.append(Refusal("out-of-range", message, "Correct it.", name))
    if draft.kind == OrderKind.ESTIMATE and draft.last_day is None:
        message = "An estimate needs its last day."
        found.append(Refusal("missing", message, "Say until when it can be accepted.", "last_day"))
    return found


def _check_line(line: DraftLine) -> list[Refusal]:
    name, found = line.sku or line.title or "a line", []
    if not 1 <= line.quantity <= MOST_UNITS_A_LINE:
        message = (
            f"“Quantity” of {name} must be 1 to {MOST_UNITS_A_LINE:,}; it got {line.quantity}."
        )
        found.append(Refusal("out-of-range", message, "Correct the quantity.", "lines"))
    if not line.sku and not line.title:
        found.append(Refusal("missing", "A line has neither SKU nor words.", "", "lines"))
    if len(line.title) > MOST_TITLE:
        message = f"The words of a line have at most {MOST_TITLE} characters."
        found.append(Refusal("too-long", message, "Shorten them.", "lines"))
    if line.unit_price is not None and line.unit_price < 0:
        message = f"“Price” of {name} must not be negative."
        found.append(Refusal("out-of-range", message, "Correct the price.", "lines"))
    if line.discount < 0:
        message = f"“Discount” of {name} must not be negative."
        found.append(Refusal("out-of-range", message, "Correct it.", "lines"))
    return found


def with_discount_spread(
    draft: OrderDraft, prices: tuple[int, ...]
) -> tuple[tuple[int, ...], list[Refusal]]:
    """Returns the discount of each line with its part of the order's discount, spread over what the
    lines come to. `prices` are those of one, by line."""
    worth = [
        max(0, price * line.quantity - line.discount)
        for price, line in zip(prices, draft.lines, strict=True)
    ]
    if draft.discount > sum(worth):
        message = "“Discount” must not be more than the lines come to."
        return (), [Refusal("out-of-range", message, "Lower it.", "discount")]
    parts = spread(draft.discount, worth) if draft.discount else [0] * len(worth)
    found = tuple(line.discount + part for line, part in zip(draft.lines, parts, strict=True))
    too_much = [
        Refusal(
            "out-of-range", f"The discount on {line.sku or line.title} is too much.", "", "lines"
        )
        for line, price, discount in zip(draft.lines, prices, found, strict=True)
        if discount > price * line.quantity
    ]
    return found, too_much


def copy_of(draft: OrderDraft) -> OrderDraft:
    """Returns a draft of the same goods for the same customer, to be judged anew: reasons and days
    are not copied."""
    return replace(draft, promised=None, last_day=None, overridden={}, reference="")
