"""Serves conversion rates over HTTP."""

from typing import Any

from pydantic import Field

from relvan.api.described import CurrencyCode, Day, RateText
from relvan.api.desk import By, api_router
from relvan.api.price_shapes import foresight_shape
from relvan.api.shapes import Shape
from relvan.core.prices.rates import Rates
from relvan.services.prices.foresee import foresee_rate
from relvan.services.prices.rates import drop_rate, keep_rates, read_rate
from relvan.store.prices import rate_rows

router = api_router(tags=["prices"])


class RateShape(Shape):
    """Says that one unit of `source` is worth `rate` (decimal text) of `target`, from the day
    `since` on; from today when it is left out.
    """

    source: CurrencyCode
    target: CurrencyCode
    rate: RateText
    since: Day | None = None


class RatesToKeep(Shape):
    """Rates to be saved, all or none."""

    items: list[RateShape] = Field(min_length=1, max_length=2_000)


@router.get("/rates")
def list_rates(by: By) -> dict[str, Any]:
    """Returns all rates, the latest day first; `holds` marks those of today."""
    with by.workplace.database.reading() as session:
        rows = rate_rows(session)
    holding = Rates.on((rate for _, rate in rows), by.workplace.now().date()).known.values()
    return {
        "items": [
            {
                "id": key,
                "source": rate.source,
                "target": rate.target,
                "rate": f"{rate.rate:f}",
                "since": rate.since.isoformat(),
                "holds": rate in holding,
            }
            for key, rate in rows
        ],
        "next": None,
    }


@router.post("/rates")
def post_rates(by: By, wish: RatesToKeep) -> dict[str, int]:
    """Saves rates, works out again the prices that depend on them, and returns how many are new or
    differ.
    """
    today = by.workplace.now().date()
    rates = [
        read_rate(
            today, one.source, one.target, one.rate, one.since.isoformat() if one.since else ""
        )
        for one in wish.items
    ]
    return {"changed": keep_rates(by.workplace, by.actor, rates)}


@router.post("/rates/foresee")
def post_rate_foresee(by: By, one: RateShape) -> dict[str, Any]:
    """Says what a rate would do to the prices of every channel that depends on it, and changes
    nothing.
    """
    today = by.workplace.now().date()
    rate = read_rate(
        today, one.source, one.target, one.rate, one.since.isoformat() if one.since else ""
    )
    found = foresee_rate(by.workplace, by.actor, rate)
    return {"items": [{"channel": name, **foresight_shape(foresight)} for name, foresight in found]}


@router.delete("/rates/{rate_id}")
def delete_rate(by: By, rate_id: int) -> dict[str, int]:
    """Deletes a rate; the one before it holds again."""
    drop_rate(by.workplace, by.actor, rate_id)
    return {"dropped": rate_id}
