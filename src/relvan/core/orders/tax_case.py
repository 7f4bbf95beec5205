"""Decides which tax is on a sale: whose rates hold, and why. See docs/rules.md, “Tax”.

The codes of categories are those of UNTDID 5305, the codes of exemptions those of the VATEX list, as
EN 16931 demands them.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from stdnum.eu import vat

from relvan.core.setup.tax import TaxTable

UNION = frozenset(
    [
        "AT", "BE", "BG", "CY", "CZ", "DE", "DK", "EE", "ES", "FI", "FR", "GR", "HR", "HU",
        "IE", "IT", "LT", "LU", "LV", "MT", "NL", "PL", "PT", "RO", "SE", "SI", "SK",
    ]
)  # fmt: skip
NONE = Decimal(0)


class TaxKind(StrEnum):
    """Why a sale is taxed as it is."""

    HOME = "home"
    DESTINATION = "destination"
    OWN_RATE = "own rate"
    EXPORT = "export"
    BUSINESS = "business"
    COLLECTED = "collected"


@dataclass(frozen=True)
class TaxCase:
    """How a sale is taxed: the kind, the country whose rates hold, whether tax is owed at all, and
    the words for the invoice where none is."""

    kind: TaxKind
    country: str
    taxed: bool = True
    words: str = ""

    def category(self, percent: Decimal) -> str:
        """Returns the category of a rate: standard (S), zero rated (Z), supply within the union (K)
        or export (G)."""
        if self.kind == TaxKind.BUSINESS:
            return "K"
        if self.kind == TaxKind.EXPORT:
            return "G"
        return "S" if percent else "Z"

    @property
    def exemption(self) -> str:
        """The code of the exemption, or an empty text."""
        return {TaxKind.BUSINESS: "VATEX-EU-IC", TaxKind.EXPORT: "VATEX-EU-G"}.get(self.kind, "")


WORDS = {
    TaxKind.BUSINESS: "Supply within the European Union, reverse charge: the buyer owes the tax.",
    TaxKind.EXPORT: "Export, free of tax.",
    TaxKind.COLLECTED: "The marketplace collects the tax.",
}
NOT_REGISTERED = ("O", "VATEX-EU-O", "The seller is not registered for tax.")


def case_of(kind: str, country: str = "") -> TaxCase:
    """Returns the case of a kind that was decided before."""
    known = TaxKind(kind)
    taxed = known not in (TaxKind.BUSINESS, TaxKind.EXPORT)
    return TaxCase(known, country, taxed, WORDS.get(known, ""))


def is_business_elsewhere(number: str, home: str) -> bool:
    """Says whether a tax number has the right form and is of another country of the union.

    >>> is_business_elsewhere("NL 4495445B01", "IE"), is_business_elsewhere("IE 6433435F", "IE")
    (True, False)
    """
    plain = number.replace(" ", "").upper()
    if not vat.is_valid(plain):
        return False
    country = {"EL": "GR"}.get(plain[:2], plain[:2])
    return country in UNION and country != home


def tax_case(
    table: TaxTable, country: str, *, number: str = "", collected: bool = False
) -> TaxCase:
    """Decides how a sale to a country is taxed.

    Args:
        table: the seller's own country, and where else the seller is registered.
        country: where the goods go (ISO 3166-1 alpha-2).
        number: the buyer's tax number, or an empty text for a private buyer.
        collected: whether the marketplace collects the tax and pays it itself.
    """
    home = table.home or country
    if collected:
        return case_of(TaxKind.COLLECTED, country)
    if not country or country == home:
        return TaxCase(TaxKind.HOME, home)
    if home in UNION and country in UNION:
        if number and is_business_elsewhere(number, home):
            return case_of(TaxKind.BUSINESS, country)
        if country in table.registered:
            return TaxCase(TaxKind.DESTINATION, country)
        return TaxCase(TaxKind.OWN_RATE, home)
    if country in table.registered:
        return TaxCase(TaxKind.DESTINATION, country)
    return case_of(TaxKind.EXPORT, country)


def rates_in(
    table: TaxTable, case: TaxCase, day: date, codes: Collection[str] = ()
) -> Mapping[str, Decimal]:
    """Returns the percentage by tax code in a case on a day; of a sale that is not taxed, 0."""
    percents = table.percents(case.country, day)
    if case.taxed:
        return percents
    return dict.fromkeys([*percents, *codes], NONE)
