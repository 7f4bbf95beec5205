"""Tables of products, their codes, parts, pictures and list prices, and of the seller's tree of
categories and its attributes.
"""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Product(Table):
    """Anything with a SKU. Weight is in grams, sides are in millimetres, amounts in minor units of
    the seller's currency.

    A variant has its `family_id`, its value on each trait in `traits`, and these values joined in
    `combination`; a family has `axes`. A variant inherits from its family what it leaves empty.
    `asked` counts the recommended details, `lacking` those of them that are missing.
    """

    __tablename__ = "product"
    __table_args__ = strict(
        Index("ix_product_gtin_key", "gtin_key", sqlite_where=text("gtin_key IS NOT NULL")),
        Index(
            "ix_product_listed",
            "sku_key",
            "archived_at",
            "kind",
            "family_id",
            sqlite_where=text("archived_at IS NULL"),
        ),
        Index("ix_product_category", "category", "sku_key"),
        Index("ix_product_kind", "kind", "sku_key"),
        Index("ix_product_family_id", "family_id", sqlite_where=text("family_id IS NOT NULL")),
        Index(
            "uq_product_combination",
            "family_id",
            "combination",
            unique=True,
            sqlite_where=text("family_id IS NOT NULL"),
        ),
        Index("ix_product_archived", "id", sqlite_where=text("archived_at IS NOT NULL")),
        Index(
            "ix_product_lacking",
            "sku_key",
            sqlite_where=text("lacking > 0 AND archived_at IS NULL"),
        ),
        CheckConstraint("weight_g IS NULL OR weight_g > 0", name="weight"),
        CheckConstraint("cost IS NULL OR cost >= 0", name="cost"),
        CheckConstraint("floor IS NULL OR floor >= 0", name="floor"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    sku: Mapped[str]
    sku_key: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[str]
    title: Mapped[str]
    brand: Mapped[str] = mapped_column(default="")
    description: Mapped[str] = mapped_column(default="")
    gtin: Mapped[str | None]
    gtin_key: Mapped[str | None]
    category: Mapped[str] = mapped_column(default="")
    attributes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    weight_g: Mapped[int | None]
    length_mm: Mapped[int | None]
    width_mm: Mapped[int | None]
    height_mm: Mapped[int | None]
    cost: Mapped[int | None]
    floor: Mapped[int | None]
    tax_code: Mapped[str] = mapped_column(default="standard")
    lacking: Mapped[int] = mapped_column(default=0)
    archived_at: Mapped[datetime | None]
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]
    asked: Mapped[int] = mapped_column(default=4, server_default="4")
    family_id: Mapped[int | None] = mapped_column(ForeignKey("product.id"))
    traits: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    axes: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    combination: Mapped[str | None]
    parts_apart: Mapped[bool] = mapped_column(default=False, server_default="0")
    case_quantity: Mapped[int | None]
    case_weight_g: Mapped[int | None]
    case_length_mm: Mapped[int | None]
    case_width_mm: Mapped[int | None]
    case_height_mm: Mapped[int | None]
    hazardous: Mapped[bool] = mapped_column(default=False, server_default="0")
    fragile: Mapped[bool] = mapped_column(default=False, server_default="0")
    this_way_up: Mapped[bool] = mapped_column(default=False, server_default="0")
    origin: Mapped[str] = mapped_column(default="", server_default="")
    hs_code: Mapped[str] = mapped_column(default="", server_default="")
    supplier: Mapped[str] = mapped_column(default="", server_default="")
    minimum_order: Mapped[int | None]
    advertised_minimum: Mapped[int | None]
    ceiling: Mapped[int | None]


class KitPart(Table):
    """Units of a part in one kit."""

    __tablename__ = "kit_part"
    __table_args__ = strict(
        CheckConstraint("quantity > 0", name="quantity"),
        CheckConstraint("kit_id <> part_id", name="itself"),
        Index("ix_kit_part_part_id", "part_id"),
    )
    kit_id: Mapped[int] = mapped_column(
        ForeignKey("product.id", ondelete="CASCADE"), primary_key=True
    )
    part_id: Mapped[int] = mapped_column(ForeignKey("product.id"), primary_key=True)
    quantity: Mapped[int]
    position: Mapped[int] = mapped_column(default=0)


class SkuName(Table):
    """The SKUs and aliases of all products in one space: every key leads to one product. An alias
    may have some values of its own.
    """

    __tablename__ = "sku_name"
    __table_args__ = strict(Index("ix_sku_name_product_id", "product_id"))
    key: Mapped[str] = mapped_column(primary_key=True)
    sku: Mapped[str]
    alias: Mapped[bool]
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))
    title: Mapped[str] = mapped_column(default="", server_default="")
    picture: Mapped[str] = mapped_column(default="", server_default="")
    prices: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")


class Category(Table):
    """A place in the seller's tree, by its whole path (`Pots / Indoors`)."""

    __tablename__ = "category"
    id: Mapped[int] = mapped_column(primary_key=True)
    path: Mapped[str]
    path_key: Mapped[str] = mapped_column(unique=True)


class Attribute(Table):
    """An attribute that the seller defined: its kind, unit and choices."""

    __tablename__ = "attribute"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    name_key: Mapped[str] = mapped_column(unique=True)
    kind: Mapped[str]
    unit: Mapped[str] = mapped_column(default="")
    choices: Mapped[list[Any]] = mapped_column(default=list)


class CategoryAttribute(Table):
    """Says that a category, and those below it, recommend an attribute."""

    __tablename__ = "category_attribute"
    category_id: Mapped[int] = mapped_column(
        ForeignKey("category.id", ondelete="CASCADE"), primary_key=True
    )
    attribute_id: Mapped[int] = mapped_column(
        ForeignKey("attribute.id", ondelete="CASCADE"), primary_key=True
    )
    needed: Mapped[bool] = mapped_column(default=True)


class Picture(Table):
    """A picture file, stored once under the SHA-256 of its content; sides are in pixels."""

    __tablename__ = "picture"
    sha: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    bytes: Mapped[int]
    created_at: Mapped[datetime]


class ProductPicture(Table):
    """A product's use of a picture at a position; the first shown is the main picture. `role` is
    shown or description.
    """

    __tablename__ = "product_picture"
    __table_args__ = strict(UniqueConstraint("product_id", "sha"))
    id: Mapped[int] = mapped_column(primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))
    sha: Mapped[str] = mapped_column(ForeignKey("picture.sha"))
    position: Mapped[int]
    role: Mapped[str] = mapped_column(default="shown", server_default="shown")


class PriceList(Table):
    """A set of base prices in one currency, with or without tax inside."""

    __tablename__ = "price_list"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    currency: Mapped[str]
    tax_inside: Mapped[bool] = mapped_column(default=True)


class CurrencyRate(Table):
    """How much of another currency one unit of a currency is worth, as decimal text, from a day
    (ISO 8601) on.
    """

    __tablename__ = "currency_rate"
    __table_args__ = strict(Index("uq_currency_rate_day", "source", "target", "since", unique=True))
    id: Mapped[int] = mapped_column(primary_key=True)
    source: Mapped[str]
    target: Mapped[str]
    rate: Mapped[str]
    since: Mapped[str]
    made_at: Mapped[datetime]


class SaleWindow(Table):
    """A sale price of a product on a list, in minor units of the list's currency, from one instant
    until another. `state` says how far its listings have followed: planned, running, over.
    """

    __tablename__ = "sale_window"
    __table_args__ = strict(
        CheckConstraint("amount > 0", name="amount"),
        CheckConstraint("until > since", name="window"),
        CheckConstraint("state IN ('planned', 'running', 'over')", name="state"),
        Index("ix_sale_window_product_id", "product_id", "price_list_id"),
        Index("ix_sale_window_turns", "state", "since", "until"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    price_list_id: Mapped[int] = mapped_column(ForeignKey("price_list.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))
    amount: Mapped[int]
    since: Mapped[datetime]
    until: Mapped[datetime]
    state: Mapped[str] = mapped_column(default="planned")
    made_at: Mapped[datetime]


class ListPrice(Table):
    """A product's price on a list, in minor units of the list's currency."""

    __tablename__ = "list_price"
    __table_args__ = strict(
        CheckConstraint("amount > 0", name="amount"),
        Index("ix_list_price_product_id", "product_id"),
    )
    price_list_id: Mapped[int] = mapped_column(ForeignKey("price_list.id"), primary_key=True)
    product_id: Mapped[int] = mapped_column(
        ForeignKey("product.id", ondelete="CASCADE"), primary_key=True
    )
    amount: Mapped[int]


class PriceBreak(Table):
    """The price of one unit when at least a number of units is bought, in minor units of the list's
    currency.
    """

    __tablename__ = "price_break"
    __table_args__ = strict(
        CheckConstraint("amount > 0", name="amount"),
        CheckConstraint("least > 1", name="least"),
        Index("ix_price_break_product_id", "product_id"),
    )
    price_list_id: Mapped[int] = mapped_column(ForeignKey("price_list.id"), primary_key=True)
    product_id: Mapped[int] = mapped_column(
        ForeignKey("product.id", ondelete="CASCADE"), primary_key=True
    )
    least: Mapped[int] = mapped_column(primary_key=True)
    amount: Mapped[int]
