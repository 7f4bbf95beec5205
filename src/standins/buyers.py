"""Serves what a buyer sees of an order and can still change of it: paying, cancelling, taking units
off, and another address."""

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from standins import trade
from standins.console import MARKETS, market_or_404
from standins.hagglet import World
from standins.shopwindow import page

router = APIRouter()
ADDRESS = ("name", "street", "town", "postcode", "country", "mail", "phone")


@router.get("/world/{channel}/orders")
def world_orders(channel: str, memory: World) -> list[dict[str, Any]]:
    """Returns every order that was ever placed here."""
    return trade.orders_after(memory, market_or_404(channel), 0, 1_000_000)


@router.get("/world/{channel}/orders/{number}")
def world_order(channel: str, number: str, memory: World) -> dict[str, Any]:
    """Returns an order's state and tracking, as the buyer sees them."""
    found = trade.find_order(memory, market_or_404(channel), number)
    if found is None:
        raise HTTPException(404, "No such order.")
    return {**found, "refunds": trade.refunds_of(memory, channel, number)}


@router.post("/world/{channel}/orders/{number}/take-off")
def world_order_take_off(
    channel: str, number: str, memory: World, lines: Annotated[dict[str, int], Body(embed=True)]
) -> dict[str, str]:
    """Takes units off lines of an order, as the buyer would."""
    if not trade.take_off(memory, market_or_404(channel), number, lines):
        raise HTTPException(404, "No such order.")
    return {"order": number}


@router.post("/world/{channel}/orders/{number}/address")
def world_order_address(
    channel: str, number: str, memory: World, to: Annotated[dict[str, str], Body()]
) -> dict[str, str]:
    """Changes where an order goes, as the buyer would; what is left out stays."""
    unknown = [name for name in to if name not in ADDRESS]
    if unknown:
        raise HTTPException(422, f"An address has {', '.join(ADDRESS)}.")
    if not trade.readdress(memory, market_or_404(channel), number, to):
        raise HTTPException(404, "No such order.")
    return {"order": number}


@router.post("/world/{channel}/orders/{number}/{deed}")
def world_order_deed(channel: str, number: str, deed: str, memory: World) -> dict[str, str]:
    """Cancels or pays an order, as the buyer would."""
    deeds: dict[str, dict[str, Any]] = {"cancel": {"state": "cancelled"}, "pay": {"paid": True}}
    changes = deeds.get(deed)
    if changes is None or not trade.change_order(memory, market_or_404(channel), number, **changes):
        raise HTTPException(404, "No such order.")
    return {"order": number}


@router.get("/{channel}/orders/{number}", response_class=HTMLResponse)
def order_page(channel: str, number: str, memory: World) -> HTMLResponse:
    """Shows what the buyer sees of an order."""
    order = world_order(channel, number, memory)
    return page(
        "order.html", channel=channel, name=MARKETS[channel], order=order, address=ADDRESS[:5]
    )


@router.post("/{channel}/orders/{number}/{deed}", response_class=HTMLResponse)
async def change_own_order(
    channel: str, number: str, deed: str, request: Request, memory: World
) -> Response:
    """Changes an order as its buyer."""
    form = {key: str(value).strip() for key, value in (await request.form()).items()}
    if deed == "address":
        world_order_address(channel, number, memory, form)
    elif deed == "take-off":
        line, units = form.get("line", ""), form.get("units", "")
        if not units.isdigit():
            raise HTTPException(422, "Units are a whole number.")
        world_order_take_off(channel, number, memory, {line: int(units)})
    else:
        world_order_deed(channel, number, deed, memory)
    return RedirectResponse(f"/{channel}/orders/{number}", 303)
