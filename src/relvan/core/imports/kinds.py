"""The kinds of files that can be brought in, with the columns of each; the same columns are taken out."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.catalogue.facts import NAMES


class FileKind(StrEnum):
    """What the rows of a file say."""

    PRODUCTS = "products"
    FAMILIES = "families"
    KITS = "kits"
    ALIASES = "aliases"
    PRICES = "prices"
    COUNTS = "stock-counts"
    PICTURES = "pictures"
    ATTRIBUTES = "attributes"
    LISTINGS = "listing-fields"
    LAYERS = "layer-values"
    DEEDS = "listing-deeds"


@dataclass(frozen=True)
class Column:
    """One column: its fact, its heading, its form and unit, an example, and what others may call it."""

    name: str
    heading: str
    form: str = "text"
    unit: str = ""
    required: bool = False
    example: str = ""
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Kind:
    """One kind of file. `many` are groups of columns there can be any number of: `price: retail`."""

    key: FileKind
    title: str
    words: str
    columns: tuple[Column, ...]
    many: tuple[str, ...] = ()

    def column(self, name: str) -> Column | None:
        """The column of a fact, also of those there can be many of; none when this kind has no such."""
        found = next((column for column in self.columns if column.name == name), None)
        group, space, rest = name.partition(" ")
        if found is None and space and group in self.many and rest:
            return Column(name, f"{group}: {rest}", "amount" if group == "price" else "text")
        return found

    @property
    def required(self) -> tuple[Column, ...]:
        """The columns without which a file cannot be read."""
        return tuple(column for column in self.columns if column.required)


def _fact(name: str, example: str = "", *also: str, required: bool = False) -> Column:
    known = NAMES[name]
    heading = f"{known.label} {known.unit}".strip() if known.unit else known.label
    return Column(name, heading, known.form, known.unit, required, example, also)


SKU = _fact(
    "sku", "PT-14-INK", "artikel", "artikelnummer", "article number", "reference", "ref", "item", "item number",
    "article", "code", "product code", required=True,
)  # fmt: skip
_PRODUCT_COLUMNS = (
    SKU,
    _fact("title", "Aubrey pot, ink glaze, 14 cm", "name", "bezeichnung", "item name", "product name", "product"),
    _fact("kind", "single", "type"),
    _fact("brand", "Quillmoss", "make", "manufacturer"),
    _fact("description", "A stoneware pot.", "text", "long text"),
    _fact("gtin", "2000000000015", "ean", "upc", "barcode", "barcode number"),
    _fact("category", "Pots / Indoors"),
    _fact("tax_code", "standard", "tax", "vat"),
    _fact("weight_g", "720", "weight"),
    _fact("length_mm", "154", "length"),
    _fact("width_mm", "154", "width"),
    _fact("height_mm", "140", "height"),
    _fact("cost", "5.20", "cost price", "purchase price"),
    _fact("floor", "7.80", "lowest price", "minimum price"),
    _fact("advertised_minimum", "9.90", "lowest advertised price"),
    _fact("ceiling", "39.00", "highest price", "maximum price"),
    _fact("family", "", "parent", "parent sku", "family sku"),
    Column("aliases", "Aliases", "list", example="OLD-4471", also=("alias", "other skus")),
    _fact("case_quantity", "6", "case quantity", "case pack"),
    _fact("case_weight_g", "4600", "case weight"),
    _fact("case_length_mm", "480", "case length"),
    _fact("case_width_mm", "320", "case width"),
    _fact("case_height_mm", "160", "case height"),
    _fact("minimum_order", "6", "moq"),
    _fact("supplier", "Own workshop", "vendor"),
    _fact("origin", "IE", "country of origin", "origin"),
    _fact("hs_code", "691200", "hs code", "customs tariff number"),
    _fact("hazardous", "no"),
    _fact("fragile", "yes"),
    _fact("this_way_up", "no"),
    _fact("parts_apart", ""),
    _fact("archived", ""),
)
_PAIRS = tuple(
    column
    for n in (1, 2, 3)
    for column in (
        Column(f"trait_{n}", f"Trait {n}", example=("Glaze", "Diameter", "")[n - 1], also=(f"trait {n} name",)),
        Column(f"value_{n}", f"Value {n}", example=("Ink", "14 cm", "")[n - 1], also=(f"trait {n} value",)),
    )
)

KINDS: Mapping[FileKind, Kind] = {
    kind.key: kind
    for kind in (
        Kind(
            FileKind.PRODUCTS, "Products", "One row for each product, of any kind.", _PRODUCT_COLUMNS,
            ("price", "attribute", "trait"),
        ),
        Kind(
            FileKind.FAMILIES, "Families", "One row for each variant, naming its family and its value on each trait.",
            (
                Column("head", "Family SKU", "code", required=True, example="PT",
                       also=("family", "parent", "parent sku", "head")),
                Column("head_title", "Family title", example="Aubrey pot", also=("family name", "parent title")),
                Column("sku", "Variant SKU", "code", required=True, example="PT-14-INK",
                       also=("sku", "variant", "child sku", "article")),
                Column("title", "Variant title", example="Aubrey pot, ink glaze, 14 cm", also=("title", "name")),
                *_PAIRS,
            ),
            ("trait", "price"),
        ),
        Kind(
            FileKind.KITS, "Kits", "One row for each part of a kit.",
            (
                Column("kit", "Kit SKU", "code", required=True, example="KIT-HERB", also=("kit", "set", "bundle sku")),
                Column("kit_title", "Kit title", example="Herb starter set", also=("title", "kit name")),
                Column("part", "Part SKU", "code", required=True, example="PT-14-INK",
                       also=("part", "component", "component sku", "sku")),
                Column("quantity", "Quantity", "whole", required=True, example="2", also=("qty", "units", "pieces")),
                _fact("parts_apart", "no"),
            ),
            ("price",),
        ),
        Kind(
            FileKind.ALIASES, "Aliases", "One row for each second SKU of the same goods.",
            (
                Column("alias", "Alias", "code", required=True, example="OLD-4471", also=("alias sku", "second sku")),
                Column("sku", "SKU", "code", required=True, example="PT-14-INK", also=("of", "product", "item")),
                Column("title", "Own title", example="", also=("title", "name")),
            ),
            ("price",),
        ),
        Kind(
            FileKind.PRICES, "Prices", "One row for each price of a product on a price list.",
            (
                SKU,
                Column("list", "Price list", "code", required=True, example="retail", also=("list",)),
                Column("price", "Price", "amount", required=True, example="16.90", also=("amount", "new price")),
                Column("least", "From units", "whole", example="", also=("from", "from quantity", "quantity")),
            ),
        ),
        Kind(
            FileKind.COUNTS, "Stock counts", "One row for each bin that was counted.",
            (
                SKU,
                Column("warehouse", "Warehouse", "code", required=True, example="millrace", also=("location", "site")),
                Column("bin", "Bin", "code", example="A-01", also=("shelf", "place", "position")),
                Column("counted", "Counted", "whole", required=True, example="24",
                       also=("count", "quantity", "qty", "stock", "on hand")),
            ),
        ),
        Kind(
            FileKind.PICTURES, "Pictures", "One row for each picture, by its address on the web.",
            (
                SKU,
                Column("address", "Address", required=True, example="https://example.com/pot.png",
                       also=("url", "picture", "image", "link", "picture url", "image url")),
                Column("role", "Role", example="main", also=("use",)),
            ),
        ),
        Kind(
            FileKind.ATTRIBUTES, "Attributes", "One row for each value of an attribute.",
            (
                SKU,
                Column("attribute", "Attribute", required=True, example="material", also=("attribute name", "name")),
                Column("value", "Value", example="stoneware", also=("attribute value",)),
            ),
        ),
        Kind(
            FileKind.LISTINGS, "Listing fields", "One row for each field that a listing says itself; empty takes it "
            "from the product again.",
            (
                SKU,
                Column("channel", "Channel", "code", required=True, example="hagglet", also=("marketplace", "store")),
                Column("field", "Field", required=True, example="heading", also=("field name",)),
                Column("value", "Value", example="Aubrey pot, ink glaze", also=("text",)),
            ),
        ),
        Kind(
            FileKind.DEEDS, "Listing deeds", "One row for each listing that is to be published, taken down or put "
            "back; the head of a family stands for all of it.",
            (
                SKU,
                Column("channel", "Channel", "code", required=True, example="hagglet", also=("marketplace", "store")),
                Column("deed", "Deed", required=True, example="publish", also=("action", "what to do")),
            ),
        ),
        Kind(
            FileKind.LAYERS, "Layer values", "One row for each field that a layer says.",
            (
                Column("layer", "Layer", required=True, example="Tracked parcels", also=("layer name",)),
                Column("channel", "Channel", "code", required=True, example="hagglet", also=("marketplace", "store")),
                Column("topic", "Topic", "code", required=True, example="delivery"),
                Column("field", "Field", required=True, example="dispatch_days", also=("field name",)),
                Column("value", "Value", example="2", also=("text",)),
            ),
        ),
    )
}  # fmt: skip


# what a typed attribute's cells look like; the others are text that the attribute settles itself
_ATTRIBUTE_FORMS = {AttributeKind.DATE: "date", AttributeKind.NUMBER: "number"}


def typed(column: Column, rules: Mapping[str, AttributeRule]) -> Column:
    """A column of an attribute with the form of that attribute's values; `rules` by the name in lower case."""
    rule = rules.get(column.name.removeprefix("attribute ").casefold())
    if rule is None or not column.name.startswith("attribute ") or rule.kind not in _ATTRIBUTE_FORMS:
        return column
    return replace(column, form=_ATTRIBUTE_FORMS[rule.kind])


# the order in which files are imported into an empty firm, each with what it needs and what it saves
ORDER = (
    (FileKind.PRODUCTS, "first, all products. With a column Family and a column for each trait (Glaze, Diameter) the "
     "families are created on the way; with columns such as “price: retail” their prices too."),
    (FileKind.FAMILIES, "only for products that are there already and are to become variants."),
    (FileKind.KITS, "after their parts."),
    (FileKind.ALIASES, "after the products that they are second SKUs of."),
    (FileKind.PICTURES, "after the products."),
    (FileKind.PRICES, "after the products, for quantity breaks and further price lists."),
    (FileKind.COUNTS, "after the products, and after the warehouses and bins are set up."),
    (FileKind.LISTINGS, "after the products are drafted on a channel."),
    (FileKind.DEEDS, "last, to publish what is ready."),
)  # fmt: skip


def find_kind(key: str) -> Kind | None:
    """A kind by its key, or none."""
    return KINDS[FileKind(key)] if key in set(FileKind) else None
