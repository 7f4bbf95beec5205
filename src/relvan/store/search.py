"""Full-text search over products, by SQLite's own index (FTS5, with prefixes and accents folded) or
the database server's.
"""

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlalchemy import (
    ColumnElement,
    Integer,
    Select,
    cast,
    column,
    delete,
    func,
    insert,
    literal,
    select,
    table,
)
from sqlalchemy.orm import Session
from sqlalchemy.sql.functions import GenericFunction

from relvan.store.among import among
from relvan.store.portable import json_items, json_list, speaks
from relvan.store.tables import Product, SkuName

CREATE = (
    "CREATE VIRTUAL TABLE product_search USING fts5("
    "sku, title, gtin, alias, brand, prefix='2 3',"
    " detail=none, tokenize=\"unicode61 remove_diacritics 2 tokenchars '_'\")"
)
DROP = "DROP TABLE product_search"
# on a server its own full-text search: the same words, cut at the same signs, accents taken off
CREATE_ON_SERVER = (
    "CREATE OR REPLACE FUNCTION words_of(said text) RETURNS tsvector LANGUAGE sql IMMUTABLE AS $$"
    " SELECT to_tsvector('simple', regexp_replace(unaccent('unaccent', lower(said)), '[^[:alnum:]_]+', ' ', 'g')) $$",
    "CREATE TABLE product_search (rowid integer PRIMARY KEY, sku text NOT NULL, title text NOT NULL,"
    " gtin text NOT NULL, alias text NOT NULL, brand text NOT NULL, said tsvector GENERATED ALWAYS AS"
    " (words_of(sku || ' ' || title || ' ' || gtin || ' ' || alias || ' ' || brand)) STORED)",
    "CREATE INDEX ix_product_search_said ON product_search USING gin (said)",
)
MOST_WORDS = 8
BROAD = 2_000
_columns = table(
    "product_search",
    *(column(name) for name in ("rowid", "sku", "title", "gtin", "alias", "brand")),
)
_search = table("product_search", column("rowid", Integer), column("product_search"))


class found_by(GenericFunction[bool]):
    """The condition that a product is found by a query of `match_text`. It has no type, because
    SQLite would otherwise compare it with 1.
    """

    inherit_cache = True


class how_well(GenericFunction[float]):
    """The expression for how well a query finds a product; the best comes first."""

    inherit_cache = True


# a query of `match_text` in the words of the server: "pot"* "14"* is 'pot':* & '14':* there
_ASKED = "replace(replace(CAST({0} AS text), '\"*', '\":*'), ' ', ' & ')"
ASKED_THERE = f"to_tsquery('simple', unaccent(replace({_ASKED}, '\"', chr(39))))"
speaks(found_by, "product_search MATCH {0}", f"product_search.said @@ {ASKED_THERE}")
speaks(how_well, "rank", f"-ts_rank(product_search.said, {ASKED_THERE})")


def match_text(words: str) -> str | None:
    """Returns what a person typed as an FTS5 query in which every word must occur, each as a
    prefix; None when no word is left.
    """
    tokens = re.findall(r"\w+", "".join(map(_known, words.casefold())))[:MOST_WORDS]
    return " ".join(f'"{token}"*' for token in tokens) if tokens else None


def _known(sign: str) -> str:
    """Says whether the index knows a letter. It knows none of younger scripts, and looking for one
    would be an error.
    """
    return " " if unicodedata.ucd_3_2_0.category(sign) == "Cn" else sign


@dataclass(frozen=True)
class Matches:
    """What search words find: the ids of the products as a JSON list, or None when there are more
    than `BROAD`.
    """

    query: str
    ids: str | None

    @property
    def broad(self) -> bool:
        """Whether so many products match that walking along a sorted list finds a page sooner than
        fetching every match.
        """
        return self.ids is None

    def condition(self, product_id: ColumnElement[int]) -> ColumnElement[bool]:
        """Returns the condition that a product is one of them."""
        if self.ids is not None:
            listed = json_items(self.ids).table_valued("value")
            return product_id.in_(select(cast(listed.c.value, Integer)))
        # Plus 0 keeps the database from fetching every match by its id.
        return (product_id + 0).in_(_found(self.query))


def look_for(session: Session, words: str) -> Matches | None:
    """Returns what words find, looked up once for each session; None when the words hold nothing to
    search for.
    """
    query = match_text(words)
    if query is None:
        return None
    known: dict[str, Matches] = session.info.setdefault("searches", {})
    if query not in known:
        rows = _found(query).limit(BROAD + 1).subquery()
        ids, count = session.execute(select(json_list(rows.c.rowid), func.count())).one()
        known[query] = Matches(query, ids if count <= BROAD else None)
    return known[query]


def _found(query: str) -> Select[*tuple[int]]:
    return select(_search.c.rowid).where(found_by(query)).select_from(_search)


def first_matches(session: Session, words: str, limit: int) -> list[int]:
    """Returns the ids of a few products that words find, the best first."""
    query = match_text(words)
    if query is None:
        return []
    return list(session.scalars(_found(query).order_by(how_well(query)).limit(limit)))


def index_products(session: Session, product_ids: Iterable[int]) -> None:
    """Brings the index up to date for some products. It must be called after any change of what is
    searched.
    """
    ids = list(product_ids)
    if not ids:
        return
    session.info.pop("searches", None)
    session.execute(delete(_search).where(among(_search.c.rowid, ids)))
    session.execute(
        insert(_columns).from_select(
            _columns.c.keys(), _searched_text().where(among(Product.id, ids))
        )
    )


def _searched_text() -> Select[*tuple[int, str, str, str, str, str]]:
    """Returns the text of products that is searched."""
    aliases = (
        select(func.coalesce(func.aggregate_strings(SkuName.sku, " "), ""))
        .where(SkuName.product_id == Product.id, SkuName.alias.is_(True))
        .scalar_subquery()
    )
    return select(
        Product.id,
        Product.sku,
        Product.title,
        func.coalesce(Product.gtin, ""),
        aliases,
        Product.brand,
    )


def index_new(session: Session, product_ids: Sequence[int]) -> None:
    """Adds products without aliases that are not in the index yet."""
    session.info.pop("searches", None)
    told = (Product.sku, Product.title, func.coalesce(Product.gtin, ""), literal(""), Product.brand)
    rows = select(Product.id, *told).where(among(Product.id, product_ids))
    session.execute(insert(_columns).from_select(_columns.c.keys(), rows))


def rebuild(session: Session) -> None:
    """Fills the whole index anew."""
    session.execute(delete(_search))
    session.execute(insert(_columns).from_select(_columns.c.keys(), _searched_text()))
