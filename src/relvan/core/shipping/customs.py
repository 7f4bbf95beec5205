"""What customs are told of a parcel that leaves the union or the country. See docs/rules.md, “Customs”."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.orders.tax_case import UNION
from relvan.core.refusal import Refusal


@dataclass(frozen=True)
class CustomsLine:
    """Goods in a parcel: the words, the tariff number (HS), the country of origin, the units, their value
    in minor units of a currency and their weight in grams, both of all units together."""

    sku: str
    words: str
    hs_code: str
    origin: str
    quantity: int
    value: int
    currency: str
    weight_g: int


def needs_customs(origin: str, destination: str) -> bool:
    """Says whether a parcel from one country to another is declared to customs: not within a country, and
    not between members of the European Union. Where a country is not known, nothing is declared.

    >>> needs_customs("IE", "NL"), needs_customs("IE", "CH"), needs_customs("CH", "CH")
    (False, True, False)
    """
    if not origin or not destination or origin == destination:
        return False
    return not (origin in UNION and destination in UNION)


def check_customs(lines: Sequence[CustomsLine]) -> list[Refusal]:
    """Checks that everything in a parcel that is declared has a tariff number and a country of origin."""
    found = []
    for line in lines:
        lacking = [
            words
            for words, value in (
                ("tariff number", line.hs_code),
                ("country of origin", line.origin),
            )
            if not value
        ]
        if lacking:
            message = f"{line.sku} has no {' and no '.join(lacking)}, which customs ask for."
            fix = "Add it on the page of the product, under stock-keeping."
            found.append(Refusal("customs", message, fix, "service"))
    return found
