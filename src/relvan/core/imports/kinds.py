"""The kinds of files that can be imported, with the columns of each. Exports have the same columns."""

from collections.abc import Mapping
from dataclasses import replace

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.catalogue.keyed import Keyed
from relvan.core.imports.columns import Column, FileKind, Kind, fact_column
from relvan.core.imports.order_columns import ORDERS

SKU = fact_column(
    "sku",
    "PT-14-INK",
    "artikel",
    "artikelnummer",
    "article number",
    "reference",
    "ref",
    "item",
    "item number",
    "article",
    "code",
    "product code",
    required=True,
)
_PRODUCT_COLUMNS = (
    SKU,
    fact_column(
        "title",
        "Aubrey pot, ink glaze, 14 cm",
        "name",
        "bezeichnung",
        "item name",
        "product name",
        "product",
    ),
    fact_column("kind", "single", "type"),
    fact_column("brand", "Quillmoss", "make", "manufacturer"),
    fact_column("description", "A stoneware pot.", "text", "long text"),
    fact_column("gtin", "2000000000015", "ean", "upc", "barcode", "barcode number"),
    fact_column("category", "Pots / Indoors"),
    fact_column("tax_code", "standard", "tax", "vat"),
    fact_column("weight_g", "720", "weight"),
    fact_column("length_mm", "154", "length"),
    fact_column("width_mm", "154", "width"),
    fact_column("height_mm", "140", "height"),
    fact_column("cost", "5.20", "cost price", "purchase price"),
    fact_column("floor", "7.80", "lowest price", "minimum price"),
    fact_column("advertised_minimum", "9.90", "lowest advertised price"),
    fact_column("ceiling", "39.00", "highest price", "maximum price"),
    fact_column("family", "", "parent", "parent sku", "family sku"),
    Column("aliases", "Aliases", "list", example="OLD-4471", also=("alias", "other skus")),
    fact_column("case_quantity", "6", "case quantity", "case pack"),
    fact_column("case_weight_g", "4600", "case weight"),
    fact_column("case_length_mm", "480", "case length"),
    fact_column("case_width_mm", "320", "case width"),
    fact_column("case_height_mm", "160", "case height"),
    fact_column("minimum_order", "6", "moq"),
    fact_column("supplier", "Own workshop", "vendor"),
    fact_column("origin", "IE", "country of origin", "origin"),
    fact_column("hs_code", "691200", "hs code", "customs tariff number"),
    fact_column("hazardous", "no"),
    fact_column("fragile", "yes"),
    fact_column("this_way_up", "no"),
    fact_column("parts_apart", ""),
    fact_column("archived", ""),
)
_PAIRS = tuple(
    column
    for n in (1, 2, 3)
    for column in (
        Column(
            f"trait_{n}",
            f"Trait {n}",
            example=("Glaze", "Diameter", "")[n - 1],
            also=(f"trait {n} name",),
        ),
        Column(
            f"value_{n}",
            f"Value {n}",
            example=("Ink", "14 cm", "")[n - 1],
            also=(f"trait {n} value",),
        ),
    )
)

KINDS: Mapping[FileKind, Kind] = {
    kind.key: kind
    for kind in (
        Kind(
            FileKind.PRODUCTS,
            "Products",
            "One row for each product, of any kind.",
            _PRODUCT_COLUMNS,
            ("price", "attribute", "trait"),
        ),
        Kind(
            FileKind.FAMILIES,
            "Families",
            "One row for each variant, naming its family and its value on each trait.",
            (
                Column(
                    "head",
                    "Family SKU",
                    "code",
                    required=True,
                    example="PT",
                    also=("family", "parent", "parent sku", "head"),
                ),
                Column(
                    "head_title",
                    "Family title",
                    example="Aubrey pot",
                    also=("family name", "parent title"),
                ),
                Column(
                    "sku",
                    "Variant SKU",
                    "code",
                    required=True,
                    example="PT-14-INK",
                    also=("sku", "variant", "child sku", "article"),
                ),
                Column(
                    "title",
                    "Variant title",
                    example="Aubrey pot, ink glaze, 14 cm",
                    also=("title", "name"),
                ),
                *_PAIRS,
            ),
            ("trait", "price"),
        ),
        Kind(
            FileKind.KITS,
            "Kits",
            "One row for each part of a kit.",
            (
                Column(
                    "kit",
                    "Kit SKU",
                    "code",
                    required=True,
                    example="KIT-HERB",
                    also=("kit", "set", "bundle sku"),
                ),
                Column(
                    "kit_title", "Kit title", example="Herb starter set", also=("title", "kit name")
                ),
                Column(
                    "part",
                    "Part SKU",
                    "code",
                    required=True,
                    example="PT-14-INK",
                    also=("part", "component", "component sku", "sku"),
                ),
                Column(
                    "quantity",
                    "Quantity",
                    "whole",
                    required=True,
                    example="2",
                    also=("qty", "units", "pieces"),
                ),
                fact_column("parts_apart", "no"),
            ),
            ("price",),
        ),
        Kind(
            FileKind.ALIASES,
            "Aliases",
            "One row for each second SKU of the same goods.",
            (
                Column(
                    "alias",
                    "Alias",
                    "code",
                    required=True,
                    example="OLD-4471",
                    also=("alias sku", "second sku"),
                ),
                Column(
                    "sku",
                    "SKU",
                    "code",
                    required=True,
                    example="PT-14-INK",
                    also=("of", "product", "item"),
                ),
                Column("title", "Own title", example="", also=("title", "name")),
            ),
            ("price",),
        ),
        Kind(
            FileKind.PRICES,
            "Prices",
            "One row for each price of a product on a price list.",
            (
                SKU,
                Column(
                    "list", "Price list", "code", required=True, example="retail", also=("list",)
                ),
                Column(
                    "price",
                    "Price",
                    "amount",
                    required=True,
                    example="16.90",
                    also=("amount", "new price"),
                ),
                Column(
                    "least",
                    "From units",
                    "whole",
                    example="",
                    also=("from", "from quantity", "quantity"),
                ),
            ),
        ),
        Kind(
            FileKind.COUNTS,
            "Stock counts",
            "One row for each bin that was counted.",
            (
                SKU,
                Column(
                    "warehouse",
                    "Warehouse",
                    "code",
                    required=True,
                    example="millrace",
                    also=("location", "site"),
                ),
                Column("bin", "Bin", "code", example="A-01", also=("shelf", "place", "position")),
                Column(
                    "counted",
                    "Counted",
                    "whole",
                    required=True,
                    example="24",
                    also=("count", "quantity", "qty", "stock", "on hand"),
                ),
            ),
        ),
        Kind(
            FileKind.PICTURES,
            "Pictures",
            "One row for each picture, by its address on the web.",
            (
                SKU,
                Column(
                    "address",
                    "Address",
                    required=True,
                    example="https://example.com/pot.png",
                    also=("url", "picture", "image", "link", "picture url", "image url"),
                ),
                Column("role", "Role", example="main", also=("use",)),
            ),
        ),
        Kind(
            FileKind.ATTRIBUTES,
            "Attributes",
            "One row for each value of an attribute.",
            (
                SKU,
                Column(
                    "attribute",
                    "Attribute",
                    required=True,
                    example="material",
                    also=("attribute name", "name"),
                ),
                Column("value", "Value", example="stoneware", also=("attribute value",)),
            ),
        ),
        Kind(
            FileKind.LISTINGS,
            "Listing fields",
            "One row for each field that a listing says itself; empty takes it "
            "from the product again.",
            (
                SKU,
                Column(
                    "channel",
                    "Channel",
                    "code",
                    required=True,
                    example="hagglet",
                    also=("marketplace", "store"),
                ),
                Column("field", "Field", required=True, example="heading", also=("field name",)),
                Column("value", "Value", example="Aubrey pot, ink glaze", also=("text",)),
            ),
        ),
        Kind(
            FileKind.DEEDS,
            "Publishing",
            "One row for each listing that is to be published, taken down or put "
            "back; the head of a family stands for all of it.",
            (
                SKU,
                Column(
                    "channel",
                    "Channel",
                    "code",
                    required=True,
                    example="hagglet",
                    also=("marketplace", "store"),
                ),
                Column(
                    "deed", "Deed", required=True, example="publish", also=("action", "what to do")
                ),
            ),
        ),
        Kind(
            FileKind.LAYERS,
            "Layer values",
            "One row for each field that a layer says.",
            (
                Column(
                    "layer", "Layer", required=True, example="Tracked parcels", also=("layer name",)
                ),
                Column(
                    "channel",
                    "Channel",
                    "code",
                    required=True,
                    example="hagglet",
                    also=("marketplace", "store"),
                ),
                Column("topic", "Topic", "code", required=True, example="delivery"),
                Column(
                    "field", "Field", required=True, example="dispatch_days", also=("field name",)
                ),
                Column("value", "Value", example="2", also=("text",)),
            ),
        ),
        ORDERS,
    )
}


# what a typed attribute's cells look like; the others are text that the attribute settles itself
_ATTRIBUTE_FORMS = {AttributeKind.DATE: "date", AttributeKind.NUMBER: "number"}


def typed(column: Column, rules: Mapping[str, AttributeRule]) -> Column:
    """Returns the column of an attribute with the form of that attribute's values. `rules` are by
    the attribute's name in lower case."""
    rule = rules.get(Keyed.ATTRIBUTE.key(column.name).casefold())
    if rule is None or not Keyed.ATTRIBUTE.has(column.name) or rule.kind not in _ATTRIBUTE_FORMS:
        return column
    return replace(column, form=_ATTRIBUTE_FORMS[rule.kind])


# the order in which files are imported into an empty firm, each with what it needs and what it
# saves
ORDER = (
    (
        FileKind.PRODUCTS,
        "first, all products. With a column Family and a column for each trait (Glaze, Diameter) the "
        "families are created on the way; with columns such as “price: retail” their prices too.",
    ),
    (FileKind.FAMILIES, "only for products that are there already and are to become variants."),
    (FileKind.KITS, "after their parts."),
    (FileKind.ALIASES, "after the products that they are second SKUs of."),
    (FileKind.PICTURES, "after the products."),
    (FileKind.PRICES, "after the products, for quantity breaks and further price lists."),
    (FileKind.COUNTS, "after the products, and after the warehouses and bins are set up."),
    (FileKind.LISTINGS, "after the products are drafted on a channel."),
    (FileKind.DEEDS, "last, to publish what is ready."),
    (
        FileKind.ORDERS,
        "whenever there are some: from a fair, by telephone, or of a store that is not connected.",
    ),
)


def find_kind(key: str) -> Kind | None:
    """Returns a kind of file by its key; None when there is none."""
    return KINDS[FileKind(key)] if key in set(FileKind) else None
