"""Serves the world API for tests and the demo's console, and the public pages on which a visitor
buys.
"""

import re
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Body, Form, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from markupsafe import Markup
from pydantic import BaseModel, Field

from standins import corvello, corvello_rules, hooks, mailroom, ostrel, trade
from standins.aisles import AISLES
from standins.corners import CORNERS
from standins.hagglet import World
from standins.memory import Memory, loads
from standins.shelves import SHELVES
from standins.shopwindow import page
from standins.weather import KINDS, SELLER_SIDES, Weather

TAGGED = re.compile(r"<(?:p|b|i|ul|li|br)>")
MARKETS = {
    "corvello": "Corvello",
    "hagglet": "Hagglet",
    "loomstead": "Loomstead",
    "ownshop": "Quillmoss shop",
}
ROOMS = {
    "corvello": "offers",
    "hagglet": "notices",
    "loomstead": "pieces",
    "ownshop": "items",
}  # where a listing's page lies
EVERYBODY = {**MARKETS, "ostrel": "Ostrel Post", "merrowline": "Merrowline"}
NAMED = {**EVERYBODY, "mailroom": "Mailroom"}
router = APIRouter()


def market_or_404(channel: str, memory: Memory | None = None) -> str:
    """Returns a channel stand-in by its key, after everything that has been handed in there is
    done.
    """
    if channel not in MARKETS:
        raise HTTPException(404, f"There is no {channel} in this world.")
    if channel == "corvello" and memory is not None:
        corvello.settle(memory)
    return channel


class Purchase(BaseModel):
    """A visitor's purchase."""

    sku: str | None = None
    ref: str | None = None
    quantity: int = Field(default=1, ge=1, le=999)
    buyer: dict[str, str] | None = None
    paid: bool = True
    placed_at: datetime | None = None


class WeatherChange(BaseModel):
    """The new weather of one stand-in."""

    kind: str
    seed: int = 7


@router.get("/world")
def who_is_there(request: Request, memory: World) -> dict[str, Any]:
    """Returns the stand-ins with their addresses."""
    base = request.scope["world"].base_url
    weather: Weather = request.scope["world"].weather
    return {
        "time": memory.now().isoformat(),
        "standins": {
            key: {
                "name": name,
                "address": f"{base}/{key}",
                "seller_api": base + SELLER_SIDES[key].rstrip("/"),
                "token": memory.tokens[key],
                "weather": weather.kind(key),
            }
            for key, name in EVERYBODY.items()
        },
        "mailroom": _mailroom(request, memory),
        "scale": f"{base}/devices/scale",
    }


def _mailroom(request: Request, memory: Memory) -> dict[str, Any]:
    """Returns how to reach the mailroom; its port is None while no mail can arrive."""
    world = request.scope["world"]
    return {
        "address": f"{world.base_url}/mailroom",
        "host": "127.0.0.1",
        "port": world.mailroom.port if world.mailroom is not None else None,
        "login": mailroom.LOGIN,
        "token": memory.tokens["mailroom"],
        "weather": world.weather.kind("mailroom"),
    }


@router.get("/world/{channel}/listings")
def world_listings(channel: str, memory: World) -> list[dict[str, Any]]:
    """Returns what buyers see now."""
    return trade.shown_listings(memory, market_or_404(channel, memory))


@router.get("/world/ostrel/labels")
def world_labels(memory: World) -> list[dict[str, Any]]:
    """Returns every label that was bought."""
    return ostrel.bought_labels(memory)


@router.post("/world/{channel}/purchases", status_code=201)
def world_purchase(channel: str, purchase: Purchase, memory: World) -> dict[str, str]:
    """Buys something as a visitor; answers 409 when fewer units are shown."""
    market_or_404(channel, memory)
    ref = purchase.ref
    if ref is None:
        row = memory.row(
            "SELECT ref FROM listing WHERE channel = ? AND sku = ? ORDER BY state = 'live' DESC, ref DESC",
            channel,
            purchase.sku,
        )
        ref = row["ref"] if row else str(purchase.sku)
    try:
        number = trade.purchase(
            memory,
            channel,
            trade.Buying(
                ref=ref,
                quantity=purchase.quantity,
                buyer=purchase.buyer,
                paid=purchase.paid,
                placed_at=purchase.placed_at,
            ),
        )
    except trade.NotForSale as refusal:
        raise HTTPException(409, str(refusal)) from refusal
    return {"order": number}


@router.put("/world/{name}/weather")
def world_weather(name: str, change: WeatherChange, request: Request) -> dict[str, Any]:
    """Changes the weather of one stand-in."""
    if name not in NAMED or change.kind not in KINDS:
        raise HTTPException(422, f"Known: {', '.join(NAMED)}; weather: {', '.join(KINDS)}.")
    request.scope["world"].weather.change(name, change.kind, change.seed)
    return {"name": name, "kind": change.kind}


@router.put("/world/{channel}/rulebook")
def world_rulebook(
    channel: str, memory: World, book: Annotated[dict[str, Any], Body()]
) -> dict[str, str]:
    """Replaces the stand-in's own rules by a rulebook as data."""
    market_or_404(channel)
    if not isinstance(book.get("fields"), list):
        raise HTTPException(422, "A rulebook has a list of fields.")
    memory.keep_rulebook(channel, book)
    return {"channel": channel, "rulebook": str(book.get("key", channel))}


@router.delete("/world/{channel}/rulebook")
def world_own_rules(channel: str, memory: World) -> dict[str, str]:
    """Goes back to the stand-in's own rules."""
    memory.keep_rulebook(market_or_404(channel), None)
    return {"channel": channel}


@router.post("/world/clock")
def world_clock(
    memory: World, advance_minutes: Annotated[int, Body(embed=True, ge=0)]
) -> dict[str, str]:
    """Moves the world's clock on."""
    memory.remember("clock.minutes", str(int(memory.setting("clock.minutes")) + advance_minutes))
    return {"time": memory.now().isoformat()}


@router.post("/world/ownshop/repeat-webhooks")
def world_repeat(
    memory: World, times: Annotated[int, Body(embed=True, ge=1, le=10)] = 1
) -> dict[str, int]:
    """Sends every webhook of the own shop again."""
    return {"queued": hooks.repeat_hooks(memory, times)}


@router.get("/devices/scale")
def read_scale(memory: World) -> dict[str, Any]:
    """Returns the weight on the scale."""
    return {"grams": int(memory.setting("scale.grams")), "steady": True}


@router.put("/devices/scale")
def load_scale(
    memory: World, grams: Annotated[int, Body(embed=True, ge=0, le=100_000)]
) -> dict[str, int]:
    """Puts a weight on the scale."""
    memory.remember("scale.grams", str(grams))
    return {"grams": grams}


@router.get("/", response_class=HTMLResponse)
def console(request: Request, memory: World) -> HTMLResponse:
    """Shows the stand-ins; weather, clock and scale can be changed."""
    weather: Weather = request.scope["world"].weather
    kinds = {key: weather.kind(key) for key in NAMED}
    return page(
        "console.html",
        names=NAMED,
        markets=MARKETS,
        kinds=kinds,
        all_kinds=KINDS,
        now=memory.now(),
        grams=memory.setting("scale.grams"),
    )


@router.post("/console")
def console_change(
    request: Request,
    memory: World,
    name: Annotated[str, Form()] = "",
    kind: Annotated[str, Form()] = "",
    grams: Annotated[int | None, Form(ge=0, le=100_000)] = None,
    minutes: Annotated[int | None, Form(ge=0, le=1_000_000)] = None,
) -> RedirectResponse:
    """Applies what the console's forms send."""
    if name:
        world_weather(name, WeatherChange(kind=kind), request)
    if grams is not None:
        load_scale(memory, grams)
    if minutes is not None:
        world_clock(memory, minutes)
    return RedirectResponse("/", 303)


@router.get("/pictures/{name}")
def picture(name: str, memory: World) -> Response:
    """Returns a picture that a seller sent."""
    row = memory.row("SELECT * FROM picture WHERE id = ?", name)
    if row is None:
        raise HTTPException(404, "No such picture.")
    return Response(row["content"], media_type=row["kind"])


@router.get("/{channel}", response_class=HTMLResponse)
def shop_front(channel: str, memory: World, q: str = "") -> HTMLResponse:
    """Shows what is for sale."""
    name = MARKETS[market_or_404(channel, memory)]
    rows = memory.rows(
        "SELECT * FROM listing WHERE channel = ? AND state = 'live' AND (title LIKE ? OR sku LIKE ?)"
        " AND json_extract(data, '$.under') IS NULL"
        " ORDER BY placed_at DESC, ref DESC LIMIT 120",
        channel,
        f"%{q}%",
        f"%{q}%",
    )
    items = [
        {**dict(row), "picture": (loads(row["data"]).get("pictures") or [None])[0]}
        for row in rows
        if trade.state_now(row, memory.now()) == "live"
    ]
    return page("front.html", channel=channel, name=name, items=items, q=q, room=ROOMS[channel])


@router.get("/hagglet/notices/{ref}", response_class=HTMLResponse)
def hagglet_page(ref: str, memory: World) -> HTMLResponse:
    """Shows a notice."""
    return item_page("hagglet", ref, memory)


@router.get("/loomstead/pieces/{ref}", response_class=HTMLResponse)
def loomstead_page(ref: str, memory: World) -> HTMLResponse:
    """Shows a piece."""
    return item_page("loomstead", ref, memory)


@router.get("/ownshop/items/{ref:path}", response_class=HTMLResponse)
def ownshop_page(ref: str, memory: World) -> HTMLResponse:
    """Shows an item of the own shop."""
    return item_page("ownshop", ref, memory)


def item_page(channel: str, ref: str, memory: World, sorry: str = "") -> HTMLResponse:
    """Shows one thing for sale, with the form to buy it; for a family all its variants to choose
    from.
    """
    row = memory.row("SELECT * FROM listing WHERE channel = ? AND ref = ?", channel, ref)
    if row is None:
        raise HTTPException(404, "That is not here any more.")
    data = loads(row["data"])
    if "under" in data:
        return item_page(channel, data["under"], memory, sorry)
    buyer = trade.visitor(len(memory.rows("SELECT 1 FROM purchase")))
    item = {**dict(row), "state": trade.state_now(row, memory.now())}
    variants = [
        {**dict(one), "named": ", ".join(loads(one["data"])["differs"].values())}
        for one in trade.under(memory, channel, ref)
        if one["state"] == "live"
    ]
    return page(
        "item.html",
        channel=channel,
        name=MARKETS[channel],
        item=item,
        text=text_of(data),
        shelf=place_of(data),
        pictures=data.get("pictures", []),
        buyer=buyer,
        sorry=sorry,
        variants=variants,
    )


def text_of(data: dict[str, Any]) -> str | Markup:
    """Returns the text of a listing; tags that sellers may use are rendered."""
    text = str(data.get("text") or data.get("story") or data.get("body", ""))
    return (
        Markup(text) if TAGGED.search(text) and not corvello_rules.TAGS.search(text) else text
    )  # checked: a few tags


def place_of(data: dict[str, Any]) -> str:
    """Returns where a listing stands, in words."""
    places: list[tuple[str, Any]] = [("shelf", SHELVES), ("corner", CORNERS), ("aisle", AISLES)]
    for name, known in places:
        if data.get(name) in known:
            return str(known[data[name]].name)
    return str(data.get("section") or data.get("shelf") or data.get("corner") or "")


@router.post("/{channel}/buy/{ref:path}", response_class=HTMLResponse)
async def buy(channel: str, ref: str, request: Request, memory: World) -> Response:
    """Buys something as a visitor."""
    market_or_404(channel)
    form = {key: str(value).strip() for key, value in (await request.form()).items()}
    quantity = int(form.pop("quantity", "1") or 1)
    chosen = form.pop("variant", "") or ref
    try:
        number = trade.purchase(
            memory,
            channel,
            trade.Buying(ref=chosen, quantity=max(1, quantity), buyer=form, paid=True),
        )
    except trade.NotForSale as refusal:
        return item_page(channel, ref, memory, sorry=str(refusal))
    return RedirectResponse(f"/{channel}/orders/{number}", 303)
