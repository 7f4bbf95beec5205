"""What a listing says: for each field the first found of its own value, its layers, the product, its family, the
rulebook's default. The source goes with the value. See docs/rules.md, “What a listing says”."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from enum import StrEnum
from typing import Literal

from relvan.core.listings.layers import NO_LAYERS, Layers
from relvan.core.listings.markup import to_html
from relvan.core.listings.rulebook import NEW_PAGE, FieldRule, Rulebook
from relvan.core.listings.translating import UNTRANSLATED, Translations
from relvan.core.listings.wording import PRODUCT_FIELDS, write

# a listing by itself, the head of a family's page, or one of its members
Place = Literal["whole", "head", "member"]


class Source(StrEnum):
    """Where a listing value comes from."""

    LISTING = "listing"
    LAYER = "layer"
    PRODUCT = "product"
    FAMILY = "family"
    RULEBOOK = "rulebook"
    NONE = "none"


@dataclass(frozen=True)
class FieldValue:
    """A field's value as text ("" when there is none) and its source; of a layer its id and name too.

    `missing` names what the product does not say although the wording asks for it.
    """

    value: str
    source: Source
    layer_id: int = 0
    layer: str = ""
    missing: tuple[str, ...] = ()


NOTHING = FieldValue("", Source.NONE)


@dataclass(frozen=True)
class ListedProduct:
    """What a product gives its listings; weight in grams, sides of pictures in pixels.

    `family` is what the family of a variant gives where the variant itself says nothing; `traits` are a variant's own
    values, or the names of a family's traits with nothing beside them.
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
    traits: Mapping[str, str] = field(default_factory=dict)
    kind: str = "single"

    @property
    def own_category(self) -> str:
        """Its category of the seller's tree, else its family's."""
        return self.category or (self.family.category if self.family else "")

    def places(self) -> tuple[dict[str, object], Mapping[str, str], dict[str, object]]:
        """What wording may ask for: the product's fields, its attributes, its family's fields."""
        family = self.family
        ours = _fields(self)
        if family is None:
            return ours, self.attributes, {}
        lent = _fields(family)
        return {**lent, **{k: v for k, v in ours.items() if v}}, {**family.attributes, **self.attributes}, lent


def _fields(product: ListedProduct) -> dict[str, object]:
    return {name: getattr(product, name) for name in PRODUCT_FIELDS}


def resolve_fields(
    rulebook: Rulebook,
    own: Mapping[str, str],
    product: ListedProduct,
    *,
    layers: Layers = NO_LAYERS,
    translations: Translations = UNTRANSLATED,
    part: Place = "whole",
    category: str | None = None,
) -> dict[str, FieldValue]:
    """Every field of the rulebook with its value and source; what is not asked for stays empty.

    A field is not asked for when its category, its place in a family, or the catalogue page does not ask for it. The
    `category` of a member is that of its head.
    """
    if category is None:
        category = category_of(rulebook, own, product, layers=layers, translations=translations)
    found = {
        rule.name: resolve_field(rule, rulebook, own.get(rule.name, ""), product, layers, translations, category)
        if rule.is_asked_in(category) and rule.is_asked_of(part)
        else NOTHING
        for rule in rulebook.fields
    }
    if rulebook.pages is not None:
        new_page = found[rulebook.page_field].value == NEW_PAGE
        found |= {rule.name: NOTHING for rule in rulebook.fields if rule.for_new_page and not new_page}
    found |= {rule.name: NOTHING for rule in rulebook.fields if rule.without and found[rule.without].value}
    return found


def category_of(
    rulebook: Rulebook,
    own: Mapping[str, str],
    product: ListedProduct,
    *,
    layers: Layers = NO_LAYERS,
    translations: Translations = UNTRANSLATED,
) -> str:
    """The channel's category of a listing, or ""."""
    rule = rulebook.field(rulebook.category_field) if rulebook.category_field else None
    if rule is None:
        return ""
    return resolve_field(rule, rulebook, own.get(rule.name, ""), product, layers, translations, "").value


def resolve_field(
    rule: FieldRule,
    rulebook: Rulebook,
    own: str,
    product: ListedProduct,
    layers: Layers = NO_LAYERS,
    translations: Translations = UNTRANSLATED,
    category: str = "",
) -> FieldValue:
    """One field: the listing's own value, else its layer's, the product's, its family's, the rulebook's default."""
    if own:
        return FieldValue(own, Source.LISTING)
    layer = layers.get(rule.layer)
    if layer is not None and (said := layer.values.get(rule.name)):
        if layer.topic != "wording":
            return FieldValue(said, Source.LAYER, layer.id, layer.name)
        written = write(said, *product.places())
        if written.text or written.missing:
            return FieldValue(written.text, Source.LAYER, layer.id, layer.name, written.missing)
    origin = translations.origin(category, rule)
    family = Source.FAMILY if product.kind == "family" else Source.PRODUCT
    for giver, source in ((product, family), (product.family, Source.FAMILY)):
        given = product_value(origin, giver) if giver else ""
        if given and (given := _in_their_words(given, rule, rulebook, translations, category)):
            return FieldValue(given, source)
    if rule.default:
        return FieldValue(rule.default, Source.RULEBOOK)
    return NOTHING


def _in_their_words(given: str, rule: FieldRule, book: Rulebook, translations: Translations, category: str) -> str:
    """What a product gives, as the channel says it; of a category nothing when it is none of theirs."""
    if rule.kind == "category":
        return translations.value("", rule.name, given) or match_category(given, book)
    said = translations.value(category, rule.name, given)
    if said:
        return said
    if rule.kind == "choice":
        return next((choice for choice in rule.choices if choice.casefold() == given.casefold()), given)
    return given


def product_value(origin: str, product: ListedProduct) -> str:
    """A product's field by its name in a rulebook; "" when the product does not say."""
    if origin.startswith("attributes."):
        wanted = origin[11:]
        direct = product.attributes.get(wanted)
        if direct is not None:
            return direct
        wanted = wanted.casefold()
        return next((value for name, value in product.attributes.items() if name.casefold() == wanted), "")
    if not origin:
        return ""
    value = getattr(product, origin)
    return "" if value is None else str(value)


def match_category(ours: str, rulebook: Rulebook) -> str:
    """The channel's category of the same name, or ""."""
    wanted = ours.casefold()
    return next((category.key for category in rulebook.categories if category.name.casefold() == wanted), "")


def told_value(rule: FieldRule, value: str) -> str:
    """What the channel is told: text for a field that takes tags in the tags that it takes."""
    return to_html(value, rule.html) if rule.html and value else value


def as_data(values: Mapping[str, FieldValue]) -> dict[str, dict[str, object]]:
    """Values and sources as plain data."""
    return {name: asdict(value) for name, value in values.items()}
