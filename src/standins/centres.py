"""Corvello's fulfilment centres: they hold goods of the seller and send orders for the seller, also
those of other marketplaces. What is handed over is packed after a while, and can be called back until
then.
"""

import json
from datetime import datetime, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException
from fastapi.responses import JSONResponse

from standins.corvello import counter
from standins.hagglet import World
from standins.memory import Memory, loads, next_number

HOUSES = {
    "arden": ("Arden", "AR1 2CF"),
    "brackmoor": ("Brackmoor", "BK7 4TP"),
    "coldfen": ("Coldfen", "CF3 9NN"),
}
PACKED_AFTER = timedelta(minutes=20)
GONE_AFTER = timedelta(minutes=90)
CENTS, CENTS_A_UNIT = 320, 45
STANDS = {"taken": "taken", "packing": "being packed", "gone": "on its way", "back": "called back"}
router = APIRouter()


def stock_of(memory: Memory, centre: str) -> dict[str, int]:
    """Returns the units of each SKU that a centre holds."""
    rows = memory.rows("SELECT sku, units FROM centre_stock WHERE centre = ? ORDER BY sku", centre)
    return {row["sku"]: row["units"] for row in rows}


def set_stock(memory: Memory, centre: str, stock: dict[str, int]) -> None:
    """Puts units of some SKUs into a centre."""
    with memory.writing() as db:
        for sku, units in stock.items():
            db.execute(
                "INSERT INTO centre_stock VALUES (?, ?, ?) "
                "ON CONFLICT (centre, sku) DO UPDATE SET units = excluded.units",
                (centre, sku, units),
            )


def move_on(memory: Memory) -> None:
    """Lets what was handed over go on, as far as the clock says."""
    now = memory.now()
    with memory.writing() as db:
        rows = db.execute("SELECT * FROM handover WHERE state IN ('taken', 'packing')").fetchall()
        for row in rows:
            age = now - datetime.fromisoformat(row["taken_at"])
            state = "gone" if age >= GONE_AFTER else "packing" if age >= PACKED_AFTER else "taken"
            if state == row["state"]:
                continue
            turn = next_number(db)
            code = f"CV{turn:09d}" if state == "gone" else ""
            db.execute(
                "UPDATE handover SET state = ?, code = ?, seq = ? WHERE ref = ?",
                (state, code, turn, row["ref"]),
            )


def worded(row: Any) -> dict[str, Any]:
    """Returns what was handed over in Corvello's words."""
    lines = loads(row["lines"])
    units = sum(line["units"] for line in lines)
    gone = row["state"] == "gone"
    return {
        "ref": row["ref"],
        "turn": row["seq"],
        "centre": row["centre"],
        "stands": STANDS[row["state"]],
        "lines": lines,
        "parcel": {"by": "Corvello Rounds", "code": row["code"], "grams": 200 + 400 * units}
        if gone
        else None,
        "cents": CENTS + CENTS_A_UNIT * units if gone else 0,
    }


@counter.put("/handovers/{ref}")
def hand_over(
    ref: str,
    memory: World,
    centre: Annotated[str, Body()],
    lines: Annotated[list[dict[str, Any]], Body()],
    goes_to: Annotated[dict[str, str], Body()],
) -> Any:
    """Takes an order to be sent from a centre; under one ref it is taken once."""
    if centre not in HOUSES:
        raise HTTPException(404, "We have no such centre.")
    with memory.writing() as db:
        row = db.execute("SELECT * FROM handover WHERE ref = ?", (ref,)).fetchone()
        if row is None:
            for line in lines:
                held = db.execute(
                    "SELECT units FROM centre_stock WHERE centre = ? AND sku = ?",
                    (centre, line["code"]),
                ).fetchone()
                if held is None or held["units"] < line["units"]:
                    said = f"{HOUSES[centre][0]} does not hold {line['units']} of {line['code']}."
                    return JSONResponse({"detail": said}, 409)
            for line in lines:
                db.execute(
                    "UPDATE centre_stock SET units = units - ? WHERE centre = ? AND sku = ?",
                    (line["units"], centre, line["code"]),
                )
            db.execute(
                "INSERT INTO handover VALUES (?, ?, ?, ?, 'taken', '', ?, ?)",
                (
                    ref,
                    centre,
                    json.dumps(lines),
                    json.dumps(goes_to),
                    next_number(db),
                    memory.now().isoformat(),
                ),
            )
    return found(memory, ref)


def found(memory: Memory, ref: str) -> dict[str, Any]:
    """Returns one thing that was handed over."""
    row = memory.row("SELECT * FROM handover WHERE ref = ?", ref)
    if row is None:
        raise HTTPException(404, "Nothing was handed over under that ref.")
    return worded(row)


@counter.get("/handovers")
def handovers(memory: World, since: int = 0, limit: int = 50) -> dict[str, Any]:
    """Returns what was handed over and changed since a turn, the oldest change first."""
    move_on(memory)
    sql = "SELECT * FROM handover WHERE seq > ? ORDER BY seq LIMIT ?"
    return {"handovers": [worded(row) for row in memory.rows(sql, since, min(limit, 100))]}


@counter.delete("/handovers/{ref}")
def call_back(ref: str, memory: World) -> Any:
    """Calls back what was handed over; once it is being packed, that is too late."""
    move_on(memory)
    told = found(memory, ref)
    if told["stands"] in (STANDS["packing"], STANDS["gone"]):
        return JSONResponse({"detail": f"It is {told['stands']}."}, 409)
    with memory.writing() as db:
        row = db.execute("SELECT * FROM handover WHERE ref = ?", (ref,)).fetchone()
        if row["state"] == "taken":
            for line in loads(row["lines"]):
                db.execute(
                    "UPDATE centre_stock SET units = units + ? WHERE centre = ? AND sku = ?",
                    (line["units"], row["centre"], line["code"]),
                )
            db.execute(
                "UPDATE handover SET state = 'back', seq = ? WHERE ref = ?", (next_number(db), ref)
            )
    return found(memory, ref)


@router.get("/world/corvello/centres")
def world_centres(memory: World) -> list[dict[str, Any]]:
    """Returns the centres with what they hold."""
    return [
        {"centre": key, "name": name, "postcode": postcode, "stock": stock_of(memory, key)}
        for key, (name, postcode) in HOUSES.items()
    ]


@router.put("/world/corvello/centres/{centre}/stock")
def world_centre_stock(
    centre: str, memory: World, stock: Annotated[dict[str, int], Body(embed=True)]
) -> dict[str, int]:
    """Puts goods into a centre."""
    if centre not in HOUSES:
        raise HTTPException(404, "There is no such centre.")
    set_stock(memory, centre, stock)
    return stock_of(memory, centre)


@router.get("/world/corvello/handed-over/{ref}")
def world_handed_over(ref: str, memory: World) -> dict[str, Any]:
    """Returns an order that a centre sends for us."""
    move_on(memory)
    return found(memory, ref)
