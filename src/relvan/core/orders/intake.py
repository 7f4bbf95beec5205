"""An incoming order in our own words, whichever channel it comes from."""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import datetime
from hashlib import sha256
from typing import Any

from relvan.core.refusal import Refusal
from relvan.core.setup.countries import country_names

MOST_LINES = 500
MOST_UNITS_A_LINE = 100_000


@dataclass(frozen=True)
class Address:
    """A delivery address with how its receiver is reached. `country` is an ISO 3166-1 alpha-2 code, `phone`
    a telephone number in the international form of E.164 where it can be written so."""

    name: str = ""
    street: str = ""
    town: str = ""
    postcode: str = ""
    country: str = ""
    mail: str = ""
    phone: str = ""

    @classmethod
    def read(cls, told: Mapping[str, Any]) -> "Address":
        """Reads an address from plain data; parts that are not there stay empty.

        >>> Address.read({"name": "Ada", "house": 12}).name
        'Ada'
        """
        return cls(**{part.name: str(told.get(part.name, "")) for part in fields(cls)})

    def as_dict(self) -> dict[str, str]:
        """Returns every part of the address by its name."""
        return dict(vars(self))  # all parts are texts, so that nothing is to be copied

    @property
    def mark(self) -> str:
        """A mark by which two addresses are known to lead to the same place (SHA-256, hexadecimal). A
        telephone number leads nowhere else."""
        placed = [part for name, part in self.as_dict().items() if name != "phone"]
        return sha256("\n".join(placed).encode()).hexdigest()


@dataclass(frozen=True)
class IncomingLine:
    """One line of an incoming order: the channel's SKU, the quantity, and the price of one in minor
    units with the tax inside."""

    channel_line: str
    sku: str
    title: str
    quantity: int
    unit_price: int
    listing_ref: str = ""


@dataclass(frozen=True)
class IncomingOrder:
    """An order as a channel sends it. `changed` is the channel's own version number: a higher one
    is newer."""

    number: str
    placed_at: datetime
    currency: str
    lines: tuple[IncomingLine, ...]
    ship_to: Address = field(default_factory=Address)
    delivery_price: int = 0
    paid: bool = False
    cancelled: bool = False
    sent: bool = False
    changed: int = 0


def check_manual_order(lines: tuple[IncomingLine, ...], ship_to: Address) -> list[Refusal]:
    """Checks that an order taken by a person, for example by telephone, is complete."""
    found = []
    if not 1 <= len(lines) <= MOST_LINES:
        message = f"“Lines” must be 1 to {MOST_LINES}; there are {len(lines)}."
        found.append(Refusal("missing", message, "Add at least one line.", "lines"))
    for line in lines:
        if not 1 <= line.quantity <= MOST_UNITS_A_LINE:
            message = f"“Quantity” of {line.sku} must be 1 to {MOST_UNITS_A_LINE:,}; it got {line.quantity}."
            found.append(Refusal("out-of-range", message, "Correct the quantity.", "lines"))
        if line.unit_price < 0:
            found.append(
                Refusal("out-of-range", f"“Price” of {line.sku} must not be negative.", "", "lines")
            )
    return found + check_receiver(ship_to)


def check_receiver(ship_to: Address) -> list[Refusal]:
    """Checks that an address has the least that goods need to arrive."""
    found = []
    for name in ("name", "street", "town", "country"):
        if not getattr(ship_to, name).strip():
            found.append(
                Refusal("missing", f"“{name.capitalize()}” must not be empty.", "Fill it in.", name)
            )
    if ship_to.country.strip() and ship_to.country not in country_names("en"):
        message = f"“Country” must be the code of a country; it got “{ship_to.country[:20]}”."
        found.append(Refusal("form", message, "Type it with two letters, like NL.", "country"))
    return found
