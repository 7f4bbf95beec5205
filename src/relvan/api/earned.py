"""Serves what orders earned over HTTP."""

from datetime import date
from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import StreamingResponse

from relvan.api.desk import By, Caller, DayOrNone, OneOf, api_router, gives_file
from relvan.api.shapes import amount_of
from relvan.core.orders.earned import Earned, EarnedBy
from relvan.services.orders.earned import EarnedView, earned_file, earned_in

router = api_router(tags=["orders"])
SumBy = Annotated[str, OneOf("by", tuple(EarnedBy))]
First = Annotated[DayOrNone, Query(alias="from")]
Last = Annotated[DayOrNone, Query(alias="to")]


def _view(by: Caller, group: str, first: date | None, last: date | None) -> EarnedView:
    return earned_in(by.workplace, EarnedBy(group or EarnedBy.CHANNEL), first, last)


def _shape(one: Earned, currency: str) -> dict[str, Any]:
    names = ("price", "tax", "fees", "cost", "carriage", "packaging", "refund", "margin")
    return {
        "units": one.units,
        **{name: amount_of(getattr(one, name), currency) for name in names},
        "percent": str(one.percent) if one.percent is not None else None,
        "lines_without_cost": one.unknown,
    }


@router.get("/earned")
def get_earned(
    caller: By, by: SumBy = "channel", first: First = None, last: Last = None
) -> dict[str, Any]:
    """Returns what orders earned that were placed from a day to another, by order, product, channel or
    week; the last 28 days when no days are given."""
    view = _view(caller, by, first, last)
    return {
        "by": view.by,
        "from": view.since,
        "to": view.until,
        "orders": view.orders,
        "left_out": view.left_out,
        "total": _shape(view.total, view.currency),
        "items": [{"key": key, **_shape(one, view.currency)} for key, one in view.rows],
    }


@router.get("/earned.csv", **gives_file("text/csv"))
def get_earned_file(
    caller: By, by: SumBy = "channel", first: First = None, last: Last = None
) -> StreamingResponse:
    """Returns the same as CSV."""
    return StreamingResponse(earned_file(_view(caller, by, first, last)), media_type="text/csv")
