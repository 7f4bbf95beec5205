"""The firm that sells: its name and address, its numbers with authorities, its currency, its
language for numbers and dates, and its clock.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any

from babel import Locale, localedata
from babel.core import get_global
from babel.numbers import get_currency_name
from stdnum.exceptions import ValidationError
from stdnum.util import get_cc_module

from relvan.core.catalogue.checks import check_text
from relvan.core.money import MINOR_DIGITS
from relvan.core.orders.intake import Address
from relvan.core.refusal import Refusal
from relvan.core.setup.countries import country_names

MOST_NAME = 120
MOST_PHONE = 40
EORI = re.compile(r"[A-Z]{2}[A-Z0-9]{1,15}")
VAT_COUNTRY = {"EL": "GR", "XI": "GB"}  # prefixes of VAT numbers that are no country codes
MOST_PACKAGING = 100_000  # minor units
TEXTS = ("name", "vat_number", "eori", "currency", "locale", "time_zone", "scale")


@dataclass(frozen=True)
class Firm:
    """The seller. `currency` is an ISO 4217 code, `locale` a CLDR one such as en_IE, `time_zone` a
    name of the IANA database; `two_step` says that owners must sign in by two steps,
    `scale` is the address of the scale on the packing bench, `logo` the file of the logo, and
    `packaging` what the packaging of a parcel costs, in minor units.
    """

    name: str = ""
    address: Address = field(default_factory=Address)
    vat_number: str = ""
    eori: str = ""
    currency: str = "EUR"
    locale: str = "en_IE"
    time_zone: str = "Europe/Dublin"
    two_step: bool = False
    scale: str = ""
    logo: str = ""
    packaging: int = 0

    @property
    def is_named(self) -> bool:
        """Says whether papers can say who sends them."""
        return bool(self.name and self.address.street and self.address.town)

    def changed(self, wish: Mapping[str, Any]) -> "Firm":
        """Returns the firm with those values changed that a wish names; numbers with authorities
        are written without spaces, dots and dashes.
        """
        told = {name: str(wish[name]).strip() for name in TEXTS if name in wish}
        for name in ("vat_number", "eori"):
            if name in told:
                told[name] = re.sub(r"[\s.\-]", "", told[name]).upper()
        address = self.address
        if "address" in wish:
            parts = {**address.as_dict(), **wish["address"]}
            address = tidy_address(Address.read(parts))
        two_step = bool(wish.get("two_step", self.two_step))
        packaging = int(wish.get("packaging", self.packaging) or 0)
        return replace(self, address=address, two_step=two_step, packaging=packaging, **told)


def tidy_address(address: Address) -> Address:
    """Returns an address without spaces at the ends of its parts, its country in capitals."""
    parts = {name: value.strip() for name, value in address.as_dict().items()}
    return Address(**{**parts, "country": parts["country"].upper()})


@cache
def locales() -> dict[str, str]:
    """Returns the locales of a language in a country by their names, in the order of the names.

    >>> locales()["en_IE"]
    'English (Ireland)'
    """
    names = [
        name
        for name in localedata.locale_identifiers()
        if re.fullmatch(r"[a-z]{2,3}_[A-Z]{2}", name)
    ]
    found = {name: Locale.parse(name).get_display_name("en") or name for name in names}
    return dict(sorted(found.items(), key=lambda pair: pair[1]))


@cache
def currency_names() -> dict[str, str]:
    """Returns the currencies in use by their codes, each as code and name, such as EUR Euro."""
    return {code: f"{code} {get_currency_name(code, locale='en')}" for code in sorted(MINOR_DIGITS)}


@cache
def time_zones() -> tuple[str, ...]:
    """Returns the names of places whose clock a firm can go by, such as Europe/Dublin."""
    named = get_global("zone_territories")
    return tuple(sorted(name for name in named if "/" in name and not name.startswith("Etc/")))


def check_firm(firm: Firm) -> list[Refusal]:
    """Checks the values of a firm; those that may be unknown as yet may be empty."""
    found = check_text("name", "Name", firm.name, MOST_NAME)
    found += check_postal_address(firm.address, "address_")
    found += check_vat_number(firm.vat_number)
    if firm.eori and not (EORI.fullmatch(firm.eori) and firm.eori[:2] in country_names("en")):
        message = (
            f"“EORI number” must begin with a country's two letters; it got “{firm.eori[:20]}”."
        )
        found.append(Refusal("form", message, "Type it like IE1234567T.", "eori"))
    if firm.currency not in MINOR_DIGITS:
        message = f"“Currency” must be the code of one in use; it got “{firm.currency[:10]}”."
        found.append(
            Refusal("not-allowed", message, "Type its three letters, like EUR.", "currency")
        )
    if not 0 <= firm.packaging <= MOST_PACKAGING:
        message = "“Packaging of a parcel” must be from 0 to 1,000.00."
        found.append(Refusal("out-of-range", message, "Correct the amount.", "packaging"))
    if firm.locale not in locales():
        message = (
            f"“Numbers and dates” must be a language in a country; it got “{firm.locale[:20]}”."
        )
        found.append(Refusal("not-allowed", message, "Choose one, like en_IE.", "locale"))
    if firm.time_zone not in time_zones():
        message = f"“Time zone” must be the name of one; it got “{firm.time_zone[:40]}”."
        found.append(
            Refusal("not-allowed", message, "Choose one, like Europe/Dublin.", "time_zone")
        )
    return found


def check_postal_address(address: Address, prefix: str = "") -> list[Refusal]:
    """Checks an address that may still be empty; `prefix` begins the names of its fields."""
    found: list[Refusal] = []
    labels = ("name", "Name"), ("street", "Street"), ("town", "Town"), ("postcode", "Postcode")
    for name, label in labels:
        found += check_text(f"{prefix}{name}", label, getattr(address, name), MOST_NAME)
    if address.mail and not re.fullmatch(r"[^@\s]{1,64}@[^@\s]{1,190}", address.mail):
        message = f"“Mail” must be a mail address; it got “{address.mail[:40]}”."
        found.append(Refusal("form", message, "Type it like post@example.com.", f"{prefix}mail"))
    found += check_text(f"{prefix}phone", "Telephone", address.phone, MOST_PHONE)
    if address.country and address.country not in country_names("en"):
        message = f"“Country” must be a country's two letters; it got “{address.country[:20]}”."
        found.append(Refusal("not-allowed", message, "Type it like NL.", f"{prefix}country"))
    return found


def check_vat_number(number: str) -> list[Refusal]:
    """Checks a VAT number by the rules of the country that its first two letters name.

    Source: python-stdnum, which knows the check digits of each country.
    """
    if not number:
        return []
    country = VAT_COUNTRY.get(number[:2], number[:2])
    module = get_cc_module(country, "vat") if country in country_names("en") else None
    if module is None:
        message = f"“VAT number” must begin with a country's two letters; it got “{number[:20]}”."
        return [Refusal("form", message, "Type it like IE1234567T.", "vat_number")]
    try:
        module.validate(number)
    except ValidationError:
        message = (
            f"“VAT number” must be one of {country}; “{number[:20]}” has a wrong digit or length."
        )
        return [Refusal("form", message, "Compare it with your certificate.", "vat_number")]
    return []
