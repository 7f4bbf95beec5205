"""Corvello is a marketplace with a catalogue that all sellers share. Sellers put offers on its
pages.

In its dialect, everything that changes something is *handed in*, many lines at once, and answered
later by a *reply sheet* with a verdict for each line. A page shows its own title and picture, which
the seller decides who asked for it first. Up to two offers of a page stand in front. It takes only
four calls a second.
"""

import json
import re
import sqlite3
from datetime import datetime, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, HTTPException, Request
from fastapi.responses import JSONResponse

from standins import trade
from standins.aisles import AISLES, PARTICULARS
from standins.corvello_rules import REASONS, _number, _terms, page_problems
from standins.corvello_shown import all_offers, as_offer
from standins.hagglet import World
from standins.memory import Memory, keep_picture, loads, next_number

MOST_LINES, MOST_GTINS, MOST_PAGES = 500, 20, 20
SECONDS_A_LINE = 0.002
DOES = ("offer", "page", "reword", "units", "price", "rest", "wake")


async def check_token(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without the seller's token."""
    if authorization != f"Stall {memory.tokens['corvello']}":
        raise HTTPException(401, "No stall has that word.")


counter = APIRouter(prefix="/corvello/counter", dependencies=[Depends(check_token)])


@counter.get("/stall")
def stall(memory: World) -> dict[str, Any]:
    """Returns whose stall this is."""
    return {
        "house": "Corvello",
        "stall": trade.seller_name(memory, "corvello"),
        "coin": "EUR",
        "hour": memory.now().isoformat(),
    }


@counter.get("/aisles")
def aisles() -> dict[str, Any]:
    """Returns every aisle with the particulars that its pages need and take, and their allowed
    values.
    """
    found = [
        {"aisle": key, "name": a.name, "needs": a.needs, "takes": a.takes}
        for key, a in AISLES.items()
    ]
    return {"aisles": found, "particulars": PARTICULARS, "reasons": REASONS}


@counter.post("/pictures", status_code=201)
async def take_picture(request: Request, memory: World) -> dict[str, str]:
    """Takes a picture; the same one is stored once."""
    content = await request.body()
    with memory.writing() as db:
        name = keep_picture(db, content)
    if name is None:
        raise HTTPException(415, "That is no picture.")
    return {"picture": name}


# --- the catalogue


def as_page(row: Any, memory: Memory) -> dict[str, Any]:
    """Returns a page of the catalogue, with the offers on it."""
    offers = all_offers(memory, row["ref"])
    prices = [offer["price"] + offer["shipping"] for offer in offers]
    data = loads(row["data"])
    return {
        "page": row["ref"],
        "gtin": row["gtin"],
        "title": row["title"],
        "maker": row["brand"],
        "aisle": data["aisle"],
        "picture": f"/pictures/{data['pictures'][0]}" if data["pictures"] else "",
        "offers": len(offers),
        "measure": data["particulars"].get("diameter") or data["particulars"].get("volume", ""),
        "lowest": min(prices, default=None),
    }


@counter.get("/pages")
def find_pages(memory: World, gtin: str = "", words: str = "", most: int = 10) -> dict[str, Any]:
    """Returns pages by up to twenty GTINs, or by words, the most alike first."""
    most = min(most, MOST_PAGES)
    if gtin:
        wanted = [code.strip().zfill(14) for code in gtin.split(",") if code.strip()]
        if len(wanted) > MOST_GTINS:
            raise HTTPException(413, f"At most {MOST_GTINS} at once.")
        marks = ",".join("?" * len(wanted))
        rows = memory.rows(
            f"SELECT * FROM catalogue_page WHERE gtin_key IN ({marks}) ORDER BY ref", *wanted
        )
        return {"pages": [as_page(row, memory) for row in rows]}
    asked = {word for word in re.findall(r"\w+", words.casefold()) if len(word) > 1}
    found = []
    for row in memory.rows("SELECT * FROM catalogue_page ORDER BY ref"):
        have = set(re.findall(r"\w+", f"{row['title']} {row['brand']}".casefold()))
        if asked & have:
            found.append((len(asked & have) / len(asked | have), row))
    found.sort(key=lambda pair: (-pair[0], pair[1]["ref"]))
    return {"pages": [as_page(row, memory) for _, row in found[:most]]}


def add_page(db: sqlite3.Connection, page: dict[str, Any], now: datetime) -> str:
    """Adds a page to the catalogue and returns its name."""
    ref = f"CP-{next_number(db):06d}"
    gtin = str(page.get("gtin") or "")
    data = {
        "aisle": page.get("aisle", "cv-801"),
        "text": page.get("text", ""),
        "pictures": page.get("pictures", []),
        "particulars": page.get("particulars", {}),
    }
    db.execute(
        "INSERT INTO catalogue_page VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            ref,
            gtin,
            gtin.zfill(14) if gtin else "",
            page["title"],
            page.get("maker", ""),
            json.dumps(data),
            now.isoformat(),
        ),
    )
    return ref


# --- hand-ins and reply sheets


@counter.post("/handins", status_code=202)
def hand_in(
    memory: World,
    lines: Annotated[list[dict[str, Any]], Body(embed=True)],
    mark: Annotated[str, Header()],
) -> JSONResponse:
    """Takes a hand-in, which is answered later. Under one mark it is taken once."""
    with memory.writing() as db:
        known = db.execute("SELECT number FROM handin WHERE mark = ?", (mark,)).fetchone()
        if known:
            return JSONResponse({"handin": known["number"]}, 200)
        if not 1 <= len(lines) <= MOST_LINES:
            return JSONResponse({"error": f"Between 1 and {MOST_LINES} lines."}, 413)
        number = f"H{next_number(db):07d}"
        wait = float(memory.setting("corvello.reply_s", "0.6")) + SECONDS_A_LINE * len(lines)
        ready = memory.now() + timedelta(seconds=wait)
        db.execute(
            "INSERT INTO handin VALUES (?, ?, ?, ?, NULL)",
            (number, mark, json.dumps(lines), ready.isoformat()),
        )
    return JSONResponse({"handin": number, "lines": len(lines)}, 202)


@counter.get("/handins")
def find_hand_in(memory: World, mark: str) -> dict[str, Any]:
    """Returns the number of the hand-in under a mark, or nothing."""
    row = memory.row("SELECT number FROM handin WHERE mark = ?", mark)
    return {"handin": row["number"] if row else None}


@counter.get("/handins/{number}/reply")
def reply(number: str, memory: World) -> JSONResponse:
    """Returns the reply sheet, once there is one."""
    settle(memory)
    row = memory.row("SELECT reply FROM handin WHERE number = ?", number)
    if row is None:
        return JSONResponse({"error": "We never had that."}, 404)
    if row["reply"] is None:
        return JSONResponse({"state": "being read"}, 202)
    return JSONResponse({"state": "answered", "lines": loads(row["reply"])})


def settle(memory: Memory) -> None:
    """Works through every hand-in whose time has come, in the order in which they came."""
    due = memory.rows(
        "SELECT number FROM handin WHERE reply IS NULL AND ready_at <= ? ORDER BY number",
        memory.now().isoformat(),
    )
    for row in due:
        with memory.writing() as db:
            found = db.execute(
                "SELECT lines FROM handin WHERE number = ? AND reply IS NULL", (row["number"],)
            )
            kept = found.fetchone()
            if kept is not None:
                answers = [_work_on(memory, db, line) for line in loads(kept["lines"])]
                db.execute(
                    "UPDATE handin SET reply = ? WHERE number = ?",
                    (json.dumps(answers), row["number"]),
                )


def _work_on(memory: Memory, db: sqlite3.Connection, line: dict[str, Any]) -> dict[str, Any]:
    """Returns the verdict on one line; a line whose key was taken before gets the verdict of then."""
    key = str(line.get("key", ""))
    before = db.execute("SELECT verdict FROM handin_line WHERE key = ?", (key,)).fetchone()
    if before:
        return {**loads(before["verdict"]), "again": True}
    try:
        problems, done = _carry_out(memory, db, line)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        problems, done = [{"at": "", "because": f"We cannot read this line: {error}"}], {}
    verdict = {
        "key": key,
        "verdict": "not taken" if problems else "taken",
        "because": problems,
        **done,
    }
    if not problems:
        db.execute("INSERT INTO handin_line VALUES (?, ?)", (key, json.dumps(verdict)))
    return verdict


def _carry_out(
    memory: Memory, db: sqlite3.Connection, line: dict[str, Any]
) -> tuple[list[dict[str, str]], dict[str, Any]]:
    does = line.get("do")
    if does not in DOES:
        return [{"at": "do", "because": f"One of {', '.join(DOES)}."}], {}
    if does in ("offer", "page"):
        return _take_offer(memory, db, line)
    row = db.execute(
        "SELECT * FROM listing WHERE channel = 'corvello' AND ref = ?",
        (str(line.get("offer", "")),),
    ).fetchone()
    if row is None:
        return [{"at": "offer", "because": "You have no such offer."}], {}
    changes: dict[str, Any] = {}
    problems: list[dict[str, str]] = []
    if does == "units":
        problems, changes = _number(line, "units", 0, 9_999), {"quantity": line.get("units")}
    elif does == "price":
        problems, changes = _number(line, "price", 50, 9_999_999), {"price": line.get("price")}
    elif does in ("rest", "wake"):
        changes = {"state": "resting" if does == "rest" else "live"}
    else:
        problems = _terms(line, memory)
        kept = {**loads(row["data"]), "terms": line.get("terms", {})}
        changes = {"data": json.dumps({**kept, "changed_at": memory.now().isoformat()})}
    if not problems:
        sets = ", ".join(f"{name} = ?" for name in changes)
        db.execute(
            f"UPDATE listing SET {sets} WHERE channel = 'corvello' AND ref = ?",
            (*changes.values(), row["ref"]),
        )
    return problems, {"offer": row["ref"]}


def _take_offer(
    memory: Memory, db: sqlite3.Connection, line: dict[str, Any]
) -> tuple[list[dict[str, str]], dict[str, Any]]:
    """Takes an offer on a page that exists, or on one that is asked for with it."""
    problems = [
        *_number(line, "units", 0, 9_999),
        *_number(line, "price", 50, 9_999_999),
        *_terms(line, memory),
    ]
    page = str(line.get("page", ""))
    if line["do"] == "page":
        problems += page_problems(line.get("wanted") or {}, memory, line.get("terms") or {})
    elif db.execute("SELECT 1 FROM catalogue_page WHERE ref = ?", (page,)).fetchone() is None:
        problems.append({"at": "page", "because": "There is no such page."})
    elif db.execute(
        "SELECT 1 FROM listing WHERE channel = 'corvello' AND json_extract(data, '$.page') = ?",
        (page,),
    ).fetchone():
        problems.append({"at": "page", "because": "Your stall has an offer on this page already."})
    if problems:
        return problems, {}
    now = memory.now()
    if line["do"] == "page":
        page = add_page(db, line["wanted"], now)
    shown = db.execute(
        "SELECT title, gtin, data FROM catalogue_page WHERE ref = ?", (page,)
    ).fetchone()
    ref = f"CO-{next_number(db):06d}"
    data = {
        "page": page,
        "terms": line.get("terms", {}),
        "pictures": loads(shown["data"])["pictures"],
        "gtin": shown["gtin"],
        "sent_by": line.get("sent_by", "seller"),
    }
    db.execute(
        "INSERT INTO listing VALUES ('corvello', ?, ?, ?, ?, 'EUR', ?, 'live', ?, ?, ?)",
        (
            ref,
            str(line.get("code", "")),
            shown["title"],
            line["price"],
            line["units"],
            json.dumps(data),
            str(line.get("key", "")),
            now.isoformat(),
        ),
    )
    return [], {"offer": ref, "page": page, "path": f"/corvello/pages/{page}"}


# --- offers


@counter.get("/offers")
def offers(memory: World, beyond: str = "", limit: int = 100) -> dict[str, Any]:
    """Returns the seller's own offers, in pages."""
    settle(memory)
    rows = memory.rows(
        "SELECT * FROM listing WHERE channel = 'corvello' AND ref > ? ORDER BY ref LIMIT ?",
        beyond,
        min(limit, 200),
    )
    return {"offers": [as_offer(row, memory) for row in rows]}


# --- orders


def worded(order: dict[str, Any]) -> dict[str, Any]:
    """Returns an order in Corvello's words."""
    return {
        "order": order["number"],
        "turn": order["seq"],
        "stands": {"placed": "open", "sent": "on its way", "cancelled": "called off"}.get(
            order["state"], "open"
        ),
        "paid": order["paid"],
        "at": order["placed_at"],
        "goes_to": {
            key: order["buyer"].get(key, "")
            for key in ("name", "street", "town", "postcode", "country", "mail")
        },
        "lines": [
            {
                "no": line["line"],
                "offer": line["ref"],
                "code": line["sku"],
                "title": line["title"],
                "units": line["quantity"],
                "price": line["each"],
            }
            for line in order["lines"]
        ],
        "delivery": order["postage"],
        "coin": order["currency"],
    }


@counter.get("/orders")
def orders(memory: World, since: int = 0, limit: int = 50) -> dict[str, Any]:
    """Returns orders that changed since a turn, the oldest change first."""
    found = trade.orders_after(memory, "corvello", since, min(limit, 100))
    return {"orders": [worded(order) for order in found]}


@counter.post("/orders/{number}/received")
def received(number: str, memory: World) -> dict[str, str]:
    """Notes that the seller has the order."""
    if not trade.change_order(memory, "corvello", number, seen=True):
        raise HTTPException(404, "We have no such order.")
    return {"order": number}


@counter.put("/orders/{number}/parcels/{code}")
def parcel(
    number: str,
    code: str,
    memory: World,
    by: Annotated[str, Body(embed=True)] = "",
    word: Annotated[str, Body(embed=True)] = "",
) -> dict[str, str]:
    """Notes that a parcel left, under a code, and what became of it; repeating it changes nothing."""
    left = {"carrier": by, "code": code, "stage": word}
    if not trade.change_order(memory, "corvello", number, state="sent", parcel=left):
        raise HTTPException(404, "We have no such order.")
    return {"order": number}


@counter.put("/orders/{number}/lines/{no}/not-coming")
def not_coming(
    number: str, no: str, memory: World, units: Annotated[int, Body(embed=True, ge=0)]
) -> dict[str, str]:
    """Notes how many units of a line do not come; repeating it changes nothing."""
    if not trade.take_off(memory, "corvello", number, {no: units}):
        raise HTTPException(404, "We have no such order.")
    return {"order": number}


@counter.put("/orders/{number}/moneys/{slip}")
def money(
    number: str, slip: str, memory: World, cents: Annotated[int, Body(embed=True, gt=0)]
) -> dict[str, str]:
    """Returns money to the buyer, once for each slip."""
    if not trade.give_back(memory, "corvello", number, slip, cents):
        raise HTTPException(404, "We have no such order.")
    return {"order": number}
