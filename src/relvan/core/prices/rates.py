"""Conversion rates: what one unit of a currency is worth in another, from a certain day on. See
docs/rules.md, “Prices”."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from relvan.core.money import MINOR_DIGITS, Money, minor_digits, round_half_up
from relvan.core.refusal import Refusal

MOST_RATE = Decimal(1_000_000)
LEAST_RATE = Decimal("0.000001")


@dataclass(frozen=True)
class Rate:
    """One unit of `source` is `rate` units of `target` from a day on, until a later rate replaces
    it."""

    source: str
    target: str
    rate: Decimal
    since: date

    def __str__(self) -> str:
        return f"1 {self.source} = {self.rate.normalize():f} {self.target} since {self.since.isoformat()}"


def check_rate(rate: Rate) -> list[Refusal]:
    """Checks a rate: two known currencies that differ, and a plausible number above zero."""
    found = []
    for name in ("source", "target"):
        currency = getattr(rate, name)
        if currency not in MINOR_DIGITS:
            message = f"“{currency[:10]}” is not the code of a currency in use."
            found.append(Refusal("not-allowed", message, "Type its three letters, like CHF.", name))
    if rate.source == rate.target:
        found.append(
            Refusal(
                "not-allowed",
                "A currency is not converted into itself.",
                "Choose another.",
                "target",
            )
        )
    if not (rate.rate.is_finite() and LEAST_RATE <= rate.rate <= MOST_RATE):
        message = f"“Rate” must be between {LEAST_RATE:f} and {MOST_RATE:,}."
        found.append(Refusal("out-of-range", message, "Type it like 0.9412.", "rate"))
    return found


@dataclass(frozen=True)
class Rates:
    """The rates of one day, by (source, target)."""

    known: Mapping[tuple[str, str], Rate] = field(default_factory=dict)

    @classmethod
    def on(cls, rates: Iterable[Rate], day: date) -> "Rates":
        """Takes, for each pair, the latest rate that is valid on a day."""
        known: dict[tuple[str, str], Rate] = {}
        for rate in sorted(rates, key=lambda one: one.since):
            if rate.since <= day:
                known[rate.source, rate.target] = rate
        return cls(known)

    def but_for(self, others: Iterable[Rate]) -> "Rates":
        """Returns the same rates with some replaced, in whichever direction the pair was known."""
        new = {(rate.source, rate.target): rate for rate in others}
        kept = {
            pair: rate
            for pair, rate in self.known.items()
            if pair not in new and pair[::-1] not in new
        }
        return Rates({**kept, **new})

    def between(self, source: str, target: str) -> tuple[Decimal, str] | None:
        """Returns what one unit of `source` is in `target`, and where that comes from: the rate
        itself, else the reverse rate; None when neither is known."""
        if source == target:
            return Decimal(1), ""
        rate = self.known.get((source, target))
        if rate is not None:
            return rate.rate, str(rate)
        back = self.known.get((target, source))
        return None if back is None else (1 / back.rate, f"{back}, the other way round")

    def convert(self, money: Money, target: str) -> Money | None:
        """Converts an amount into another currency, rounded half up to its minor units; None when
        no rate is known.

        >>> rates = Rates.on([Rate("EUR", "CHF", Decimal("0.95"), date(2026, 1, 1))], date(2026, 2, 1))
        >>> rates.convert(Money(1990, "EUR"), "CHF")
        Money(amount=1891, currency='CHF')
        """
        if money.currency == target:
            return money
        found = self.between(money.currency, target)
        if found is None:
            return None
        digits = minor_digits(target) - minor_digits(money.currency)
        return Money(round_half_up((money.amount * found[0]).scaleb(digits)), target)


NO_RATES = Rates()
