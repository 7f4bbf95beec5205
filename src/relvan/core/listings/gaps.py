"""Finds the gaps that still keep a listing from going live, and says where each of them is mended."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from relvan.core.catalogue.identity import check_gtin
from relvan.core.listings.cascade import FieldValue, ListedProduct, Source, told_value
from relvan.core.listings.likeness import nearest
from relvan.core.listings.rulebook import NEW_PAGE, FieldRule, Place, Rulebook, parted
from relvan.core.listings.translating import TraitValue

GapKind = Literal[
    "missing",
    "too short",
    "too long",
    "not allowed",
    "wrong form",
    "bad identifier",
    "untranslated",
    "unsaid",
    "too few pictures",
    "small pictures",
    "no category",
    "no page",
    "no price",
    "low price",
    "no stock",
    "refused",
    "too many traits",
    "no members",
    "head not ready",
]
Mend = Literal[
    "product", "family", "listing", "layer", "translation", "page", "price", "stock", "pictures"
]


@dataclass(frozen=True)
class Gap:
    """One gap: the field, what is wrong in words, where to mend it, and whether the same value fits
    other listings.

    For a value that is not translated, `ours` is our value and `nearest` the most similar of the
    channel's.
    """

    field: str
    kind: GapKind
    message: str
    mend: Mend
    fits_others: bool = False
    ours: str = ""
    nearest: str = ""


@dataclass(frozen=True)
class Readiness:
    """The gaps of a listing, and how many of the channel's requirements it meets."""

    gaps: tuple[Gap, ...]
    demands: int
    met: int


@dataclass(frozen=True)
class FamilyPlace:
    """The place of a listing in a family: by itself, the head with so many members, or a member.

    `traits` are those of a member in the channel's words; for a head they are those that its
    variants differ by. `head_gaps` is how many gaps the head of a member has. The product of a
    `stray` member does not belong to the family any more.
    """

    part: Place = "whole"
    traits: tuple[TraitValue, ...] = ()
    members: int = 0
    head_gaps: int = 0
    stray: bool = False


BY_ITSELF = FamilyPlace()


def gap_mark(gaps: Sequence[Mapping[str, object]]) -> str:
    """Returns a short text that is the same for the same gaps and empty where there are none.
    Listings that lack the same things are counted by it.

    >>> gap_mark([])
    ''
    >>> gap_mark([{"field": "a", "kind": "b"}]) == gap_mark([{"kind": "b", "field": "a"}])
    True
    """
    if not gaps:
        return ""
    text = json.dumps(list(gaps), sort_keys=True, separators=(",", ":"))
    return hashlib.blake2b(text.encode(), digest_size=8).hexdigest()


@dataclass(frozen=True)
class Shelf:
    """The values that gaps depend on besides the fields: the price in minor units, or why there is
    `no_price`; the quantity; and whether the listing is live and may therefore stay at zero stock.
    """

    price: int | None
    quantity: int
    live: bool = False
    no_price: str = ""


def find_gaps(
    rulebook: Rulebook,
    fields: Mapping[str, FieldValue],
    product: ListedProduct,
    shelf: Shelf,
    *,
    place: FamilyPlace = BY_ITSELF,
    category: str | None = None,
) -> Readiness:
    """Returns all gaps of one listing and how many of the channel's requirements it meets."""
    if category is None:
        category = fields[rulebook.category_field].value if rulebook.category_field else ""
    new_page = rulebook.pages is None or fields[rulebook.page_field].value == NEW_PAGE
    gaps: list[Gap] = []
    demands = 0
    for rule in rulebook.asked_rules(category, place.part):
        if rule.for_new_page and not new_page:
            continue
        required = rule.required or category in rule.required_in
        if required and rule.without and fields[rule.without].value:
            required = False
        demands += required
        found = fields[rule.name]
        if required or found.value or found.missing:
            gaps += field_gaps(rule, rulebook, found, required=required)
    if place.part != "whole":
        gaps += family_gaps(rulebook, place)
        demands += 1
    if new_page and place.part != "member":
        gaps += picture_gaps(rulebook, product)
        demands += rulebook.pictures.least > 0
    if place.part != "head":
        gaps += price_gaps(rulebook, shelf.price, shelf.no_price)
        if shelf.quantity <= 0 and not shelf.live:
            gaps.append(Gap("quantity", "no stock", "None is free to sell.", "stock"))
        demands += 2
    open_fields = {gap.field for gap in gaps}
    return Readiness(tuple(gaps), demands, max(0, demands - len(open_fields)))


def field_gaps(
    rule: FieldRule, rulebook: Rulebook, found: FieldValue, *, required: bool
) -> list[Gap]:
    """Returns what is wrong with the value of one field."""
    value = found.value
    if found.missing:
        lacks = ", ".join(f"“{name}”" for name in found.missing[:4])
        message = f"The wording “{found.layer}” asks for {lacks}, and the product does not say it."
        return [Gap(rule.name, "unsaid", message, "layer")]
    if not value:
        if not required:
            return []
        if rule.kind == "category":
            return [
                Gap(
                    rule.name,
                    "no category",
                    f"{rulebook.name} asks for a category.",
                    "listing",
                    True,
                )
            ]
        if rule.kind == "page":
            return [Gap(rule.name, "no page", "No page of the catalogue is chosen.", "page", True)]
        return [Gap(rule.name, "missing", f"“{rule.label}” is missing.", mend_of(rule), True)]
    if rule.kind == "category" and value not in rulebook.category_of_key:
        return [Gap(rule.name, "no category", f"“{value}” is no category there.", "listing", True)]
    if rule.kind == "choice" and value not in rule.choices:
        return [choice_gap(rule, found)]
    if rule.kind == "words":
        return words_gaps(rule, value)
    if rule.kind == "gtin" and check_gtin(value):
        return [Gap(rule.name, "bad identifier", f"“{value}” is no GTIN.", "product")]
    if rule.kind == "number":
        return number_gaps(rule, value)
    return length_gaps(rule, told_value(rule, value))


def choice_gap(rule: FieldRule, found: FieldValue) -> Gap:
    """Returns the gap of a value that is not among those allowed. When the value is ours it is to
    be translated; otherwise another is to be chosen."""
    if found.source in (Source.LISTING, Source.RULEBOOK):
        allowed = ", ".join(rule.choices)
        return Gap(
            rule.name, "not allowed", f"“{rule.label}” must be one of {allowed}.", "listing", True
        )
    near = nearest(found.value, rule.choices)
    message = f"“{rule.label}” does not know our “{found.value}”" + (
        f"; the nearest is “{near}”." if near else "."
    )
    return Gap(rule.name, "untranslated", message, "translation", True, found.value, near)


def family_gaps(rulebook: Rulebook, place: FamilyPlace) -> list[Gap]:
    """Returns what is wrong with a family, at its head or at one of its members."""
    if place.part == "head":
        found = []
        if len(place.traits) > rulebook.traits.most:
            names = ", ".join(trait.ours for trait in place.traits)
            message = f"{rulebook.name} shows families by at most {rulebook.traits.most} traits; this one has {names}."
            found.append(Gap("traits", "too many traits", message, "family"))
        if not place.members:
            found.append(Gap("members", "no members", "No variant is listed under it.", "listing"))
        return found + [_trait_gap(trait) for trait in place.traits if trait.lacks == "name"]
    if place.stray:
        message = "Its product has left this family: take it down here, then publish it by itself."
        return [Gap("head", "head not ready", message, "family")]
    if place.head_gaps:
        word = "gap" if place.head_gaps == 1 else "gaps"
        return [
            Gap(
                "head",
                "head not ready",
                f"Its family’s page has {place.head_gaps} {word}.",
                "family",
            )
        ]
    return [_trait_gap(trait) for trait in place.traits if trait.lacks == "value"]


def _trait_gap(trait: TraitValue) -> Gap:
    near = f"; the nearest is “{trait.suggestion}”." if trait.suggestion else "."
    if trait.lacks == "name":
        message = f"There is no trait “{trait.ours}” there{near}"
        return Gap(
            "trait", "untranslated", message, "translation", True, trait.ours, trait.suggestion
        )
    message = f"“{trait.theirs}” does not know our “{trait.our_value}”{near}"
    return Gap(
        trait.theirs,
        "untranslated",
        message,
        "translation",
        True,
        trait.our_value,
        trait.suggestion,
    )


def length_gaps(rule: FieldRule, value: str) -> list[Gap]:
    """Returns the gap of a text that is too short or too long, in characters."""
    if rule.least is not None and len(value) < rule.least:
        message = f"“{rule.label}” needs at least {rule.least} characters; it has {len(value)}."
        return [Gap(rule.name, "too short", message, mend_of(rule))]
    if rule.most is not None and len(value) > rule.most:
        message = f"“{rule.label}” takes at most {rule.most} characters; it has {len(value)}."
        return [Gap(rule.name, "too long", message, "listing")]
    return []


def words_gaps(rule: FieldRule, value: str) -> list[Gap]:
    """Returns the gaps of a field with several words: too many of them, or one that is too long."""
    words = parted(value)
    if rule.most is not None and len(words) > rule.most:
        message = f"“{rule.label}” takes at most {rule.most}; there are {len(words)}."
        return [Gap(rule.name, "too long", message, "listing")]
    long = [word for word in words if rule.most_each is not None and len(word) > rule.most_each]
    if long:
        message = f"“{rule.label}” takes words of at most {rule.most_each} characters; “{long[0]}” has {len(long[0])}."
        return [Gap(rule.name, "too long", message, "listing")]
    return []


def number_gaps(rule: FieldRule, value: str) -> list[Gap]:
    """Returns the gap of a value that is no whole number or is out of bounds."""
    if not value.isascii() or not value.isdigit():
        return [
            Gap(rule.name, "wrong form", f"“{rule.label}” must be a whole number.", mend_of(rule))
        ]
    least, most = rule.least or 0, rule.most if rule.most is not None else 10**9
    if not least <= int(value) <= most:
        message = f"“{rule.label}” must be between {least} and {most}; it is {value}."
        return [Gap(rule.name, "wrong form", message, mend_of(rule))]
    return []


def mend_of(rule: FieldRule) -> Mend:
    """Says where a field is best mended: at the product when the product feeds it, else at the
    listing."""
    return "product" if rule.origin else "listing"


def picture_gaps(rulebook: Rulebook, product: ListedProduct) -> list[Gap]:
    """Returns the gaps of pictures: too few of them, or pictures that are too small."""
    rule = rulebook.pictures
    if len(product.picture_sides) < rule.least:
        message = f"{rulebook.name} asks for {rule.least} or more pictures; there are {len(product.picture_sides)}."
        return [Gap("pictures", "too few pictures", message, "pictures")]
    small = [side for side in product.picture_sides[: rule.most] if side < rule.least_side_px]
    if small:
        message = f"Pictures need {rule.least_side_px} pixels on the shorter side; the smallest has {min(small)}."
        return [Gap("pictures", "small pictures", message, "pictures")]
    return []


def price_gaps(rulebook: Rulebook, price: int | None, why_none: str = "") -> list[Gap]:
    """Returns the gap of a listing without a price, or with one that the channel does not take."""
    if price is None:
        message = why_none or "The product has no price on the channel's price list."
        return [Gap("price", "no price", message, "price")]
    if price < rulebook.least_price:
        return [
            Gap(
                "price",
                "low price",
                f"{rulebook.name} takes prices from {rulebook.least_price / 100:.2f}.",
                "price",
            )
        ]
    return []
