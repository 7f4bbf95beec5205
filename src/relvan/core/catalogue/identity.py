"""What identifies goods: the seller's SKU and the GS1 barcode number (GTIN).

Source of the check digit: GS1 General Specifications, section 7.9 (standard check digit
calculations).
"""

from collections.abc import Collection

from relvan.core.refusal import Refusal
from relvan.core.stock.use_by import read_gs1
from relvan.core.texts import is_seen

MOST_SKU_CHARACTERS = 64
GTIN_LENGTHS = (8, 12, 13, 14)


def check_sku(sku: str, field: str = "sku") -> list[Refusal]:
    """Checks a SKU: it has 1 to 64 printable characters and no space at either end.

    >>> check_sku("POT-14-CEL")
    []
    >>> check_sku(" POT")[0].code
    'sku'
    """
    if not sku:
        return [
            Refusal("sku", "“SKU” must not be empty.", "Give the product a code of its own.", field)
        ]
    if len(sku) > MOST_SKU_CHARACTERS:
        message = (
            f"“SKU” must have at most {MOST_SKU_CHARACTERS} characters; this one has {len(sku)}."
        )
        return [Refusal("sku", message, "Shorten it.", field)]
    if sku != sku.strip():
        return [
            Refusal("sku", "“SKU” must not begin or end with a space.", "Remove the space.", field)
        ]
    if not is_seen(sku):
        return [
            Refusal(
                "sku",
                "“SKU” must be printable characters only.",
                "Remove tabs and line ends.",
                field,
            )
        ]
    return []


def skus_are_right(skus: Collection[str]) -> bool:
    """Says whether `check_sku` refuses none of these SKUs."""
    short = all(skus) and max(map(len, skus), default=0) <= MOST_SKU_CHARACTERS
    return short and "".join(skus).isprintable() and all(sku == sku.strip() for sku in skus)


def sku_key(sku: str) -> str:
    """Returns the text by which two SKUs are the same: letters count without regard to case.
    Aliases and SKUs share this space."""
    return sku.strip().casefold()


def gtin_check_digit(digits: str) -> str:
    """Returns the check digit for a GTIN without it; the digits have the weights 3 and 1 in turn,
    from the right.

    >>> gtin_check_digit("400638133393")
    '1'
    """
    total = sum(
        int(digit) * (3 if index % 2 == 0 else 1) for index, digit in enumerate(reversed(digits))
    )
    return str(-total % 10)


def check_gtin(gtin: str, field: str = "gtin") -> list[Refusal]:
    """Checks a GTIN: it has 8, 12, 13 or 14 digits, and the last one is the check digit. The
    refusal of a wrong check digit names the right one.

    >>> check_gtin("4006381333931")
    []
    >>> check_gtin("4006381333932")[0].fix
    'The check digit would be 1: 4006381333931.'
    """
    if not gtin.isascii() or not gtin.isdigit() or len(gtin) not in GTIN_LENGTHS:
        message = f"“GTIN” must be 8, 12, 13 or 14 digits; it got “{gtin[:40]}”."
        return [
            Refusal("gtin", message, "Type the number under the barcode, without spaces.", field)
        ]
    right = gtin_check_digit(gtin[:-1])
    if gtin[-1] != right:
        message = f"“GTIN” must end in its check digit; {gtin} ends in {gtin[-1]}."
        return [
            Refusal(
                "gtin-check-digit",
                message,
                f"The check digit would be {right}: {gtin[:-1]}{right}.",
                field,
            )
        ]
    return []


def gtin_key(gtin: str) -> str:
    """Returns the text by which two GTINs are the same: 14 digits, padded with zeros on the left."""
    return gtin.zfill(14)


def is_code_of(code: str, sku: str, gtin: str | None, aliases: tuple[str, ...] = ()) -> bool:
    """Says whether a scanned code is one of the codes of a product.

    >>> is_code_of("036000291452", "POT", "0036000291452")
    True
    """
    key = sku_key(code)
    if key == sku_key(sku) or any(key == sku_key(alias) for alias in aliases):
        return True
    told = read_gs1(code)
    number = told.gtin if told else code
    return (
        bool(gtin)
        and number.isdigit()
        and len(number) <= 14
        and gtin_key(number) == gtin_key(gtin or "")
    )
