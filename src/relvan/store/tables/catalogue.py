"""Products, their codes, pictures and list prices."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Product(Table):
    """Anything with a SKU. Weight in grams, sides in millimetres, amounts in minor units of the seller's currency."""

    __tablename__ = "product"
    __table_args__ = strict(
        Index("ix_product_gtin_key", "gtin_key"),
        Index("ix_product_listed", "sku_key", sqlite_where=text("archived_at IS NULL")),
        Index("ix_product_category", "category", "sku_key"),
        Index("ix_product_archived", "id", sqlite_where=text("archived_at IS NOT NULL")),
        Index("ix_product_lacking", "sku_key", sqlite_where=text("lacking > 0 AND archived_at IS NULL")),
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


class SkuName(Table):
    """The one space of SKUs and aliases: every key leads to one product."""

    __tablename__ = "sku_name"
    __table_args__ = strict(Index("ix_sku_name_product_id", "product_id"))
    key: Mapped[str] = mapped_column(primary_key=True)
    sku: Mapped[str]
    alias: Mapped[bool]
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))


class Picture(Table):
    """A picture file, stored once under the SHA-256 of its content; sides in pixels."""

    __tablename__ = "picture"
    sha: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    bytes: Mapped[int]
    created_at: Mapped[datetime]


class ProductPicture(Table):
    """A product's use of a picture, at a position (0 is the main one)."""

    __tablename__ = "product_picture"
    __table_args__ = strict(UniqueConstraint("product_id", "sha"))
    id: Mapped[int] = mapped_column(primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))
    sha: Mapped[str] = mapped_column(ForeignKey("picture.sha"))
    position: Mapped[int]


class PriceList(Table):
    """A set of base prices in one currency."""

    __tablename__ = "price_list"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    currency: Mapped[str]
    tax_inside: Mapped[bool] = mapped_column(default=True)


class ListPrice(Table):
    """A product's price on a list, in minor units of its currency."""

    __tablename__ = "list_price"
    __table_args__ = strict(
        CheckConstraint("amount > 0", name="amount"), Index("ix_list_price_product_id", "product_id")
    )
    price_list_id: Mapped[int] = mapped_column(ForeignKey("price_list.id"), primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"), primary_key=True)
    amount: Mapped[int]
