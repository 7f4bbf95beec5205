"""Serves the pages that a customer opens by a secret link: an estimate to accept, and an order with
what was sent of it. They need no sign-in and say nothing that is meant for people inside.
"""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from relvan.core.orders.draft import read_draft
from relvan.core.refusal import Refused
from relvan.services.orders.estimates import accept_by_link, is_expired
from relvan.services.orders.own_papers import printed_invoice
from relvan.services.orders.papers import paper_of
from relvan.services.orders.trays import tray_form
from relvan.store.customers import estimate_by_secret
from relvan.store.dispatch import parcel_rows
from relvan.store.invoices import invoices_of_order
from relvan.store.orders import lines_of, order_by_secret
from relvan.store.parcels import parcel_events
from relvan.store.trays import trays_of
from relvan.web.desk import workplace_of
from relvan.web.rendering import environment_of, render

router = APIRouter()
PARCEL_WORDS = {
    "announced": "made ready for the carrier",
    "collected": "the carrier has it",
    "under way": "on its way",
    "delayed": "delayed",
    "delivered": "delivered",
    "lost": "the carrier cannot find it; we see to it",
}
PRIVATE = {"Referrer-Policy": "no-referrer", "X-Robots-Tag": "noindex"}


def _page(request: Request, name: str, status: int = 200, **values: Any) -> HTMLResponse:
    workplace = workplace_of(request)
    told = {"request": request, "firm": workplace.firm, **values}
    return HTMLResponse(render(environment_of(workplace), name, told), status, PRIVATE)


@router.get("/e/{secret}", name="estimate_link")
def estimate_link(request: Request, secret: str) -> HTMLResponse:
    """Shows an estimate to the customer."""
    return _estimate(request, secret)


def _estimate(request: Request, secret: str, refused: Refused | None = None) -> HTMLResponse:
    workplace = workplace_of(request)
    with workplace.database.reading() as session:
        row = estimate_by_secret(session, secret)
    return _page(
        request,
        "for_customers/estimate.html",
        422 if refused else 200,
        estimate=row,
        draft=read_draft(row.draft),
        expired=is_expired(row, workplace.local_now().date()),
        refused=refused.first if refused else None,
    )


@router.post("/e/{secret}", name="estimate_link_accept")
def estimate_link_accept(request: Request, secret: str) -> Response:
    """Accepts an estimate for the customer who has its link. The link is what allows it."""
    try:
        accept_by_link(workplace_of(request), secret)
    except Refused as refused:
        if refused.first.code == "not-found":
            raise
        return _estimate(request, secret, refused)
    return RedirectResponse(f"/e/{secret}", 303, PRIVATE)


@router.get("/o/{secret}", name="order_link_show")
def order_link_show(request: Request, secret: str) -> HTMLResponse:
    """Shows an order to the customer: how far it is in their words, what was sent, and invoices."""
    workplace = workplace_of(request)
    with workplace.database.reading() as session:
        order = order_by_secret(session, secret)
        lines = [line for line in lines_of(session, [order.id])[order.id] if line.part_of is None]
        trays = {row.key: tray_form(row) for row in trays_of(session)}
        parcels = [parcel for parcel in parcel_rows(session, order.id) if parcel.tracking_number]
        return _page(
            request,
            "for_customers/order.html",
            order=order,
            lines=lines,
            words=trays[order.tray].words if order.tray in trays else "",
            parcels=parcels,
            happened=parcel_events(session, [parcel.id for parcel in parcels]),
            parcel_words=PARCEL_WORDS,
            invoices=invoices_of_order(session, order.id),
            secret=secret,
        )


@router.get("/o/{secret}/{number}.pdf", name="order_link_invoice")
def order_link_invoice(request: Request, secret: str, number: str) -> Response:
    """Returns an invoice of an order to the customer who has its link."""
    workplace = workplace_of(request)
    with workplace.database.reading() as session:
        order = order_by_secret(session, secret)
        found = [row for row in invoices_of_order(session, order.id) if row.number == number]
        if not found:
            return Response("There is no such invoice.", 404, PRIVATE)
        paper = paper_of(session, found[0])
    content = printed_invoice(workplace, paper)
    return Response(content, media_type="application/pdf", headers=PRIVATE)
