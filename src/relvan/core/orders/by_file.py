"""Reads orders out of the rows of a file: rows with one reference are one order. See docs/rules.md,
“Orders by file”.

What is said of the order may stand in one of its rows or in all; rows that contradict one another
are refused. Amounts are in minor units.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

from relvan.core.imports.blocks import Row
from relvan.core.imports.cells import NO, YES, read_number
from relvan.core.imports.order_columns import OF_ORDER
from relvan.core.money import MINOR_DIGITS, MOST_MINOR
from relvan.core.orders.intake import MOST_LINES, MOST_UNITS_A_LINE, Address
from relvan.core.refusal import Refusal

MOST_REFERENCE = 80
MOST_TEXT = 200
FIRST_DAY = date(1990, 1, 1)
# words for it where a file says how an order stands and not whether it is paid
PAID = {"paid", "bezahlt", "betaald", "payé", "paye", "pagado", "pagato", "pago"}
UNPAID = {"unpaid", "not paid", "open", "offen", "unbezahlt", "onbetaald", "impayé"}
_HEADINGS = {column.name: column.heading for column in OF_ORDER}
_ADDRESS = ("name", "street", "town", "postcode", "country")


@dataclass(frozen=True)
class FiledLine:
    """A line as its row says it. `price` is that of one unit, with the tax inside or without as the
    order has it; None where the file names none. `tax` is that of the whole line, if it is given."""

    row: int
    sku: str
    title: str
    quantity: int
    price: int | None
    tax: int | None
    tax_code: str
    discount: int


@dataclass(frozen=True)
class FiledOrder:
    """An order as its rows say it. `paid` is an amount, or True for all of it."""

    reference: str
    placed: date
    ship_to: Address
    customer: str
    phone: str
    tax_number: str
    currency: str
    with_tax: bool
    delivery: int
    paid: int | bool
    paid_on: date | None
    promised: date | None
    tags: tuple[str, ...]
    lines: tuple[FiledLine, ...]


@dataclass(frozen=True)
class FileCase:
    """What the reading of a file needs to know: today, the seller's own country and currency, and
    whether the file has columns of an address at all."""

    today: date
    country: str
    currency: str
    addressed: bool = True


@dataclass
class _Reader:
    rows: Sequence[Row]
    case: FileCase
    said: dict[str, Any] = field(default_factory=dict)

    def refuse(self, row: Row, code: str, message: str, fix: str, name: str) -> None:
        row.refusals.append(Refusal(code, message, fix, name))

    def head(self) -> None:
        """Collects what is said of the order; the first row that says something counts."""
        first: dict[str, Row] = {}
        for row in self.rows:
            for name, heading in _HEADINGS.items():
                value = row.values.get(name)
                if value is None or name == "reference":
                    continue
                if name not in self.said:
                    self.said[name], first[name] = value, row
                elif _same(self.said[name], value):
                    continue
                else:
                    other = f"“{_told(self.said[name])}” in row {first[name].position}"
                    message = f"“{heading}” is “{_told(value)}”, and {other}."
                    fix = "Rows of one order say the same."
                    self.refuse(row, "contradiction", message, fix, name)

    def day(self, name: str) -> date | None:
        value = self.said.get(name)
        return date.fromisoformat(value) if value else None

    def placed(self) -> date:
        day = self.day("placed") or self.case.today
        if not FIRST_DAY <= day <= self.case.today:
            what = "in the future" if day > self.case.today else f"before {FIRST_DAY.year}"
            message = f"“{_HEADINGS['placed']}” must not be {what}; it got {day}."
            self.refuse(self.rows[0], "out-of-range", message, "Correct the day.", "placed")
        return day

    def address(self) -> Address:
        told = {name: str(self.said.get(name, "")).strip() for name in (*_ADDRESS, "mail", "phone")}
        told["country"] = told["country"] or self.case.country
        mail = "" if self.case.addressed else told["mail"]  # which no parcel can be sent to
        told["name"] = told["name"] or mail or str(self.said.get("customer_number", ""))
        row = self.rows[0]
        if self.case.addressed:
            for name in ("name", "street", "town"):
                if not told[name]:
                    message = f"“{_HEADINGS[name]}” is empty."
                    self.refuse(row, "missing", message, "Fill the cell.", name)
        mail = told["mail"]
        if mail and not _is_mail(mail):
            message = f"“{mail[:40]}” is no mail address."
            self.refuse(row, "form", message, "Type it like ada@example.com.", "mail")
        for name, value in told.items():
            if len(value) > MOST_TEXT:
                message = f"“{_HEADINGS[name]}” must have at most {MOST_TEXT} characters."
                self.refuse(row, "too-long", message, "Shorten it.", name)
        return Address(**told)

    def currency(self) -> str:
        code = str(self.said.get("currency", "")).upper() or self.case.currency
        if code not in MINOR_DIGITS:
            message = f"“{code[:10]}” is not the code of a currency."
            self.refuse(self.rows[0], "not-allowed", message, "Type it like EUR.", "currency")
            return self.case.currency
        return code

    def paid(self, scale: Decimal) -> int | bool:
        text = str(self.said.get("paid", "")).strip()
        if not text or text.casefold() in NO | UNPAID:
            return False
        if text.casefold() in YES | PAID:
            return True
        for sign in ".,":
            value = read_number(text.strip("€$£ "), sign)
            if value is not None:
                amount = value.scaleb(MINOR_DIGITS[self.case.currency]) * scale
                if 0 <= amount <= MOST_MINOR and amount == amount.to_integral_value():
                    return int(amount)
        message = f"“Paid” must be yes, no or an amount; it got “{text[:40]}”."
        self.refuse(self.rows[0], "form", message, "Correct the cell.", "paid")
        return False

    def lines(self, scale: Decimal, *, with_tax: bool) -> list[FiledLine]:
        return [self._line(row, scale, with_tax=with_tax) for row in self.rows]

    def _line(self, row: Row, scale: Decimal, *, with_tax: bool) -> FiledLine:
        sku, title = row.text("sku").strip(), row.text("title").strip()
        if not sku and not title:
            message = "It names neither a SKU nor the goods."
            self.refuse(row, "missing", message, "Fill one of the cells.", "sku")
        quantity = row.values.get("quantity")
        units = quantity if isinstance(quantity, int) else 1
        if not 1 <= units <= MOST_UNITS_A_LINE:
            message = f"“Quantity” must be 1 to {MOST_UNITS_A_LINE:,}; it got {units}."
            fix = "Correct the cell. Goods that came back are taken as returns, not by this file."
            self.refuse(row, "out-of-range", message, fix, "quantity")
        price = row.values.get("price" if with_tax else "net_price")
        if price is None and row.values.get("net_price" if with_tax else "price") is not None:
            message = "One row of the order has a price with tax, and another one without."
            self.refuse(row, "contradiction", message, "Write all rows alike.", "price")
        discount = row.values.get("discount") or 0
        if price is not None and discount > price * max(1, units):
            message = "“Discount of the line” is more than the line comes to."
            self.refuse(row, "out-of-range", message, "Correct it.", "discount")
        found = {
            name: self._scaled(row, name, value, scale)
            for name, value in (("price", price), ("tax", row.values.get("tax")))
        }
        return FiledLine(
            row.position,
            sku,
            title[:MOST_TEXT],
            max(1, units),
            found["price"],
            found["tax"],
            row.text("tax_code").strip().casefold(),
            self._scaled(row, "discount", discount, scale) or 0,
        )

    def _scaled(self, row: Row, name: str, amount: Any, scale: Decimal) -> int | None:
        """Returns an amount, which was read in the seller's currency, in that of the order."""
        if not isinstance(amount, int):
            return None
        scaled = amount * scale
        if scaled != scaled.to_integral_value():
            message = "An amount has more decimals than its currency."
            self.refuse(row, "form", message, "Correct the cell.", name)
        return int(scaled)


def read_filed_order(reference: str, rows: Sequence[Row], case: FileCase) -> FiledOrder:
    """Reads one order out of its rows. What is wrong is noted at the rows."""
    reader = _Reader(rows, case)
    if len(reference) > MOST_REFERENCE:
        message = f"“Reference” must have at most {MOST_REFERENCE} characters."
        reader.refuse(rows[0], "too-long", message, "Shorten it.", "reference")
    if len(rows) > MOST_LINES:
        message = f"An order has at most {MOST_LINES} lines; “{reference}” has {len(rows)}."
        reader.refuse(rows[0], "too-many", message, "Write it as several orders.", "reference")
    reader.head()
    currency = reader.currency()
    scale = Decimal(10) ** (MINOR_DIGITS[currency] - MINOR_DIGITS[case.currency])
    with_tax = not any("net_price" in row.values for row in rows) or any(
        "price" in row.values for row in rows
    )
    promised, placed = reader.day("promised"), reader.placed()
    return FiledOrder(
        reference,
        placed,
        reader.address(),
        str(reader.said.get("customer_number", "")).strip(),
        str(reader.said.get("phone", "")).strip()[:40],
        str(reader.said.get("tax_number", "")).strip()[:40],
        currency,
        with_tax,
        reader._scaled(rows[0], "delivery", reader.said.get("delivery", 0), scale) or 0,
        reader.paid(scale),
        reader.day("paid_on"),
        promised,
        tuple(str(tag).strip() for tag in reader.said.get("tags", ()) if str(tag).strip()),
        tuple(reader.lines(scale, with_tax=with_tax)),
    )


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, str) and isinstance(other, str):
        return one.split() == other.split() or one.casefold() == other.casefold()
    return bool(one == other)


def _told(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)[:60]


def _is_mail(text: str) -> bool:
    before, at, after = text.partition("@")
    return bool(before and at and "." in after and " " not in text and "@" not in after)
