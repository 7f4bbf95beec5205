"""Serves stock over HTTP."""

from typing import Annotated, Any

from fastapi import Header

from relvan.api.desk import By, Limit, api_router, page_of
from relvan.api.shapes import MovementShape
from relvan.services.listings.availability import availability
from relvan.services.stock.move import MoveStock, move_stock
from relvan.store.catalogue import find_product
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.stock import StockRow, stock_rows

router = api_router(tags=["stock"])


def _stock_shape(row: StockRow) -> dict[str, Any]:
    return {
        "sku": row.sku,
        "warehouse": row.warehouse_key,
        "on_hand": row.on_hand,
        "reserved": row.reserved,
        "blocked": row.blocked,
        "safety": row.safety,
        "free": row.free,
    }


@router.get("/stock")
def list_stock(by: By, sku: str = "", limit: Limit = 50, after: str = "") -> dict[str, Any]:
    """Returns balances by product and warehouse: of one product, or of all in the order of their
    SKUs.
    """
    with by.workplace.database.reading() as session:
        if sku:
            return {
                "items": [
                    _stock_shape(row)
                    for row in stock_rows(session, [find_product(session, sku).id])
                ],
                "next": None,
            }
        products, following = page_of(
            product_page(session, ProductFilter(), after=after, limit=limit + 1),
            limit,
            lambda row: row.sku.casefold(),
        )
        rows = stock_rows(session, [product.id for product in products])
    return {"items": [_stock_shape(row) for row in rows], "next": following}


@router.post("/stock/movements", status_code=201)
def post_movement(
    by: By,
    movement: MovementShape,
    idempotency_key: Annotated[str | None, Header(max_length=200)] = None,
) -> dict[str, Any]:
    """Adds one movement to the ledger: a change, or the number counted."""
    key = f"{by.token_id}:{idempotency_key}" if idempotency_key else None
    moved = move_stock(by.workplace, by.actor, MoveStock(**movement.model_dump(), request_key=key))
    return {
        "id": moved.movement,
        "sku": moved.sku,
        "warehouse": moved.warehouse,
        "bin": moved.bin,
        "on_hand": moved.on_hand,
        "blocked": moved.blocked,
        "reserved_at_last": list(moved.served),
    }


@router.get("/stock/{sku:path}/availability")
def get_availability(by: By, sku: str, channel: str = "") -> dict[str, Any]:
    """Returns what is free, what a channel shows, and why."""
    shown = availability(by.workplace, sku, channel)
    return {"free": shown.free, "shown": shown.quantity, "why": shown.why.as_dicts()}
