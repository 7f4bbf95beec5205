"""What a listing says: for each field the first found of its own value, the product's, its family's, the default."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from relvan.core.listings.rulebook import FieldRule, Rulebook


class Source(StrEnum):
    """Where a listing value comes from."""

    LISTING = "listing"
    PRODUCT = "product"
    FAMILY = "family"
    RULEBOOK = "rulebook"
    NONE = "none"


@dataclass(frozen=True)
class FieldValue:
    """A field's value as text ("" when there is none) and its source."""

    value: str
    source: Source


NOTHING = FieldValue("", Source.NONE)


@dataclass(frozen=True)
class ListedProduct:
    """What a product gives its listings; weight in grams, sides of pictures in pixels.

    `family` is what the family of a variant gives where the variant itself says nothing.
    """

    sku: str
    title: str
    brand: str = ""
    description: str = ""
    gtin: str = ""
    category: str = ""
    weight_g: int | None = None
    attributes: Mapping[str, str] = field(default_factory=dict)
    picture_sides: tuple[int, ...] = ()
    family: "ListedProduct | None" = None


def resolve_fields(rulebook: Rulebook, own: Mapping[str, str], product: ListedProduct) -> dict[str, FieldValue]:
    """Every field of the rulebook with its value and source; what its category does not ask for stays empty."""
    found = {rule.name: resolve_field(rule, rulebook, own.get(rule.name, ""), product) for rule in rulebook.fields}
    category = found[rulebook.category_field].value if rulebook.category_field else ""
    not_asked = {rule.name: NOTHING for rule in rulebook.fields if not rule.is_asked_in(category)}
    return {**found, **not_asked}


def resolve_field(rule: FieldRule, rulebook: Rulebook, own: str, product: ListedProduct) -> FieldValue:
    """One field: the listing's own value, else the product's, its family's, the rulebook's default."""
    if own:
        return FieldValue(own, Source.LISTING)
    for giver, source in ((product, Source.PRODUCT), (product.family, Source.FAMILY)):
        given = product_value(rule.origin, giver) if giver else ""
        if given and rule.kind == "category":
            given = match_category(given, rulebook)
        if given and rule.kind == "choice":
            given = next((choice for choice in rule.choices if choice.casefold() == given.casefold()), given)
        if given:
            return FieldValue(given, source)
    if rule.default:
        return FieldValue(rule.default, Source.RULEBOOK)
    return NOTHING


def product_value(origin: str, product: ListedProduct) -> str:
    """A product's field by its name in a rulebook; "" when the product does not say."""
    if origin.startswith("attributes."):
        wanted = origin.removeprefix("attributes.").casefold()
        return next((value for name, value in product.attributes.items() if name.casefold() == wanted), "")
    if not origin:
        return ""
    value = getattr(product, origin)
    return "" if value is None else str(value)


def match_category(ours: str, rulebook: Rulebook) -> str:
    """The channel's category of the same name, or ""."""
    wanted = ours.casefold()
    return next((category.key for category in rulebook.categories if category.name.casefold() == wanted), "")
