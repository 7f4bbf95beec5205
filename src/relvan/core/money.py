"""Money is a whole number of minor units with an ISO 4217 currency code. Computations use `Decimal`
or whole numbers, never floats."""

import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache

from babel.core import get_global
from babel.numbers import get_currency_precision

from relvan.core.refusal import refuse

MOST_MINOR = 99_999_999_99
# Plain digits with decimals, and digits in groups of three parted by the other sign.
AMOUNTS = (
    re.compile(r"(?P<whole>[0-9]*)[.,](?P<part>[0-9]{1,2})"),
    re.compile(r"(?P<whole>[0-9]{1,3}(?:\.[0-9]{3})+)(?:,(?P<part>[0-9]{1,2}))?"),
    re.compile(r"(?P<whole>[0-9]{1,3}(?:,[0-9]{3})+)(?:\.(?P<part>[0-9]{1,2}))?"),
    re.compile(r"(?P<whole>[0-9]+)(?P<part>)"),
)
MOST_DIGITS = 2  # of a currency with three, 1.234 would read two ways


def _currencies_in_use() -> dict[str, int]:
    """Returns how many digits follow the point in every currency that is legal tender today, by ISO
    4217 code. Source: the Unicode Common Locale Data Repository, as Babel ships it."""
    places = get_global("territory_currencies").values()
    codes = {
        code for found in places for code, _, until, tender in found if until is None and tender
    }
    digits = {code: get_currency_precision(code) for code in sorted(codes)}
    return {code: count for code, count in digits.items() if count <= MOST_DIGITS}


MINOR_DIGITS = _currencies_in_use()


@dataclass(frozen=True, order=True)
class Money:
    """An amount in minor units (2400 = 24.00) and its currency."""

    amount: int
    currency: str

    def __str__(self) -> str:
        return f"{as_decimal(self.amount, self.currency)} {self.currency}"


def round_half_up(value: Decimal) -> int:
    """Rounds to whole minor units; a half is rounded away from zero."""
    return int(value.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def part_half_up(amount: int, over: int, under: int) -> int:
    """Returns `amount * over / under`, rounded half up. All are whole numbers, none of them below
    0.

    >>> part_half_up(2490, 15, 100), part_half_up(150, 1, 100)
    (374, 2)
    """
    return (2 * amount * over + under) // (2 * under)


def minor_digits(currency: str) -> int:
    """Returns how many digits follow the point in a currency; 2 when the currency is not known."""
    return MINOR_DIGITS.get(currency, 2)


@lru_cache(50_000)  # the same amounts are told again and again
def as_decimal(amount: int, currency: str) -> Decimal:
    """Returns minor units as a decimal number: 2400 EUR becomes Decimal("24.00")."""
    return Decimal(amount).scaleb(-minor_digits(currency))


def parse_amount(text: str, currency: str, field: str = "") -> int:
    """Reads what a person typed ("24", "24.5", "24,50", "1.234,50", "1 234.50") as minor units.

    Refused are texts of any other form, more digits than the currency has, negative amounts, and
    amounts above 99,999,999.99.
    """
    digits = minor_digits(currency)
    cleaned = re.sub(r"[ \u00a0']", "", text.strip())
    example = f"Type it like {as_decimal(2400, currency)}."
    found = next((match for form in AMOUNTS if (match := form.fullmatch(cleaned))), None)
    if found is None:
        raise refuse("amount", f"“{text[:40]}” must be an amount in {currency}.", example, field)
    whole, part = re.sub(r"[.,]", "", found["whole"]), found["part"] or ""
    if len(part) > digits:
        raise refuse(
            "amount", f"“{text[:40]}” must have at most {digits} decimals.", example, field
        )
    value = int((whole or "0") + part.ljust(digits, "0"))
    if value > MOST_MINOR:
        raise refuse("amount", f"“{text[:40]}” must be at most 99,999,999.99.", example, field)
    return value
