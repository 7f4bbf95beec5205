"""Serves the ledger, what is to come, transfers, counting, and the outlook over HTTP."""

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import Depends, Header
from pydantic import Field

from relvan.api.described import MOST_INT, Day, Moment, Units
from relvan.api.desk import By, Caller, IdOrNone, Limit, OneOf, api_router
from relvan.api.shapes import Shape, amount_of
from relvan.core.stock.movements import Reason
from relvan.services.stock.coming import (
    ExpectReceipt,
    SendTransfer,
    end_expected,
    end_transfer,
    expect_receipt,
    receive_expected,
    receive_transfer,
    send_transfer,
)
from relvan.services.stock.count import CountedLine, count_bin
from relvan.services.stock.outlook import stock_outlook
from relvan.store.catalogue import find_product
from relvan.store.coming import expected_rows, transfer_rows
from relvan.store.ledger import LedgerFilter, ledger_page

router = api_router(tags=["stock"])
Key = Annotated[str | None, Header(alias="Idempotency-Key", max_length=200)]
Counted = Annotated[int, Field(ge=-MOST_INT, le=MOST_INT)]


class NewReceipt(Shape):
    """Units that are to come by a day."""

    sku: str = Field(max_length=1000)
    warehouse: str = Field(max_length=100)
    quantity: Units
    due: Day
    note: str = Field(default="", max_length=1000)


class NewTransfer(Shape):
    """Units that leave one warehouse for another."""

    sku: str = Field(max_length=1000)
    source: str = Field(max_length=100)
    target: str = Field(max_length=100)
    quantity: Units
    bin: str = Field(default="", max_length=100)
    note: str = Field(default="", max_length=1000)


class Arrived(Shape):
    """Units that have arrived, and the bin into which they went."""

    units: Units
    bin: str = Field(default="", max_length=100)


class CountShape(Shape):
    """What was counted of one product."""

    sku: str = Field(max_length=1000)
    counted: Counted


class BinCount(Shape):
    """What was counted in a bin; products that are left out stay as they are."""

    warehouse: str = Field(max_length=100)
    bin: str = Field(max_length=100)
    lines: list[CountShape] = Field(min_length=1, max_length=1_000)


def movements_asked(
    q: str = "",
    reason: Annotated[str, OneOf("reason", tuple(Reason))] = "",
    warehouse: str = "",
    since: Moment | None = None,
) -> LedgerFilter:
    """Returns the filter that the query of `GET /stock/ledger` describes."""
    return LedgerFilter(q, reason, warehouse, since)


@router.get("/stock/ledger")
def list_ledger(
    by: By,
    wanted: Annotated[LedgerFilter, Depends(movements_asked)],
    limit: Limit = 50,
    after: IdOrNone = None,
) -> dict[str, Any]:
    """Returns the ledger, the newest entry first."""
    with by.workplace.database.reading() as session:
        rows = ledger_page(session, wanted, before=after, limit=limit + 1)
    return {
        "items": [asdict(row) for row in rows[:limit]],
        "next": rows[limit - 1].id if len(rows) > limit else None,
    }


def _of(by: Caller, sku: str) -> int | None:
    with by.workplace.database.reading() as session:
        return find_product(session, sku).id if sku else None


@router.get("/stock/expected")
def list_expected(by: By, sku: str = "") -> dict[str, Any]:
    """Returns the expected receipts, the soonest first."""
    product = _of(by, sku)
    with by.workplace.database.reading() as session:
        return {
            "items": [{**asdict(row), "left": row.left} for row in expected_rows(session, product)],
            "next": None,
        }


@router.post("/stock/expected", status_code=201)
def post_expected(by: By, wish: NewReceipt, idempotency_key: Key = None) -> dict[str, int]:
    """Creates an expected receipt."""
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else None
    return {
        "id": expect_receipt(
            by.workplace, by.actor, ExpectReceipt(**wish.model_dump(), request_key=key)
        )
    }


@router.post("/stock/expected/{receipt}/receive")
def post_received(
    by: By, receipt: int, wish: Arrived, idempotency_key: Key = None
) -> dict[str, int]:
    """Records what has come of an expected receipt and returns how many units are still to come."""
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else None
    return {
        "left": receive_expected(
            by.workplace, by.actor, receipt, wish.units, shelf=wish.bin, key=key
        )
    }


@router.delete("/stock/expected/{receipt}")
def delete_expected(by: By, receipt: int) -> dict[str, int]:
    """Closes an expected receipt, so that no more of it is expected."""
    end_expected(by.workplace, by.actor, receipt)
    return {"ended": receipt}


@router.get("/stock/transfers")
def list_transfers(by: By, sku: str = "") -> dict[str, Any]:
    """Returns the transfers in transit between warehouses."""
    product = _of(by, sku)
    with by.workplace.database.reading() as session:
        return {
            "items": [{**asdict(row), "left": row.left} for row in transfer_rows(session, product)],
            "next": None,
        }


@router.post("/stock/transfers", status_code=201)
def post_transfer(by: By, wish: NewTransfer, idempotency_key: Key = None) -> dict[str, int]:
    """Sends units to another warehouse."""
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else None
    return {
        "id": send_transfer(
            by.workplace, by.actor, SendTransfer(**wish.model_dump(), request_key=key)
        )
    }


@router.post("/stock/transfers/{transfer}/receive")
def post_arrived(
    by: By, transfer: int, wish: Arrived, idempotency_key: Key = None
) -> dict[str, int]:
    """Records what has arrived of a transfer and returns how many units are still in transit."""
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else None
    return {
        "left": receive_transfer(
            by.workplace, by.actor, transfer, wish.units, shelf=wish.bin, key=key
        )
    }


@router.post("/stock/transfers/{transfer}/end")
def post_end(by: By, transfer: int) -> dict[str, int]:
    """Closes a transfer; what has not arrived is lost."""
    return {"lost": end_transfer(by.workplace, by.actor, transfer)}


@router.post("/stock/counts")
def post_count(by: By, wish: BinCount, idempotency_key: Key = None) -> dict[str, int]:
    """Records what was counted in a bin, all of it or nothing, and returns for how many products
    the count differs from the ledger.
    """
    lines = [CountedLine(line.sku, line.counted) for line in wish.lines]
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else by.workplace.new_key()
    return {
        "differ": count_bin(
            by.workplace, by.actor, wish.warehouse, wish.bin, lines, request_key=key
        )
    }


@router.get("/stock/outlook")
def get_outlook(by: By) -> dict[str, Any]:
    """Returns what runs out when at the present rate of sale, what has not left for 90 days, and
    what the stock is worth at cost.
    """
    with by.workplace.database.reading() as session:
        found = stock_outlook(session, by.workplace)
    own = by.workplace.firm.currency
    return {
        "runs_out": [
            {
                "sku": row.sku,
                "title": row.title,
                **asdict(row.outlook),
                "next_due": row.next_due or None,
            }
            for row in found.runs_out
        ],
        "still": [{**asdict(row), "value": amount_of(row.value, own)} for row in found.still],
        "values": [{**asdict(row), "value": amount_of(row.value, own)} for row in found.values],
    }
