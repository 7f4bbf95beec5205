"""Reads the form of a product into its details, and gathers what cannot be read beside its field."""

from collections.abc import Mapping
from typing import Any

from relvan.core.catalogue.facts import Facts, with_facts
from relvan.core.catalogue.keyed import Keyed, kind_of_fact
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import Refusal
from relvan.web.desk import PostedForm
from relvan.web.reading import FormReader, fields_under

TEXTS = ("title", "brand", "category", "origin", "hs_code", "supplier")
WHOLE = {
    "weight_g": "Weight",
    "length_mm": "Length",
    "width_mm": "Width",
    "height_mm": "Height",
    "case_quantity": "Units in a case",
    "case_weight_g": "Weight of a case",
    "case_length_mm": "Length of a case",
    "case_width_mm": "Width of a case",
    "case_height_mm": "Height of a case",
    "minimum_order": "Minimum order",
}
FLAGS = ("hazardous", "fragile", "this_way_up", "parts_apart")


def facts_from_form(
    form: PostedForm, before: Mapping[str, Any], currencies: Mapping[str, str]
) -> Facts:
    """Returns the facts of the product with what was typed. Facts that the form does not show stay
    as they are.

    `currencies` are those of the price lists; "" is the seller's own. Every field that cannot be
    read is refused.
    """
    read = FormReader(form)
    new: dict[str, Any] = {"sku": form.get("sku", "")}
    new |= {name: read.text(name) for name in TEXTS if name in form}
    new["description"] = read.lines("description")
    new["gtin"] = read.text("gtin").replace(" ", "") or None
    new["tax_code"] = read.text("tax_code")
    new |= {name: read.whole(name, label) for name, label in WHOLE.items() if name in form}
    new |= {name: read.text(name) == "yes" for name in FLAGS if f"{name}_asked" in form}
    for name in ("cost", "floor", "advertised_minimum", "ceiling"):
        new[name] = read.amount(name, currencies[""])
    for key in fields_under(form, "price_"):
        currency = currencies.get(key, currencies[""])
        new[Keyed.PRICE.fact(key)] = read.amount(f"price_{key}", currency)
    _sides(read, new)
    kept = {
        name: value
        for name, value in before.items()
        if kind_of_fact(name) not in (Keyed.ATTRIBUTE, Keyed.TRAIT, Keyed.ALIAS)
    }
    new |= _pairs(form, "attribute") | _pairs(form, "trait")
    if "aliases" in form:
        codes = read.text("aliases").replace(",", "\n").split("\n")
        new["aliases"] = sorted((code.strip() for code in codes if code.strip()), key=str.casefold)
        known = {code.casefold() for code in new["aliases"]}
        kept |= {n: v for n, v in before.items() if Keyed.ALIAS.key(n).casefold() in known}
    else:
        kept |= {name: value for name, value in before.items() if Keyed.ALIAS.has(name)}
    _kind(read, new, before)
    if "part_sku" in form:
        new["parts"] = _parts(form, read)
    if "axis_name" in form:
        new["axes"] = _axes(form)
    read.raise_if_refused()
    return with_facts(kept, new)


def _kind(read: FormReader, new: dict[str, Any], before: Mapping[str, Any]) -> None:
    kind = read.text("kind") or str(before.get("kind", "single"))
    if kind not in set(ProductKind):
        read.refusals.append(
            Refusal("not-allowed", f"There is no kind “{kind[:20]}”.", "Choose one.", "kind")
        )
        kind = "single"
    family = read.text("family") if "family" in read.form else str(before.get("family", ""))
    new["family"] = family or None
    if family and kind == ProductKind.SINGLE:
        kind = str(ProductKind.VARIANT)
    new["kind"] = kind


def _sides(read: FormReader, new: dict[str, Any]) -> None:
    """Returns all three sides, or None when none is given."""
    for before, field in (("", "size"), ("case_", "case_size")):
        sides = [new.get(f"{before}{side}_mm") for side in ("length", "width", "height")]
        if any(side is not None for side in sides) and None in sides:
            read.refusals.append(
                Refusal("missing", "“Size” needs all three sides.", "Fill in the others.", field)
            )


def _pairs(form: PostedForm, group: str) -> dict[str, Any]:
    """Returns names and values that were typed beside each other."""
    pairs = zip(form.all(f"{group}_name"), form.all(f"{group}_value"), strict=False)
    return {
        f"{group} {name.strip()}": value.strip()
        for name, value in pairs
        if name.strip() or value.strip()
    }


def _parts(form: PostedForm, read: FormReader) -> list[list[Any]]:
    found: list[list[Any]] = []
    for sku, typed in zip(form.all("part_sku"), form.all("part_quantity"), strict=False):
        if not sku.strip():
            continue
        quantity = typed.strip() or "1"
        if not quantity.isascii() or not quantity.isdigit() or len(quantity) > 9:
            message = f"“Quantity of {sku.strip()[:40]}” must be a whole number; it got “{quantity[:20]}”."
            read.refusals.append(Refusal("form", message, "Type digits only.", "parts"))
            continue
        found.append([sku.strip(), int(quantity)])
    return found


def _axes(form: PostedForm) -> list[list[Any]]:
    """Returns traits with their values, which stand on lines of their own or are separated by
    commas.
    """
    found: list[list[Any]] = []
    for name, values in zip(form.all("axis_name"), form.all("axis_values"), strict=False):
        if name.strip():
            split = values.replace("\r", "").replace(",", "\n").split("\n")
            found.append([name.strip(), [value.strip() for value in split if value.strip()]])
    return found
