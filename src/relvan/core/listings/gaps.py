"""What still keeps a listing from going live, and where each thing is mended."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from relvan.core.catalogue.identity import check_gtin
from relvan.core.listings.cascade import FieldValue, ListedProduct
from relvan.core.listings.rulebook import FieldRule, Rulebook, parted

GapKind = Literal[
    "missing", "too short", "too long", "not allowed", "wrong form", "bad identifier",
    "too few pictures", "small pictures", "no category", "no price", "low price", "no stock", "refused",
]  # fmt: skip
Mend = Literal["product", "listing", "price", "stock", "pictures"]


@dataclass(frozen=True)
class Gap:
    """One gap: the field, what is wrong in words, where to mend it, whether the same mend fits others."""

    field: str
    kind: GapKind
    message: str
    mend: Mend
    fits_others: bool = False


@dataclass(frozen=True)
class Readiness:
    """The gaps, and how many of the channel's demands are met."""

    gaps: tuple[Gap, ...]
    demands: int
    met: int


def find_gaps(
    rulebook: Rulebook,
    fields: Mapping[str, FieldValue],
    product: ListedProduct,
    *,
    price: int | None,
    quantity: int,
    live: bool,
) -> Readiness:
    """All gaps of one listing. `price` in minor units; a listing that is live may stand at zero stock."""
    category = fields[rulebook.category_field].value if rulebook.category_field else ""
    gaps: list[Gap] = []
    demands = 0
    for rule in rulebook.fields:
        required = rule.required or category in rule.required_in
        demands += required
        gaps += field_gaps(rule, rulebook, fields[rule.name].value, required=required)
    gaps += picture_gaps(rulebook, product)
    gaps += price_gaps(rulebook, price)
    if quantity <= 0 and not live:
        gaps.append(Gap("quantity", "no stock", "None is free to sell.", "stock"))
    demands += 2 + (rulebook.pictures.least > 0)
    open_fields = {gap.field for gap in gaps}
    return Readiness(tuple(gaps), demands, max(0, demands - len(open_fields)))


def field_gaps(rule: FieldRule, rulebook: Rulebook, value: str, *, required: bool) -> list[Gap]:
    """What is wrong with one field's value."""
    if not value:
        if not required:
            return []
        if rule.kind == "category":
            return [Gap(rule.name, "no category", f"{rulebook.name} asks for a category.", "listing", True)]
        return [Gap(rule.name, "missing", f"“{rule.label}” is missing.", mend_of(rule), True)]
    if rule.kind == "category" and value not in {category.key for category in rulebook.categories}:
        return [Gap(rule.name, "no category", f"“{value}” is no category there.", "listing", True)]
    if rule.kind == "choice" and value not in rule.choices:
        allowed = ", ".join(rule.choices)
        return [Gap(rule.name, "not allowed", f"“{rule.label}” must be one of {allowed}.", "listing", True)]
    if rule.kind == "words":
        return words_gaps(rule, value)
    if rule.kind == "gtin" and check_gtin(value):
        return [Gap(rule.name, "bad identifier", f"“{value}” is no GTIN.", "product")]
    if rule.kind == "number":
        return number_gaps(rule, value)
    return length_gaps(rule, value)


def length_gaps(rule: FieldRule, value: str) -> list[Gap]:
    """Too short or too long, in characters."""
    if rule.least is not None and len(value) < rule.least:
        message = f"“{rule.label}” needs at least {rule.least} characters; it has {len(value)}."
        return [Gap(rule.name, "too short", message, mend_of(rule))]
    if rule.most is not None and len(value) > rule.most:
        message = f"“{rule.label}” takes at most {rule.most} characters; it has {len(value)}."
        return [Gap(rule.name, "too long", message, "listing")]
    return []


def words_gaps(rule: FieldRule, value: str) -> list[Gap]:
    """Too many words, or one that is too long."""
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
    """No whole number, or outside the bounds."""
    if not value.isascii() or not value.isdigit():
        return [Gap(rule.name, "wrong form", f"“{rule.label}” must be a whole number.", mend_of(rule))]
    least, most = rule.least or 0, rule.most if rule.most is not None else 10**9
    if not least <= int(value) <= most:
        message = f"“{rule.label}” must be between {least} and {most}; it is {value}."
        return [Gap(rule.name, "wrong form", message, mend_of(rule))]
    return []


def mend_of(rule: FieldRule) -> Mend:
    """Where a field is best mended: at the product when it feeds the field, else at the listing."""
    return "product" if rule.origin else "listing"


def picture_gaps(rulebook: Rulebook, product: ListedProduct) -> list[Gap]:
    """Too few pictures, or too small ones."""
    rule = rulebook.pictures
    if len(product.picture_sides) < rule.least:
        message = f"{rulebook.name} asks for {rule.least} or more pictures; there are {len(product.picture_sides)}."
        return [Gap("pictures", "too few pictures", message, "pictures")]
    small = [side for side in product.picture_sides[: rule.most] if side < rule.least_side_px]
    if small:
        message = f"Pictures need {rule.least_side_px} pixels on the shorter side; the smallest has {min(small)}."
        return [Gap("pictures", "small pictures", message, "pictures")]
    return []


def price_gaps(rulebook: Rulebook, price: int | None) -> list[Gap]:
    """No price, or one that the channel does not take."""
    if price is None:
        return [Gap("price", "no price", "The product has no price on the channel's price list.", "price")]
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
