"""Loomstead is a marketplace for house and garden that sells in Swiss francs, on pages of sellers.

In its dialect a listing is a *piece*, a category a *corner*, a price is in *rappen*, and stock is
what is *at hand*. A piece has at most nine keywords and eight pictures, and lapses after a hundred
days unless it is renewed. It is changed only by JSON patches (RFC 6902) of its single fields. A new
piece carries a `Wish`, by which it is looked up.
"""

import json
from datetime import datetime, timedelta
from typing import Annotated, Any

import jsonpatch
import jsonpointer
from fastapi import APIRouter, Body, Depends, Header, HTTPException, Request
from fastapi.responses import JSONResponse

from standins import trade
from standins.corners import CORNERS, FACTS
from standins.hagglet import World
from standins.memory import Memory, keep_picture, loads, next_number
from standins.rules import least_price, most_units, rule_problems, trait_problems

LASTS_DAYS = 100
MOST_KEYWORDS, MOST_KEYWORD, MOST_PICTURES, MOST_OPERATIONS = 9, 20, 8, 40
PATCH = "application/json-patch+json"
OWN = (
    "title",
    "story",
    "corner",
    "keywords",
    "facts",
    "pictures",
    "rappen",
    "at_hand",
    "differs_by",
    "gtin",
    "brand",
    "weight",
)
OF_A_KIND = ("code", "differs", "pictures", "rappen", "at_hand", "title", "story", "gtin", "weight")
MOST_TRAITS = 2
TRAITS = ("width", "colour", "finish", "size", "scent")


async def check_token(memory: World, authorization: Annotated[str, Header()] = "") -> None:
    """Refuses a call without the seller's token."""
    if authorization != f"Key {memory.tokens['loomstead']}":
        raise HTTPException(401, "That key opens nothing here.")


desk = APIRouter(prefix="/loomstead/desk", dependencies=[Depends(check_token)])


def refusals_of(piece: dict[str, Any], memory: Memory) -> list[dict[str, str]]:
    """Returns why a piece may not be shown, as (JSON pointer, reason). Its kinds have the prices."""
    found: list[dict[str, str]] = []

    def refuse(at: str, because: str) -> None:
        found.append({"at": at, "because": because})

    if "differs_by" in piece:
        wrong = trait_problems(memory, "loomstead", list(piece["differs_by"]), MOST_TRAITS, TRAITS)
        if wrong:
            refuse("/differs_by", wrong)
    else:
        _check_figures(piece, memory, refuse)
    if set(piece) - {*OWN, "code"}:
        refuse("/", f"We know nothing of {sorted(set(piece) - {*OWN, 'code'})[0]}.")
    if memory.rulebook("loomstead"):
        part = "head" if "differs_by" in piece else "whole"
        for name, says in rule_problems(memory, "loomstead", piece, part=part):
            refuse(f"/{name}" if name in OWN else f"/facts/{name.replace('_', ' ')}", says)
    else:
        _check_words(piece, memory, refuse)
    return found


def _check_figures(piece: dict[str, Any], memory: Memory, refuse: Any) -> None:
    for name, least, most in (
        ("rappen", least_price(memory, "loomstead", 50), 9_999_995),
        ("at_hand", 0, most_units(memory, "loomstead", 9_999)),
    ):
        value = piece.get(name)
        if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
            refuse(f"/{name}", f"A whole number from {least} to {most:,}.")


def _check_words(piece: dict[str, Any], memory: Memory, refuse: Any) -> None:
    for name, least, most in (("title", 5, 140), ("story", 30, 8000)):
        if not isinstance(piece.get(name), str) or not least <= len(piece[name]) <= most:
            refuse(f"/{name}", f"{least} to {most} characters, please.")
    corner = CORNERS.get(str(piece.get("corner", "")))
    if corner is None:
        refuse("/corner", "We have no such corner.")
    _check_facts(piece.get("facts") or {}, corner, refuse)
    words = piece.get("keywords") or []
    if len(words) > MOST_KEYWORDS or len({str(word).casefold() for word in words}) < len(words):
        refuse("/keywords", f"At most {MOST_KEYWORDS}, and each once.")
    if any(not 1 <= len(str(word)) <= MOST_KEYWORD for word in words):
        refuse("/keywords", f"A keyword has at most {MOST_KEYWORD} characters.")
    pictures = piece.get("pictures") or []
    if not 1 <= len(pictures) <= MOST_PICTURES:
        refuse("/pictures", f"1 to {MOST_PICTURES} pictures.")
    elif any(memory.row("SELECT 1 FROM picture WHERE id = ?", name) is None for name in pictures):
        refuse("/pictures", "We do not have one of them.")


def _check_facts(facts: dict[str, Any], corner: Any, refuse: Any) -> None:
    if corner is None:
        return
    for name in corner.needs:
        if not facts.get(name):
            refuse(f"/facts/{name}", f"In {corner.name} we ask for this.")
    for name, value in facts.items():
        if name not in (*corner.needs, *corner.takes):
            refuse(f"/facts/{name}", f"In {corner.name} nobody asks for this.")
        elif FACTS[name] and value not in FACTS[name]:
            refuse(f"/facts/{name}", f"One of {', '.join(FACTS[name])}.")


def as_piece(row: Any, memory: Memory) -> dict[str, Any]:
    """Returns a piece as the seller reads it."""
    data = loads(row["data"])
    return {
        "piece": row["ref"],
        "under": data.get("under", ""),
        **{name: data[name] for name in (*OWN, "code", "differs") if name in data},
        "title": row["title"],
        "rappen": row["price"],
        "at_hand": row["quantity"],
        "standing": trade.state_now(row, memory.now()),
        "until": data["lapses_at"],
        "page": f"/loomstead/pieces/{data.get('under') or row['ref']}",
        **trade.times_of(row, data),
    }


def find_piece(memory: Memory, ref: str) -> Any:
    """Returns a piece; answers 404 when there is none."""
    row = memory.row("SELECT * FROM listing WHERE channel = 'loomstead' AND ref = ?", ref)
    if row is None:
        raise HTTPException(404, "We have no such piece.")
    return row


def lapses(now: datetime) -> str:
    """Returns when a piece lapses that is placed or renewed now."""
    return (now + timedelta(days=LASTS_DAYS)).isoformat()


@desk.get("/me")
def me(memory: World) -> dict[str, Any]:
    """Returns who is asking."""
    return {
        "place": "Loomstead",
        "seller": trade.seller_name(memory, "loomstead"),
        "money": "CHF",
        "now": memory.now().isoformat(),
    }


@desk.get("/corners")
def corners() -> dict[str, Any]:
    """Returns every corner with the facts that it needs and takes, and their allowed values."""
    return {
        "corners": [
            {"corner": key, "name": corner.name, "needs": corner.needs, "takes": corner.takes}
            for key, corner in CORNERS.items()
        ],
        "facts": FACTS,
    }


@desk.post("/pictures", status_code=201)
async def take_picture(request: Request, memory: World) -> dict[str, str]:
    """Takes a picture; the same one is stored once."""
    content = await request.body()
    with memory.writing() as db:
        name = keep_picture(db, content)
    if name is None:
        raise HTTPException(415, "That is no picture.")
    return {"picture": name}


@desk.post("/pieces", status_code=201)
def place(
    memory: World, piece: Annotated[dict[str, Any], Body()], wish: Annotated[str, Header()]
) -> JSONResponse:
    """Places a piece for a hundred days."""
    if granted := _granted_before(memory, wish):
        return granted
    if refusals := refusals_of(piece, memory):
        return JSONResponse({"refusals": refusals}, 422)
    with memory.writing() as db:
        ref = f"lm-{next_number(db):06d}"
        now = memory.now()
        data = {**piece, "lapses_at": lapses(now)}
        db.execute(
            "INSERT INTO listing VALUES ('loomstead', ?, ?, ?, ?, 'CHF', ?, 'live', ?, ?, ?)",
            (
                ref,
                piece.get("code", ""),
                piece["title"],
                piece.get("rappen", 0),
                piece.get("at_hand", 0),
                json.dumps({**data, "grid": data["differs_by"]} if "differs_by" in data else data),
                wish,
                now.isoformat(),
            ),
        )
    return JSONResponse(as_piece(find_piece(memory, ref), memory), 201)


def _granted_before(memory: Memory, wish: str) -> JSONResponse | None:
    """Returns the answer to a wish that was granted before, whatever it says now, or None."""
    row = memory.row("SELECT * FROM listing WHERE channel = 'loomstead' AND request = ?", wish)
    if row is None:
        return None
    return JSONResponse({"error": "That wish was granted before.", **as_piece(row, memory)}, 409)


@desk.post("/pieces/{head}/kinds", status_code=201)
def place_kind(
    head: str,
    memory: World,
    kind: Annotated[dict[str, Any], Body()],
    wish: Annotated[str, Header()],
) -> JSONResponse:
    """Places one kind of a piece that comes in several."""
    if granted := _granted_before(memory, wish):
        return granted
    above = find_piece(memory, head)
    if "grid" not in loads(above["data"]):
        return JSONResponse({"error": "That piece comes in one kind only."}, 409)
    if refusals := _kind_refusals(kind, above, memory):
        return JSONResponse({"refusals": refusals}, 422)
    with memory.writing() as db:
        ref = f"lm-{next_number(db):06d}"
        data = {
            "under": head,
            "code": kind.get("code", ""),
            "differs": kind["differs"],
            "pictures": kind.get("pictures", []),
            **{name: kind[name] for name in OF_A_KIND[5:] if name in kind},
            "lapses_at": loads(above["data"])["lapses_at"],
        }
        db.execute(
            "INSERT INTO listing VALUES ('loomstead', ?, ?, ?, ?, 'CHF', ?, 'live', ?, ?, ?)",
            (
                ref,
                data["code"],
                _kind_title(above, kind),
                kind["rappen"],
                kind["at_hand"],
                json.dumps(data),
                wish,
                memory.now().isoformat(),
            ),
        )
    return JSONResponse(as_piece(find_piece(memory, ref), memory), 201)


def _kind_title(above: Any, kind: dict[str, Any]) -> str:
    values = ", ".join(map(str, kind["differs"].values()))
    return str(kind.get("title") or f"{above['title']}, {values}")


def _kind_refusals(
    kind: dict[str, Any], above: Any, memory: Memory, ref: str = ""
) -> list[dict[str, str]]:
    found: list[dict[str, str]] = []

    def refuse(at: str, because: str) -> None:
        found.append({"at": at, "because": because})

    _check_figures(kind, memory, refuse)
    wrong = trade.differs_problem(memory, "loomstead", above, kind.get("differs"), ref)
    if wrong:
        refuse("/differs", wrong)
    if any(
        memory.row("SELECT 1 FROM picture WHERE id = ?", name) is None
        for name in kind.get("pictures") or []
    ):
        refuse("/pictures", "We do not have one of them.")
    if set(kind) - set(OF_A_KIND):
        refuse("/", f"Of a kind we take no more than {', '.join(OF_A_KIND)}.")
    return found


@desk.get("/pieces")
def look_up(
    memory: World, wish: str | None = None, after: str = "", limit: int = 50
) -> dict[str, Any]:
    """Returns the piece of a wish, or all pieces in pages."""
    if wish is not None:
        rows = memory.rows(
            "SELECT * FROM listing WHERE channel = 'loomstead' AND request = ?", wish
        )
    else:
        rows = memory.rows(
            "SELECT * FROM listing WHERE channel = 'loomstead' AND ref > ? ORDER BY ref LIMIT ?",
            after,
            min(limit, 100),
        )
    return {"pieces": [as_piece(row, memory) for row in rows]}


@desk.get("/pieces/{ref}")
def read_piece(ref: str, memory: World) -> dict[str, Any]:
    """Returns one piece."""
    return as_piece(find_piece(memory, ref), memory)


@desk.patch("/pieces/{ref}")
async def patch_piece(ref: str, request: Request, memory: World) -> JSONResponse:
    """Changes single fields by a JSON patch: all of its operations or none."""
    if request.headers.get("content-type", "").partition(";")[0] != PATCH:
        return JSONResponse({"error": f"Changes come as {PATCH}."}, 415)
    row = find_piece(memory, ref)
    before = loads(row["data"])
    known = OF_A_KIND if "under" in before else (*OWN, "code")
    now = {name: value for name, value in as_piece(row, memory).items() if name in known}
    if "under" in before and "title" not in before:  # then it is made of the page's title
        del now["title"]
    if "grid" in before:
        now = {name: value for name, value in now.items() if name not in ("rappen", "at_hand")}
    try:
        operations = json.loads(await request.body())
        if not isinstance(operations, list) or len(operations) > MOST_OPERATIONS:
            raise ValueError(f"A list of at most {MOST_OPERATIONS} operations.")
        piece = jsonpatch.JsonPatch(operations).apply(now)
    except jsonpatch.JsonPatchTestFailed as failed:
        return JSONResponse({"error": f"It is not as you think: {failed}"}, 409)
    except (
        ValueError,
        TypeError,
        jsonpatch.JsonPatchException,
        jsonpointer.JsonPointerException,
    ) as error:
        return JSONResponse({"error": f"That patch does not fit: {error}"}, 400)
    if not isinstance(piece, dict) or piece.get("code") != now.get("code"):
        return JSONResponse(
            {"refusals": [{"at": "/code", "because": "A piece keeps its code."}]}, 422
        )
    if "under" in before:
        above = find_piece(memory, before["under"])
        refusals, title = _kind_refusals(piece, above, memory, ref), _kind_title(above, piece)
    else:
        refusals, title = refusals_of(piece, memory), str(piece.get("title", ""))
    if refusals:
        return JSONResponse({"refusals": refusals}, 422)
    with memory.writing() as db:
        data = {
            **before,
            **piece,
            **({"grid": piece["differs_by"]} if "differs_by" in piece else {}),
            "changed_at": memory.now().isoformat(),
        }
        db.execute(
            "UPDATE listing SET title = ?, price = ?, quantity = ?, data = ? WHERE channel = 'loomstead' AND ref = ?",
            (title, piece.get("rappen", 0), piece.get("at_hand", 0), json.dumps(data), ref),
        )
    return JSONResponse(as_piece(find_piece(memory, ref), memory))


@desk.post("/pieces/{ref}/{deed}")
def withdraw_or_renew(ref: str, deed: str, memory: World) -> dict[str, Any]:
    """Withdraws a piece, or renews it for another hundred days."""
    if deed not in ("withdraw", "renew"):
        raise HTTPException(404, "We do not do that.")
    data = loads(find_piece(memory, ref)["data"])
    state = "withdrawn" if deed == "withdraw" else "live"
    if deed == "renew":
        data["lapses_at"] = lapses(memory.now())
    with memory.writing() as db:
        sql = "UPDATE listing SET state = ?, data = ? WHERE channel = 'loomstead' AND ref = ?"
        db.execute(sql, (state, json.dumps(data), ref))
    return as_piece(find_piece(memory, ref), memory)
