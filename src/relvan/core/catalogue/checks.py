"""Checks the facts of a product and names the field that each refusal belongs to. What depends on
other products (a SKU that is taken, a circle of kits, two equal variants) is checked in the
services, where those are known."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Any

from relvan.core.catalogue.facts import Facts, facts_of
from relvan.core.catalogue.identity import check_gtin, check_sku, sku_key, skus_are_right
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import (
    MOST_ALIASES,
    MOST_ATTRIBUTE,
    MOST_ATTRIBUTES,
    MOST_DESCRIPTION,
    MOST_PART_UNITS,
    MOST_PARTS,
    MOST_SIDE_MM,
    MOST_TITLE,
    MOST_TRAIT_VALUES,
    MOST_TRAITS,
    MOST_UNITS,
    MOST_WEIGHT_G,
    MOST_WORD,
    TAX_CODES,
    ProductDraft,
    ProductKind,
)
from relvan.core.money import MOST_MINOR
from relvan.core.refusal import Refusal

Check = Callable[[Any], Sequence[Refusal]]
NEEDED = ("sku", "title")


def check_product(draft: ProductDraft) -> list[Refusal]:
    """Returns all that is wrong with a draft; the list is empty when it may be saved."""
    return check_facts(facts_of(draft))


def check_facts(facts: Facts, changed: Iterable[str] | None = None) -> list[Refusal]:
    """Returns all that is wrong with the facts that `changed` names and with the facts that depend
    on them. Without `changed` all facts are checked. Facts that have not changed are not checked
    again."""
    names = (
        (*facts, *(name for name in NEEDED if name not in facts)) if changed is None else changed
    )
    found: list[Refusal] = []
    groups: set[str] = set()
    for name in names:
        value = facts.get(name)
        check, touched = _checks_of(name)
        if check is not None and (value or value == 0 or name in NEEDED):
            found += check("" if value is None else value)
        if touched:
            groups.update(touched)
    for group in sorted(groups):
        found += TOGETHER[group](facts)
    return found


def wrong_values(name: str, values: Collection[Any]) -> set[Any]:
    """Returns those of the values of one fact that `check_facts` refuses on a single product
    without other facts."""
    check, groups = _checks_of(name)
    wrong = {value for value in values if check(value)} if check is not None else set()
    for group in (
        () if name == "sku" else groups
    ):  # a SKU by itself repeats no alias and is in no family
        wrong |= {value for value in values if TOGETHER[group]({"kind": "single", name: value})}
    return wrong


def surely_right(name: str, values: Sequence[Any]) -> bool:
    """Says whether none of many texts is wrong, found by one look at all of them joined. When it
    says no, one of them may be wrong."""
    look = AT_ONCE.get(name)
    return look is not None and None not in values and look(values)


@lru_cache(maxsize=4_096)
def _checks_of(name: str) -> tuple[Check | None, Sequence[str]]:
    """Returns how a fact is checked by itself, and the groups of facts that it is checked with."""
    group, space, rest = name.partition(" ")
    if not space:
        return ALONE.get(name), TOUCHES.get(name, ())
    check = MANY.get(group)
    return check and partial(check, rest), (group,) if group in TOGETHER else ()


def check_shape(facts: Facts) -> list[Refusal]:
    """Checks that a product has what its kind needs and nothing that its kind cannot have."""
    found: list[Refusal] = []
    kind, family, sku = facts.get("kind", "single"), facts.get("family"), str(facts.get("sku", ""))
    if kind == ProductKind.VARIANT and not family:
        found.append(
            Refusal("missing", "A variant must name its family.", "Choose the family.", "family")
        )
    if family and kind != ProductKind.VARIANT:
        message = f"Only a variant is in a family; this is a {kind}."
        found.append(Refusal("not-allowed", message, "Make it a variant.", "family"))
    if family and sku_key(family) == sku_key(sku):
        found.append(
            Refusal("circle", "A product must not be its own family.", "Choose another.", "family")
        )
    if facts.get("parts") and kind != ProductKind.KIT:
        found.append(
            Refusal("not-allowed", f"Only a kit has parts; this is a {kind}.", "", "parts")
        )
    if facts.get("axes") and kind != ProductKind.FAMILY:
        found.append(
            Refusal(
                "not-allowed", f"Only a family has traits of its own; this is a {kind}.", "", "axes"
            )
        )
    if kind == ProductKind.FAMILY and facts.get("gtin"):
        found.append(
            Refusal(
                "not-allowed", "A family is never sold, so it has no GTIN.", "Leave it out.", "gtin"
            )
        )
    if kind == ProductKind.FAMILY:
        found += check_axes(facts.get("axes") or ())
    if facts.get("parts"):
        found += check_parts(sku, facts["parts"])
    return found


def check_axes(axes: Sequence[Any]) -> list[Refusal]:
    """Checks the traits of a family, [name, values] each: there are one to three, and no name and
    no value is given twice."""
    if not 1 <= len(axes) <= MOST_TRAITS:
        message = f"“Traits” must be 1 to {MOST_TRAITS}; there are {len(axes)}."
        return [Refusal("traits", message, "Say what the variants differ by.", "axes")]
    found: list[Refusal] = []
    names = [name.casefold() for name, _ in axes]
    for name, values in axes:
        found += check_text("axes", "Trait", name, MOST_WORD, needed=True)
        found += [
            r for value in values for r in check_text("axes", name, value, MOST_WORD, needed=True)
        ]
        if len(values) > MOST_TRAIT_VALUES:
            message = f"“{name}” must have at most {MOST_TRAIT_VALUES} values."
            found.append(Refusal("too-many", message, "Split the family.", "axes"))
        if names.count(name.casefold()) > 1:
            found.append(
                Refusal("twice", f"“{name}” is there twice.", "Name each trait once.", "axes")
            )
    return found


def check_parts(sku: str, parts: Sequence[Any]) -> list[Refusal]:
    """Checks the parts of a kit, [SKU, quantity] each: none is named twice, every quantity is at
    least 1, and the kit is not its own part."""
    found: list[Refusal] = []
    if len(parts) > MOST_PARTS:
        found.append(
            Refusal(
                "too-many",
                f"“Parts” must be at most {MOST_PARTS}.",
                "Join some into a kit.",
                "parts",
            )
        )
    seen: set[str] = set()
    for part, quantity in parts:
        if sku_key(part) == sku_key(sku):
            found.append(
                Refusal("circle", f"“{part}” must not be a part of itself.", "Remove it.", "parts")
            )
        if sku_key(part) in seen:
            message = f"“{part}” is a part twice."
            found.append(Refusal("twice", message, "Write it once, with the sum.", "parts"))
        seen.add(sku_key(part))
        found += check_number("parts", f"Quantity of {part}", quantity, 1, MOST_PART_UNITS, "units")
    return found


def check_text(
    name: str, label: str, text: str, most: int, *, needed: bool = False, lines: bool = False
) -> list[Refusal]:
    """Checks that a text is not too long and has no control characters."""
    if needed and not text.strip():
        return [Refusal("missing", f"“{label}” must not be empty.", "Fill it in.", name)]
    if len(text) > most:
        message = f"“{label}” must have at most {most:,} characters; it has {len(text):,}."
        return [Refusal("too-long", message, "Shorten it.", name)]
    if text.isprintable():
        return []
    allowed = "\n\r\t" if lines else ""
    if any(ord(character) < 32 and character not in allowed for character in text):
        return [
            Refusal("form", f"“{label}” must be plain text.", "Remove control characters.", name)
        ]
    return []


def check_number(
    name: str, label: str, value: int | None, least: int, most: int, unit: str
) -> list[Refusal]:
    """Checks that a number is whole and within its bounds; no number is allowed too."""
    if value is None or least <= value <= most:
        return []
    message = f"“{label}” must be between {least:,} and {most:,} {unit}; it got {value:,}."
    return [Refusal("out-of-range", message, "Correct the number.", name)]


def check_sides(facts: Facts, before: str = "", place: str = "size") -> list[Refusal]:
    """Checks that a size has either three sides of 1 mm to 20 m or none."""
    sides = [facts.get(f"{before}{side}_mm") for side in ("length", "width", "height")]
    if all(side is None for side in sides) or all(
        side and 0 < side <= MOST_SIDE_MM for side in sides
    ):
        return []
    labels = ("Length", "Width", "Height")
    return [
        refusal
        for label, side in zip(labels, sides, strict=True)
        for refusal in check_number(place, label, side or 0, 1, MOST_SIDE_MM, "mm")
    ]


def check_price(key: str, amount: int) -> list[Refusal]:
    """Checks a list price: it must be from 0.01 to 99,999,999.99."""
    return check_number("price", f"Price on {key}", amount, 1, MOST_MINOR, "minor units")


def check_break(rest: str, amount: int) -> list[Refusal]:
    """Checks a quantity break, which is named by its list and its units: it begins at two units or
    more."""
    key, _, least = rest.rpartition(" ")
    return [
        *check_number("price", f"Break on {key}", int(least), 2, MOST_UNITS, "units"),
        *check_price(key, amount),
    ]


def check_tax_code(facts: Facts) -> list[Refusal]:
    """Checks that a tax code is one of the seller's. A variant may leave it to its family; an empty
    one means the standard code."""
    code = facts.get("tax_code") or "standard"
    if code in TAX_CODES:
        return []
    message = f"“Tax code” must be one of {', '.join(TAX_CODES)}; it got “{code[:40]}”."
    return [Refusal("not-allowed", message, "Choose one of them.", "tax_code")]


def check_origin(code: str) -> list[Refusal]:
    """Checks a country of origin: an ISO 3166-1 alpha-2 code of two capital letters."""
    if not code or (len(code) == 2 and code.isascii() and code.isalpha() and code.isupper()):
        return []
    message = f"“Country of origin” must be a code of two letters; it got “{code[:40]}”."
    return [Refusal("form", message, "Like NL or PT.", "origin")]


def check_hs_code(code: str) -> list[Refusal]:
    """Checks a customs code of the Harmonized System: 6 digits, or up to 10 with the national
    digits."""
    if not code or (code.isascii() and code.isdigit() and 6 <= len(code) <= 10):
        return []
    message = f"“Customs code” must be 6 to 10 digits; it got “{code[:40]}”."
    return [Refusal("form", message, "Type digits only, such as 691200.", "hs_code")]


@lru_cache(maxsize=1_024)
def check_category(path: str) -> Sequence[Refusal]:
    """Checks a category's path: names of levels with a slash and spaces between them."""
    found = check_text("category", "Category", path, MOST_WORD * 2)
    if path and any(not level.strip() or level != level.strip() for level in path.split(" / ")):
        message = f"“Category” must be levels parted by “ / ”; it got “{path[:60]}”."
        found.append(Refusal("form", message, "Like Pots / Indoors.", "category"))
    return found


def check_attributes(facts: Facts) -> list[Refusal]:
    """Checks that a product has at most 60 attributes."""
    count = sum(Keyed.ATTRIBUTE.has(name) for name in facts)
    if count <= MOST_ATTRIBUTES:
        return []
    message = f"“Attributes” must be at most {MOST_ATTRIBUTES}; there are {count}."
    return [Refusal("too-many", message, "Remove some.", "attributes")]


def check_attribute(name: str, value: str) -> list[Refusal]:
    """Checks one attribute: its name has at most 120 characters and its value at most 400."""
    return [
        *check_text("attributes", "Attribute name", name, MOST_WORD, needed=True),
        *check_text("attributes", f"Attribute {name}", value, MOST_ATTRIBUTE),
    ]


def check_aliases(facts: Facts) -> list[Refusal]:
    """Checks the aliases of a product: each has the form of a SKU and differs from the SKU and from
    the other aliases."""
    aliases = facts.get("aliases")
    if not aliases:
        return []
    if len(aliases) > MOST_ALIASES:
        return [
            Refusal(
                "too-many", f"“Aliases” must be at most {MOST_ALIASES}.", "Remove some.", "aliases"
            )
        ]
    found = [refusal for alias in aliases for refusal in check_sku(alias, "aliases")]
    seen = {sku_key(str(facts.get("sku", "")))}
    for alias in aliases:
        if sku_key(alias) in seen:
            message = (
                f"“Aliases” must differ from the SKU and each other; “{alias}” is there twice."
            )
            found.append(Refusal("twice", message, "Remove one of them.", "aliases"))
        seen.add(sku_key(alias))
    return found


def check_face(alias: str, said: Mapping[str, Any]) -> list[Refusal]:
    """Checks the title and the prices that an alias has of its own."""
    return [
        *check_text("aliases", f"Title of {alias}", said.get("title", ""), MOST_TITLE),
        *(r for key, amount in said.get("prices", {}).items() for r in check_price(key, amount)),
    ]


@dataclass(frozen=True)
class TextCheck:
    """Checks a text of at most so many characters."""

    name: str
    label: str
    most: int
    needed: bool = False
    lines: bool = False

    def __call__(self, text: str) -> Sequence[Refusal]:
        if self.clears((text,)):
            return ()
        return check_text(
            self.name, self.label, text, self.most, needed=self.needed, lines=self.lines
        )

    def clears(self, texts: Collection[str]) -> bool:
        """Says whether surely none of these texts is wrong, found by one look at all of them."""
        plain = "".join(texts).isprintable() and max(map(len, texts), default=0) <= self.most
        return plain and (not self.needed or all(map(str.strip, texts)))


def _number(name: str, label: str, least: int, most: int, unit: str) -> Check:
    def check(value: int) -> Sequence[Refusal]:
        return () if least <= value <= most else check_number(name, label, value, least, most, unit)

    return check


# a fact -> what is wrong with its value alone
ALONE: Mapping[str, Check] = {
    "sku": check_sku,
    "title": TextCheck("title", "Title", MOST_TITLE, needed=True),
    "brand": TextCheck("brand", "Brand", MOST_WORD),
    "description": TextCheck("description", "Description", MOST_DESCRIPTION, lines=True),
    "gtin": check_gtin,
    "category": check_category,
    "weight_g": _number("weight_g", "Weight", 1, MOST_WEIGHT_G, "grams"),
    "cost": _number("cost", "Cost", 0, MOST_MINOR, "minor units"),
    "floor": _number("floor", "Floor", 0, MOST_MINOR, "minor units"),
    "advertised_minimum": _number(
        "advertised_minimum", "Advertised minimum", 0, MOST_MINOR, "minor units"
    ),
    "ceiling": _number("ceiling", "Ceiling", 1, MOST_MINOR, "minor units"),
    "case_quantity": _number("case_quantity", "Units in a case", 1, MOST_UNITS, "units"),
    "case_weight_g": _number("case_weight_g", "Weight of a case", 1, MOST_WEIGHT_G, "grams"),
    "origin": check_origin,
    "hs_code": check_hs_code,
    "supplier": TextCheck("supplier", "Supplier", MOST_WORD),
    "minimum_order": _number("minimum_order", "Minimum order", 1, MOST_UNITS, "units"),
}
# a fact that is a text -> whether there is surely nothing wrong with any of many
AT_ONCE: Mapping[str, Callable[[Collection[str]], bool]] = {
    **{name: check.clears for name, check in ALONE.items() if isinstance(check, TextCheck)},
    "sku": skus_are_right,
}
# the same as of one fact for those there can be many of: their name without the group, and the
# value
MANY: Mapping[str, Callable[..., Sequence[Refusal]]] = {
    "attribute": check_attribute,
    "price": check_price,
    "break": check_break,
    "alias": check_face,
}
# facts that are looked at together with others, by group
TOGETHER: Mapping[str, Callable[[Facts], list[Refusal]]] = {
    "attribute": check_attributes,
    "size": check_sides,
    "case size": lambda facts: check_sides(facts, "case_", "case_size"),
    "tax": check_tax_code,
    "aliases": check_aliases,
    "shape": check_shape,
}
TOUCHES: Mapping[str, Sequence[str]] = {
    **dict.fromkeys(("length_mm", "width_mm", "height_mm"), ("size",)),
    **dict.fromkeys(("case_length_mm", "case_width_mm", "case_height_mm"), ("case size",)),
    **dict.fromkeys(("kind", "family", "axes", "parts", "gtin"), ("shape",)),
    "sku": ("aliases", "shape"),
    "aliases": ("aliases",),
    "tax_code": ("tax",),
}
