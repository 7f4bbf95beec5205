"""Merrowline is a parcel carrier. It names its rates by a question in the address, books a note under the
sender's own reference, and writes weights in kilograms and prices as text.
"""

import base64
from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, HTTPException, Query
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel

from standins import day_sheets, journeys, limits
from standins.hagglet import World
from standins.labels import A6, ROLL, Paper, Sale, draw_label, kind_of, sell_label
from standins.memory import Memory, loads

NEAR = ("IE", "GB")
PAPERS = {"A6": A6, "10 x 15 cm": ROLL}
HAND_EUROS = 1.20
# rate -> (most girth in centimetres, most worth in euros, postcodes where it does not go, whether it can be
# handed over for a signature and covered)
LIMITS: dict[str, tuple[float, float, tuple[str, ...], bool]] = {
    "saver": (200, 500, (), False),
    "door": (300, 2_000, (), True),
    "before-ten": (250, 3_000, ("F", "H5", "V9"), True),
}


class RatesAsked(BaseModel):
    """What is asked in the address of the rates."""

    to: str
    mass: float
    code: str = ""
    sides: str = ""
    worth: str = ""
    hand: str = "no"
    cover: str = "no"
    by: str = ""


# rate -> (title, most kilograms, price near, price far, price a kilogram, days)
RATES: dict[str, tuple[str, float, float, float | None, float, int]] = {
    "saver": ("Saver, to a parcel shop", 10.0, 4.35, 8.60, 0.40, 4),
    "door": ("Door to door", 25.0, 6.20, 10.95, 0.55, 2),
    "before-ten": ("Before ten", 15.0, 14.50, None, 1.10, 1),
}


async def check_key(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without a sender's key, given as a name and password (RFC 7617)."""
    wanted = base64.b64encode(f"key:{memory.tokens['merrowline']}".encode()).decode()
    if authorization != f"Basic {wanted}":
        raise HTTPException(401, "Unknown key.")


desk = APIRouter(prefix="/merrowline/v", dependencies=[Depends(check_key)])


@dataclass(frozen=True)
class Wish:
    """A parcel for which a rate is asked: weight in kilograms, sides in centimetres, worth in euros."""

    country: str
    code: str
    mass: float
    sides: tuple[float, ...] = ()
    worth: float = 0
    hand: bool = False
    cover: bool = False


def price_of(rate: str, wish: Wish) -> float | None:
    """Returns a price in euros, or None when this rate does not take the parcel."""
    _, most, near, far, per_kilo, _ = RATES[rate]
    most_girth, most_worth, not_to, extras = LIMITS[rate]
    base = near if wish.country in NEAR else far
    if (
        base is None
        or not 0 < wish.mass <= most
        or limits.girth(wish.sides) > most_girth
        or wish.worth > most_worth
        or ((wish.hand or wish.cover) and not extras)
        or limits.starts_with_any(wish.code, not_to)
    ):
        return None
    more = (HAND_EUROS if wish.hand else 0) + (0.008 * wish.worth if wish.cover else 0)
    return round(base + per_kilo * int(wish.mass) + more, 2)


def arrival(memory: Memory, rate: str, country: str, by: str) -> date:
    """Returns the day on which a parcel arrives."""
    days = RATES[rate][5] + (0 if country in NEAR else 2)
    return limits.arrives_on(limits.collected_on(by, memory.now()), days)


def euros(text: str) -> float:
    """Reads an amount such as “6.20 EUR”; what cannot be read is nothing."""
    try:
        return float(str(text).partition(" ")[0])
    except ValueError:
        return 0.0


@desk.get("/sender")
def sender() -> dict[str, Any]:
    """Returns whose key it is, and the rates that it may use."""
    rates = [{"rate": key, "called": facts[0]} for key, facts in RATES.items()]
    return {"sender": "Quillmoss", "place": "Tarnhollow", "may_use": rates}


@desk.get("/rates")
def rates(memory: World, asked: Annotated[RatesAsked, Query()]) -> list[dict[str, str]]:
    """Returns the rates that take a parcel of so many kilograms to a country."""
    sides = tuple(euros(side) for side in asked.sides.split("x") if side)
    hand, cover = asked.hand == "yes", asked.cover == "yes"
    wish = Wish(asked.to, asked.code, asked.mass, sides, euros(asked.worth), hand, cover)
    found = []
    for rate, facts in RATES.items():
        price = price_of(rate, wish)
        if price is not None:
            there = arrival(memory, rate, asked.to, asked.by).isoformat()
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
    wrong = _wrong(wish)
    price = None if wrong else price_of(wish["rate"], _wish_of(wish))
    if wrong or price is None:
        return JSONResponse({"fault": wrong or "this rate does not take that parcel there"}, 400)
    rate, to, mass = wish["rate"], wish["receiver"], wish["mass"]
    days = (arrival(memory, rate, to["country"], wish.get("by", "")) - memory.now().date()).days
    kept = {"to": to, "mass": mass, "days": days, "goods": wish.get("goods") or []}

    def draw(code: str) -> bytes:
        sender, remark = wish.get("sender") or {}, str(wish.get("remark", ""))
        paper = Paper(code, ("Merrowline", RATES[rate][0]), to, sender, round(mass * 1000), remark)
        return draw_label(paper, PAPERS.get(str(wish.get("paper")), A6), wish.get("file", "pdf"))

    sale = Sale(key, rate, round(price * 100), kept)
    booked, new = sell_label(memory, sale, "MW{:08d}", draw)
    return JSONResponse(_told(booked), 201 if new else 200)


def _wish_of(wish: dict[str, Any]) -> Wish:
    to = wish["receiver"]
    return Wish(
        to["country"],
        str(to.get("postcode", "")),
        wish["mass"],
        tuple(wish.get("sides") or ()),
        euros(wish.get("worth", "")),
        bool(wish.get("hand")),
        bool(wish.get("cover")),
    )


def _wrong(wish: dict[str, Any]) -> str:
    """Returns what is wrong with a wish for a note, or nothing."""
    to = wish.get("receiver")
    if wish.get("rate") not in RATES or not isinstance(to, dict):
        return "rate, receiver and mass are needed"
    if not isinstance(wish.get("mass"), int | float):
        return "rate, receiver and mass are needed"
    if not all(to.get(name) for name in ("name", "street", "town", "country")):
        return "the receiver needs name, street, town and country"
    goods = wish.get("goods") or []
    declared = goods and all(one.get("number") and one.get("from") for one in goods)
    if limits.is_abroad(to["country"]) and not declared:
        return "goods with number and from are needed for that country"
    return ""


@desk.get("/notes/{reference:path}")
def look_up(reference: str, memory: World) -> dict[str, Any]:
    """Returns the note that was booked under a reference."""
    row = memory.row("SELECT * FROM label WHERE client_ref = ?", f"merrowline:{reference}")
    if row is None:
        raise HTTPException(404, "Nothing is booked under that reference.")
    return _told(row)


@desk.get("/parcels/{code}/paper")
def paper(code: str, memory: World) -> Response:
    """Returns the label to print, as the file that was asked for."""
    row = memory.row("SELECT pdf FROM label WHERE code = ?", code)
    if row is None:
        raise HTTPException(404, "No such parcel.")
    return Response(row["pdf"], media_type=kind_of(row["pdf"]))


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
