"""Puts the API together, and words every error as RFC 9457 problem+json."""

import logging
import secrets
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from starlette.exceptions import HTTPException

from relvan.api import (
    catalogue,
    channels,
    dispatch,
    families,
    findings,
    hooks,
    imports,
    jobs,
    listeners,
    listing_work,
    listings,
    orders,
    prices,
    rates,
    setup,
    stock,
    stockroom,
    updates,
)
from relvan.api.desk import NoToken
from relvan.api.docs import api_page
from relvan.core.refusal import UNSTORABLE, DatabaseAway, NotAllowed, NotFound, Refusal, Refused, unstorable

log = logging.getLogger("relvan.api")
# refusals by which the thing stands in the way, not what was sent
CONFLICTS = frozenset({
    "sku-taken", "gtin-taken", "still-running", "wrong-state", "exists", "in-use", "doubled", "picked", "not-packed",
    "no-label", "labelled",
})  # fmt: skip
ROUTERS = (
    imports,
    setup,
    families,
    catalogue,
    stockroom,
    stock,
    channels,
    listing_work,
    findings,
    listings,
    rates,
    prices,
    updates,
    listeners,
    jobs,
    orders,
    dispatch,
)


def add_api(app: FastAPI) -> None:
    """Add every call of the API, its description, and the webhooks."""
    for module in ROUTERS:
        app.include_router(module.router, prefix="/api/v1")
    app.include_router(hooks.router, include_in_schema=False)

    @app.get("/api/docs", include_in_schema=False)
    def api_docs() -> HTMLResponse:
        """Every call on one page."""
        style = ["/static/vendor/bootstrap/bootstrap.min.css", "/static/css/relvan.css"]
        return HTMLResponse(api_page(app.openapi(), style))


def problem_of_error(request: Request, error: Exception) -> Response:
    """The one place where the API tells of an error."""
    status, refusals = _told(error)
    first = refusals[0]
    body: dict[str, Any] = {
        "type": "about:blank",
        "title": first.message,
        "status": status,
        "code": first.code,
        "detail": first.message,
        "fix": first.fix,
        "errors": [
            {"field": refusal.field, "code": refusal.code, "message": refusal.message, "fix": refusal.fix}
            for refusal in refusals
        ],
    }
    return JSONResponse(body, status, media_type="application/problem+json")


def _told(error: Exception) -> tuple[int, tuple[Refusal, ...]]:
    if isinstance(error, NoToken):
        return 401, error.refusals
    if isinstance(error, NotFound):
        return 404, error.refusals
    if isinstance(error, NotAllowed):
        return 403, error.refusals
    if isinstance(error, Refused):
        conflict = error.first.code in CONFLICTS
        return (409 if conflict else 422), error.refusals
    if isinstance(error, RequestValidationError):
        return 422, tuple(_invalid(entry) for entry in error.errors())
    if isinstance(error, HTTPException):
        return error.status_code, (Refusal("http", str(error.detail), "See /api/docs."),)
    if isinstance(error, DatabaseAway):
        return 503, (error.refusal,)
    if isinstance(error, UNSTORABLE):
        return 422, (unstorable(),)
    reference = secrets.token_hex(4)
    log.exception("Reference %s", reference, exc_info=error)
    return 500, (Refusal("bug", f"Something broke on our side. Reference {reference}.", "Try again."),)


def _invalid(entry: dict[str, Any]) -> Refusal:
    place = ".".join(str(part) for part in entry["loc"] if part not in ("body", "query", "path"))
    return Refusal("invalid", f"“{place}”: {entry['msg']}.", "See /api/docs.", place)
