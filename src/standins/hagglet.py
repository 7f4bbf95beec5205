"""Hagglet is a marketplace where each seller writes the page. It answers at once, for a placing fee.

In its dialect a listing is a *notice*, a SKU the seller's *own code*, a category a *shelf*, a price
*asking* in cents, and a picture a *photo*. A new notice carries a `Request-Id`, by which a lost
answer can be looked up.
"""

import json
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, HTTPException, Query, Request
from fastapi.responses import JSONResponse

from standins import trade
from standins.memory import Memory, keep_picture, loads, next_number
from standins.rules import least_price, most_units, rule_problems, trait_problems
from standins.shelves import DETAILS, SHELVES

PLACING_FEE_CENTS = 20
ROWS_AT_ONCE = 25
MOST_TRAITS = 3
OF_A_CELL = ("heading", "text", "barcode", "weight")  # what a variant may say for itself


async def memory_of(request: Request) -> Memory:
    """Returns the world's memory."""
    found: Memory = request.scope["world"].memory
    return found


World = Annotated[Memory, Depends(memory_of)]


async def check_token(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without the seller's token."""
    if authorization != f"Token {memory.tokens['hagglet']}":
        raise HTTPException(401, "That token is not one of ours.")


seller = APIRouter(prefix="/hagglet/seller", dependencies=[Depends(check_token)])


def problems_of(notice: dict[str, Any], memory: Memory) -> list[dict[str, str]]:
    """Returns what keeps a notice off the market, in Hagglet's words. A notice with a grid has
    neither units nor a price itself.
    """
    found: list[dict[str, str]] = []

    def say(field: str, says: str) -> None:
        found.append({"field": field, "says": says})

    if "grid" in notice:
        wrong = trait_problems(memory, "hagglet", list(notice["grid"]), MOST_TRAITS, ())
        if wrong:
            say("traits", wrong)
    else:
        _check_figures(notice, memory, say)
    if memory.rulebook("hagglet"):
        part = "head" if "grid" in notice else "whole"
        for field, says in rule_problems(memory, "hagglet", notice, part=part):
            say(field, says)
    else:
        _check_words(notice, memory, say)
    return found


def _check_figures(notice: dict[str, Any], memory: Memory, say: Any) -> None:
    lowest, most = least_price(memory, "hagglet", 100), most_units(memory, "hagglet", 999)
    asking, units = notice.get("asking"), notice.get("units")
    if not isinstance(asking, int) or asking < lowest:
        say("asking", f"We take notices from {lowest / 100:.2f}.")
    if not isinstance(units, int) or not 0 <= units <= most:
        say("units", f"Between 0 and {most}.")


def _check_words(notice: dict[str, Any], memory: Memory, say: Any) -> None:
    if not 3 <= len(str(notice.get("heading", ""))) <= 80:
        say("heading", "A heading has 3 to 80 characters.")
    if not 20 <= len(str(notice.get("text", ""))) <= 4000:
        say("text", "Tell buyers at least 20 characters, at most 4000.")
    if notice.get("shelf") not in SHELVES:
        say("shelf", "We have no such shelf.")
    details = notice.get("details") or {}
    for name in SHELVES[notice["shelf"]].needs if notice.get("shelf") in SHELVES else ():
        if not details.get(name):
            say(f"details.{name}", f"This shelf asks for the {name}.")
    for name, allowed in DETAILS.items():
        if details.get(name) and details[name] not in allowed:
            say(f"details.{name}", f"One of {', '.join(allowed)}.")
    if "counterfeit" in str(notice.get("heading", "")).lower():
        say("heading", "We do not allow this word.")
    if notice.get("condition") not in ("new", "used"):
        say("condition", "Either new or used.")
    photos = notice.get("photos") or []
    if not 1 <= len(photos) <= 12:
        say("photos", "Between 1 and 12 photos.")
    if any(memory.row("SELECT 1 FROM picture WHERE id = ?", photo) is None for photo in photos):
        say("photos", "A photo has not reached us.")


@seller.get("/hello")
def hello(memory: World) -> dict[str, Any]:
    """Returns who is asking."""
    return {
        "market": "Hagglet",
        "seller": trade.seller_name(memory, "hagglet"),
        "time": memory.now().isoformat(),
    }


@seller.get("/shelves")
def shelves() -> dict[str, Any]:
    """Returns every shelf with the details that it needs, and their allowed values."""
    found = [
        {"shelf": key, "name": shelf.name, "needs": shelf.needs} for key, shelf in SHELVES.items()
    ]
    return {"shelves": found, "details": DETAILS}


@seller.post("/photos", status_code=201)
async def take_photo(request: Request, memory: World) -> dict[str, str]:
    """Takes a photo; the same photo is stored once."""
    content = await request.body()
    with memory.writing() as db:
        name = keep_picture(db, content)
    if name is None:
        raise HTTPException(415, "That is not a photo.")
    return {"photo": name}


@seller.post("/notices", status_code=201)
def place_notice(
    memory: World, notice: Annotated[dict[str, Any], Body()], request_id: Annotated[str, Header()]
) -> JSONResponse:
    """Places a notice, for a fee."""
    if taken := _taken_before(memory, request_id):
        return taken
    problems = problems_of(notice, memory)
    if problems:
        return JSONResponse({"problems": problems}, 422)
    with memory.writing() as db:
        ref = f"N{700000 + next_number(db)}"
        db.execute(
            "INSERT INTO listing VALUES ('hagglet', ?, ?, ?, ?, 'EUR', ?, 'live', ?, ?, ?)",
            (
                ref,
                notice.get("own_code", ""),
                notice["heading"],
                0 if "grid" in notice else notice["asking"],
                0 if "grid" in notice else notice["units"],
                json.dumps({**notice, "pictures": notice["photos"]}),
                request_id,
                memory.now().isoformat(),
            ),
        )
    return JSONResponse(
        {"notice": ref, "page": f"/hagglet/notices/{ref}", "fee": PLACING_FEE_CENTS}, 201
    )


def _taken_before(memory: Memory, request_id: str) -> JSONResponse | None:
    """Returns the answer to a request that was taken before, whatever it says now, or None."""
    row = memory.row("SELECT * FROM listing WHERE channel = 'hagglet' AND request = ?", request_id)
    if row is None:
        return None
    known = {"notice": row["ref"], "page": as_notice(row)["page"], "fee": 0}
    return JSONResponse({"error": "This request was taken before.", **known}, 409)


@seller.post("/notices/{head}/cells", status_code=201)
def place_cell(
    head: str,
    memory: World,
    cell: Annotated[dict[str, Any], Body()],
    request_id: Annotated[str, Header()],
) -> JSONResponse:
    """Puts a variant into the grid of a notice, for no further fee."""
    if taken := _taken_before(memory, request_id):
        return taken
    above = memory.row("SELECT * FROM listing WHERE channel = 'hagglet' AND ref = ?", head)
    if above is None or "grid" not in loads(above["data"]):
        return JSONResponse({"error": "There is no such grid."}, 404)
    problems = _cell_problems(memory, above, cell)
    if problems:
        return JSONResponse({"problems": problems}, 422)
    with memory.writing() as db:
        ref = f"N{700000 + next_number(db)}"
        data = {
            "under": head,
            "differs": cell["values"],
            "pictures": cell.get("photos", []),
            "details": cell.get("details", {}),
            **{name: cell[name] for name in OF_A_CELL if name in cell},
        }
        title = _cell_title(above, cell, data)
        db.execute(
            "INSERT INTO listing VALUES ('hagglet', ?, ?, ?, ?, 'EUR', ?, 'live', ?, ?, ?)",
            (
                ref,
                cell.get("own_code", ""),
                title,
                cell["asking"],
                cell["units"],
                json.dumps(data),
                request_id,
                memory.now().isoformat(),
            ),
        )
    return JSONResponse({"notice": ref, "page": f"/hagglet/notices/{head}", "fee": 0}, 201)


def _cell_title(above: Any, cell: dict[str, Any], data: dict[str, Any]) -> str:
    """Returns the heading of a variant: its own, or its page's with its values."""
    values = ", ".join(map(str, cell["values"].values()))
    return str(data.get("heading") or f"{above['title']}, {values}")


def _cell_problems(
    memory: Memory, above: Any, cell: dict[str, Any], ref: str = ""
) -> list[dict[str, str]]:
    found: list[dict[str, str]] = []

    def say(field: str, says: str) -> None:
        found.append({"field": field, "says": says})

    _check_figures(cell, memory, say)
    wrong = trade.differs_problem(memory, "hagglet", above, cell.get("values"), ref)
    if wrong:
        say("traits", wrong)
    if memory.rulebook("hagglet"):
        for field, says in rule_problems(memory, "hagglet", cell, part="member"):
            say(field, says)
    if any(
        memory.row("SELECT 1 FROM picture WHERE id = ?", photo) is None
        for photo in cell.get("photos") or []
    ):
        say("photos", "A photo has not reached us.")
    return found


@seller.patch("/notices/{head}/cells/{ref}")
def change_cell(
    head: str, ref: str, memory: World, changes: Annotated[dict[str, Any], Body()]
) -> JSONResponse:
    """Changes a variant's place in the grid, its photos or details."""
    above = memory.row("SELECT * FROM listing WHERE channel = 'hagglet' AND ref = ?", head)
    row = memory.row("SELECT * FROM listing WHERE channel = 'hagglet' AND ref = ?", ref)
    if above is None or row is None or loads(row["data"]).get("under") != head:
        return JSONResponse({"error": "No such notice."}, 404)
    cell = {**changes, "asking": row["price"], "units": row["quantity"]}
    problems = _cell_problems(memory, above, cell, ref)
    if problems:
        return JSONResponse({"problems": problems}, 422)
    data = {
        **loads(row["data"]),
        "differs": cell["values"],
        "pictures": cell.get("photos", []),
        "details": cell.get("details", {}),
        **{name: cell[name] for name in OF_A_CELL if name in cell},
        "changed_at": memory.now().isoformat(),
    }
    title = _cell_title(above, cell, data)
    with memory.writing() as db:
        db.execute(
            "UPDATE listing SET title = ?, data = ? WHERE channel = 'hagglet' AND ref = ?",
            (title, json.dumps(data), ref),
        )
    return JSONResponse({"notice": ref})


@seller.get("/notices")
def look_up_notices(
    memory: World, request: Annotated[str | None, Query()] = None, after: str = "", limit: int = 100
) -> dict[str, Any]:
    """Returns one notice by its request, or all in pages."""
    if request is not None:
        rows = memory.rows(
            "SELECT * FROM listing WHERE channel = 'hagglet' AND request = ?", request
        )
    else:
        rows = memory.rows(
            "SELECT * FROM listing WHERE channel = 'hagglet' AND ref > ? ORDER BY ref LIMIT ?",
            after,
            min(limit, 200),
        )
    return {"notices": [as_notice(row) for row in rows]}


def as_notice(row: Any) -> dict[str, Any]:
    """Returns a notice, or a variant in the grid of one, as its seller reads it."""
    data = loads(row["data"])
    return {
        "notice": row["ref"],
        "own_code": row["sku"],
        "heading": row["title"],
        "asking": row["price"],
        "units": row["quantity"],
        "open": row["state"] == "live",
        "page": f"/hagglet/notices/{data.get('under') or row['ref']}",
        "grid": data.get("grid", []),
        "under": data.get("under", ""),
        "values": data.get("differs", {}),
        "text": data.get("text", ""),
        "shelf": data.get("shelf", ""),
        "brand": data.get("brand", ""),
        "barcode": data.get("barcode", "") or data.get("details", {}).get("barcode", ""),
        "details": data.get("details", {}),
        "photos": [f"/pictures/{name}" for name in data.get("pictures", [])],
        "weight": data.get("weight"),
        **trade.times_of(row, data),
    }


@seller.patch("/notices/{ref}")
def change_notice(
    ref: str, memory: World, changes: Annotated[dict[str, Any], Body()]
) -> JSONResponse:
    """Changes the content of a notice."""
    row = memory.row("SELECT * FROM listing WHERE channel = 'hagglet' AND ref = ?", ref)
    if row is None:
        return JSONResponse({"error": "No such notice."}, 404)
    before = loads(row["data"])
    notice = {**before, **changes, "asking": row["price"], "units": row["quantity"]}
    problems = problems_of(notice, memory)
    if problems:
        return JSONResponse({"problems": problems}, 422)
    with memory.writing() as db:
        db.execute(
            "UPDATE listing SET title = ?, data = ? WHERE channel = 'hagglet' AND ref = ?",
            (
                notice["heading"],
                json.dumps(
                    {
                        **notice,
                        "pictures": notice["photos"],
                        "changed_at": memory.now().isoformat(),
                    }
                ),
                ref,
            ),
        )
    return JSONResponse({"notice": ref})


def set_rows(
    memory: Memory, rows: list[dict[str, Any]], column: str, key: str, least: int, most: int
) -> dict[str, Any]:
    """Sets one number on up to 25 notices, with a verdict for each."""
    if len(rows) > ROWS_AT_ONCE:
        raise HTTPException(413, f"At most {ROWS_AT_ONCE} rows at once.")
    verdicts = []
    with memory.writing() as db:
        for row in rows:
            value = row.get(key)
            if not isinstance(value, int) or not least <= value <= most:
                verdicts.append(
                    {
                        "notice": row.get("notice"),
                        "ok": False,
                        "says": f"{key} is {least} to {most}.",
                    }
                )
                continue
            done = db.execute(
                f"UPDATE listing SET {column} = ? WHERE channel = 'hagglet' AND ref = ?",
                (value, row.get("notice")),
            ).rowcount
            verdicts.append(
                {
                    "notice": row.get("notice"),
                    "ok": bool(done),
                    "says": "" if done else "No such notice.",
                }
            )
    return {"rows": verdicts}


@seller.post("/units")
def set_units(
    memory: World, rows: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, Any]:
    """Sets how many units there are."""
    return set_rows(memory, rows, "quantity", "units", 0, 999)


@seller.post("/asking")
def set_asking(
    memory: World, rows: Annotated[list[dict[str, Any]], Body(embed=True)]
) -> dict[str, Any]:
    """Sets the asking prices, in cents."""
    return set_rows(memory, rows, "price", "asking", 100, 99_999_900)


@seller.post("/notices/{ref}/{deed}")
def open_or_close(ref: str, deed: str, memory: World) -> dict[str, Any]:
    """Closes a notice, or opens it again."""
    if deed not in ("close", "reopen"):
        raise HTTPException(404, "We do not do that.")
    with memory.writing() as db:
        done = db.execute(
            "UPDATE listing SET state = ? WHERE channel = 'hagglet' AND ref = ?",
            ("closed" if deed == "close" else "live", ref),
        ).rowcount
    if not done:
        raise HTTPException(404, "No such notice.")
    return {"notice": ref, "open": deed == "reopen"}
