"""The seller's own web store, with items by SKU, stock per store room, and order webhooks.

In its dialect money is decimal text, an item is created or replaced under its SKU by PUT, and
webhooks are signed as the Standard Webhooks specification says.
"""

import hashlib
import json
import re
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Body, Depends, Header, HTTPException, Request

from standins import trade
from standins.hagglet import World
from standins.memory import Memory, keep_picture, loads
from standins.rules import rule_problems, trait_problems

SECTIONS = (
    "Pots",
    "Pots / Small",
    "Pots / Middle",
    "Pots / Large",
    "Pots / Hanging",
    "Pots / Saucers",
    "Pots / Window boxes",
    "Tools",
    "Tools / Digging",
    "Tools / Cutting",
    "Tools / Sowing",
    "Tools / Gloves",
    "Soil",
    "Soil / Sowing",
    "Soil / Potting",
    "Soil / Grit and bark",
    "Seeds",
    "Seeds / Herbs",
    "Seeds / Vegetables",
    "Seeds / Flowers",
    "Seeds / Fruit",
    "Seeds / Salads",
    "Watering",
    "Watering / Cans",
    "Watering / Misters",
    "Watering / Trays",
    "Care",
    "Care / Feed",
    "Care / Labels",
    "Care / Ties and stakes",
    "Sets",
    "Sets / Starter",
    "Gifts",
)
MOST_OPTIONS = 3
TAGS = re.compile(r"<(?!/?(?:p|b|i|ul|li|br|h3)\b)[^<>]*>", re.IGNORECASE)
LEVELS_AT_ONCE = 100
KEPT = ("brand",)  # what an item keeps when what replaces it does not say it
KEPT_BY_A_VARIANT = (*KEPT, "name", "body")
ROOM = "web"


async def check_token(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without the shopkeeper's token."""
    if authorization != f"Bearer {memory.tokens['ownshop']}":
        raise HTTPException(401, "Unknown key.")


admin = APIRouter(prefix="/ownshop/admin", dependencies=[Depends(check_token)])


def cents(text: Any) -> int | None:
    """Returns decimal text as cents, or None when it is no amount."""
    try:
        amount = Decimal(str(text)) * 100
    except InvalidOperation:
        return None
    return int(amount) if amount == int(amount) and amount > 0 else None


@admin.get("/about")
def about(memory: World) -> dict[str, Any]:
    """Returns which store this is."""
    return {
        "store": trade.seller_name(memory, "ownshop"),
        "currency": "EUR",
        "rooms": [ROOM],
        "now": memory.now().isoformat(),
    }


@admin.put("/media/{name}")
async def put_media(name: str, request: Request, memory: World) -> dict[str, str]:
    """Stores a picture under the SHA-256 of its content."""
    content = await request.body()
    if hashlib.sha256(content).hexdigest() != name:
        raise HTTPException(422, "The name of a medium is the SHA-256 of its content.")
    with memory.writing() as db:
        if keep_picture(db, content) is None:
            raise HTTPException(415, "Only PNG, JPEG and WebP.")
    return {"media": name}


def faults(item: dict[str, Any], memory: Memory) -> dict[str, str]:
    """Returns what the store refuses, by field."""
    found: dict[str, str] = {}
    if "options" in item:
        wrong = trait_problems(memory, "ownshop", list(item["options"]), MOST_OPTIONS, ())
        found |= {"traits": wrong} if wrong else {}
    if "of" in item:
        found |= variant_faults(item, memory)
    if memory.rulebook("ownshop"):
        part = "head" if "options" in item else "member" if "of" in item else "whole"
        return found | dict(rule_problems(memory, "ownshop", item, part=part))
    return found | (_own_faults(item, memory) if "of" not in item else {})


def variant_faults(item: dict[str, Any], memory: Memory) -> dict[str, str]:
    """Returns what is wrong with a variant: its item, its place among the options, its weight."""
    above = memory.row("SELECT * FROM listing WHERE channel = 'ownshop' AND ref = ?", item["of"])
    if above is None or "grid" not in loads(above["data"]):
        return {"of": "no item with options"}
    found = {}
    wrong = trade.differs_problem(
        memory, "ownshop", above, item.get("choice"), str(item.get("sku", ""))
    )
    if wrong:
        found["traits"] = wrong
    if not isinstance(item.get("weight"), int) or item["weight"] <= 0:
        found["weight"] = "grams, more than 0"
    return found


def _own_faults(item: dict[str, Any], memory: Memory) -> dict[str, str]:
    found = {}
    if not 1 <= len(str(item.get("name", ""))) <= 120:
        found["name"] = "1 to 120 characters"
    if len(str(item.get("body", ""))) > 20_000:
        found["body"] = "at most 20,000 characters"
    elif TAGS.search(str(item.get("body", ""))):
        found["body"] = "only p, b, i, ul, li, br and h3"
    if item.get("section") not in SECTIONS:
        found["section"] = "one of " + ", ".join(SECTIONS)
    if "options" not in item and (not isinstance(item.get("weight"), int) or item["weight"] <= 0):
        found["weight"] = "grams, more than 0"
    if not item.get("images"):
        found["images"] = "at least one"
    elif any(
        memory.row("SELECT 1 FROM picture WHERE id = ?", name) is None for name in item["images"]
    ):
        found["images"] = "send the media first"
    return found


def as_item(row: Any) -> dict[str, Any]:
    """Returns an item in the store's words."""
    data = loads(row["data"])
    return {
        "sku": row["sku"],
        "name": row["title"],
        "price": f"{Decimal(row['price']) / 100:.2f}",
        "before": data.get("before"),
        "stock": {ROOM: row["quantity"]},
        "visible": row["state"] == "live",
        "page": f"/ownshop/items/{quote(data.get('under') or row['sku'], safe='')}",
        "options": data.get("grid", []),
        "of": data.get("under", ""),
        "choice": data.get("differs", {}),
        **{name: data.get(name, "") for name in ("body", "section", "weight", "barcode", "brand")},
        "images": [f"/pictures/{name}" for name in data.get("pictures", [])],
        **trade.times_of(row, data),
    }


@admin.get("/items")
def list_items(memory: World, after: str = "", limit: int = 100) -> dict[str, Any]:
    """Returns all items, in pages by SKU."""
    rows = memory.rows(
        "SELECT * FROM listing WHERE channel = 'ownshop' AND ref > ? ORDER BY ref LIMIT ?",
        after,
        min(limit, 250),
    )
    return {"items": [as_item(row) for row in rows]}


def set_many(
    memory: Memory, rows: list[dict[str, Any]], column: str, value_of: Any
) -> dict[str, Any]:
    """Sets one number on up to 100 items, with an outcome for each."""
    if len(rows) > LEVELS_AT_ONCE:
        raise HTTPException(413, f"At most {LEVELS_AT_ONCE} at once.")
    outcomes = []
    with memory.writing() as db:
        for row in rows:
            value = value_of(row)
            fault = "not a number we take" if value is None or value < 0 else None
            if fault is None:
                sql = f"UPDATE listing SET {column} = ? WHERE channel = 'ownshop' AND ref = ?"
                fault = (
                    None if db.execute(sql, (value, row.get("sku"))).rowcount else "no such item"
                )
            outcomes.append({"sku": row.get("sku"), "fault": fault})
    return {"outcomes": outcomes}


@admin.post("/stock")
def set_stock(
    memory: World, levels: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, Any]:
    """Sets how many units lie in a store room."""
    return set_many(
        memory,
        levels,
        "quantity",
        lambda row: row.get("count") if row.get("room") == ROOM else None,
    )


@admin.post("/prices")
def set_prices(
    memory: World, prices: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, Any]:
    """Sets prices. `before` is what an item cost before it was on sale, and is shown struck
    through.
    """
    found = set_many(memory, prices, "price", lambda row: cents(row.get("price")))
    taken = {outcome["sku"] for outcome in found["outcomes"] if outcome["fault"] is None}
    with memory.writing() as db:
        for row in prices:
            if row.get("sku") in taken:
                db.execute(
                    "UPDATE listing SET data = json_set(data, '$.before', ?) WHERE channel = 'ownshop' AND ref = ?",
                    (row.get("before"), row["sku"]),
                )
    return found


@admin.put("/items/{sku:path}/visible")
def set_visible(
    sku: str, memory: World, visible: Annotated[bool, Body(embed=True)]
) -> dict[str, Any]:
    """Shows or hides an item."""
    with memory.writing() as db:
        done = db.execute(
            "UPDATE listing SET state = ? WHERE channel = 'ownshop' AND ref = ?",
            ("live" if visible else "hidden", sku),
        ).rowcount
    if not done:
        raise HTTPException(404, "No such item.")
    return {"sku": sku, "visible": visible}


@admin.put("/items/{sku:path}")
def put_item(sku: str, memory: World, item: Annotated[dict[str, Any], Body()]) -> dict[str, Any]:
    """Creates an item, or replaces its content; price and stock only count when it is new. One with
    `options` comes in variants, each an item `of` it with a `choice` for every option.
    """
    wrong = faults({**item, "sku": sku}, memory)
    price = 0 if "options" in item else cents(item.get("price"))
    if price is None:
        wrong["price"] = "decimal text above 0"
    if wrong:
        raise HTTPException(422, {"faults": wrong})
    name = item.get("name", "")
    data = {**item, "pictures": item.get("images", [])}
    if "options" in item:
        data["grid"] = item["options"]
    if "of" in item:
        above = memory.row(
            "SELECT * FROM listing WHERE channel = 'ownshop' AND ref = ?", item["of"]
        )
        values = ", ".join(map(str, item["choice"].values()))
        name = name or f"{above['title'] if above else ''}, {values}"
        data |= {"under": item["of"], "differs": item["choice"]}
    with memory.writing() as db:
        there = db.execute(
            "SELECT data FROM listing WHERE channel = 'ownshop' AND ref = ?", (sku,)
        ).fetchone()
        if there is not None:
            kept = loads(there["data"])
            names = KEPT_BY_A_VARIANT if "of" in item else KEPT
            data = {**{key: kept[key] for key in names if key in kept}, **data}
            data |= {"before": kept.get("before"), "changed_at": memory.now().isoformat()}
            name = data.get("name") or name  # a variant keeps a name of its own
        db.execute(
            "INSERT INTO listing VALUES ('ownshop', ?, ?, ?, ?, 'EUR', ?, 'live', ?, NULL, ?)"
            " ON CONFLICT DO UPDATE SET title = excluded.title, data = excluded.data",
            (
                sku,
                sku,
                name,
                price,
                max(0, int(item.get("stock", {}).get(ROOM, 0))),
                json.dumps(data),
                memory.now().isoformat(),
            ),
        )
    page = f"/ownshop/items/{quote(item.get('of') or sku, safe='')}"
    return {"sku": sku, "page": page, "replaced": there is not None}


@admin.get("/items/{sku:path}")
def get_item(sku: str, memory: World) -> dict[str, Any]:
    """Returns one item."""
    row = memory.row("SELECT * FROM listing WHERE channel = 'ownshop' AND ref = ?", sku)
    if row is None:
        raise HTTPException(404, "No such item.")
    return as_item(row)


@admin.get("/orders")
def list_orders(memory: World, changed_after: int = 0, limit: int = 50) -> dict[str, Any]:
    """Returns orders that changed after a point, the oldest change first."""
    return {"orders": trade.orders_after(memory, "ownshop", changed_after, min(limit, 100))}


@admin.put("/orders/{number}/acknowledged")
def acknowledge(number: str, memory: World) -> dict[str, Any]:
    """Notes that the shopkeeper has the order."""
    if not trade.change_order(memory, "ownshop", number, seen=True):
        raise HTTPException(404, "No such order.")
    return {"number": number}


@admin.put("/orders/{number}/dispatches/{code}")
def dispatch(
    number: str,
    code: str,
    memory: World,
    carrier: Annotated[str, Body(embed=True)] = "",
    state: Annotated[str, Body(embed=True)] = "",
) -> dict[str, Any]:
    """Notes that a parcel left, under a tracking code, and what became of it."""
    parcel = {"carrier": carrier, "code": code, "stage": state}
    if not trade.change_order(memory, "ownshop", number, state="sent", parcel=parcel):
        raise HTTPException(404, "No such order.")
    return {"number": number}


@admin.put("/orders/{number}/taken-off")
def taken_off(
    number: str, memory: World, lines: Annotated[dict[str, int], Body(embed=True)]
) -> dict[str, Any]:
    """Notes how many units of each line the shopkeeper will not send."""
    if not trade.take_off(memory, "ownshop", number, lines):
        raise HTTPException(404, "No such order.")
    return {"number": number}


@admin.put("/orders/{number}/refunds/{key}")
def refund(
    number: str, key: str, memory: World, amount: Annotated[int, Body(embed=True, gt=0)]
) -> dict[str, Any]:
    """Gives money back, once under each key."""
    if not trade.give_back(memory, "ownshop", number, key, amount):
        raise HTTPException(404, "No such order.")
    return {"number": number}


@admin.put("/hook")
def set_hook(
    memory: World, url: Annotated[str, Body()], secret: Annotated[str, Body()]
) -> dict[str, str]:
    """Sets the address to which webhooks of orders are sent, and the secret with which they are
    signed.
    """
    memory.remember("hook.url", url)
    memory.remember("hook.secret", secret)
    return {"url": url}
