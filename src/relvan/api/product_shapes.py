"""Defines a product as the API takes and returns it; names as in docs/guide/api.md."""

import base64
from collections.abc import Mapping
from typing import Any

from pydantic import Field

from relvan.api.shapes import MOST_INT, Amount, Shape, amount_of, minor
from relvan.core.catalogue.attributes import PARTED_BY
from relvan.core.catalogue.product import (
    AliasFacts,
    CasePack,
    Part,
    ProductDraft,
    ProductKind,
    Size,
    Trait,
)
from relvan.core.refusal import refuse
from relvan.services.catalogue.read import ProductView

Currencies = Mapping[str, str]  # by price list; "" is the seller's own


class SizeShape(Shape):
    """Sides in millimetres."""

    l: int = Field(ge=-MOST_INT, le=MOST_INT)  # noqa: E741 - the name of the API
    w: int = Field(ge=-MOST_INT, le=MOST_INT)
    h: int = Field(ge=-MOST_INT, le=MOST_INT)

    def size(self) -> Size:
        """Returns the size as the rules name it."""
        return Size(self.l, self.w, self.h)


class PictureShape(Shape):
    """A picture: an existing one by its SHA-256, or a new one as base64 in `content`; `role` is
    main, further or description.
    """

    sha: str | None = None
    width: int | None = None
    height: int | None = None
    content: str | None = None
    role: str = "further"

    def read(self, most_mb: int) -> bytes:
        """Returns the bytes of a new picture."""
        text = (self.content or "").rpartition(",")[2]
        if len(text) > most_mb * 1_400_000:
            raise refuse(
                "too-large",
                f"“Picture” must have at most {most_mb} MB.",
                "Save it smaller.",
                "pictures",
            )
        try:
            return base64.b64decode(text, validate=True)
        except ValueError:
            raise refuse(
                "form", "“Picture” must be base64.", "Or send it as a file.", "pictures"
            ) from None


class PartShape(Shape):
    """Units of a SKU in a kit."""

    sku: str = Field(max_length=200)
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)


class CasePackShape(Shape):
    """A supplier's case."""

    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)
    weight_g: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    size_mm: SizeShape | None = None


class TraitShape(Shape):
    """A trait of a family with its values in order."""

    name: str = Field(max_length=1000)
    values: list[str] = Field(default_factory=list, max_length=1000)


class AliasShape(Shape):
    """An alias with the values that it has of its own in listings."""

    sku: str = Field(max_length=1000)
    title: str = Field(default="", max_length=10_000)
    picture: str = Field(default="", max_length=64)
    prices: dict[str, Amount] = Field(default_factory=dict)


READ_ONLY = {"pictures", "archived", "complete", "lent"}
AMOUNTS = ("cost", "floor", "advertised_minimum", "ceiling")
EMPTY: Mapping[str, Any] = {"attributes": {}, "traits": {}, "weight_g": None, "minimum_order": None}


class ProductChange(Shape):
    """The fields of a product that may be changed; what is left out stays as it is."""

    sku: str | None = Field(default=None, max_length=1000)
    kind: str | None = Field(default=None, max_length=40)
    title: str | None = Field(default=None, max_length=10_000)
    brand: str | None = Field(default=None, max_length=10_000)
    description: str | None = Field(default=None, max_length=200_000)
    gtin: str | None = Field(default=None, max_length=200)
    category: str | None = Field(default=None, max_length=10_000)
    attributes: dict[str, Any] | None = None
    weight_g: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    size_mm: SizeShape | None = None
    cost: Amount | None = None
    floor: Amount | None = None
    advertised_minimum: Amount | None = None
    ceiling: Amount | None = None
    prices: dict[str, Amount] | None = None
    breaks: dict[str, dict[int, Amount]] | None = None
    tax_code: str | None = Field(default=None, max_length=40)
    aliases: list[str | AliasShape] | None = Field(default=None, max_length=1000)
    pictures: list[PictureShape] | None = Field(default=None, max_length=30)
    family: str | None = Field(default=None, max_length=1000)
    traits: dict[str, Any] | None = None
    axes: list[TraitShape] | None = Field(default=None, max_length=100)
    parts: list[PartShape] | None = Field(default=None, max_length=2000)
    parts_apart: bool | None = None
    case_pack: CasePackShape | None = None
    hazardous: bool | None = None
    fragile: bool | None = None
    this_way_up: bool | None = None
    origin: str | None = Field(default=None, max_length=1000)
    hs_code: str | None = Field(default=None, max_length=1000)
    supplier: str | None = Field(default=None, max_length=10_000)
    minimum_order: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    archived: bool | None = None
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
