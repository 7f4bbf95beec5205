"""Puts the pages together: routers, security headers, static files, and one translator of errors."""

import logging
import secrets
from urllib.parse import quote, urlsplit

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from relvan.core.refusal import (
    UNSTORABLE,
    DatabaseAway,
    NotAllowed,
    NotFound,
    Refusal,
    Refused,
    unstorable,
)
from relvan.services.people.sign_in import find_visit
from relvan.web.addresses import know_pages
from relvan.web.desk import COOKIE, Desk, NeedsTwoStep, NotSignedIn
from relvan.web.pages import (
    backups,
    bench,
    carriage,
    catalogue,
    catalogue_pages,
    categories,
    channel,
    coverage,
    customers,
    devices,
    dispatch,
    earned,
    estimates,
    families,
    findings,
    firm,
    first_visit,
    floor,
    for_customers,
    frame,
    gaps,
    goods_in,
    health,
    imports,
    inserts,
    invoices,
    layers,
    layouts,
    listings,
    mail,
    mail_texts,
    move_in,
    new_order,
    order,
    order_address,
    order_board,
    order_rules,
    orders,
    parcels,
    people,
    people_setup,
    phone,
    picking,
    price_history,
    price_lists,
    prices,
    products,
    rates,
    returns,
    scarce,
    setup,
    stock,
    stockroom,
    tax,
    today,
    tokens,
    translations,
    trays,
    tree,
    two_step,
    updates,
    warehouses,
    webhooks,
)
from relvan.web.rendering import STATIC, environment_of, render

log = logging.getLogger("relvan.web")
CSP = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; frame-src 'self'; frame-ancestors 'none'; base-uri 'none'; "
    "object-src 'none'"
)
HEADERS = {
    "Content-Security-Policy": CSP,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
}


PAGES = (
    first_visit,
    people,
    two_step,
    today,
    coverage,
    gaps,
    layers,
    translations,
    tree,
    catalogue_pages,
    findings,
    listings,
    mail,
    mail_texts,
    stockroom,
    stock,
    price_lists,
    price_history,
    rates,
    prices,
    orders,
    trays,
    order_rules,
    order_address,
    order_board,
    invoices,
    scarce,
    new_order,
    estimates,
    customers,
    earned,
    returns,
    order,
    for_customers,
    parcels,
    dispatch,
    updates,
    channel,
    webhooks,
    firm,
    carriage,
    inserts,
    bench,
    goods_in,
    floor,
    layouts,
    phone,
    picking,
    warehouses,
    people_setup,
    tokens,
    health,
    backups,
    move_in,
    tax,
    devices,
    setup,
    frame,
    catalogue,
    families,
    imports,
    categories,
    products,
)


def add_pages(app: FastAPI) -> None:
    """Adds every page to the application, whose `state.workplace` is set."""
    know_pages(page.router for page in PAGES)
    app.mount("/static", KeptStatic(directory=STATIC), name="static")
    for page in PAGES:
        app.include_router(page.router, include_in_schema=False)


class KeptStatic(StaticFiles):
    """Static files that browsers may keep for ever, because their address changes with their
    content.
    """

    def file_response(self, *args, **kwargs) -> Response:  # type: ignore[no-untyped-def]
        answer = super().file_response(*args, **kwargs)
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return answer


def page_of_error(request: Request, error: Exception) -> Response:
    """Turns every error of a page or fragment into what the person sees; no other code does."""
    if isinstance(error, NotSignedIn):
        wanted = request.url.path if request.method == "GET" else "/"
        query = f"?{request.url.query}" if request.url.query else ""
        target = f"/sign-in?next={quote(wanted + query)}"
        if request.headers.get("HX-Request"):
            return Response(status_code=204, headers={"HX-Redirect": target})
        return RedirectResponse(target, 303)
    if isinstance(error, NeedsTwoStep):
        if request.headers.get("HX-Request"):
            return Response(status_code=204, headers={"HX-Redirect": "/account/two-step"})
        return RedirectResponse("/account/two-step", 303)
    status, refusals = _status_and_refusals(error)
    if request.headers.get("HX-Request"):
        return HTMLResponse(
            render(
                environment_of(request.app.state.workplace),
                "parts/_refused.html",
                {"refusals": refusals},
            ),
            status,
            headers={"HX-Retarget": "#toasts", "HX-Reswap": "beforeend"},
        )
    away = isinstance(error, DatabaseAway)
    visit = (
        None if away else find_visit(request.app.state.workplace, request.cookies.get(COOKIE, ""))
    )
    if visit is None:
        values = {"refusals": refusals, "code": status, "posted": False}
        return HTMLResponse(
            render(environment_of(request.app.state.workplace), "parts/bare_error.html", values),
            status,
        )
    desk = Desk(
        request, request.app.state.workplace, visit, environment_of(request.app.state.workplace)
    )
    return desk.page(
        "parts/error.html",
        "",
        status=status,
        refusals=refusals,
        code=status,
        posted=request.method == "POST",
        back=_page_before(request),
    )


def _page_before(request: Request) -> str:
    """Returns the page of this application from which somebody came, or empty."""
    before = urlsplit(request.headers.get("referer", ""))
    here = urlsplit(str(request.url))
    if before.netloc != here.netloc or before.path == here.path or not before.path.startswith("/"):
        return ""
    query = f"?{before.query}" if before.query else ""
    return before.path + query if not before.path.startswith("//") else ""


def _status_and_refusals(error: Exception) -> tuple[int, tuple[Refusal, ...]]:
    if isinstance(error, NotFound):
        return 404, error.refusals
    if isinstance(error, NotAllowed):
        return 403, error.refusals
    if isinstance(error, Refused):
        return 422, error.refusals
    if isinstance(error, HTTPException):
        words = {
            404: "There is nothing at this address.",
            405: "This address does not do that.",
            413: "That is too large to be taken.",
        }
        message = words.get(error.status_code, str(error.detail))
        return error.status_code, (
            Refusal("http", message, "Go back, or search for it with Ctrl+K."),
        )
    if isinstance(error, RequestValidationError):
        return 422, (
            Refusal(
                "form", "The address or form holds something unreadable.", "Go back and try again."
            ),
        )
    if isinstance(error, DatabaseAway):
        return 503, (error.refusal,)
    if isinstance(error, UNSTORABLE):
        return 422, (unstorable(),)
    reference = secrets.token_hex(4)
    log.error("Something broke", extra={"reference": reference}, exc_info=error)
    message = f"Something broke on our side. Reference {reference}."
    return 500, (Refusal("bug", message, "Try again; if it stays, tell us the reference."),)
