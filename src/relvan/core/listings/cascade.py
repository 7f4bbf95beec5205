"""Works out what a listing says. For each field the first value found counts: the listing's own,
its layers', the product's, its family's, the default of the channel requirements. The source goes
with the value. See docs/rules.md, “What a listing says”."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property, lru_cache
from typing import NamedTuple

from relvan.core.listings.layers import Layers
from relvan.core.listings.markup import to_html
from relvan.core.listings.rulebook import NEW_PAGE, FieldRule, Place, Rulebook, attribute_fed
from relvan.core.listings.translating import UNTRANSLATED, Translations
from relvan.core.listings.wording import PRODUCT_FIELDS, write


class Source(StrEnum):
    """Where the value of a listing's field comes from."""

    LISTING = "listing"
    LAYER = "layer"
    PRODUCT = "product"
    FAMILY = "family"
    RULEBOOK = "rulebook"
    NONE = "none"


class FieldValue(NamedTuple):
    """The value of a field as text ("" when there is none) and its source; for a layer also the
    layer's id and name.

    `missing` names what the wording asks for and the product does not say.
    """

    value: str
    source: Source
    layer_id: int = 0
    layer: str = ""
    missing: tuple[str, ...] = ()


NOTHING = FieldValue("", Source.NONE)


@dataclass(frozen=True)
class ListedProduct:
    """What a product gives its listings; the weight is in grams, the sides of pictures in pixels.

    `family` is what the family of a variant gives where the variant itself says nothing. `traits`
    are a variant's own values; for a family they are the names of its traits without values.
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
        """The product's category in the seller's tree, or that of its family."""
        return self.category or (self.family.category if self.family else "")

    @cached_property
    def attribute_called(self) -> dict[str, str]:
        """The product's attributes by their names in lower case; of names that differ in case alone
        the first one counts."""
        return {name.casefold(): value for name, value in reversed(self.attributes.items())}

    def places(self) -> tuple[dict[str, object], Mapping[str, str], dict[str, object]]:
        """The names that wording may use: the product's fields, its attributes and its family's
        fields."""
        family = self.family
        ours = _fields(self)
        if family is None:
            return ours, self.attributes, {}
        lent = _fields(family)
        return (
            {**lent, **{k: v for k, v in ours.items() if v}},
            {**family.attributes, **self.attributes},
            lent,
        )


def _fields(product: ListedProduct) -> dict[str, object]:
    return {name: getattr(product, name) for name in PRODUCT_FIELDS}


@dataclass(frozen=True)
class Voice:
    """What determines a listing's values besides the listing itself and its product: the channel
    requirements, the layers by topic, and the channel's translations."""

    rulebook: Rulebook
    layers: Layers = field(default_factory=dict)
    translations: Translations = UNTRANSLATED


def resolve_fields(
    voice: Voice,
    own: Mapping[str, str],
    product: ListedProduct,
    *,
    part: Place = "whole",
    category: str | None = None,
) -> dict[str, FieldValue]:
    """Returns every field of the channel requirements with its value and source; fields that do not
    apply stay empty.

    A field does not apply when its category, its place in a family, or the catalogue page does not
    ask for it. A member of a family has the category of its head.
    """
    rulebook = voice.rulebook
    if category is None:
        category = category_of(voice, own, product)
    found = dict.fromkeys(rulebook.rule_of, NOTHING)
    on_their_page = rulebook.pages is not None
    for rule in rulebook.asked_rules(category, part):
        if on_their_page and rule.for_new_page:
            continue
        value = resolve_field(rule, voice, own.get(rule.name, ""), product, category)
        found[rule.name] = value
        if rule.kind == "page":  # it comes first
            on_their_page = value.value != NEW_PAGE
    for rule in rulebook.rules_without:
        if found[rule.without].value:
            found[rule.name] = NOTHING
    return found


def category_of(voice: Voice, own: Mapping[str, str], product: ListedProduct) -> str:
    """Returns the channel's category of a listing, or ""."""
    rulebook = voice.rulebook
    rule = rulebook.field(rulebook.category_field) if rulebook.category_field else None
    if rule is None:
        return ""
    return resolve_field(rule, voice, own.get(rule.name, ""), product).value


def resolve_field(
    rule: FieldRule, voice: Voice, own: str, product: ListedProduct, category: str = ""
) -> FieldValue:
    """Returns one field: the listing's own value, else its layer's, the product's, its family's, or
    the default of the channel requirements."""
    if own:
        return FieldValue(own, Source.LISTING)
    layer = voice.layers.get(rule.layer)
    if layer is not None and (said := layer.values.get(rule.name)):
        if layer.topic != "wording":
            return FieldValue(said, Source.LAYER, layer.id, layer.name)
        written = write(said, *product.places())
        if written.text or written.missing:
            return FieldValue(written.text, Source.LAYER, layer.id, layer.name, written.missing)
    origin = voice.translations.origin(category, rule)
    family = Source.FAMILY if product.kind == "family" else Source.PRODUCT
    for giver, source in ((product, family), (product.family, Source.FAMILY)):
        given = product_value(origin, giver) if giver else ""
        if given and (given := _in_their_words(given, rule, voice, category)):
            return FieldValue(given, source)
    return _by_default(rule.default) if rule.default else NOTHING


@lru_cache(1000)
def _by_default(value: str) -> FieldValue:
    return FieldValue(value, Source.RULEBOOK)


def _in_their_words(given: str, rule: FieldRule, voice: Voice, category: str) -> str:
    """Returns what a product gives, in the channel's words; a category that the channel does not
    have gives nothing."""
    if rule.kind == "category":
        return voice.translations.value("", rule.name, given) or match_category(
            given, voice.rulebook
        )
    said = voice.translations.value(category, rule.name, given)
    if said:
        return said
    if rule.kind == "choice":
        return next(
            (choice for choice in rule.choices if choice.casefold() == given.casefold()), given
        )
    return given


def product_value(origin: str, product: ListedProduct) -> str:
    """Returns a product's field by the name that the channel requirements use; "" when the product
    does not say it."""
    if wanted := attribute_fed(origin):
        direct = product.attributes.get(wanted)
        return direct if direct is not None else product.attribute_called.get(wanted.casefold(), "")
    if not origin:
        return ""
    value = getattr(product, origin)
    return "" if value is None else str(value)


def match_category(ours: str, rulebook: Rulebook) -> str:
    """Returns the key of the channel's category with the same name, or ""."""
    return rulebook.category_called.get(ours.casefold(), "")


def told_value(rule: FieldRule, value: str) -> str:
    """Returns the value as it is sent to the channel: text for a field that allows tags is put into
    these tags."""
    return to_html(value, rule.html) if rule.html and value else value
