"""Turns errors of the API into RFC 9457 problem+json, and says which status each has."""

import logging
import secrets
from typing import Any

from fastapi import Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException

from relvan.api.desk import NoToken
from relvan.core.refusal import (
    UNSTORABLE,
    DatabaseAway,
    NotAllowed,
    NotFound,
    Refusal,
    Refused,
    unstorable,
)
from relvan.services.people.tokens import note_refusal

log = logging.getLogger("relvan.api")
MEDIA = "application/problem+json"
# refusals by which the thing stands in the way, not what was sent
CONFLICTS = frozenset(
    (
        *("sku-taken", "gtin-taken", "still-running", "wrong-state", "exists"),
        *("in-use", "doubled", "picked", "packed", "not-packed", "no-label", "labelled", "nothing"),
    )
)


class FieldProblem(BaseModel):
    """One refusal, and the field to which it belongs; a refusal of the whole call has an empty
    field.
    """

    field: str = Field(examples=["price"])
    code: str = Field(examples=["currency"])
    message: str = Field(examples=["“price” must be in EUR; it got USD."])
    fix: str = Field(examples=["Convert it first."])


class Problem(BaseModel):
    """Says why a call was not carried out. Nothing of it was done."""

    type: str = Field(examples=["about:blank"])
    title: str
    status: int = Field(ge=400, le=599)
    code: str = Field(
        description="The first refusal's code, which stays the same when its words change."
    )
    detail: str = Field(description="What is wrong, in a sentence.")
    fix: str = Field(description="What mends it, in a sentence.")
    errors: list[FieldProblem] = Field(description="Every refusal, the first among them.")


def problem_of_error(request: Request, error: Exception) -> Response:
    """Turns every error of the API into its answer; no other code does."""
    status, refusals = _problem_facts(error)
    first = refusals[0]
    by = getattr(request.state, "caller", None)
    if isinstance(error, NotAllowed) and by is not None:
        call = f"{request.method} {request.url.path}"
        note_refusal(by.workplace, by.actor, by.token_id, call, first.message)
    problem = Problem(
        type="about:blank",
        title=first.message,
        status=status,
        code=first.code,
        detail=first.message,
        fix=first.fix,
        errors=[
            FieldProblem(
                field=refusal.field, code=refusal.code, message=refusal.message, fix=refusal.fix
            )
            for refusal in refusals
        ],
    )
    headers = error.headers if isinstance(error, HTTPException) else None
    return JSONResponse(problem.model_dump(), status, media_type=MEDIA, headers=dict(headers or {}))


def _problem_facts(error: Exception) -> tuple[int, tuple[Refusal, ...]]:
    if isinstance(error, NoToken):
        return 401, error.refusals
    if isinstance(error, NotFound):
        return 404, error.refusals
    if isinstance(error, NotAllowed):
        return 403, error.refusals
    if isinstance(error, Refused):
        return (409 if error.first.code in CONFLICTS else 422), error.refusals
    if isinstance(error, RequestValidationError):
        return 422, tuple(_invalid(entry) for entry in error.errors())
    if isinstance(error, HTTPException):
        return error.status_code, (Refusal("http", str(error.detail), "See /api/docs."),)
    if isinstance(error, DatabaseAway):
        return 503, (error.refusal,)
    if isinstance(error, UNSTORABLE):
        return 422, (unstorable(),)
    reference = secrets.token_hex(4)
    log.error("Something broke", extra={"reference": reference}, exc_info=error)
    return 500, (
        Refusal("bug", f"Something broke on our side. Reference {reference}.", "Try again."),
    )


def _invalid(entry: dict[str, Any]) -> Refusal:
    place = ".".join(str(part) for part in entry["loc"] if part not in ("body", "query", "path"))
    return Refusal("invalid", f"“{place}”: {entry['msg']}.", "See /api/docs.", place)
