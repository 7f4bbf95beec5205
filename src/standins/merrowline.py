"""Merrowline is a parcel carrier. It names its rates by a question in the address, books a note under the
sender's own reference, and writes weights in kilograms and prices as text.
"""

import base64
import json
from datetime import timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, HTTPException
from fastapi.responses import JSONResponse, Response

from standins import day_sheets, journeys
from standins.hagglet import World
from standins.labels import label_pdf
from standins.memory import loads, next_number

NEAR = ("IE", "GB")
# rate -> (title, most kilograms, price near, price far, price a kilogram, days)
RATES: dict[str, tuple[str, float, float, float | None, float, int]] = {
    "saver": ("Saver, to a parcel shop", 10.0, 4.35, 8.60, 0.40, 4),
    "door": ("Door to door", 25.0, 6.20, 10.95, 0.55, 2),
    "before-ten": ("Before ten", 15.0, 14.50, None, 1.10, 1),
}


def check_key(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without a sender's key, given as a name and password (RFC 7617)."""
    wanted = base64.b64encode(f"key:{memory.setting('token.merrowline')}".encode()).decode()
    if authorization != f"Basic {wanted}":
        raise HTTPException(401, "Unknown key.")


desk = APIRouter(prefix="/merrowline/v", dependencies=[Depends(check_key)])


def price_of(rate: str, country: str, kilograms: float) -> float | None:
    """Returns a price in euros, or None when this rate does not take the parcel."""
    _, most, near, far, per_kilo, _ = RATES[rate]
    base = near if country in NEAR else far
    if base is None or not 0 < kilograms <= most:
        return None
    return round(base + per_kilo * int(kilograms), 2)


def days_to(rate: str, country: str) -> int:
    """Returns in how many days a rate arrives."""
    return RATES[rate][5] + (0 if country in NEAR else 2)


@desk.get("/sender")
def sender() -> dict[str, str]:
    """Returns whose key it is."""
    return {"sender": "Quillmoss", "place": "Tarnhollow"}


@desk.get("/rates")
def rates(memory: World, to: str, mass: float) -> list[dict[str, str]]:
    """Returns the rates that take a parcel of so many kilograms to a country."""
    found = []
    for rate, facts in RATES.items():
        price = price_of(rate, to, mass)
        if price is not None:
            days = days_to(rate, to)
            there = (memory.now() + timedelta(days=days)).date().isoformat()
            found.append(
                {"rate": rate, "called": facts[0], "price": f"{price:.2f} EUR", "there_on": there}
            )
    return found


def _told(row: Any) -> dict[str, Any]:
    data = loads(row["data"])
    return {
        "note": row["code"],
        "price": f"{row['cents'] / 100:.2f} EUR",
        "follow": f"/merrowline/track/{row['code']}",
        "rate": row["product"],
        "mass": data["mass"],
        "there_on": journeys.arrival_of(row),
    }


@desk.put("/notes/{reference:path}")
def book(reference: str, memory: World, wish: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    """Books a parcel under the sender's own reference. The same reference is the same note."""
    key = f"merrowline:{reference}"
    before = memory.row("SELECT * FROM label WHERE client_ref = ?", key)
    if before:
        return JSONResponse(_told(before), 200)
    rate, to, mass = wish.get("rate"), wish.get("receiver"), wish.get("mass")
    if rate not in RATES or not isinstance(to, dict) or not isinstance(mass, int | float):
        return JSONResponse({"fault": "rate, receiver and mass are needed"}, 400)
    if not all(to.get(name) for name in ("name", "street", "town", "country")):
        return JSONResponse({"fault": "the receiver needs name, street, town and country"}, 400)
    price = price_of(rate, to["country"], mass)
    if price is None:
        return JSONResponse({"fault": "this rate does not take that parcel there"}, 400)
    with memory.writing() as db:
        code = f"MW{next_number(db):08d}"
        pdf = label_pdf(
            code,
            ("Merrowline", RATES[rate][0]),
            to,
            wish.get("sender") or {},
            round(mass * 1000),
            str(wish.get("remark", "")),
        )
        db.execute(
            "INSERT INTO label VALUES (?, ?, ?, ?, ?, ?, ?)",
            (
                code,
                key,
                rate,
                round(price * 100),
                json.dumps({"to": to, "mass": mass, "days": days_to(rate, to["country"])}),
                pdf,
                memory.now().isoformat(),
            ),
        )
    return JSONResponse(_told(memory.row("SELECT * FROM label WHERE code = ?", code)), 201)


@desk.get("/notes/{reference:path}")
def look_up(reference: str, memory: World) -> dict[str, Any]:
    """Returns the note that was booked under a reference."""
    row = memory.row("SELECT * FROM label WHERE client_ref = ?", f"merrowline:{reference}")
    if row is None:
        raise HTTPException(404, "Nothing is booked under that reference.")
    return _told(row)


@desk.get("/parcels/{code}/paper")
def paper(code: str, memory: World) -> Response:
    """Returns the label to print, in the format A6."""
    row = memory.row("SELECT pdf FROM label WHERE code = ?", code)
    if row is None:
        raise HTTPException(404, "No such parcel.")
    return Response(row["pdf"], media_type="application/pdf")


@desk.post("/parcels/{code}/withdraw")
def withdraw(code: str, memory: World) -> JSONResponse:
    """Withdraws a parcel that stands on no day sheet; asked again, it is withdrawn still."""
    if memory.row("SELECT 1 FROM label WHERE code = ?", code) is None:
        raise HTTPException(404, "No such parcel.")
    state = day_sheets.void(memory, code)
    if state != day_sheets.VOID:
        return JSONResponse({"fault": f"it stands on day sheet {state}"}, 409)
    return JSONResponse({"parcel": code, "withdrawn": True})


@desk.put("/day-sheets/{reference:path}")
def day_sheet(
    reference: str, memory: World, wish: Annotated[dict[str, Any], Body()]
) -> JSONResponse:
    """Takes the parcels that are handed over today. The same reference is the same sheet."""
    codes = [str(code) for code in wish.get("parcels") or ()]
    number, wrong = day_sheets.close_day(memory, "merrowline", f"merrowline:{reference}", codes)
    if not number:
        return JSONResponse({"fault": f"cannot stand on it: {', '.join(wrong[:5])}"}, 400)
    return JSONResponse({"sheet": number})


SIGNS = {
    "made": "N",
    "collected": "T",
    "sorted": "H",
    "delayed": "W",
    "delivered": "D",
    "lost": "M",
}


@desk.get("/ways")
def ways(memory: World, parcels: str) -> JSONResponse:
    """Returns the ways of up to twenty parcels, given as one text with commas, a line for each step."""
    codes = parcels.split(",")
    if len(codes) > 20:
        return JSONResponse({"fault": "twenty parcels at a time"}, 400)
    lines = [
        {
            "parcel": code,
            "sign": SIGNS[step.stage],
            "on": step.at.strftime("%Y-%m-%d"),
            "clock": step.at.strftime("%H:%M"),
            "words": step.what,
        }
        for code in codes
        for step in journeys.steps_of(memory, code) or ()
    ]
    return JSONResponse(lines)


@desk.get("/day-sheets/{sheet}/bill")
def bill(sheet: str, memory: World) -> list[dict[str, str]]:
    """Returns what each parcel of a sheet costs, from the day after on."""
    codes = journeys.billed_codes(memory, sheet)
    if codes is None:
        raise HTTPException(404, "That sheet is not billed yet.")
    lines = []
    for code in codes:
        row = memory.row("SELECT * FROM label WHERE code = ?", code)
        assert row is not None
        heavier = journeys.is_reweighed(memory, row)
        price = row["cents"] / 100 + (RATES[row["product"]][4] if heavier else 0)
        remark = "heavier by a kilogram" if heavier else ""
        lines.append({"parcel": code, "price": f"{price:.2f} EUR", "remark": remark})
    return lines
