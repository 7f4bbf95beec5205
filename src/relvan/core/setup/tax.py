"""Rates of value added tax by country, code and day, and which of them holds for a sale. See
docs/rules.md, “Tax”.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from relvan.core.catalogue.product import TAX_CODES
from relvan.core.orders.tax import TAX_PERCENT
from relvan.core.refusal import Refusal
from relvan.core.setup.countries import country_names

MOST_PERCENT = Decimal(100)
MOST_ORIGIN = 200


@dataclass(frozen=True)
class TaxRate:
    """The percentage of a tax code in a country from a day on, until a later one replaces it.
    `origin` says where the figure is from.
    """

    country: str
    code: str
    percent: Decimal
    since: date
    origin: str = ""

    @property
    def key(self) -> tuple[str, str, date]:
        """By what a rate is named: country, code and first day."""
        return self.country, self.code, self.since


def check_tax_rate(rate: TaxRate) -> list[Refusal]:
    """Checks a rate: a known country and code, and a percentage from 0 to 100 with at most two
    decimals.
    """
    found = []
    if rate.country not in country_names("en"):
        message = f"“{rate.country[:10]}” is not the code of a country."
        found.append(Refusal("not-allowed", message, "Type its two letters, like IE.", "country"))
    if rate.code not in TAX_CODES:
        message = f"“{rate.code[:20]}” is no tax code."
        fix = f"Choose one of {', '.join(TAX_CODES)}."
        found.append(Refusal("not-allowed", message, fix, "code"))
    if not _is_percent(rate.percent):
        message = "“Percent” must be from 0 to 100, with at most two decimals."
        found.append(Refusal("out-of-range", message, "Type it like 23 or 13.5.", "percent"))
    if len(rate.origin) > MOST_ORIGIN:
        message = f"“Origin” must have at most {MOST_ORIGIN} characters."
        found.append(Refusal("too-long", message, "Shorten it.", "origin"))
    return found


def _is_percent(percent: Decimal) -> bool:
    if not percent.is_finite() or not 0 <= percent <= MOST_PERCENT:
        return False
    return percent == percent.quantize(Decimal("0.01"))


def check_registered(countries: Sequence[str]) -> list[Refusal]:
    """Checks the countries in which a seller is registered for tax."""
    unknown = [country for country in countries if country not in country_names("en")]
    if not unknown:
        return []
    message = f"“{unknown[0][:10]}” is not the code of a country."
    return [Refusal("not-allowed", message, "Type its two letters, like DE.", "registered")]


@dataclass(frozen=True)
class TaxTable:
    """All rates, the seller's own country, and the other countries in which the seller is
    registered.
    """

    rates: Sequence[TaxRate] = ()
    home: str = ""
    registered: frozenset[str] = field(default_factory=frozenset)

    def percents(self, country: str, day: date) -> Mapping[str, Decimal]:
        """Returns the percentage by tax code in a country on a day. Where a country has no rate for
        a code, the usual one holds (`TAX_PERCENT`).

        >>> TaxTable().percents("IE", date(2026, 1, 1))["standard"]
        Decimal('20')
        """
        latest: dict[str, TaxRate] = {}
        for rate in self.rates:
            known = latest.get(rate.code)
            newer = known is None or rate.since > known.since
            if rate.country == country and rate.since <= day and newer:
                latest[rate.code] = rate
        return {**TAX_PERCENT, **{code: rate.percent for code, rate in latest.items()}}

    def at_home(self, day: date) -> Mapping[str, Decimal]:
        """Returns the percentages of the seller's own country."""
        return self.percents(self.home, day)


def rates_of_file(told: Mapping[str, object]) -> list[TaxRate]:
    """Reads the rates of a data file: `date`, `origin`, and `rates` by country and code, with
    percentages as text.
    """
    since = (
        told["date"] if isinstance(told["date"], date) else date.fromisoformat(str(told["date"]))
    )
    rates = told["rates"]
    assert isinstance(rates, dict)
    return [
        TaxRate(country, code, Decimal(percent), since, str(told["origin"]))
        for country, codes in rates.items()
        for code, percent in codes.items()
    ]


def newest_first(rates: Iterable[TaxRate]) -> list[TaxRate]:
    """Returns rates by country and code, the newest of each first."""
    return sorted(rates, key=lambda rate: (rate.country, rate.code, -rate.since.toordinal()))


def replaced(rates: Iterable[TaxRate], by: Collection[TaxRate]) -> list[TaxRate]:
    """Returns rates with some set: each replaces the one of the same country, code and day."""
    found = {rate.key: rate for rate in (*rates, *by)}
    return newest_first(found.values())
