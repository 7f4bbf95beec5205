"""The pages on which anybody follows a parcel."""

from urllib.parse import quote

from fastapi import APIRouter, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from standins.hagglet import World
from standins.journeys import CARRIERS, steps_of
from standins.shopwindow import page

router = APIRouter()


@router.get("/ostrel", response_class=HTMLResponse)
def ostrel_front(code: str = "") -> Response:
    """Shows the form for a tracking code."""
    return _front("ostrel", code)


@router.get("/merrowline", response_class=HTMLResponse)
def merrowline_front(code: str = "") -> Response:
    """Shows the form for a parcel's code."""
    return _front("merrowline", code)


def _front(carrier: str, code: str) -> Response:
    if code:
        return RedirectResponse(f"/{carrier}/track/{quote(code)}", 303)
    return page("track.html", code="", events=[], carrier=carrier, name=CARRIERS[carrier])


@router.get("/{carrier}/track/{code}", response_class=HTMLResponse)
def track(carrier: str, code: str, memory: World) -> HTMLResponse:
    """Shows where a parcel is."""
    if carrier not in CARRIERS:
        raise HTTPException(404, "No such carrier.")
    steps = steps_of(memory, code)
    events = (
        None
        if steps is None
        else [{"at": f"{step.at:%Y-%m-%d %H:%M}", "what": step.what} for step in steps]
    )
    return page("track.html", code=code, events=events, carrier=carrier, name=CARRIERS[carrier])
