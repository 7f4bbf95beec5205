"""Serves Loomstead's orders to its seller: those that changed, and what the seller says of them."""

from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, HTTPException

from standins import trade
from standins.hagglet import World
from standins.loomstead import check_token

order_desk = APIRouter(prefix="/loomstead/desk", dependencies=[Depends(check_token)])


def parted(order: dict[str, Any]) -> dict[str, Any]:
    """Returns an order in Loomstead's words."""
    name = order["buyer"]
    return {
        "number": order["number"],
        "turn": order["seq"],
        "standing": {"placed": "new", "sent": "gone", "cancelled": "off"}.get(
            order["state"], "new"
        ),
        "settled": order["paid"],
        "made": order["placed_at"],
        "to": {
            key: name.get(key, "")
            for key in ("name", "street", "town", "postcode", "country", "mail")
        },
        "pieces": [
            {
                "place": line["line"],
                "piece": line["ref"],
                "code": line["sku"],
                "title": line["title"],
                "count": line["quantity"],
                "rappen": line["each"],
            }
            for line in order["lines"]
        ],
        "carriage": order["postage"],
        "money": order["currency"],
    }


@order_desk.get("/orders")
def orders(memory: World, beyond: int = 0, limit: int = 50) -> dict[str, Any]:
    """Returns orders that changed beyond a turn, the oldest change first."""
    found = trade.orders_after(memory, "loomstead", beyond, min(limit, 100))
    return {"orders": [parted(order) for order in found]}


@order_desk.post("/orders/{number}/noted")
def noted(number: str, memory: World) -> dict[str, str]:
    """Notes that the seller has the order."""
    if not trade.change_order(memory, "loomstead", number, seen=True):
        raise HTTPException(404, "We have no such order.")
    return {"number": number}


@order_desk.put("/orders/{number}/parcels/{code}")
def gone(
    number: str,
    code: str,
    memory: World,
    by: Annotated[str, Body(embed=True)] = "",
    now: Annotated[str, Body(embed=True)] = "",
) -> dict[str, str]:
    """Notes that a parcel is on its way, under a code, and how far; repeating it changes nothing."""
    parcel = {"carrier": by, "code": code, "stage": now}
    if not trade.change_order(memory, "loomstead", number, state="sent", parcel=parcel):
        raise HTTPException(404, "We have no such order.")
    return {"number": number}


@order_desk.put("/orders/{number}/missing")
def missing(
    number: str, memory: World, counts: Annotated[dict[str, int], Body(embed=True)]
) -> dict[str, str]:
    """Notes how many of each place of an order stay out; repeating it changes nothing."""
    if not trade.take_off(memory, "loomstead", number, counts):
        raise HTTPException(404, "We have no such order.")
    return {"number": number}


@order_desk.put("/orders/{number}/returned/{code}")
def returned(
    number: str, code: str, memory: World, rappen: Annotated[int, Body(embed=True, gt=0)]
) -> dict[str, str]:
    """Returns money to the buyer, once under each code."""
    if not trade.give_back(memory, "loomstead", number, code, rappen):
        raise HTTPException(404, "We have no such order.")
    return {"number": number}
