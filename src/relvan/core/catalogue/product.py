"""What may be said of a product, and what is refused, with the reason beside the field."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from relvan.core.catalogue.identity import check_gtin, check_sku, sku_key
from relvan.core.money import MOST_MINOR
from relvan.core.refusal import Refusal

MOST_TITLE = 200
MOST_DESCRIPTION = 20_000
MOST_WORD = 120
MOST_WEIGHT_G = 2_000_000
MOST_SIDE_MM = 20_000
MOST_ATTRIBUTES = 60
MOST_ATTRIBUTE = 400
MOST_ALIASES = 50
MOST_PARTS = 200
MOST_PART_UNITS = 10_000
MOST_TRAITS = 3  # three is what a grid with tabs can show, and what the widest channel takes
MOST_TRAIT_VALUES = 400
MOST_UNITS = 1_000_000


class ProductKind(StrEnum):
    """What a product is."""

    SINGLE = "single"
    FAMILY = "family"
    VARIANT = "variant"
    KIT = "kit"
    SERVICE = "service"


STOCKED = (ProductKind.SINGLE, ProductKind.VARIANT)
SOLD = (ProductKind.SINGLE, ProductKind.VARIANT, ProductKind.KIT, ProductKind.SERVICE)


@dataclass(frozen=True)
class Size:
    """Length, width and height in millimetres."""

    length: int
    width: int
    height: int


@dataclass(frozen=True)
class CasePack:
    """How many units a supplier's case holds, its weight in grams and its size."""

    quantity: int
    weight_g: int | None = None
    size: Size | None = None


@dataclass(frozen=True)
class Part:
    """Units of one SKU in one kit."""

    sku: str
    quantity: int


@dataclass(frozen=True)
class Trait:
    """What the variants of a family differ by, and the values it may have, in the order of the grid."""

    name: str
    values: tuple[str, ...] = ()


@dataclass(frozen=True)
class AliasFacts:
    """What an alias says of its own in listings; empty is the product's. `picture` is a SHA-256, prices minor units."""

    title: str = ""
    picture: str = ""
    prices: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class ProductDraft:
    """Everything a person says of a product. Amounts in minor units, weight in grams, size in millimetres.

    A variant names its `family` and has a value on each of the family's traits; what it leaves empty it takes from
    the family. A family has `axes`: its traits with their values. A kit has `parts`. `breaks` are prices from a
    number of units on: `breaks["trade"][10]` is the price of one when ten are bought.
    """

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
    breaks: Mapping[str, Mapping[int, int]] = field(default_factory=dict)
    tax_code: str = "standard"
    aliases: tuple[str, ...] = ()
    alias_facts: Mapping[str, AliasFacts] = field(default_factory=dict)
    family: str = ""
    traits: Mapping[str, str] = field(default_factory=dict)
    axes: tuple[Trait, ...] = ()
    parts: tuple[Part, ...] = ()
    parts_apart: bool = False
    case_pack: CasePack | None = None
    hazardous: bool = False
    fragile: bool = False
    this_way_up: bool = False
    origin: str = ""
    hs_code: str = ""
    supplier: str = ""
    minimum_order: int | None = None


TAX_CODES = ("standard", "reduced", "zero")


def check_product(draft: ProductDraft) -> list[Refusal]:
    """All that is wrong with a draft, each beside its field; an empty list when it may be saved.

    What needs other products to be known (a taken SKU, a circle of kits, a doubled combination) is checked where
    they are.
    """
    return [
        *check_sku(draft.sku),
        *check_text("title", "Title", draft.title, MOST_TITLE, needed=True),
        *check_text("brand", "Brand", draft.brand, MOST_WORD),
        *check_category(draft.category),
        *check_text("description", "Description", draft.description, MOST_DESCRIPTION, lines=True),
        *(check_gtin(draft.gtin) if draft.gtin else []),
        *check_attributes(draft.attributes),
        *check_number("weight_g", "Weight", draft.weight_g, 1, MOST_WEIGHT_G, "grams"),
        *check_size(draft.size),
        *check_number("cost", "Cost", draft.cost, 0, MOST_MINOR, "minor units"),
        *check_number("floor", "Floor", draft.floor, 0, MOST_MINOR, "minor units"),
        *(r for key, amount in draft.prices.items() for r in check_price(key, amount)),
        *(r for key, steps in draft.breaks.items() for r in check_breaks(key, steps)),
        *check_tax_code(draft.tax_code, draft.kind),
        *check_aliases(draft.sku, draft.aliases),
        *(r for facts in draft.alias_facts.values() for r in check_alias_facts(facts)),
        *check_case_pack(draft.case_pack),
        *check_origin(draft.origin),
        *check_hs_code(draft.hs_code),
        *check_text("supplier", "Supplier", draft.supplier, MOST_WORD),
        *check_number("minimum_order", "Minimum order", draft.minimum_order, 1, MOST_UNITS, "units"),
        *check_shape(draft),
    ]


def check_shape(draft: ProductDraft) -> list[Refusal]:
    """That a product has what belongs to its kind and nothing that does not."""
    found: list[Refusal] = []
    kind = draft.kind
    if kind == ProductKind.VARIANT and not draft.family:
        found.append(Refusal("missing", "A variant must name its family.", "Choose the family.", "family"))
    if draft.family and kind != ProductKind.VARIANT:
        message = f"Only a variant is in a family; this is a {kind.value}."
        found.append(Refusal("not-allowed", message, "Make it a variant.", "family"))
    if draft.family and sku_key(draft.family) == sku_key(draft.sku):
        found.append(Refusal("circle", "A product must not be its own family.", "Choose another.", "family"))
    if draft.parts and kind != ProductKind.KIT:
        found.append(Refusal("not-allowed", f"Only a kit has parts; this is a {kind.value}.", "", "parts"))
    if draft.axes and kind != ProductKind.FAMILY:
        found.append(
            Refusal("not-allowed", f"Only a family has traits of its own; this is a {kind.value}.", "", "axes")
        )
    if kind == ProductKind.FAMILY and draft.gtin:
        found.append(Refusal("not-allowed", "A family is never sold, so it has no GTIN.", "Leave it out.", "gtin"))
    return [*found, *check_parts(draft.sku, draft.parts), *check_axes(draft)]


def check_axes(draft: ProductDraft) -> list[Refusal]:
    """A family has one to three traits, each named once, each value once."""
    if draft.kind != ProductKind.FAMILY:
        return []
    if not 1 <= len(draft.axes) <= MOST_TRAITS:
        message = f"“Traits” must be 1 to {MOST_TRAITS}; there are {len(draft.axes)}."
        return [Refusal("traits", message, "Say what the variants differ by.", "axes")]
    found: list[Refusal] = []
    names = [trait.name.casefold() for trait in draft.axes]
    for trait in draft.axes:
        found += check_text("axes", "Trait", trait.name, MOST_WORD, needed=True)
        found += [r for value in trait.values for r in check_text("axes", trait.name, value, MOST_WORD, needed=True)]
        if len(trait.values) > MOST_TRAIT_VALUES:
            message = f"“{trait.name}” must have at most {MOST_TRAIT_VALUES} values."
            found.append(Refusal("too-many", message, "Split the family.", "axes"))
        if names.count(trait.name.casefold()) > 1:
            found.append(Refusal("twice", f"“{trait.name}” is there twice.", "Name each trait once.", "axes"))
    return found


def check_parts(sku: str, parts: tuple[Part, ...]) -> list[Refusal]:
    """Parts are named once each, with a quantity of at least 1, and are not the kit itself."""
    found: list[Refusal] = []
    if len(parts) > MOST_PARTS:
        found.append(Refusal("too-many", f"“Parts” must be at most {MOST_PARTS}.", "Join some into a kit.", "parts"))
    seen: set[str] = set()
    for part in parts:
        if sku_key(part.sku) == sku_key(sku):
            found.append(Refusal("circle", f"“{part.sku}” must not be a part of itself.", "Remove it.", "parts"))
        if sku_key(part.sku) in seen:
            message = f"“{part.sku}” is a part twice."
            found.append(Refusal("twice", message, "Write it once, with the sum.", "parts"))
        seen.add(sku_key(part.sku))
        found += check_number("parts", f"Quantity of {part.sku}", part.quantity, 1, MOST_PART_UNITS, "units")
    return found


def check_text(
    name: str, label: str, text: str, most: int, *, needed: bool = False, lines: bool = False
) -> list[Refusal]:
    """A text within its length, with no control characters in it."""
    if needed and not text.strip():
        return [Refusal("missing", f"“{label}” must not be empty.", "Fill it in.", name)]
    if len(text) > most:
        message = f"“{label}” must have at most {most:,} characters; it has {len(text):,}."
        return [Refusal("too-long", message, "Shorten it.", name)]
    if text.isprintable():
        return []
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


def check_size(size: Size | None, name: str = "size") -> list[Refusal]:
    """Three sides of 1 mm to 20 m."""
    if size is None:
        return []
    sides = {"Length": size.length, "Width": size.width, "Height": size.height}
    return [r for label, side in sides.items() for r in check_number(name, label, side, 1, MOST_SIDE_MM, "mm")]


def check_case_pack(pack: CasePack | None) -> list[Refusal]:
    """A case of at least one unit, with the weight and size of a parcel or pallet."""
    if pack is None:
        return []
    return [
        *check_number("case_quantity", "Units in a case", pack.quantity, 1, MOST_UNITS, "units"),
        *check_number("case_weight_g", "Weight of a case", pack.weight_g, 1, MOST_WEIGHT_G, "grams"),
        *check_size(pack.size, "case_size"),
    ]


def check_price(key: str, amount: int) -> list[Refusal]:
    """A price on a list: 0.01 to 99,999,999.99."""
    return check_number("price", f"Price on {key}", amount, 1, MOST_MINOR, "minor units")


def check_breaks(key: str, steps: Mapping[int, int]) -> list[Refusal]:
    """Quantity breaks start at two units."""
    found = [r for least in steps for r in check_number("price", f"Break on {key}", least, 2, MOST_UNITS, "units")]
    return [*found, *(r for amount in steps.values() for r in check_price(key, amount))]


def check_tax_code(code: str, kind: ProductKind = ProductKind.SINGLE) -> list[Refusal]:
    """One of the seller's tax codes; a variant may leave it to its family."""
    if code in TAX_CODES or (not code and kind == ProductKind.VARIANT):
        return []
    message = f"“Tax code” must be one of {', '.join(TAX_CODES)}; it got “{code[:40]}”."
    return [Refusal("not-allowed", message, "Choose one of them.", "tax_code")]


def check_origin(code: str) -> list[Refusal]:
    """A country as its ISO 3166-1 alpha-2 code, two capital letters."""
    if not code or (len(code) == 2 and code.isascii() and code.isalpha() and code.isupper()):
        return []
    message = f"“Country of origin” must be a code of two letters; it got “{code[:40]}”."
    return [Refusal("form", message, "Like NL or PT.", "origin")]


def check_hs_code(code: str) -> list[Refusal]:
    """A customs code of the Harmonized System: 6 digits, up to 10 with the national ones."""
    if not code or (code.isascii() and code.isdigit() and 6 <= len(code) <= 10):
        return []
    message = f"“Customs code” must be 6 to 10 digits; it got “{code[:40]}”."
    return [Refusal("form", message, "Type digits only, such as 691200.", "hs_code")]


def check_category(path: str) -> list[Refusal]:
    """A place in the seller's own tree, its levels parted by a slash with spaces around it."""
    found = check_text("category", "Category", path, MOST_WORD * 2)
    if path and any(not level.strip() or level != level.strip() for level in path.split(" / ")):
        message = f"“Category” must be levels parted by “ / ”; it got “{path[:60]}”."
        found.append(Refusal("form", message, "Like Pots / Indoors.", "category"))
    return found


def check_attributes(attributes: Mapping[str, str]) -> list[Refusal]:
    """At most 60 named attributes; names of at most 120 characters, values of at most 400."""
    if len(attributes) > MOST_ATTRIBUTES:
        message = f"“Attributes” must be at most {MOST_ATTRIBUTES}; there are {len(attributes)}."
        return [Refusal("too-many", message, "Remove some.", "attributes")]
    found: list[Refusal] = []
    for name, value in attributes.items():
        found += check_attribute(name, value)
    return found


def check_attribute(name: str, value: str) -> list[Refusal]:
    """One attribute: its name and its value as text."""
    return [
        *check_text("attributes", "Attribute name", name, MOST_WORD, needed=True),
        *check_text("attributes", f"Attribute {name}", value, MOST_ATTRIBUTE),
    ]


def check_aliases(sku: str, aliases: tuple[str, ...]) -> list[Refusal]:
    """Aliases have the form of a SKU, and differ from it and from one another."""
    if len(aliases) > MOST_ALIASES:
        return [Refusal("too-many", f"“Aliases” must be at most {MOST_ALIASES}.", "Remove some.", "aliases")]
    found = [refusal for alias in aliases for refusal in check_sku(alias, "aliases")]
    seen = {sku_key(sku)}
    for alias in aliases:
        if sku_key(alias) in seen:
            message = f"“Aliases” must differ from the SKU and each other; “{alias}” is there twice."
            found.append(Refusal("twice", message, "Remove one of them.", "aliases"))
        seen.add(sku_key(alias))
    return found


def check_alias_facts(facts: AliasFacts) -> list[Refusal]:
    """An alias's own title and prices."""
    return [
        *check_text("aliases", "Title of an alias", facts.title, MOST_TITLE),
        *(r for key, amount in facts.prices.items() for r in check_price(key, amount)),
    ]
