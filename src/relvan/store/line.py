"""Counts what waits for a person at each station by one statement. No count goes beyond 999."""

from sqlalchemy import text
from sqlalchemy.orm import Session

from relvan.store.counting import Count

MOST = 999
# a channel shows less than the floor: it accepted that once, or changed it (see
# `store.floors.shown_below`)
BELOW = "SELECT 1 FROM listing WHERE sent_price < lowest AND placed = 1"
# station -> what waits there, as a query of ids
WAITING = {
    "catalogue": "SELECT 1 FROM product WHERE lacking > 0 AND archived_at IS NULL",
    "listings": "SELECT 1 FROM listing WHERE state IN ('draft', 'ready', 'refused', 'behind')",
    "stock": "SELECT 1 FROM balance WHERE blocked > 0",
    "prices": "SELECT 1 FROM listing WHERE floored = 1",
    "orders": "SELECT 1 FROM customer_order WHERE tray IN ('inbox', 'short') AND aside_until IS NULL",
    "dispatch": "SELECT 1 FROM shipment WHERE state IN ('to pick', 'picking', 'to pack', 'to ship', 'to hand over')",
}
# the finer counts that Today tells
TODAY = {
    "inbox": "SELECT 1 FROM customer_order WHERE tray = 'inbox' AND aside_until IS NULL",
    "short": "SELECT 1 FROM customer_order WHERE tray = 'short' AND aside_until IS NULL",
    "unknown": "SELECT DISTINCT l.order_id FROM order_line l JOIN customer_order o ON o.id = l.order_id"
    " WHERE l.product_id IS NULL AND NOT l.is_free AND o.cancelled_at IS NULL",
    "noticed": "SELECT DISTINCT order_id FROM order_notice WHERE choice IS NULL",
    "to_pick": "SELECT 1 FROM shipment WHERE state = 'to pick'",
    "picking": "SELECT 1 FROM shipment WHERE state = 'picking'",
    "to_hand_over": "SELECT 1 FROM shipment WHERE state = 'to hand over'",
    "to_pack": "SELECT 1 FROM shipment WHERE state = 'to pack'",
    "to_ship": "SELECT 1 FROM shipment WHERE state = 'to ship'",
    "late_parcel": "SELECT 1 FROM parcel WHERE late_at IS NOT NULL AND stage <> 'delivered' AND claim_state = ''",
    "refused": "SELECT 1 FROM listing WHERE state = 'refused'",
    "draft": "SELECT 1 FROM listing WHERE state = 'draft'",
    "ready": "SELECT 1 FROM listing WHERE state = 'ready'",
    "outdated": "SELECT 1 FROM listing WHERE state = 'behind'",
    "lacking": WAITING["catalogue"],
    "blocked": WAITING["stock"],
    "floored": WAITING["prices"],
    "below": BELOW,
    "drift": "SELECT 1 FROM drift WHERE confirmed_at IS NOT NULL AND ended_at IS NULL AND how = ''",
    "trouble": "SELECT 1 FROM channel WHERE failures >= 5 OR paused = 1",
}


def line_counts(session: Session) -> dict[str, Count]:
    """Returns what waits at each station, and at Today the sum of it."""
    counts = _counts(session, WAITING)
    return {"today": Count(sum(count.number for count in counts.values()), MOST), **counts}


def today_counts(session: Session) -> dict[str, Count]:
    """Returns the counts that Today shows."""
    return _counts(session, TODAY)


def _counts(session: Session, queries: dict[str, str]) -> dict[str, Count]:
    if session.get_bind().dialect.name != "sqlite":  # there yes and no have a type of their own
        queries = {name: query.replace(" = 1", " = TRUE") for name, query in queries.items()}
    columns = ", ".join(
        f"(SELECT count(*) FROM ({query} LIMIT {MOST + 1}) AS {name}_rows) AS {name}"
        for name, query in queries.items()
    )
    row = session.connection().execute(text(f"SELECT {columns}")).one()
    return {name: Count(number, MOST) for name, number in zip(queries, row, strict=True)}
