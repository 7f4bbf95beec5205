"""What a listing says: for each field the first found of its own value, its layers, the product, its family, the
rulebook's default. The source goes with the value. See docs/rules.md, “What a listing says”."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property, lru_cache
from typing import NamedTuple

from relvan.core.listings.layers import NO_LAYERS, Layers
from relvan.core.listings.markup import to_html
from relvan.core.listings.rulebook import NEW_PAGE, FieldRule, Place, Rulebook
from relvan.core.listings.translating import UNTRANSLATED, Translations
from relvan.core.listings.wording import PRODUCT_FIELDS, write


class Source(StrEnum):
    """Where a listing value comes from."""

    LISTING = "listing"
    LAYER = "layer"
    PRODUCT = "product"
    FAMILY = "family"
    RULEBOOK = "rulebook"
    NONE = "none"


class FieldValue(NamedTuple):
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
    attributes: dict[str, str] = field(default_factory=dict)
    picture_sides: tuple[int, ...] = ()
    family: "ListedProduct | None" = None
    traits: Mapping[str, str] = field(default_factory=dict)
    kind: str = "single"

    @property
    def own_category(self) -> str:
        """Its category of the seller's tree, else its family's."""
        return self.category or (self.family.category if self.family else "")

    @cached_property
    def attribute_called(self) -> dict[str, str]:
        """Its attributes by their names in lower case; of names that differ in case alone the first."""
        return {name.casefold(): value for name, value in reversed(self.attributes.items())}

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
    found = dict.fromkeys(rulebook.rule_of, NOTHING)
    on_their_page = rulebook.pages is not None
    for rule in rulebook.asked_rules(category, part):
        if on_their_page and rule.for_new_page:
            continue
        value = resolve_field(rule, rulebook, own.get(rule.name, ""), product, layers, translations, category)
        found[rule.name] = value
        if rule.kind == "page":  # it comes first
            on_their_page = value.value != NEW_PAGE
    for rule in rulebook.rules_without:
        if found[rule.without].value:
            found[rule.name] = NOTHING
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
    return _by_default(rule.default) if rule.default else NOTHING


@lru_cache(1000)
def _by_default(value: str) -> FieldValue:
    return FieldValue(value, Source.RULEBOOK)


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
        return direct if direct is not None else product.attribute_called.get(wanted.casefold(), "")
    if not origin:
        return ""
    value = getattr(product, origin)
    return "" if value is None else str(value)


def match_category(ours: str, rulebook: Rulebook) -> str:
    """The channel's category of the same name, or ""."""
    return rulebook.category_called.get(ours.casefold(), "")


def told_value(rule: FieldRule, value: str) -> str:
    """What the channel is told: text for a field that takes tags in the tags that it takes."""
    return to_html(value, rule.html) if rule.html and value else value
