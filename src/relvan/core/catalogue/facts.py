"""A product as flat facts, each with one name and one plain value. History, bulk jobs, files and
undo work with these.

The names are those of the API; where there can be many of a kind, the key follows a space: `price
retail`, `break retail 10`, `attribute material`, `trait Glaze`, `alias OLD-1`. A fact without a
value is not in the mapping.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from relvan.core.catalogue.keyed import Keyed, break_fact, break_place, kind_of_fact
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

# facts that a draft has as fields of the same name
AS_FIELDS = (
    "sku",
    "title",
    "brand",
    "description",
    "gtin",
    "category",
    "weight_g",
    "cost",
    "floor",
    "advertised_minimum",
    "ceiling",
    "tax_code",
    "family",
    "parts_apart",
    "hazardous",
    "fragile",
    "this_way_up",
    "origin",
    "hs_code",
    "supplier",
    "minimum_order",
)
# what a variant takes from its family where it says nothing itself
SHARED = (
    "brand",
    "description",
    "category",
    "tax_code",
    "weight_g",
    "length_mm",
    "width_mm",
    "height_mm",
    "origin",
    "hs_code",
    "supplier",
    "minimum_order",
    "hazardous",
    "fragile",
    "this_way_up",
)
LENT = (Keyed.ATTRIBUTE, Keyed.PRICE, Keyed.BREAK)  # and these, each by its key


@dataclass(frozen=True)
class FactName:
    """How a fact is called on screen, which form its value has, and in which unit it is."""

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
    """Returns the kind of a fact of which there can be many; for any other fact it returns the
    name.

    >>> str(group_of("price retail")), group_of("weight_g")
    ('price', 'weight_g')
    """
    return kind_of_fact(name) or name


def label_of(name: str) -> str:
    """Returns the name of a fact as the screen shows it.

    >>> label_of("price retail"), label_of("trait Glaze"), label_of("weight_g")
    ('Price retail', 'Glaze', 'Weight')
    """
    if name in NAMES:
        return NAMES[name].label
    kind = kind_of_fact(name)
    if kind is None:
        return name[:1].upper() + name[1:]
    key = kind.key(name)
    return key if kind in (Keyed.TRAIT, Keyed.ATTRIBUTE) else f"{kind.capitalize()} {key}"


def form_of(name: str) -> FactName:
    """Returns the form of a fact's value; this works for facts of which there can be many as well."""
    if kind_of_fact(name) in (Keyed.PRICE, Keyed.BREAK):
        return FactName(label_of(name), "amount")
    return NAMES.get(name) or FactName(label_of(name))


def facts_of(draft: ProductDraft) -> Facts:
    """Turns a draft into flat facts."""
    found: Facts = {
        name: value for name in AS_FIELDS if not is_empty(value := getattr(draft, name))
    }
    found["kind"] = str(draft.kind)
    found |= _size_facts("", draft.size)
    if draft.case_pack:
        found["case_quantity"] = draft.case_pack.quantity
        if draft.case_pack.weight_g is not None:
            found["case_weight_g"] = draft.case_pack.weight_g
        found |= _size_facts("case_", draft.case_pack.size)
    found |= {
        Keyed.ATTRIBUTE.fact(name): value for name, value in draft.attributes.items() if value
    }
    found |= {Keyed.TRAIT.fact(name): value for name, value in draft.traits.items() if value}
    found |= Keyed.PRICE.named(draft.prices)
    found |= {
        break_fact(key, least): a
        for key, steps in draft.breaks.items()
        for least, a in steps.items()
    }
    if draft.parts:
        found["parts"] = [[part.sku, part.quantity] for part in draft.parts]
    if draft.axes:
        found["axes"] = [[trait.name, list(trait.values)] for trait in draft.axes]
    if draft.aliases:
        found["aliases"] = sorted(draft.aliases, key=str.casefold)
    for code, facts in draft.alias_facts.items():
        if facts != AliasFacts():
            found[Keyed.ALIAS.fact(code)] = {
                "title": facts.title,
                "picture": facts.picture,
                "prices": dict(facts.prices),
            }
    return found


def draft_from(facts: Mapping[str, Any]) -> ProductDraft:
    """Turns flat facts into a draft."""
    values: dict[str, Any] = {
        name: facts[name] for name in AS_FIELDS if facts.get(name) is not None
    }
    values["kind"] = ProductKind(facts.get("kind", "single"))
    values["tax_code"] = facts.get("tax_code") or (
        "" if values["kind"] == ProductKind.VARIANT else "standard"
    )
    values.setdefault("sku", "")
    values.setdefault("title", "")
    values["size"] = _size_from("", facts)
    if facts.get("case_quantity"):
        size = _size_from("case_", facts)
        values["case_pack"] = CasePack(facts["case_quantity"], facts.get("case_weight_g"), size)
    values["parts"] = tuple(Part(sku, quantity) for sku, quantity in facts.get("parts") or ())
    values["axes"] = tuple(Trait(name, tuple(held)) for name, held in facts.get("axes") or ())
    values["aliases"] = tuple(facts.get("aliases") or ())
    given = {name: value for name, value in facts.items() if value is not None}
    breaks: dict[str, dict[int, int]] = {}
    for name, value in given.items():
        if Keyed.BREAK.has(name):
            key, least = break_place(name)
            breaks.setdefault(key, {})[least] = value
    return ProductDraft(
        **values,
        attributes=Keyed.ATTRIBUTE.of(given),
        traits=Keyed.TRAIT.of(given),
        prices=Keyed.PRICE.of(given),
        alias_facts={
            alias: AliasFacts(
                said.get("title", ""), said.get("picture", ""), said.get("prices", {})
            )
            for alias, said in Keyed.ALIAS.of(given).items()
        },
        breaks=breaks,
    )


def with_facts(facts: Mapping[str, Any], new: Mapping[str, Any]) -> Facts:
    """Returns the facts with some of them changed; an empty value removes a fact."""
    return {name: value for name, value in {**facts, **new}.items() if value or not is_empty(value)}


def is_empty(value: Any) -> bool:
    """Says whether a value counts as none. A number of 0 is a value: a cost of 0 is known.

    >>> [is_empty(value) for value in (None, "", [], {}, False, 0)]
    [True, True, True, True, True, False]
    """
    return value is None or value is False or (value != 0 and not value)


def difference(old: Mapping[str, Any], new: Mapping[str, Any]) -> Changes:
    """Returns each fact that differs, with (old, new); None stands for a fact that is not there."""
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
    """Returns what the facts were before some changes. The changes come newest first, and the old
    value of each is put back."""
    found = dict(facts)
    for change in changes:
        found |= {name: pair[0] for name, pair in change.items()}
    return {name: value for name, value in found.items() if not is_empty(value)}


def inherited(own: Mapping[str, Any], family: Mapping[str, Any]) -> Facts:
    """Returns a variant's facts together with those that its family lends it: shared details,
    attributes and list prices."""
    lent = {
        name: value for name, value in family.items() if name in SHARED or group_of(name) in LENT
    }
    if any(own.get(side) for side in ("length_mm", "width_mm", "height_mm")):
        lent = {
            name: value
            for name, value in lent.items()
            if name not in ("length_mm", "width_mm", "height_mm")
        }
    return {**lent, **{name: value for name, value in own.items() if not is_empty(value)}}


def _size_facts(before: str, size: Size | None) -> Facts:
    if size is None:
        return {}
    return {
        f"{before}length_mm": size.length,
        f"{before}width_mm": size.width,
        f"{before}height_mm": size.height,
    }


def _size_from(before: str, facts: Mapping[str, Any]) -> Size | None:
    sides = [facts.get(f"{before}{side}_mm") for side in ("length", "width", "height")]
    return Size(*(side or 0 for side in sides)) if any(sides) else None
