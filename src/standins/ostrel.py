"""Ostrel Post is a parcel carrier. It quotes by route, weight and size, and sells labels with a
tracking code.
"""

from datetime import date
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, HTTPException
from fastapi.responses import JSONResponse, Response

from standins import day_sheets, journeys, limits
from standins.hagglet import World
from standins.labels import A6, ROLL, Paper, Sale, draw_label, kind_of, sell_label
from standins.limits import HOME
from standins.memory import Memory, loads

PAPERS = {"a6": A6, "roll-100-150": ROLL}
SIGNED_CENTS, INSURED_LEAST_CENTS = 150, 100
# product -> (most girth in millimetres, most worth in cents, postcodes where it does not go, whether it can
# be signed for and insured)
LIMITS: dict[str, tuple[int, int, tuple[str, ...], bool]] = {
    "slim": (1_200, 15_000, (), False),
    "tracked": (3_000, 100_000, (), True),
    "morning": (2_500, 250_000, ("F2", "V9"), True),
    "bulky": (4_200, 100_000, (), True),
}
# product -> (title, most grams, most millimetres on the longest side, cents at home, cents abroad,
# cents a kilo, days)
PRODUCTS: dict[str, tuple[str, int, int, int, int | None, int, int]] = {
    "slim": ("Slim parcel, through the letter box", 2_000, 380, 420, None, 0, 2),
    "tracked": ("Tracked parcel", 20_000, 1_200, 590, 1_180, 60, 3),
    "morning": ("Next morning", 10_000, 1_000, 1_290, None, 120, 1),
    "bulky": ("Bulky parcel", 31_500, 2_000, 1_490, 2_680, 70, 4),
}


async def check_token(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without a customer's token."""
    if authorization != f"Account {memory.tokens['ostrel']}":
        raise HTTPException(401, "No such account.")


desk = APIRouter(prefix="/ostrel/api", dependencies=[Depends(check_token)])


def price_of(product: str, order: dict[str, Any]) -> int | None:
    """Returns what a parcel costs in cents, or None when this product does not take it."""
    _, most_grams, most_mm, home, abroad, per_kilo, _ = PRODUCTS[product]
    most_girth, most_worth, not_to, extras = LIMITS[product]
    to, parcel = order.get("to") or {}, order.get("parcel") or {}
    base = home if to.get("country") == HOME else abroad
    grams, sides = int(parcel.get("grams", 0)), parcel.get("mm") or []
    worth = int((order.get("worth") or {}).get("cents", 0))
    wanted = bool(order.get("signed") or order.get("insured"))
    if (
        base is None
        or not 0 < grams <= most_grams
        or limits.longest_side(sides) > most_mm
        or limits.girth(sides) > most_girth
        or worth > most_worth
        or (wanted and not extras)
        or limits.starts_with_any(to.get("postcode", ""), not_to)
    ):
        return None
    signed = SIGNED_CENTS if order.get("signed") else 0
    insured = max(INSURED_LEAST_CENTS, worth // 100) if order.get("insured") else 0
    return base + per_kilo * (grams // 1000) + signed + insured


def arrival(memory: Memory, product: str, order: dict[str, Any]) -> date:
    """Returns the day on which a parcel arrives."""
    country = (order.get("to") or {}).get("country")
    days = PRODUCTS[product][6] + (0 if country == HOME else 2)
    return limits.arrives_on(limits.collected_on(order.get("ready", ""), memory.now()), days)


@desk.get("/account")
def account() -> dict[str, Any]:
    """Returns who is asking, and the products that the account may use."""
    products = [{"product": key, "title": facts[0]} for key, facts in PRODUCTS.items()]
    return {"carrier": "Ostrel Post", "account": "Quillmoss", "products": products}


@desk.post("/quotes")
def quotes(memory: World, order: Annotated[dict[str, Any], Body()]) -> dict[str, Any]:
    """Returns the products that take a parcel to a place."""
    found = []
    for product, facts in PRODUCTS.items():
        cents = price_of(product, order)
        if cents is not None:
            arrives = arrival(memory, product, order).isoformat()
            found.append(
                {
                    "product": product,
                    "title": facts[0],
                    "cents": cents,
                    "money": "EUR",
                    "arrives": arrives,
                }
            )
    return {"quotes": found}


@desk.post("/labels", status_code=201)
def buy_label(memory: World, order: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    """Sells a label. A `client_ref` buys one label only: asked again, the call is refused with the
    code of the first.
    """
    client_ref, product = str(order.get("client_ref") or ""), str(order.get("product"))
    before = memory.row("SELECT code FROM label WHERE client_ref = ?", client_ref)
    if before:
        return JSONResponse({"error": "bought before", "code": before["code"]}, 409)
    wrong = _wrong(client_ref, product, order)
    cents = None if wrong else price_of(product, order)
    if wrong or cents is None:
        return JSONResponse({"error": wrong or "this product does not take that parcel there"}, 422)
    days = (arrival(memory, product, order) - memory.now().date()).days
    kept = {key: order.get(key) for key in ("to", "parcel", "signed", "insured", "customs")}
    printing = order.get("print") or {}

    def draw(code: str) -> bytes:
        sender = order.get("from") or order.get("sender") or {}
        grams, note = int(order["parcel"]["grams"]), str(order.get("note", ""))
        service = ("Ostrel Post", PRODUCTS[product][0])
        paper = Paper(code, service, order["to"], sender, grams, note)
        return draw_label(
            paper, PAPERS.get(str(printing.get("paper")), A6), printing.get("as", "pdf")
        )

    sale = Sale(client_ref, product, cents, {**kept, "days": days})
    bought, new = sell_label(memory, sale, "OP{:09d}IE", draw)
    if not new:
        return JSONResponse({"error": "bought before", "code": bought["code"]}, 409)
    return JSONResponse(_told(bought), 201)


def _wrong(client_ref: str, product: str, order: dict[str, Any]) -> str:
    """Returns what is wrong with an order of a label, or nothing."""
    to = order.get("to")
    if not client_ref or product not in PRODUCTS or not isinstance(to, dict):
        return "client_ref, product, to and parcel are needed"
    if not isinstance(order.get("parcel"), dict):
        return "client_ref, product, to and parcel are needed"
    if not all(to.get(key) for key in ("name", "street", "town", "country")):
        return "the address needs name, street, town and country"
    goods = order.get("customs") or []
    declared = goods and all(one.get("tariff") and one.get("made_in") for one in goods)
    if limits.is_abroad(to["country"]) and not declared:
        return "customs data is needed for that country: tariff and made_in of all goods"
    return ""


def _told(row: Any) -> dict[str, Any]:
    return {
        "code": row["code"],
        "cents": row["cents"],
        "money": "EUR",
        "track": f"/ostrel/track/{row['code']}",
        "arrives": journeys.arrival_of(row),
    }


@desk.get("/labels")
def look_up(memory: World, client_ref: str) -> dict[str, Any]:
    """Returns the label that was bought under a client reference."""
    row = memory.row("SELECT * FROM label WHERE client_ref = ?", client_ref)
    if row is None:
        raise HTTPException(404, "Nothing bought under that reference.")
    return _told(row)


@desk.get("/labels/{code}/print")
def label_file(code: str, memory: World) -> Response:
    """Returns the label to print, as the file that was asked for."""
    row = memory.row("SELECT pdf FROM label WHERE code = ?", code)
    if row is None:
        raise HTTPException(404, "No such label.")
    return Response(row["pdf"], media_type=kind_of(row["pdf"]))


@desk.delete("/labels/{code}")
def void_label(code: str, memory: World) -> JSONResponse:
    """Voids a label that stands on no manifest; asked again, it is void still."""
    if memory.row("SELECT 1 FROM label WHERE code = ?", code) is None:
        raise HTTPException(404, "No such label.")
    state = day_sheets.void(memory, code)
    if state != day_sheets.VOID:
        return JSONResponse({"error": f"it stands on manifest {state}"}, 409)
    return JSONResponse({"code": code, "state": "void"})


@desk.post("/manifests", status_code=201)
def close_manifest(memory: World, order: Annotated[dict[str, Any], Body()]) -> JSONResponse:
    """Takes the labels that are handed over today; one manifest for each `client_ref`."""
    codes = [str(code) for code in order.get("codes") or ()]
    if not order.get("client_ref"):
        return JSONResponse({"error": "client_ref and codes are needed"}, 422)
    number, wrong = day_sheets.close_day(memory, "ostrel", str(order["client_ref"]), codes)
    if not number:
        return JSONResponse({"error": f"cannot stand on it: {', '.join(wrong[:5])}"}, 422)
    return JSONResponse({"manifest": number}, 201)


STAGES = {
    "made": "announced",
    "collected": "taken-over",
    "sorted": "in-hall",
    "delayed": "held-back",
    "delivered": "handed-out",
    "lost": "not-found",
}


@desk.post("/tracking")
def tracking(memory: World, codes: Annotated[list[str], Body(embed=True)]) -> JSONResponse:
    """Returns what has happened to up to fifty parcels; codes that nobody knows are left out."""
    if len(codes) > 50:
        return JSONResponse({"error": "fifty codes at a time"}, 422)
    found = {code: journeys.steps_of(memory, code) for code in codes}
    told = {
        code: [
            {"at": step.at.isoformat(), "stage": STAGES[step.stage], "text": step.what}
            for step in steps
        ]
        for code, steps in found.items()
        if steps
    }
    return JSONResponse({"parcels": told})


@desk.get("/manifests/{number}/bill")
def bill(number: str, memory: World) -> dict[str, Any]:
    """Returns what each parcel of a manifest costs; it is written on the day after."""
    codes = journeys.billed_codes(memory, number)
    if codes is None:
        raise HTTPException(404, "There is no bill of that manifest yet.")
    lines = []
    for code in codes:
        row = memory.row("SELECT * FROM label WHERE code = ?", code)
        assert row is not None
        heavier = journeys.is_reweighed(memory, row)
        more = PRODUCTS[row["product"]][5] if heavier else 0
        why = "one kilogram more than said" if more else ""
        lines.append({"code": code, "cents": row["cents"] + more, "money": "EUR", "why": why})
    return {"manifest": number, "lines": lines}


def bought_labels(memory: World) -> list[dict[str, Any]]:
    """Returns every label ever bought, for the world API."""
    rows = memory.rows("SELECT * FROM label ORDER BY code")
    return [
        {"code": r["code"], "client_ref": r["client_ref"], "cents": r["cents"], **loads(r["data"])}
        for r in rows
    ]
