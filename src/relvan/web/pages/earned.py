"""Serves the page of what orders earned: table, chart and file."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from relvan.core.orders.earned import Earned, EarnedBy, why_earned
from relvan.core.refusal import Refused
from relvan.services.orders.earned import EarnedView, earned_file, earned_in, earned_of_order
from relvan.store.orders import order_by_number
from relvan.web.desk import At, Desk, first_by_field
from relvan.web.reading import day_of
from relvan.web.whys import why_page

router = APIRouter(prefix="/orders")
MOST_ROWS = 500
MOST_BARS = 20
NAMES = {
    EarnedBy.CHANNEL: "channel",
    EarnedBy.PRODUCT: "product",
    EarnedBy.WEEK: "week",
    EarnedBy.ORDER: "order",
}


@dataclass(frozen=True)
class Bar:
    """A bar of the chart: its name, and what was sold without tax and the margin as widths from 0 to
    1000, of which `margin` may be below 0."""

    name: str
    net: int
    margin: int


def bars_of(rows: Sequence[tuple[str, Earned]]) -> list[Bar]:
    """Returns the bars of the first sums, all to one scale."""
    some = rows[:MOST_BARS]
    most = max((max(one.price - one.tax, abs(one.margin)) for _, one in some), default=0) or 1
    return [
        Bar(key, 1000 * max(0, one.price - one.tax) // most, 1000 * one.margin // most)
        for key, one in some
    ]


@router.get("/earned", name="earned_show")
def earned_show(desk: At, by: str = "channel") -> HTMLResponse:
    """Shows what orders earned."""
    group = EarnedBy(by) if by in set(EarnedBy) else EarnedBy.CHANNEL
    query = desk.request.query_params
    first, last = query.get("from", ""), query.get("to", "")
    values: dict[str, Any] = {"refusals": (), "errors": {}}
    status = 200
    try:
        view = _view(desk, group, first, last)
    except Refused as refused:
        values = {"refusals": refused.refusals, "errors": first_by_field(refused.refusals)}
        view, status = earned_in(desk.workplace, group), 422
    return desk.page(
        "orders/earned.html",
        "orders",
        status=status,
        view=view,
        rows=view.rows[:MOST_ROWS],
        bars=bars_of(view.rows),
        names=NAMES,
        **values,
    )


def _view(desk: Desk, by: EarnedBy, first: str, last: str) -> EarnedView:
    return earned_in(desk.workplace, by, day_of(first, "from"), day_of(last, "to"))


@router.get("/earned.csv", name="earned_file")
def earned_csv(desk: At, by: str = "channel") -> Response:
    """Returns the same as a file."""
    group = EarnedBy(by) if by in set(EarnedBy) else EarnedBy.CHANNEL
    query = desk.request.query_params
    view = _view(desk, group, query.get("from", ""), query.get("to", ""))
    name = f"earned by {group}, {view.since} to {view.until}.csv"
    head = {"Content-Disposition": f'attachment; filename="{name}"'}
    return StreamingResponse(earned_file(view), media_type="text/csv", headers=head)


@router.get("/{number}/earned", name="order_earned")
def order_earned(desk: At, number: str) -> HTMLResponse:
    """Explains what an order earned."""
    with desk.workplace.database.reading() as session:
        order = order_by_number(session, number)
        earned = earned_of_order(desk.workplace, session, order.id) or Earned()
    why = why_earned(earned, desk.workplace.firm.currency)
    return why_page(desk, f"What {number} earned", why, [])
