"""Defines a product as the API takes and returns it; names as in docs/guide/api.md."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import ConfigDict, Field

from relvan.api.described import (
    MOST_INT,
    Flag,
    Sku,
    described,
    described_number,
    described_text,
)
from relvan.api.picture_shapes import PictureShape
from relvan.api.shapes import Amount, ListAmount, Shape, amount_of, minor
from relvan.core.catalogue.attributes import PARTED_BY
from relvan.core.catalogue.identity import MOST_SKU_CHARACTERS
from relvan.core.catalogue.product import (
    MOST_DESCRIPTION,
    MOST_PART_UNITS,
    MOST_SIDE_MM,
    MOST_TITLE,
    MOST_UNITS,
    MOST_WEIGHT_G,
    MOST_WORD,
    TAX_CODES,
    AliasFacts,
    CasePack,
    Part,
    ProductDraft,
    ProductKind,
    Size,
    Trait,
)
from relvan.core.refusal import refuse
from relvan.core.texts import LINES, PATH, SEEN_CODE, WORDS
from relvan.services.catalogue.read import ProductView

Currencies = Mapping[str, str]  # by price list; "" is the seller's own


# what the service refuses, in its own words, is only described; MOST_INT is what can be kept
In = Field(ge=-MOST_INT, le=MOST_INT)
Side = Annotated[int, In, described_number(1, MOST_SIDE_MM)]
Grams = Annotated[int, In, described_number(1, MOST_WEIGHT_G)]
Count = Annotated[int, In, described_number(1, MOST_UNITS)]
Word = described_text(WORDS, MOST_WORD, least=0)
Paragraphs = described_text(LINES, MOST_DESCRIPTION, least=0)
Category = described_text(PATH, 2 * MOST_WORD, least=0)
GTIN = "^(?:[0-9]{8}|[0-9]{12,14})$"
ORIGIN = "^[A-Z]{2}$"
HS = "^[0-9]{6,10}$"


class SizeShape(Shape):
    """Sides in millimetres."""

    l: Side  # noqa: E741 - the name of the API
    w: Side
    h: Side

    def size(self) -> Size:
        """Returns the size as the rules name it."""
        return Size(self.l, self.w, self.h)


class PartShape(Shape):
    """Units of a SKU in a kit."""

    sku: Sku
    quantity: Annotated[int, In, described_number(1, MOST_PART_UNITS)]


class CasePackShape(Shape):
    """A supplier's case."""

    quantity: Count
    weight_g: Grams | None = None
    size_mm: SizeShape | None = None


class TraitShape(Shape):
    """A trait of a family with its values in order."""

    name: Annotated[str, Field(max_length=1000), described_text(WORDS, MOST_WORD)]
    values: list[Annotated[str, described_text(WORDS, MOST_WORD)]] = Field(
        default_factory=list, max_length=1000
    )


class AliasShape(Shape):
    """An alias with the values that it has of its own in listings."""

    sku: str = Field(max_length=1000)
    title: str = Field(default="", max_length=10_000)
    picture: str = Field(default="", max_length=64)
    prices: dict[str, ListAmount] = Field(default_factory=dict)


# by the number of units from which a price holds
Breaks = Annotated[
    dict[int, ListAmount],
    Field(json_schema_extra={"propertyNames": {"type": "string", "pattern": "^[1-9][0-9]{0,5}$"}}),
]
READ_ONLY = {"pictures", "archived", "complete", "lent"}
AMOUNTS = ("cost", "floor", "advertised_minimum", "ceiling")
EMPTY: Mapping[str, Any] = {"attributes": {}, "traits": {}, "weight_g": None, "minimum_order": None}


class ProductChange(Shape):
    """The fields of a product that may be changed; what is left out stays as it is."""

    sku: Sku | None = Field(default=None, max_length=1000)
    kind: Annotated[str, described(ProductKind)] | None = None
    title: Annotated[str, Field(max_length=10_000), described_text(WORDS, MOST_TITLE)] | None = None
    brand: Annotated[str, Field(max_length=10_000), Word] | None = None
    description: Annotated[str, Field(max_length=200_000), Paragraphs] | None = None
    gtin: Annotated[str, Field(max_length=200), described_text(GTIN, 14, least=0)] | None = None
    category: Annotated[str, Field(max_length=10_000), Category] | None = None
    attributes: dict[str, Any] | None = None
    weight_g: Grams | None = None
    size_mm: SizeShape | None = None
    cost: Amount | None = None
    floor: Amount | None = None
    advertised_minimum: Amount | None = None
    ceiling: Amount | None = None
    prices: dict[str, ListAmount] | None = None
    breaks: dict[str, Breaks] | None = None
    tax_code: Annotated[str, Field(max_length=40), described(("", *TAX_CODES))] | None = None
    aliases: list[str | AliasShape] | None = Field(default=None, max_length=1000)
    pictures: list[PictureShape] | None = Field(default=None, max_length=30)
    family: str | None = Field(default=None, max_length=1000)
    traits: dict[str, Any] | None = None
    axes: list[TraitShape] | None = Field(default=None, max_length=100)
    parts: list[PartShape] | None = Field(default=None, max_length=2000)
    parts_apart: Flag | None = None
    case_pack: CasePackShape | None = None
    hazardous: Flag | None = None
    fragile: Flag | None = None
    this_way_up: Flag | None = None
    origin: Annotated[str, Field(max_length=1000), described_text(ORIGIN, 2, least=0)] | None = None
    hs_code: Annotated[str, Field(max_length=1000), described_text(HS, 10, least=0)] | None = None
    supplier: Annotated[str, Field(max_length=10_000), Word] | None = None
    minimum_order: Count | None = None
    archived: Flag | None = None
    complete: dict[str, Any] | None = None
    lent: dict[str, Any] | None = None

    def draft(
        self, before: ProductDraft | None, currencies: Currencies, whole: ProductDraft | None = None
    ) -> ProductDraft:
        """Returns the whole product after the change; `before` is empty for a new one.

        `whole` is the product as the API returned it, with what a variant inherits. A value that is
        sent back unchanged stays inherited.
        """
        start = before or ProductDraft(sku="", title="")
        values: dict[str, Any] = {
            name: getattr(start, name) for name in ProductDraft.__dataclass_fields__
        }
        for name in self.model_fields_set - READ_ONLY:
            values |= self._value(name, currencies)
        if (
            self.family
            and "kind" not in self.model_fields_set
            and values["kind"] == ProductKind.SINGLE
        ):
            values["kind"] = ProductKind.VARIANT
        if values["kind"] != ProductKind.VARIANT:
            values |= {"family": "", "traits": {}} if "family" not in self.model_fields_set else {}
        if values["kind"] == ProductKind.FAMILY:
            values["traits"] = {}
        if before is not None and whole is not None:
            values |= {
                name: getattr(before, name)
                for name in _LENDABLE
                if values[name] == getattr(whole, name)
            }
        if (
            before is None
            and values["kind"] == ProductKind.VARIANT
            and "tax_code" not in self.model_fields_set
        ):
            values["tax_code"] = ""
        return ProductDraft(**values)

    def new_pictures(self, most_mb: int) -> list[tuple[bytes, str]]:
        """Returns (content, role) of pictures that are sent along; pictures that are only named
        exist already.
        """
        return [
            (picture.read(most_mb), picture.role)
            for picture in self.pictures or ()
            if picture.content is not None
        ]

    def _value(self, name: str, currencies: Currencies) -> dict[str, Any]:
        given = getattr(self, name)
        if name in _SPECIAL:
            special: dict[str, Any] = _SPECIAL[name](given, currencies)
            return special
        if name in AMOUNTS:
            return {name: minor(given, currencies[""], name) if given else None}
        if given is None:
            return {name: EMPTY.get(name, False if name in _FLAGS else "")}
        return {name: given}


_FLAGS = ("parts_apart", "hazardous", "fragile", "this_way_up")


def _kind(given: Any, _: Currencies) -> dict[str, Any]:
    if given not in {kind.value for kind in ProductKind}:
        message = f"“Kind” must be one of {', '.join(ProductKind)}; it got “{given}”."
        raise refuse("not-allowed", message, "Choose one of them.", "kind")
    return {"kind": ProductKind(given)}


def _texts(name: str, given: Any) -> dict[str, Any]:
    """Returns attributes or traits as text, in whatever way JSON has them: yes and no, numbers,
    lists of choices.
    """
    found = {}
    for key, value in (given or {}).items():
        if isinstance(value, bool):
            found[key] = "yes" if value else "no"
        elif isinstance(value, list):
            found[key] = PARTED_BY.join(str(part) for part in value)
        elif value is not None:
            found[key] = str(value)
    return {name: found}


def _prices(given: Any, currencies: Currencies) -> dict[str, Any]:
    return {
        "prices": {key: _on_list(key, amount, currencies) for key, amount in (given or {}).items()}
    }


def _breaks(given: Any, currencies: Currencies) -> dict[str, Any]:
    return {
        "breaks": {
            key: {least: _on_list(key, amount, currencies) for least, amount in steps.items()}
            for key, steps in (given or {}).items()
        }
    }


def _on_list(key: str, amount: Amount, currencies: Currencies) -> int:
    return minor(amount, currencies.get(key, currencies[""]), "prices")


def _aliases(given: Any, currencies: Currencies) -> dict[str, Any]:
    plain = tuple(alias if isinstance(alias, str) else alias.sku for alias in given or ())
    facts = {
        alias.sku: AliasFacts(
            alias.title, alias.picture, _prices(alias.prices, currencies)["prices"]
        )
        for alias in given or ()
        if not isinstance(alias, str)
    }
    return {"aliases": plain, "alias_facts": facts}


def _case_pack(given: Any, _: Currencies) -> dict[str, Any]:
    if given is None:
        return {"case_pack": None}
    return {
        "case_pack": CasePack(
            given.quantity, given.weight_g, given.size_mm.size() if given.size_mm else None
        )
    }


_SPECIAL: dict[str, Any] = {
    "kind": _kind,
    "size_mm": lambda given, _: {"size": given.size() if given else None},
    "attributes": lambda given, _: _texts("attributes", given),
    "traits": lambda given, _: _texts("traits", given),
    "prices": _prices,
    "breaks": _breaks,
    "aliases": _aliases,
    "case_pack": _case_pack,
    "parts": lambda given, _: {
        "parts": tuple(Part(part.sku, part.quantity) for part in given or ())
    },
    "axes": lambda given, _: {
        "axes": tuple(Trait(axis.name, tuple(axis.values)) for axis in given or ())
    },
    "gtin": lambda given, _: {"gtin": given or None},
}


class NewProduct(ProductChange):
    """The fields of a new product, which has at least a SKU and a title."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"required": ["sku", "title"]})

    sku: Annotated[
        str | None, Field(max_length=1000), described_text(SEEN_CODE, MOST_SKU_CHARACTERS)
    ] = None
    title: Annotated[str | None, Field(max_length=10_000), described_text(WORDS, MOST_TITLE)] = None


class ManyProducts(Shape):
    """Many products at once."""

    items: list[dict[str, Any]] = Field(max_length=5_000)


def product_shape(view: ProductView, currencies: Currencies) -> dict[str, Any]:
    """Returns a product as the API shows it. What a variant inherits is shown with the family's
    value, and `lent` names these fields.
    """
    own, draft = view.draft, view.whole
    own_currency = currencies[""]
    pictures = view.pictures or view.lent_pictures
    lent = [name for name in _LENDABLE if getattr(own, name) != getattr(draft, name)]
    return {
        "sku": draft.sku,
        "kind": draft.kind,
        "title": draft.title,
        "brand": draft.brand,
        "description": draft.description,
        "gtin": draft.gtin,
        "category": draft.category,
        "attributes": dict(draft.attributes),
        "pictures": [
            {"sha": p.sha, "width": p.width, "height": p.height, "role": p.role} for p in pictures
        ],
        "weight_g": draft.weight_g,
        "size_mm": _size_shape(draft.size),
        **{name: amount_of(getattr(draft, name), own_currency) for name in AMOUNTS},
        "prices": {
            key: amount_of(a, currencies.get(key, own_currency)) for key, a in draft.prices.items()
        },
        "breaks": {
            key: {
                least: amount_of(a, currencies.get(key, own_currency)) for least, a in steps.items()
            }
            for key, steps in draft.breaks.items()
        },
        "tax_code": draft.tax_code or "standard",
        "family": draft.family or None,
        "traits": {trait.name: list(trait.values) for trait in draft.axes}
        if draft.axes
        else dict(draft.traits),
        "axes": [{"name": trait.name, "values": list(trait.values)} for trait in draft.axes],
        "parts": [{"sku": part.sku, "quantity": part.quantity} for part in draft.parts],
        "parts_apart": draft.parts_apart,
        "aliases": list(draft.aliases),
        "case_pack": _case_shape(draft.case_pack),
        **{name: getattr(draft, name) for name in ("hazardous", "fragile", "this_way_up")},
        **{
            name: getattr(draft, name)
            for name in ("origin", "hs_code", "supplier", "minimum_order")
        },
        "archived": view.archived,
        "complete": {"asked": view.completeness.asked, "missing": list(view.completeness.missing)},
        "lent": {"by": draft.family, "fields": [_API_NAMES.get(name, name) for name in lent]}
        if draft.family
        else None,
    }


_LENDABLE = (
    "brand",
    "description",
    "category",
    "attributes",
    "weight_g",
    "size",
    "prices",
    "breaks",
    "tax_code",
    "origin",
    "hs_code",
    "supplier",
    "minimum_order",
    "hazardous",
    "fragile",
    "this_way_up",
)
_API_NAMES = {"size": "size_mm"}


def _size_shape(size: Size | None) -> dict[str, int] | None:
    return {"l": size.length, "w": size.width, "h": size.height} if size else None


def _case_shape(pack: CasePack | None) -> dict[str, Any] | None:
    if pack is None:
        return None
    return {"quantity": pack.quantity, "weight_g": pack.weight_g, "size_mm": _size_shape(pack.size)}
