"""Serves the pages of moving in: reading what channels list, deciding about the proposal, making it,
and keeping it in step.
"""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from relvan.core.move_in.details import DETAILS, MOST, NEWEST, RULES, USUAL
from relvan.core.move_in.matching import ASK, MARK
from relvan.core.refusal import Refused, not_found, refuse
from relvan.services.jobs.life import MOVE_IN, move_job
from relvan.services.move_in.decisions import Decided
from relvan.services.move_in.in_step import keep_channel_in_step, preview_steps
from relvan.services.move_in.open import decide, find_move, start_move
from relvan.services.move_in.view import (
    decided_of,
    listings_named,
    prices_shown,
    proposals_shown,
    questions_shown,
)
from relvan.store.channels import channels
from relvan.store.jobs import job_rows
from relvan.store.move_in import ONLY, count_proposed
from relvan.store.stock import warehouses
from relvan.web.desk import AtSetup, Desk, Form, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/move-in")
PAGE, QUESTIONS, STEP_ROWS = 50, 40, 12
BACK = "/setup/move-in"
DETAIL_NAMES = {
    "title": "Title",
    "description": "Description",
    "brand": "Brand",
    "gtin": "GTIN",
    "weight_g": "Weight",
}
RULE_NAMES = {
    NEWEST: "the listing changed last",
    "longest": "the longest",
    MOST: "what most channels say",
}
ONLY_NAMES = {
    "": "All",
    "conflicts": "Channels differ",
    "families": "Families",
    "alone": "On one channel only",
    "existing": "In the catalogue already",
    "kits": "Perhaps kits",
    "left out": "Left out",
    "refused": "Refused",
}


def _index_page(
    desk: Desk, *, status: int = 200, typed: dict[str, str] | None = None, refused: Any = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        there = channels(session)
        places = warehouses(session)
        moves = job_rows(session, kind=MOVE_IN)
        steps = preview_steps(session, shown=STEP_ROWS)
    return desk.page(
        "setup/move_in.html",
        "setup",
        status=status,
        there=there,
        places=places,
        moves=moves,
        steps=steps,
        mark=MARK,
        ask=ASK,
        **last_try(typed, refused),
    )


@router.get("", name="move_in_index")
def move_in_index(desk: AtSetup) -> HTMLResponse:
    """Shows how to move in, earlier moves, and what is not kept in step yet."""
    return _index_page(desk)


@router.post("", name="move_in_start")
def move_in_start(desk: AtSetup, form: Form) -> Response:
    """Reads the ticked channels and proposes a catalogue."""
    read = FormReader(form)
    wishes = {
        "mark": read.needed_whole("mark", "Mark"),
        "stock_from": read.text("stock_from"),
        "warehouse": read.text("warehouse"),
    }
    try:
        read.raise_if_refused()
        keys = form.all("channel")
        if not keys:
            raise refuse("missing", "No channel is ticked.", "Tick at least one.", "channel")
        if wishes["stock_from"] not in keys:
            wishes["stock_from"] = keys[0]
        job_id = start_move(desk.workplace, desk.actor, keys, wishes)
    except Refused as refused:
        return _index_page(desk, status=422, typed=dict(form), refused=refused)
    return RedirectResponse(f"{BACK}/{job_id}", 303)


@router.get("/{job_id:int}", name="move_in_show")
def move_in_show(desk: AtSetup, job_id: int, only: str = "", after: int = 0) -> HTMLResponse:
    """Shows a move: how far it is, or its proposal with what can be decided."""
    if only and only not in ONLY:
        raise not_found("kind of proposal", only)
    return _show_page(desk, job_id, only=only, after=after)


def _show_page(
    desk: Desk,
    job_id: int,
    *,
    only: str = "",
    after: int = 0,
    status: int = 200,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        job = find_move(session, job_id)
        shown = proposals_shown(session, job_id, only=only, after=after, limit=PAGE + 1)
        there = {channel.key: channel for channel in channels(session)}
        values: dict[str, Any] = {
            "job": job,
            "shown": shown[:PAGE],
            "more": shown[PAGE - 1].row.position if len(shown) > PAGE else 0,
            "proposed": count_proposed(session, job_id),
            "questions": questions_shown(session, job, QUESTIONS),
            "prices": prices_shown(session, job),
            "decided": decided_of(job),
            "read_from": [there[key] for key in job.spec["channels"] if key in there],
            "places": warehouses(session),
            "steps": preview_steps(session, shown=STEP_ROWS) if job.state == "ended" else [],
        }
    named = [(one.row.more["name"], one.row.more["family"]) for one in shown[:PAGE]]
    values["families_shown"] = "|".join(f"{name}:{family}" for name, family in named if family)
    return desk.page(
        "setup/move_in_show.html",
        "setup",
        status=status,
        only=only,
        after=after,
        only_names=ONLY_NAMES,
        details=DETAILS,
        detail_names=DETAIL_NAMES,
        rules=RULES,
        rule_names=RULE_NAMES,
        usual=USUAL,
        **values,
        **last_try(None, refused),
    )


@router.get("/{job_id:int}/state", name="move_in_state")
def move_in_state(desk: AtSetup, job_id: int) -> Response:
    """Answers while the worker is busy; once it rests, the page is loaded anew."""
    with desk.workplace.database.reading() as session:
        job = find_move(session, job_id)
        if job.state not in ("reading", "applying", "undoing"):
            return Response(status_code=204, headers={"HX-Refresh": "true"})
        return desk.fragment("setup/_move_in_busy.html", job=job)


@router.post("/{job_id:int}/decide", name="move_in_decide")
def move_in_decide(desk: AtSetup, job_id: int, form: Form) -> Response:
    """Takes what was chosen for all products and proposes anew."""
    read = FormReader(form)
    changes: dict[str, Any] = {
        "mark": read.needed_whole("mark", "Mark"),
        "stock_from": read.text("stock_from"),
        "warehouse": read.text("warehouse"),
        "details": {detail: form.get(f"from_{detail}", "") for detail in DETAILS},
        "prices": {
            name.removeprefix("prices_"): value
            for name, value in form.items()
            if name.startswith("prices_")
        },
    }
    return _decide(desk, job_id, changes, read)


@router.post("/{job_id:int}/questions", name="move_in_questions")
def move_in_questions(desk: AtSetup, job_id: int, form: Form) -> Response:
    """Takes the answers to the ticked questions: the same goods, or different ones."""
    pairs = [[int(one) for one in pair.split("-")] for pair in form.all("pair") if _is_pair(pair)]
    if not pairs:
        raise refuse("missing", "No pair is ticked.", "Tick at least one.", "pair")
    decided = _decided(desk, job_id)
    name = "together" if form.get("answer") == "same" else "differ"
    before = [list(pair) for pair in getattr(decided, name)]
    return _decide(desk, job_id, {name: [*before, *(pair for pair in pairs if pair not in before)]})


def _is_pair(text: str) -> bool:
    parts = text.split("-")
    return len(parts) == 2 and all(part.isascii() and part.isdigit() for part in parts)


@router.post("/{job_id:int}/rows", name="move_in_rows")
def move_in_rows(desk: AtSetup, job_id: int, form: Form) -> Response:
    """Does what was asked to the ticked products."""
    names = form.ids("pick")
    if not names:
        raise refuse("missing", "No product is ticked.", "Tick at least one.", "pick")
    with desk.workplace.database.reading() as session:
        decided = decided_of(find_move(session, job_id))
        if form.get("deed") == "apart":
            apart = {*decided.apart, *listings_named(session, job_id, names)}
            changes: dict[str, Any] = {"apart": sorted(apart)}
        else:
            changes = _row_changes(decided, form, names)
    return _decide(desk, job_id, changes)


def _row_changes(decided: Decided, form: Mapping[str, str], names: list[int]) -> dict[str, Any]:
    deed = form.get("deed", "")
    if deed == "leave out":
        return {"left_out": sorted({*decided.left_out, *names})}
    if deed == "take in":
        return {"left_out": sorted(set(decided.left_out) - set(names))}
    if deed == "kit":
        return {"kits": sorted({*decided.kits, *names})}
    if deed == "no family":
        families = form.get("families", "").split("|")
        chosen = [one for one in families if one.split(":")[0] in {str(name) for name in names}]
        unwanted = {one.split(":")[1] for one in chosen}
        return {"no_families": sorted({*decided.no_families, *unwanted})}
    if deed == "from":
        source = form.get("source", "")
        own = {name: dict(sources) for name, sources in decided.own.items()}
        for name in names:
            details = own.setdefault(str(name), {})
            details |= dict.fromkeys(("brand", "gtin", "weight_g"), source)
        return {"own": own}
    raise not_found("deed", deed)


def _decided(desk: Desk, job_id: int) -> Decided:
    with desk.workplace.database.reading() as session:
        return decided_of(find_move(session, job_id))


def _decide(
    desk: Desk, job_id: int, changes: Mapping[str, Any], read: FormReader | None = None
) -> Response:
    try:
        if read is not None:
            read.raise_if_refused()
        decide(desk.workplace, desk.actor, job_id, changes)
    except Refused as refused:
        return _show_page(desk, job_id, status=422, refused=refused)
    return RedirectResponse(f"{BACK}/{job_id}", 303)


@router.post("/{job_id:int}/{event}", name="move_in_move")
def move_in_move(desk: AtSetup, form: Form, job_id: int, event: str) -> Response:
    """Makes what is proposed, takes it back, tries again, or cancels it."""
    if event not in ("apply", "undo", "rehearse", "drop"):
        raise not_found("deed", event)
    move_job(desk.workplace, desk.actor, job_id, event)
    return RedirectResponse(f"{BACK}/{job_id}", 303)


@router.post("/in-step", name="move_in_step")
def move_in_step(desk: AtSetup, form: Form) -> Response:
    """Keeps in step what was only read in on a channel."""
    job_id = keep_channel_in_step(desk.workplace, desk.actor, form.get("channel", ""))
    return RedirectResponse(f"/jobs/{job_id}", 303)
