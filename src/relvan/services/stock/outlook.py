"""What runs out when at the present rate of sale, what has not moved, and what all stock is worth
at cost."""

from dataclasses import dataclass
from datetime import timedelta

from relvan.core.stock.outlook import Outlook, outlook
from relvan.services.workplace import Workplace
from relvan.store.coming import coming_of
from relvan.store.ledger import StillRow, WarehouseValue, selling_free, still_rows, values_at_cost
from relvan.store.paces import all_sold_a_minute
from relvan.store.session import Session

STILL_FOR = timedelta(days=90)
MOST = 60


@dataclass(frozen=True)
class RunsOut:
    """A product that sells, with how long it lasts, and the day on which more is expected ("" when
    none is)."""

    sku: str
    title: str
    outlook: Outlook
    next_due: str


@dataclass(frozen=True)
class StockOutlook:
    """The outlook over all stock."""

    runs_out: tuple[RunsOut, ...]
    still: tuple[StillRow, ...]
    values: tuple[WarehouseValue, ...]


def stock_outlook(session: Session, workplace: Workplace) -> StockOutlook:
    """Returns what runs out first, what has not left for 90 days, and the value at cost, with a
    handful of queries."""
    now = workplace.now()
    sold = all_sold_a_minute(session, now)
    free = selling_free(session, list(sold))
    coming = coming_of(session, list(sold))
    units: dict[int, int] = {}
    due: dict[int, str] = {}
    for (product_id, _), one in coming.items():
        units[product_id] = units.get(product_id, 0) + one.incoming + one.in_transit
        if one.next_due:
            due[product_id] = min(one.next_due, due.get(product_id, one.next_due))
    found = [
        RunsOut(
            sku,
            title,
            outlook(left, sold[product_id], units.get(product_id, 0)),
            due.get(product_id, ""),
        )
        for product_id, (sku, title, left) in free.items()
    ]
    lasting = [row for row in found if row.outlook.days_left is not None]
    lasting.sort(key=lambda row: (row.outlook.days_left, -row.outlook.sold_a_day, row.sku))
    still = still_rows(session, now - STILL_FOR, limit=MOST)
    return StockOutlook(tuple(lasting[:MOST]), tuple(still), tuple(values_at_cost(session)))
