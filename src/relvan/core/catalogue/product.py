"""The values that describe a product."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

MOST_TITLE = 200
MOST_DESCRIPTION = 20_000
MOST_WORD = 120
MOST_WEIGHT_G = 2_000_000
MOST_SIDE_MM = 20_000
MOST_ATTRIBUTES = 60
MOST_ATTRIBUTE = 400
MOST_ALIASES = 50
MOST_PARTS = 200
MOST_PART_UNITS = 10_000
MOST_TRAITS = 3  # three is what a grid with tabs can show, and what the widest channel takes
MOST_TRAIT_VALUES = 400
MOST_UNITS = 1_000_000


class ProductKind(StrEnum):
    """The kinds of products."""

    SINGLE = "single"
    FAMILY = "family"
    VARIANT = "variant"
    KIT = "kit"
    SERVICE = "service"


STOCKED = (ProductKind.SINGLE, ProductKind.VARIANT)


@dataclass(frozen=True)
class Size:
    """Length, width and height in millimetres."""

    length: int
    width: int
    height: int


@dataclass(frozen=True)
class CasePack:
    """How many units a supplier's case holds, its weight in grams and its size."""

    quantity: int
    weight_g: int | None = None
    size: Size | None = None


@dataclass(frozen=True)
class Part:
    """How many units of one SKU are in one kit."""

    sku: str
    quantity: int


@dataclass(frozen=True)
class Trait:
    """What the variants of a family differ by, with its possible values in the order of the grid."""

    name: str
    values: tuple[str, ...] = ()


@dataclass(frozen=True)
class AliasFacts:
    """What an alias says of its own in listings; empty values are taken from the product. `picture`
    is a SHA-256 checksum, prices are in minor units."""

    title: str = ""
    picture: str = ""
    prices: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class ProductDraft:
    """Everything a person says of a product. Amounts in minor units, weight in grams, size in
    millimetres.

    A variant names its `family` and has a value on each of the family's traits; what it leaves
    empty it takes from the family. A family has `axes`: its traits with their values. A kit has
    `parts`. `breaks` are prices from a number of units on: `breaks["trade"][10]` is the price of
    one when ten are bought.
    """

    sku: str
    title: str
    kind: ProductKind = ProductKind.SINGLE
    brand: str = ""
    description: str = ""
    gtin: str | None = None
    category: str = ""
    attributes: Mapping[str, str] = field(default_factory=dict)
    weight_g: int | None = None
    size: Size | None = None
    cost: int | None = None
    floor: int | None = None
    advertised_minimum: int | None = None
    ceiling: int | None = None
    prices: Mapping[str, int] = field(default_factory=dict)
    breaks: Mapping[str, Mapping[int, int]] = field(default_factory=dict)
    tax_code: str = "standard"
    aliases: tuple[str, ...] = ()
    alias_facts: Mapping[str, AliasFacts] = field(default_factory=dict)
    family: str = ""
    traits: Mapping[str, str] = field(default_factory=dict)
    axes: tuple[Trait, ...] = ()
    parts: tuple[Part, ...] = ()
    parts_apart: bool = False
    case_pack: CasePack | None = None
    hazardous: bool = False
    fragile: bool = False
    this_way_up: bool = False
    origin: str = ""
    hs_code: str = ""
    supplier: str = ""
    minimum_order: int | None = None


TAX_CODES = ("standard", "reduced", "zero")
