"""Queries for coverage: which products are on which channels, with families folded, paged by SKU."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

import orjson
from sqlalchemy import (
    ColumnElement,
    Integer,
    Text,
    bindparam,
    case,
    cast,
    exists,
    func,
    inspect,
    or_,
    select,
)
from sqlalchemy.orm import Session, aliased

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.catalogue.product import ProductKind
from relvan.store import search
from relvan.store.counting import Count, count_up_to, remembered
from relvan.store.holdings import load_holdings
from relvan.store.portable import greater_of, json_items
from relvan.store.stock import has_free_stock
from relvan.store.tables import Balance, Channel, Listing, Product

_variant = aliased(Product)
SELLING = ("live", "behind")
# what a sentence may say of a channel -> the states of the listings that fit
WAYS: Mapping[str, tuple[str, ...]] = {
    "on": (),
    "selling": SELLING,
    "draft": ("draft",),
    "ready": ("ready",),
    "behind": ("behind",),
    "refused": ("refused",),
    "down": ("down",),
}


@dataclass(frozen=True)
class CoverageFilter:
    """Says which products a page shows. `at` says by channel key how they stand there; "not" stands
    for products that are not listed there.
    """

    words: str = ""
    category: str = ""
    in_stock: bool | None = None
    at: Mapping[str, str] = field(default_factory=dict)

    @property
    def name(self) -> tuple[Any, ...]:
        """A text that tells one filter from another."""
        return ("coverage", self.words, self.category, self.in_stock, *sorted(self.at.items()))


@dataclass
class CoverageCell:
    """How a product, or all variants of a family, stand on a channel: the number of listings, the
    requirements of the one that meets the fewest, and how many are in each state.
    """

    listing_id: int
    state: str
    gaps: int
    met: int
    demands: int
    states: dict[str, int] = field(default_factory=dict)

    @property
    def count(self) -> int:
        """The number of listings."""
        return sum(self.states.values())

    @property
    def selling(self) -> int:
        """How many of them can be bought now."""
        return sum(self.states.get(state, 0) for state in SELLING)


@dataclass
class CoverageRow:
    """One product, or one family with the number of its variants, with its `cells` by channel key."""

    id: int
    sku: str
    title: str
    kind: str
    free: int = 0
    variants: int = 0
    cells: dict[str, CoverageCell] = field(default_factory=dict)


def _conditions(session: Session, wanted: CoverageFilter) -> list[ColumnElement[bool]]:
    """Returns the conditions on single products and those on families. A family fits when one of
    its variants does.
    """
    found: list[ColumnElement[bool]] = [Product.archived_at.is_(None), Product.family_id.is_(None)]
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        heads = select(_variant.family_id).where(
            _variant.family_id.is_not(None), found_by.condition(inspect(_variant).selectable.c.id)
        )
        found.append(or_(found_by.condition(Product.__table__.c.id), Product.id.in_(heads)))
    if wanted.category:
        below = f"{wanted.category}{SEPARATOR}"
        found.append(
            or_(
                Product.category == wanted.category,
                Product.category.between(below, f"{below}\uffff"),
            )
        )
    if wanted.at or wanted.in_stock is not None:
        channels = dict(session.execute(select(Channel.key, Channel.id)).all())
        alone = _fits(Product, wanted, channels)
        within = exists().where(
            _variant.family_id == Product.id,
            _variant.archived_at.is_(None),
            *_fits(_variant, wanted, channels),
        )
        found.append(case((Product.kind == ProductKind.FAMILY, within), else_=_all(alone)))
    return found


def _all(conditions: Collection[ColumnElement[bool]]) -> Any:
    result: Any = None
    for condition in conditions:
        result = condition if result is None else result & condition
    return result


def _fits(
    product: Any, wanted: CoverageFilter, channels: Mapping[str, int]
) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    for key, way in wanted.at.items():
        there = exists().where(
            Listing.product_id == product.id, Listing.channel_id == channels.get(key, 0)
        )
        if WAYS.get(way):
            there = there.where(Listing.state.in_(WAYS[way]))
        found.append(~there if way == "not" else there)
    if wanted.in_stock is not None:
        found.append(has_free_stock(product.id, wanted=wanted.in_stock))
    return found


def coverage_page(
    session: Session, wanted: CoverageFilter, *, after: str = "", limit: int = 50
) -> list[CoverageRow]:
    """Returns products and families in the order of their SKUs, starting after one of them; five
    queries whatever the number.
    """
    statement = (
        select(Product.id, Product.sku, Product.title, Product.kind)
        .where(*_conditions(session, wanted), Product.sku_key > after)
        .order_by(Product.sku_key)
        .limit(limit)
    )
    rows = [CoverageRow(*row) for row in session.connection().execute(statement)]
    _fill(session, rows)
    return rows


def coverage_of_variants(session: Session, family_id: int) -> list[CoverageRow]:
    """Returns the variants of a family as rows of their own."""
    statement = (
        select(Product.id, Product.sku, Product.title, Product.kind)
        .where(Product.family_id == family_id, Product.archived_at.is_(None))
        .order_by(Product.sku_key)
    )
    rows = [CoverageRow(*row) for row in session.connection().execute(statement)]
    _fill(session, rows)
    return rows


# Written once, with the ids as one parameter: building a query with fifty values takes longer than
# running it.
_IDS = select(cast(json_items(bindparam("ids", type_=Text)).table_valued("value").c.value, Integer))
_VARIANTS = select(Product.id, Product.family_id).where(
    Product.family_id.is_not(None), Product.family_id.in_(_IDS), Product.archived_at.is_(None)
)
_LISTINGS = (
    select(
        Listing.product_id,
        Channel.key,
        Listing.id,
        Listing.state,
        Listing.gap_count,
        Listing.met,
        Listing.demands,
        Listing.is_head,
    )
    .join(Channel, Channel.id == Listing.channel_id)
    .where(Listing.product_id.in_(_IDS))
)
_FREE = (
    select(
        Balance.product_id,
        func.sum(
            greater_of(0, Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety)
        ),
    )
    .where(Balance.product_id.in_(_IDS))
    .group_by(Balance.product_id)
)
# of several listings the one that needs a person most stands for all
_WORST = ("refused", "draft", "behind", "ready", "sending", "down", "live")


def _fill(session: Session, rows: list[CoverageRow]) -> None:
    by_id = {row.id: row for row in rows}
    families = [row.id for row in rows if row.kind == ProductKind.FAMILY]
    head_of = dict(_about(session, _VARIANTS, families)) if families else {}
    for family in head_of.values():
        by_id[family].variants += 1
    ids = [*by_id, *head_of]
    for product_id, free in _about(session, _FREE, ids):
        by_id[head_of.get(product_id, product_id)].free += free
    kits = [row.id for row in rows if row.kind == ProductKind.KIT]
    if kits:
        holdings = load_holdings(session, kits)
        for kit in kits:
            by_id[kit].free = holdings.free(kit)
    for product_id, key, listing_id, state, gaps, met, demands, is_head in _about(
        session, _LISTINGS, ids
    ):
        row = by_id[head_of.get(product_id, product_id)]
        cell = row.cells.get(key)
        if (
            cell is None
            or _WORST.index(state) < _WORST.index(cell.state)
            or (is_head and state == cell.state)
        ):
            states = cell.states if cell else {}
            cell = row.cells[key] = CoverageCell(listing_id, state, gaps, met, demands, states)
        if not is_head:
            cell.states[state] = cell.states.get(state, 0) + 1


def _about(session: Session, statement: Any, ids: Collection[int]) -> list[Any]:
    return [
        tuple(row)
        for row in session.connection().execute(
            statement, {"ids": orjson.dumps(list(ids)).decode()}
        )
    ]


def count_coverage(session: Session, wanted: CoverageFilter) -> Count:
    """Returns how many rows a filter matches."""
    return count_up_to(
        session, select(Product.id).where(*_conditions(session, wanted)), wanted.name, 2_000
    )


def coverage_skus(session: Session, wanted: CoverageFilter) -> list[str]:
    """Returns the SKUs of all rows that a filter matches, in order: of single products and of
    families.
    """
    return list(
        session.scalars(
            select(Product.sku).where(*_conditions(session, wanted)).order_by(Product.sku_key)
        )
    )


def counts_by_channel(session: Session) -> dict[str, tuple[int, int]]:
    """Returns by channel key how many listings it has, without the heads of families, and how many
    of them can be bought now.
    """
    return remembered(session, Listing, "listings by channel", lambda: _counts_by_channel(session))


def _counts_by_channel(session: Session) -> dict[str, tuple[int, int]]:
    keys = dict(session.execute(select(Channel.id, Channel.key).order_by(Channel.id)).all())
    found = {channel: [0, 0] for channel in keys.values()}
    # all of them from the index alone, then the few pages of families taken off again
    of_all = select(Listing.channel_id, Listing.state, func.count()).group_by(
        Listing.channel_id, Listing.state
    )
    for sign, statement in ((1, of_all), (-1, of_all.where(Listing.is_head.is_(True)))):
        for channel_id, state, count in session.execute(statement).all():
            found[keys[channel_id]][0] += sign * count
            found[keys[channel_id]][1] += sign * count * (state in SELLING)
    return {channel: (count, sold) for channel, (count, sold) in found.items()}
