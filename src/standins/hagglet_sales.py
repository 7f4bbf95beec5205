"""Serves Hagglet's sales to its seller: those that changed, and what the seller says of them."""

from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, HTTPException

from standins import trade
from standins.hagglet import World, check_token

sales_desk = APIRouter(prefix="/hagglet/seller", dependencies=[Depends(check_token)])


def sale(order: dict[str, Any]) -> dict[str, Any]:
    """Returns an order in Hagglet's words."""
    return {
        "sale": order["number"],
        "mark": order["seq"],
        "stage": order["state"],
        "paid": order["paid"],
        "when": order["placed_at"],
        "buyer": order["buyer"],
        "items": [
            {
                "item": line["line"],
                "notice": line["ref"],
                "own_code": line["sku"],
                "heading": line["title"],
                "units": line["quantity"],
                "each": line["each"],
            }
            for line in order["lines"]
        ],
        "postage": order["postage"],
        "money": order["currency"],
    }


@sales_desk.get("/sales")
def sales(memory: World, after_mark: int = 0, limit: int = 50) -> dict[str, Any]:
    """Returns sales that changed after a mark, the oldest change first."""
    return {
        "sales": [
            sale(order)
            for order in trade.orders_after(memory, "hagglet", after_mark, min(limit, 100))
        ]
    }


@sales_desk.post("/sales/{number}/seen")
def seen(number: str, memory: World) -> dict[str, Any]:
    """Notes that the seller has the sale."""
    if not trade.change_order(memory, "hagglet", number, seen=True):
        raise HTTPException(404, "No such sale.")
    return {"sale": number}


@sales_desk.post("/sales/{number}/sent")
def sent(number: str, memory: World, parcel: Annotated[dict[str, Any], Body()]) -> dict[str, Any]:
    """Notes that the goods are on their way, under a code; repeating it changes nothing."""
    if not parcel.get("code"):
        raise HTTPException(422, "A parcel has a code.")
    kept = {
        "carrier": parcel.get("carrier", ""),
        "code": parcel["code"],
        "stage": parcel.get("how", ""),
    }
    if not trade.change_order(memory, "hagglet", number, state="sent", parcel=kept):
        raise HTTPException(404, "No such sale.")
    return {"sale": number}


@sales_desk.post("/sales/{number}/withdrawn")
def withdrawn(
    number: str, memory: World, items: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, Any]:
    """Notes of how many units of each item the seller withdraws; repeating it changes nothing."""
    units = {str(one.get("item")): int(one.get("units", 0)) for one in items}
    if not trade.take_off(memory, "hagglet", number, units):
        raise HTTPException(404, "No such sale.")
    return {"sale": number}


@sales_desk.post("/sales/{number}/paybacks")
def payback(number: str, memory: World, told: Annotated[dict[str, Any], Body()]) -> dict[str, Any]:
    """Pays a buyer back, once under each code."""
    if not told.get("code") or int(told.get("cents", 0)) <= 0:
        raise HTTPException(422, "A payback has a code and an amount.")
    if not trade.give_back(memory, "hagglet", number, str(told["code"]), int(told["cents"])):
        raise HTTPException(404, "No such sale.")
    return {"sale": number}
