"""Works out what an order of a file comes to: prices, tax codes, taxes and the total. A tax that the
file gives is kept, and marked where another one is worked out. See docs/rules.md, “Orders by file”.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date
from decimal import Decimal
from typing import Any

from relvan.core.imports.blocks import Row
from relvan.core.imports.cells import read_number
from relvan.core.money import as_decimal
from relvan.core.orders.by_file import FiledLine, FiledOrder
from relvan.core.orders.intake import Address
from relvan.core.orders.invoicing import Billable, delivery_lines, line_of, sums_of, tax_on
from relvan.core.orders.tax import tax_inside
from relvan.core.refusal import Refusal


@dataclass(frozen=True)
class KnownGoods:
    """What is known of the goods of a line: the product's id and kind, or 0 for what is no product,
    its tax code, and the price of one that is proposed for the units, if the file names none."""

    product: int = 0
    kind: str = ""
    tax_code: str = "standard"
    price: int | None = None


@dataclass(frozen=True)
class PricedFiledLine:
    """A line with the price of one that holds, its tax code and rate, and its tax: that of the file,
    and in `tax_worked` the one that is worked out where that is another."""

    filed: FiledLine
    goods: KnownGoods
    unit_price: int
    tax_code: str
    percent: Decimal
    tax: int
    tax_worked: int | None


@dataclass(frozen=True)
class PricedFiledOrder:
    """An order of a file with what it comes to, tax included."""

    filed: FiledOrder
    lines: tuple[PricedFiledLine, ...]
    total: int

    @property
    def units(self) -> int:
        """The units of all lines."""
        return sum(line.filed.quantity for line in self.lines)


def price_filed_order(
    order: FiledOrder,
    goods: Sequence[KnownGoods],
    rates: Mapping[str, Decimal],
    rows: Mapping[int, Row],
) -> PricedFiledOrder:
    """Works out what an order comes to. What cannot be is noted at the rows, which are given by their
    numbers."""
    lines = [
        _priced(order, line, known, rates, rows[line.row])
        for line, known in zip(order.lines, goods, strict=True)
    ]
    billed = [
        line_of(
            Billable(
                place,
                line.filed.sku,
                line.filed.title,
                line.filed.quantity,
                0,
                line.unit_price,
                min(line.filed.discount, line.unit_price * line.filed.quantity),
                line.percent,
                order.with_tax,
                0 if line.tax_worked is None else line.tax - line.tax_worked,
            ),
            line.filed.quantity,
        )
        for place, line in enumerate(lines)
    ]
    charge = delivery_lines(order.delivery, billed, "", with_tax=order.with_tax)
    total = sums_of([*billed, *charge], with_tax=order.with_tax).payable
    if order.paid is not True and order.paid > total:
        message = f"“Paid” is more than the order comes to, {as_decimal(total, order.currency)}."
        refusal = Refusal("out-of-range", message, "Correct the amount.", "paid")
        rows[order.lines[0].row].refusals.append(refusal)
    return PricedFiledOrder(order, tuple(lines), total)


def _priced(
    order: FiledOrder, line: FiledLine, known: KnownGoods, rates: Mapping[str, Decimal], row: Row
) -> PricedFiledLine:
    code = known.tax_code
    if line.tax_code:
        found = code_of_rate(line.tax_code, rates)
        if found is None:
            message = f"“{line.tax_code[:20]}” is no tax code."
            fix = f"Write one of {', '.join(rates)}, or its percentage."
            row.refusals.append(Refusal("not-allowed", message, fix, "tax_code"))
        code = found or code
    price = line.price if line.price is not None else known.price
    if price is None and not row.refusals:
        message = f"“{line.sku or line.title}” has no price in {order.currency}."
        row.refusals.append(Refusal("no-price", message, "Write the price of one.", "price"))
    price, percent = price or 0, rates[code]
    amount = max(0, price * line.quantity - line.discount)
    worked = tax_inside(amount, percent) if order.with_tax else tax_on(amount, percent)
    tax = worked if line.tax is None else line.tax
    other = None if tax == worked else worked
    return PricedFiledLine(line, known, price, code, percent, tax, other)


def notes_of(order: PricedFiledOrder) -> list[str]:
    """Returns what a person should know of an order that is taken: lines that are no product, and a
    tax that differs from the one that is worked out."""
    found = []
    currency = order.filed.currency
    free = [line.filed.sku for line in order.lines if not line.goods.product and line.filed.sku]
    if free:
        skus = ", ".join(f"“{sku}”" for sku in dict.fromkeys(free[:5]))
        found.append(f"{skus} {'is' if len(free) == 1 else 'are'} no product: taken as free goods.")
    for line in order.lines:
        if line.tax_worked is not None:
            given, ours = (as_decimal(tax, currency) for tax in (line.tax, line.tax_worked))
            row = f"The tax of row {line.filed.row}"
            found.append(f"{row} is {given}; {ours} is worked out. The one of the file is kept.")
    return found


def filed_data(order: PricedFiledOrder) -> dict[str, Any]:
    """Returns an order with its prices as plain data, which `filed_from` reads."""
    told = dict(vars(order.filed))  # flat but for address and lines, where `asdict` takes long
    told["ship_to"] = dict(vars(order.filed.ship_to))
    for name in ("placed", "paid_on", "promised"):
        told[name] = told[name].isoformat() if told[name] else None
    told["tags"] = list(told["tags"])
    prices = (line.unit_price for line in order.lines)
    lines = zip(order.filed.lines, prices, order.lines, strict=True)
    told["lines"] = [
        {**vars(one), "price": price, "is_product": bool(line.goods.product)}
        for one, price, line in lines
    ]
    return {"order": told, "total": order.total}


def filed_from(data: Mapping[str, Any]) -> tuple[FiledOrder, list[bool], int]:
    """Reads an order from plain data; returns it with which of its lines were products, and what it
    came to."""
    told = dict(data["order"])
    known = [bool(line["is_product"]) for line in told["lines"]]
    for name in ("placed", "paid_on", "promised"):
        told[name] = date.fromisoformat(told[name]) if told[name] else None
    told["ship_to"] = Address.read(told["ship_to"])
    told["tags"] = tuple(told["tags"])
    names = {one.name for one in fields(FiledLine)}
    told["lines"] = tuple(
        FiledLine(**{name: value for name, value in line.items() if name in names})
        for line in told["lines"]
    )
    return FiledOrder(**told), known, int(data["total"])


def code_of_rate(told: str, rates: Mapping[str, Decimal]) -> str | None:
    """Returns a tax code that a file names: the code itself, or the percentage that it has in the
    country of the order; None when there is no such code.

    >>> code_of_rate("19 %", {"standard": Decimal(19), "reduced": Decimal(7)})
    'standard'
    """
    if told in rates:
        return told
    percent = read_number(told.replace("%", "").strip(), "," if "," in told else ".")
    if percent is None:
        return None
    if 0 < percent < 1:
        percent *= 100
    return next((code for code, rate in rates.items() if rate == percent), None)
