"""Serves the board of orders: a column for every tray, between which orders are dragged."""

from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.core.orders.trays import Tray
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import OrderRow, Stuck, order_page, stuck_in_trays
from relvan.web.desk import At

router = APIRouter(prefix="/orders/board")
MOST_SHOWN, CLOSED_SHOWN = 30, 6


@dataclass(frozen=True)
class BoardColumn:
    """A tray with what lies there, the first of its orders, and how many more there are."""

    key: str
    stuck: Stuck | None
    rows: list[OrderRow]
    more: int


@router.get("", name="order_board")
def order_board(desk: At) -> HTMLResponse:
    """Shows the board: of each tray the orders that have lain there longest, and the newest of those
    that are closed."""
    keys = [key for key in desk.workplace.tray_names() if key not in (Tray.CLOSED, Tray.CANCELLED)]
    columns = []
    with desk.workplace.database.reading() as session:
        stuck = stuck_in_trays(session)
        for key in keys:
            wanted = OrderFilter(tray=(key,), aside="no")
            rows = (
                order_page(session, wanted, limit=MOST_SHOWN, sort="since") if key in stuck else []
            )
            there = stuck[key].orders if key in stuck else 0
            columns.append(BoardColumn(key, stuck.get(key), rows, there - len(rows)))
        done = OrderFilter(tray=(Tray.CLOSED,))
        latest = order_page(session, done, limit=CLOSED_SHOWN)
        columns.append(BoardColumn(Tray.CLOSED, None, latest, 0))
    return desk.page("orders/board.html", "orders", columns=columns)
