"""Serves Corvello's public pages, and what tests and the demo may set there: pages of the catalogue
and rivals.
"""

import json
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from standins import corvello, corvello_shown, trade
from standins.aisles import AISLES
from standins.hagglet import World
from standins.memory import loads
from standins.shopwindow import page

router = APIRouter()


@router.post("/world/corvello/pages", status_code=201)
def world_pages(
    memory: World, pages: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, list[str]]:
    """Adds pages to the catalogue, as other sellers would: `gtin, title, maker, aisle, text,
    pictures`.
    """
    with memory.writing() as db:
        return {"pages": [corvello.add_page(db, one, memory.now()) for one in pages]}


@router.post("/world/corvello/rivals", status_code=201)
def world_rivals(
    memory: World, gtin: Annotated[str, Body()], offers: Annotated[list[dict[str, Any]], Body()]
) -> dict[str, int]:
    """Replaces the offers of rivals on the pages of a GTIN: `price, shipping, rating, ratings,
    sent_by`.
    """
    with memory.writing() as db:
        db.execute("DELETE FROM rival WHERE gtin_key = ?", (gtin.zfill(14),))
        for number, offer in enumerate(offers, 1):
            told = {
                "stall": f"Stall {number}",
                "rating": 4.5,
                "ratings": 50,
                "shipping": 0,
                "sent_by": "seller",
                **offer,
            }
            db.execute(
                "INSERT INTO rival (gtin_key, data) VALUES (?, ?)",
                (gtin.zfill(14), json.dumps(told)),
            )
    return {"rivals": len(offers)}


@router.put("/world/corvello/replies")
def world_replies(
    memory: World, seconds: Annotated[float, Body(embed=True, ge=0, le=600)]
) -> dict[str, float]:
    """Sets how long a hand-in waits for its reply sheet from now on, besides 2 ms a line."""
    memory.remember("corvello.reply_s", str(seconds))
    return {"seconds": seconds}


@router.get("/corvello/offers/{ref}", response_class=HTMLResponse)
def offer_page(ref: str, memory: World) -> Response:
    """Shows the page on which an offer stands."""
    row = memory.row("SELECT data FROM listing WHERE channel = 'corvello' AND ref = ?", ref)
    if row is None:
        raise HTTPException(404, "That is not here any more.")
    return RedirectResponse(f"/corvello/pages/{loads(row['data'])['page']}", 303)


@router.get("/corvello/pages/{ref}", response_class=HTMLResponse)
def catalogue_page(ref: str, memory: World) -> HTMLResponse:
    """Shows a page of the catalogue: its front offers first, then all others. Those of our seller
    can be bought.
    """
    corvello.settle(memory)
    row = memory.row("SELECT * FROM catalogue_page WHERE ref = ?", ref)
    if row is None:
        raise HTTPException(404, "There is no such page.")
    offers = corvello_shown.all_offers(memory, ref)
    front = corvello_shown.front_offers(offers)
    data = loads(row["data"])
    buyer = trade.visitor(len(memory.rows("SELECT 1 FROM purchase")))
    aisle = AISLES[data["aisle"]].name if data["aisle"] in AISLES else data["aisle"]
    return page(
        "catalogue.html",
        channel="corvello",
        name="Corvello",
        shown=dict(row),
        data=data,
        aisle=aisle,
        front=front,
        others=[offer for offer in offers if offer not in front],
        buyer=buyer,
    )
