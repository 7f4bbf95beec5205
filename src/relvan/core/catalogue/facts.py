"""A product as flat facts: one name, one plain value. What history, bulk jobs, files and undo have in common.

Names are those of the API with spaces for what there can be many of: `price retail`, `break retail 10`,
`attribute material`, `trait Glaze`, `alias OLD-1`. A fact that is empty is not there.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from relvan.core.catalogue.product import (
    AliasFacts,
    CasePack,
    Part,
    ProductDraft,
    ProductKind,
    Size,
    Trait,
)

Facts = dict[str, Any]
Changes = dict[str, tuple[Any, Any]]

PLAIN = (
    "sku", "title", "brand", "description", "gtin", "category", "weight_g", "cost", "floor",
    "advertised_minimum", "ceiling", "tax_code", "family", "parts_apart", "hazardous", "fragile", "this_way_up",
    "origin", "hs_code", "supplier", "minimum_order",
)  # fmt: skip
# what a variant takes from its family where it says nothing itself
SHARED = (
    "brand", "description", "category", "tax_code", "weight_g", "length_mm", "width_mm", "height_mm", "origin",
    "hs_code", "supplier", "minimum_order", "hazardous", "fragile", "this_way_up",
)  # fmt: skip


@dataclass(frozen=True)
class FactName:
    """How a fact is called on screen, what form its value has, and its unit."""

    label: str
    form: str = "text"
    unit: str = ""


# forms: text, lines, whole, amount, flag, code (digits that must keep their zeros)
NAMES: dict[str, FactName] = {
    "sku": FactName("SKU", "code"),
    "title": FactName("Title"),
    "kind": FactName("Kind"),
    "brand": FactName("Brand"),
    "description": FactName("Description", "lines"),
    "gtin": FactName("GTIN", "code"),
    "category": FactName("Category"),
    "tax_code": FactName("Tax code"),
    "weight_g": FactName("Weight", "whole", "g"),
    "length_mm": FactName("Length", "whole", "mm"),
    "width_mm": FactName("Width", "whole", "mm"),
    "height_mm": FactName("Height", "whole", "mm"),
    "cost": FactName("Cost", "amount"),
    "floor": FactName("Floor", "amount"),
    "advertised_minimum": FactName("Advertised minimum", "amount"),
    "ceiling": FactName("Ceiling", "amount"),
    "family": FactName("Family", "code"),
    "case_quantity": FactName("Units in a case", "whole"),
    "case_weight_g": FactName("Weight of a case", "whole", "g"),
    "case_length_mm": FactName("Length of a case", "whole", "mm"),
    "case_width_mm": FactName("Width of a case", "whole", "mm"),
    "case_height_mm": FactName("Height of a case", "whole", "mm"),
    "minimum_order": FactName("Minimum order", "whole"),
    "supplier": FactName("Supplier"),
    "origin": FactName("Country of origin", "code"),
    "hs_code": FactName("Customs code", "code"),
    "hazardous": FactName("Hazardous", "flag"),
    "fragile": FactName("Fragile", "flag"),
    "this_way_up": FactName("This way up", "flag"),
    "parts_apart": FactName("Parts may travel apart", "flag"),
    "parts": FactName("Parts"),
    "axes": FactName("Traits"),
    "aliases": FactName("Aliases"),
    "archived": FactName("In the archive", "flag"),
}


@lru_cache(maxsize=4_096)
def group_of(name: str) -> str:
    """What facts there can be many of have in common: the beginning of their names with its space; else the name.

    >>> group_of("price retail"), group_of("weight_g")
    ('price ', 'weight_g')
    """
    group, space, _ = name.partition(" ")
    return group + space


def label_of(name: str) -> str:
    """A fact's name in words.

    >>> label_of("price retail"), label_of("trait Glaze"), label_of("weight_g")
    ('Price retail', 'Glaze', 'Weight')
    """
    if name in NAMES:
        return NAMES[name].label
    group, _, rest = name.partition(" ")
    return rest if group in ("trait", "attribute") else f"{group.capitalize()} {rest}"


def form_of(name: str) -> FactName:
    """The form of a fact's value, also of those there can be many of."""
    if name.startswith(("price ", "break ")):
        return FactName(label_of(name), "amount")
    return NAMES.get(name) or FactName(label_of(name))


def facts_of(draft: ProductDraft) -> Facts:
    """A draft as flat facts."""
    found: Facts = {name: value for name in PLAIN if not is_empty(value := getattr(draft, name))}
    found["kind"] = str(draft.kind)
    found |= _size_facts("", draft.size)
    if draft.case_pack:
        found["case_quantity"] = draft.case_pack.quantity
        if draft.case_pack.weight_g is not None:
            found["case_weight_g"] = draft.case_pack.weight_g
        found |= _size_facts("case_", draft.case_pack.size)
    found |= {f"attribute {name}": value for name, value in draft.attributes.items() if value}
    found |= {f"trait {name}": value for name, value in draft.traits.items() if value}
    found |= {f"price {key}": amount for key, amount in draft.prices.items()}
    found |= {f"break {key} {least}": a for key, steps in draft.breaks.items() for least, a in steps.items()}
    if draft.parts:
        found["parts"] = [[part.sku, part.quantity] for part in draft.parts]
    if draft.axes:
        found["axes"] = [[trait.name, list(trait.values)] for trait in draft.axes]
    if draft.aliases:
        found["aliases"] = sorted(draft.aliases, key=str.casefold)
    for code, facts in draft.alias_facts.items():
        if facts != AliasFacts():
            found[f"alias {code}"] = {"title": facts.title, "picture": facts.picture, "prices": dict(facts.prices)}
    return found


def draft_from(facts: Mapping[str, Any]) -> ProductDraft:
    """The draft that flat facts say."""
    values: dict[str, Any] = {name: facts[name] for name in PLAIN if facts.get(name) is not None}
    values["kind"] = ProductKind(facts.get("kind", "single"))
    values["tax_code"] = facts.get("tax_code") or ("" if values["kind"] == ProductKind.VARIANT else "standard")
    values.setdefault("sku", "")
    values.setdefault("title", "")
    values["size"] = _size_from("", facts)
    if facts.get("case_quantity"):
        size = _size_from("case_", facts)
        values["case_pack"] = CasePack(facts["case_quantity"], facts.get("case_weight_g"), size)
    values["parts"] = tuple(Part(sku, quantity) for sku, quantity in facts.get("parts") or ())
    values["axes"] = tuple(Trait(name, tuple(held)) for name, held in facts.get("axes") or ())
    values["aliases"] = tuple(facts.get("aliases") or ())
    many: dict[str, dict[str, Any]] = {"attribute": {}, "trait": {}, "price": {}, "alias": {}}
    breaks: dict[str, dict[int, int]] = {}
    for name, value in facts.items():
        group, space, rest = name.partition(" ")
        if not space or value is None:
            continue
        if group == "break":
            key, _, least = rest.rpartition(" ")
            breaks.setdefault(key, {})[int(least)] = value
        elif group == "alias":
            many[group][rest] = AliasFacts(value.get("title", ""), value.get("picture", ""), value.get("prices", {}))
        else:
            many[group][rest] = value
    return ProductDraft(
        **values, attributes=many["attribute"], traits=many["trait"], prices=many["price"],
        alias_facts=many["alias"], breaks=breaks,
    )  # fmt: skip


def with_facts(facts: Mapping[str, Any], new: Mapping[str, Any]) -> Facts:
    """Facts with some of them changed; an empty value takes one away."""
    return {name: value for name, value in {**facts, **new}.items() if value or not is_empty(value)}


def is_empty(value: Any) -> bool:
    """Whether a value says nothing; a cost of 0 says something.

    >>> [is_empty(value) for value in (None, "", [], {}, False, 0)]
    [True, True, True, True, True, False]
    """
    return value is None or value is False or (value != 0 and not value)


def difference(old: Mapping[str, Any], new: Mapping[str, Any]) -> Changes:
    """Each fact that differs, with (old, new); nothing is None."""
    if not old:
        return {name: (None, after) for name, after in new.items() if after or not is_empty(after)}
    found: Changes = {}
    for name, after in new.items():
        before = old.get(name)
        if before != after and not (is_empty(before) and is_empty(after)):
            found[name] = (before, after)
    for name, before in old.items():
        if name not in new and not is_empty(before):
            found[name] = (before, None)
    return found


def earlier(facts: Mapping[str, Any], changes: Iterable[Mapping[str, Any]]) -> Facts:
    """What the facts were before some changes, given newest first: each old value is put back."""
    found = dict(facts)
    for change in changes:
        found |= {name: pair[0] for name, pair in change.items()}
    return {name: value for name, value in found.items() if not is_empty(value)}


def inherited(own: Mapping[str, Any], family: Mapping[str, Any]) -> Facts:
    """A variant's facts with what its family lends it: shared facts, attributes and list prices."""
    lent = {
        name: value
        for name, value in family.items()
        if name in SHARED or name.startswith(("attribute ", "price ", "break "))
    }
    if any(own.get(side) for side in ("length_mm", "width_mm", "height_mm")):
        lent = {name: value for name, value in lent.items() if name not in ("length_mm", "width_mm", "height_mm")}
    return {**lent, **{name: value for name, value in own.items() if not is_empty(value)}}


def _size_facts(before: str, size: Size | None) -> Facts:
    if size is None:
        return {}
    return {f"{before}length_mm": size.length, f"{before}width_mm": size.width, f"{before}height_mm": size.height}


def _size_from(before: str, facts: Mapping[str, Any]) -> Size | None:
    sides = [facts.get(f"{before}{side}_mm") for side in ("length", "width", "height")]
    return Size(*(side or 0 for side in sides)) if any(sides) else None
