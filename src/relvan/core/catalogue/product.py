"""What may be said of a product, and what is refused, with the reason beside the field."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from relvan.core.catalogue.identity import check_gtin, check_sku
from relvan.core.money import MOST_MINOR
from relvan.core.refusal import Refusal

MOST_TITLE = 200
MOST_DESCRIPTION = 20_000
MOST_WORD = 120
MOST_WEIGHT_G = 2_000_000
MOST_SIDE_MM = 20_000
MOST_ATTRIBUTES = 60
MOST_ALIASES = 50


class ProductKind(StrEnum):
    """What a product is. Families, variants and kits come with their own rules."""

    SINGLE = "single"
    FAMILY = "family"
    VARIANT = "variant"
    KIT = "kit"
    SERVICE = "service"


MADE_HERE = (ProductKind.SINGLE, ProductKind.SERVICE)


@dataclass(frozen=True)
class Size:
    """Length, width and height in millimetres."""

    length: int
    width: int
    height: int


@dataclass(frozen=True)
class ProductDraft:
    """Everything a person says of a product. Amounts in minor units, weight in grams, size in millimetres."""

    sku: str
    title: str
    kind: ProductKind = ProductKind.SINGLE
    brand: str = ""
    description: str = ""
    gtin: str | None = None
    category: str = ""
    attributes: Mapping[str, str] = field(default_factory=dict)
    weight_g: int | None = None
    size: Size | None = None
    cost: int | None = None
    floor: int | None = None
    prices: Mapping[str, int] = field(default_factory=dict)
    tax_code: str = "standard"
    aliases: tuple[str, ...] = ()


TAX_CODES = ("standard", "reduced", "zero")


def check_product(draft: ProductDraft) -> list[Refusal]:
    """All that is wrong with a draft, each beside its field; an empty list when it may be saved."""
    return [
        *check_sku(draft.sku),
        *check_kind(draft.kind),
        *check_text("title", "Title", draft.title, MOST_TITLE, needed=True),
        *check_text("brand", "Brand", draft.brand, MOST_WORD),
        *check_text("category", "Category", draft.category, MOST_WORD),
        *check_text("description", "Description", draft.description, MOST_DESCRIPTION, lines=True),
        *(check_gtin(draft.gtin) if draft.gtin else []),
        *check_attributes(draft.attributes),
        *check_number("weight_g", "Weight", draft.weight_g, 1, MOST_WEIGHT_G, "grams"),
        *check_size(draft.size),
        *check_number("cost", "Cost", draft.cost, 0, MOST_MINOR, "minor units"),
        *check_number("floor", "Floor", draft.floor, 0, MOST_MINOR, "minor units"),
        *(r for key, amount in draft.prices.items() for r in check_price(key, amount)),
        *check_tax_code(draft.tax_code),
        *check_aliases(draft.sku, draft.aliases),
    ]


def check_kind(kind: ProductKind) -> list[Refusal]:
    """Only what can be made so far."""
    if kind in MADE_HERE:
        return []
    return [Refusal("kind", f"“Kind” must be single or service; {kind.value} comes later.", "Choose single.", "kind")]


def check_text(
    name: str, label: str, text: str, most: int, *, needed: bool = False, lines: bool = False
) -> list[Refusal]:
    """A text within its length, with no control characters in it."""
    if needed and not text.strip():
        return [Refusal("missing", f"“{label}” must not be empty.", "Fill it in.", name)]
    if len(text) > most:
        message = f"“{label}” must have at most {most:,} characters; it has {len(text):,}."
        return [Refusal("too-long", message, "Shorten it.", name)]
    allowed = "\n\r\t" if lines else ""
    if any(ord(character) < 32 and character not in allowed for character in text):
        return [Refusal("form", f"“{label}” must be plain text.", "Remove control characters.", name)]
    return []


def check_number(name: str, label: str, value: int | None, least: int, most: int, unit: str) -> list[Refusal]:
    """A whole number within its bounds, or nothing."""
    if value is None or least <= value <= most:
        return []
    message = f"“{label}” must be between {least:,} and {most:,} {unit}; it got {value:,}."
    return [Refusal("out-of-range", message, "Correct the number.", name)]


def check_size(size: Size | None) -> list[Refusal]:
    """Three sides of 1 mm to 20 m."""
    if size is None:
        return []
    sides = {"Length": size.length, "Width": size.width, "Height": size.height}
    return [r for label, side in sides.items() for r in check_number("size", label, side, 1, MOST_SIDE_MM, "mm")]


def check_price(key: str, amount: int) -> list[Refusal]:
    """A price on a list: 0.01 to 99,999,999.99."""
    return check_number("price", f"Price on {key}", amount, 1, MOST_MINOR, "minor units")


def check_tax_code(code: str) -> list[Refusal]:
    """One of the seller's tax codes."""
    if code in TAX_CODES:
        return []
    message = f"“Tax code” must be one of {', '.join(TAX_CODES)}; it got “{code[:40]}”."
    return [Refusal("not-allowed", message, "Choose one of them.", "tax_code")]


def check_attributes(attributes: Mapping[str, str]) -> list[Refusal]:
    """At most 60 named attributes, names and values of at most 120 characters."""
    if len(attributes) > MOST_ATTRIBUTES:
        message = f"“Attributes” must be at most {MOST_ATTRIBUTES}; there are {len(attributes)}."
        return [Refusal("too-many", message, "Remove some.", "attributes")]
    found = []
    for name, value in attributes.items():
        found += check_text("attributes", "Attribute name", name, MOST_WORD, needed=True)
        found += check_text("attributes", f"Attribute {name}", value, MOST_WORD)
    return found


def check_aliases(sku: str, aliases: tuple[str, ...]) -> list[Refusal]:
    """Aliases have the form of a SKU, and differ from it and from one another."""
    if len(aliases) > MOST_ALIASES:
        return [Refusal("too-many", f"“Aliases” must be at most {MOST_ALIASES}.", "Remove some.", "aliases")]
    found = [refusal for alias in aliases for refusal in check_sku(alias, "aliases")]
    seen = {sku.casefold()}
    for alias in aliases:
        if alias.casefold() in seen:
            message = f"“Aliases” must differ from the SKU and each other; “{alias}” is there twice."
            found.append(Refusal("twice", message, "Remove one of them.", "aliases"))
        seen.add(alias.casefold())
    return found
