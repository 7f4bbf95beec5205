"""Finds orders by words of their customer's name, mail address or reference: by SQLite's own index, which
triggers keep, or by an index of the database server.

A migration that writes `customer_order` anew must create the triggers again.
"""

from sqlalchemy import Integer, Select, cast, select
from sqlalchemy.orm import Session
from sqlalchemy.sql.functions import GenericFunction

from relvan.store.portable import json_items, json_list, speaks
from relvan.store.search import ASKED_THERE, match_text
from relvan.store.tables import Order

NEWEST = 5_001  # so many of the orders that words find, the newest; a list tells one less
_WORDS = "{0}.customer, {0}.reference, coalesce(json_extract({0}.ship_to, '$.mail'), '')"
_FORGET = (
    "INSERT INTO order_search (order_search, rowid, customer, reference, mail)"
    f" VALUES ('delete', old.id, {_WORDS.format('old')});"
)
_LEARN = (
    "INSERT INTO order_search (rowid, customer, reference, mail)"
    f" VALUES (new.id, {_WORDS.format('new')});"
)
CREATE = (
    "CREATE VIEW order_words (id, customer, reference, mail) AS"
    f" SELECT o.id, {_WORDS.format('o')} FROM customer_order o",
    "CREATE VIRTUAL TABLE order_search USING fts5("
    "customer, reference, mail, content='order_words', content_rowid='id', prefix='2 3',"
    " detail=none, tokenize=\"unicode61 remove_diacritics 2 tokenchars '_'\")",
    f"CREATE TRIGGER order_search_added AFTER INSERT ON customer_order BEGIN {_LEARN} END",
    "CREATE TRIGGER order_search_changed"
    " AFTER UPDATE OF customer, reference, ship_to ON customer_order"
    f" BEGIN {_FORGET} {_LEARN} END",
    f"CREATE TRIGGER order_search_deleted AFTER DELETE ON customer_order BEGIN {_FORGET} END",
    "INSERT INTO order_search (order_search) VALUES ('rebuild')",
)
_THERE = (
    "words_of(customer_order.customer || ' ' || customer_order.reference || ' '"
    " || coalesce(CAST(customer_order.ship_to AS jsonb) ->> 'mail', ''))"
)
CREATE_ON_SERVER = (
    f"CREATE INDEX ix_customer_order_search ON customer_order USING gin ({_THERE})".replace(
        "customer_order.", ""
    ),
)


class order_found_by(GenericFunction[bool]):
    """The condition that an order is found by a query of `match_text`."""

    inherit_cache = True


speaks(
    order_found_by,
    "customer_order.id IN (SELECT rowid FROM order_search WHERE order_search MATCH {0}"
    f" ORDER BY rowid DESC LIMIT {NEWEST})",
    f"{_THERE} @@ {ASKED_THERE}",
)


def ids_with_words(session: Session, words: str) -> Select[int] | None:
    """Returns a query of the ids of the newest orders of which words begin words of the customer's name,
    mail address or reference, in any order; None where they hold nothing to search for. They are
    looked up once for each session that only reads."""
    query = match_text(words)
    if query is None:
        return None
    known: dict[str, str] = session.info.setdefault("order_words", {})
    if query not in known or session.autoflush:
        newest = select(Order.id).where(order_found_by(query)).order_by(Order.id.desc())
        rows = newest.limit(NEWEST).subquery()
        known[query] = session.scalar(select(json_list(rows.c.id))) or "[]"
    listed = json_items(known[query]).table_valued("value")
    return select(cast(listed.c.value, Integer))
