"""Tables of listings, of the layers and translations from which they take values, and of what was
found on channels.
"""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column, validates

from relvan.core.listings.gaps import gap_mark
from relvan.store.tables.base import Table, strict


class Listing(Table):
    """Our offer of one product on one channel; `alias` is the second SKU under which it is offered,
    or empty.

    `own` has the field values of the listing itself. What the rules work out is stored beside them,
    so that lists are fast: state, gaps (and their mark, see `gap_mark`), price in minor units
    (`regular` is the price that a sale price replaces, `margin` the margin in thousandths),
    quantity, and a fingerprint of content and pictures, held and sent. `until` is when the channel
    lets it lapse; `gone` says why the channel no longer shows it although nobody here asked for
    that. A member of a family's page names the listing of the family (which `is_head`) as its
    `head`; one that `must` be there keeps the whole family waiting while it has gaps. `sent_fields`
    has what the channel has accepted, by field; `category` is the channel's. One that was only read
    in is not `followed` yet: its price and quantity are left as they are. One that is `paused` is
    not shown while its quantity is 0.
    """

    __tablename__ = "listing"
    __table_args__ = strict(
        Index("uq_listing_place", "channel_id", "product_id", "alias", unique=True),
        Index("ix_listing_product_id", "product_id"),
        Index("ix_listing_state", "state", "id"),
        Index("ix_listing_ref", "channel_id", "ref"),
        Index("ix_listing_until", "until", sqlite_where=text("until IS NOT NULL")),
        Index(
            "ix_listing_on_sale",
            "product_id",
            sqlite_where=text("regular IS NOT NULL"),
            postgresql_where=text("regular IS NOT NULL"),
        ),
        Index("ix_listing_floored", "id", sqlite_where=text("floored = 1")),
        Index(
            "ix_listing_below",
            "id",
            sqlite_where=text("sent_price < lowest"),
            postgresql_where=text("sent_price < lowest"),
        ),
        Index("ix_listing_loss", "margin", sqlite_where=text("margin < 0")),
        Index(
            "ix_listing_unfollowed",
            "channel_id",
            sqlite_where=text("NOT followed"),
            postgresql_where=text("NOT followed"),
        ),
        Index("ix_listing_head_id", "head_id", sqlite_where=text("head_id IS NOT NULL")),
        Index("ix_listing_channel_id_state", "channel_id", "state", "id"),
        Index("ix_listing_heads", "channel_id", "state", sqlite_where=text("is_head = 1")),
        Index("ix_listing_gapped", "channel_id", "id", sqlite_where=text("gap_count > 0")),
        Index(
            "ix_listing_category",
            "channel_id",
            "category",
            "product_id",
            sqlite_where=text("category <> ''"),
            postgresql_where=text("category <> ''"),
        ),
        Index(
            "ix_listing_gap_mark",
            "channel_id",
            "gap_mark",
            "product_id",
            "gap_count",
            sqlite_where=text("gap_count > 0"),
            postgresql_where=text("gap_count > 0"),
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    own: Mapped[dict[str, Any]] = mapped_column(default=dict)
    wish: Mapped[str] = mapped_column(default="none")
    placed: Mapped[bool] = mapped_column(default=False)
    shown: Mapped[bool] = mapped_column(default=False)
    ref: Mapped[str] = mapped_column(default="")
    page: Mapped[str] = mapped_column(default="")
    refusal: Mapped[list[Any]] = mapped_column(default=list)
    state: Mapped[str] = mapped_column(default="draft")
    outdated: Mapped[str] = mapped_column("behind", default="")
    gaps: Mapped[list[Any]] = mapped_column(default=list)
    gap_mark: Mapped[str] = mapped_column(default="", server_default="")
    gap_count: Mapped[int] = mapped_column(default=0)
    demands: Mapped[int] = mapped_column(default=0)
    met: Mapped[int] = mapped_column(default=0)
    price: Mapped[int | None]
    regular: Mapped[int | None]
    floored: Mapped[bool] = mapped_column(default=False)
    lowest: Mapped[int | None]
    margin: Mapped[int | None]
    quantity: Mapped[int] = mapped_column(default=0)
    held_content: Mapped[str] = mapped_column(default="")
    held_pictures: Mapped[str] = mapped_column(default="")
    sent_content: Mapped[str] = mapped_column(default="")
    sent_pictures: Mapped[str] = mapped_column(default="")
    sent_price: Mapped[int | None]
    sent_regular: Mapped[int | None]
    sent_quantity: Mapped[int | None]
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]
    alias: Mapped[str] = mapped_column(default="", server_default="")
    until: Mapped[datetime | None]
    gone: Mapped[str] = mapped_column(default="", server_default="")
    head_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id"))
    must: Mapped[bool] = mapped_column(default=False, server_default="0")
    sent_fields: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    is_head: Mapped[bool] = mapped_column(default=False, server_default="0")
    category: Mapped[str] = mapped_column(default="", server_default="")
    followed: Mapped[bool] = mapped_column(default=True, server_default="1")
    paused: Mapped[bool] = mapped_column(default=False, server_default="0")

    @validates("gaps")
    def _mark_gaps(self, _key: str, gaps: list[Any]) -> list[Any]:
        """Stores beside the gaps the number by which listings that lack the same are counted."""
        self.gap_mark = gap_mark(gaps)
        return gaps

    @property
    def to_show(self) -> bool:
        """Whether the channel should show it now."""
        return self.wish == "live" and not self.paused


class PriceSent(Table):
    """A price that a channel has accepted, in minor units of its currency, with what it was worked
    out from, and in `regular` the price that it replaces.
    """

    __tablename__ = "price_sent"
    __table_args__ = strict(
        Index("ix_price_sent_listing_id", "listing_id", "at"),
        Index("ix_price_sent_channel_id", "channel_id", "at"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    listing_id: Mapped[int] = mapped_column(ForeignKey("listing.id", ondelete="CASCADE"))
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    at: Mapped[datetime]
    amount: Mapped[int]
    regular: Mapped[int | None]
    cause: Mapped[str] = mapped_column(default="")


class LayerRow(Table):
    """A layer: values by field for one topic on one channel. `standing_for` is the category of the
    seller's tree of which it is the default layer ("" for all), or NULL.
    """

    __tablename__ = "layer"
    __table_args__ = strict(
        Index("uq_layer_name", "channel_id", "topic", "name_key", unique=True),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    topic: Mapped[str]
    name: Mapped[str]
    name_key: Mapped[str]
    values: Mapped[dict[str, Any]] = mapped_column(default=dict)
    standing_for: Mapped[str | None]
    changed_at: Mapped[datetime]


class ListingLayer(Table):
    """The layer that a listing has for a topic."""

    __tablename__ = "listing_layer"
    __table_args__ = strict(Index("ix_listing_layer_layer_id", "layer_id", "listing_id"))
    listing_id: Mapped[int] = mapped_column(
        ForeignKey("listing.id", ondelete="CASCADE"), primary_key=True
    )
    topic: Mapped[str] = mapped_column(primary_key=True)
    layer_id: Mapped[int] = mapped_column(ForeignKey("layer.id"))


class LayerSet(Table):
    """Layers that are given to listings together, as the id of a layer by topic."""

    __tablename__ = "layer_set"
    __table_args__ = strict(Index("uq_layer_set_name", "channel_id", "name_key", unique=True))
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    name: Mapped[str]
    name_key: Mapped[str]
    layers: Mapped[dict[str, Any]] = mapped_column(default=dict)


class TranslationRow(Table):
    """Our word and the channel's word for a trait, an attribute or a value on one channel, in one
    of its categories or ("") in all.
    """

    __tablename__ = "translation"
    __table_args__ = strict(
        Index(
            "uq_translation_ours",
            "channel_id",
            "category",
            "kind",
            "field",
            "ours_key",
            unique=True,
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    category: Mapped[str] = mapped_column(default="")
    kind: Mapped[str]
    field: Mapped[str] = mapped_column(default="")
    ours: Mapped[str]
    ours_key: Mapped[str]
    theirs: Mapped[str]
    changed_at: Mapped[datetime]


class PageSearch(Table):
    """What a channel's catalogue answered when a page was looked for: candidates with their
    likeness, the best first.
    """

    __tablename__ = "page_search"
    listing_id: Mapped[int] = mapped_column(
        ForeignKey("listing.id", ondelete="CASCADE"), primary_key=True
    )
    words: Mapped[str] = mapped_column(default="")
    candidates: Mapped[list[Any]] = mapped_column(default=list)
    looked_at: Mapped[datetime]


class Finding(Table):
    """A listing that was read from a channel. `listing_id` is our listing once it is linked; before
    that `product_id` is the likeliest product, `likeness` says how alike they are (0 to 100), and
    `reasons` why. `centre` says that its goods lie in the marketplace's own centre; `placed_at` and
    `changed_at` are what the channel says of when it was placed and its content last changed.
    """

    __tablename__ = "finding"
    __table_args__ = strict(
        Index("uq_finding_ref", "channel_id", "ref", unique=True),
        Index("ix_finding_open", "channel_id", "id", sqlite_where=text("listing_id IS NULL")),
        Index("ix_finding_listing_id", "listing_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    ref: Mapped[str]
    head: Mapped[str] = mapped_column(default="")
    sku: Mapped[str] = mapped_column(default="")
    gtin: Mapped[str] = mapped_column(default="")
    title: Mapped[str] = mapped_column(default="")
    brand: Mapped[str] = mapped_column(default="")
    price: Mapped[int] = mapped_column(default=0)
    quantity: Mapped[int] = mapped_column(default=0)
    live: Mapped[bool] = mapped_column(default=True)
    centre: Mapped[bool] = mapped_column(default=False)
    page: Mapped[str] = mapped_column(default="")
    traits: Mapped[dict[str, Any]] = mapped_column(default=dict)
    said: Mapped[dict[str, Any]] = mapped_column(default=dict)
    pictures: Mapped[list[Any]] = mapped_column(default=list)
    text: Mapped[str] = mapped_column(default="", server_default="")
    weight_g: Mapped[int | None]
    placed_at: Mapped[datetime | None]
    changed_at: Mapped[datetime | None]
    read_at: Mapped[datetime]
    listing_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id"))
    linked_by: Mapped[str] = mapped_column(default="")
    product_id: Mapped[int | None] = mapped_column(ForeignKey("product.id", ondelete="SET NULL"))
    likeness: Mapped[int] = mapped_column(default=0)
    reasons: Mapped[list[Any]] = mapped_column(default=list)
