"""Serves the pages of estimates."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.draft import read_draft
from relvan.core.papers.layouts import PaperKind
from relvan.core.refusal import Refused
from relvan.services.mail.write import mail_estimate
from relvan.services.orders.estimates import accept_estimate, cancel_estimate, is_expired
from relvan.services.orders.own_papers import printed_estimate
from relvan.store.customers import (
    customer_by_id,
    estimate_by_number,
    estimate_rows,
    order_of_estimate,
)
from relvan.store.mailing import mails_of_estimate
from relvan.web.asking_layout import ask_layout
from relvan.web.desk import At, Desk, Form

router = APIRouter(prefix="/orders/estimates")


@router.get("", name="estimate_index")
def estimate_index(desk: At, state: str = "") -> HTMLResponse:
    """Shows the estimates, the newest first."""
    with desk.workplace.database.reading() as session:
        rows = estimate_rows(session, state)
    today = desk.workplace.local_now().date()
    told = [(row, name, "expired" if is_expired(row, today) else row.state) for row, name in rows]
    return desk.page("orders/estimates.html", "orders", rows=told, state=state)


@router.get("/{number}.pdf", name="estimate_paper")
def estimate_pdf_file(desk: At, number: str, layout: int | None = None) -> Response:
    """Returns the paper of an estimate."""
    if asked := ask_layout(desk, PaperKind.ESTIMATE, layout):
        return asked
    content = printed_estimate(desk.workplace, number, layout or 0)
    return Response(content, media_type="application/pdf")


@router.get("/{number}", name="estimate_show")
def estimate_show(desk: At, number: str) -> HTMLResponse:
    """Shows one estimate."""
    return _page(desk, number)


def _page(desk: Desk, number: str, refused: Refused | None = None) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        row = estimate_by_number(session, number)
        customer = customer_by_id(session, row.customer_id)
        order = order_of_estimate(session, row.id)
        mails = mails_of_estimate(session, row.id)
    link = f"{desk.workplace.settings.base_url.rstrip('/')}/e/{row.secret}"
    return desk.page(
        "orders/estimate.html",
        "orders",
        status=422 if refused else 200,
        estimate=row,
        draft=read_draft(row.draft),
        customer=customer,
        order=order,
        expired=is_expired(row, desk.workplace.local_now().date()),
        link=link,
        mails=mails,
        refusals=refused.refusals if refused else (),
        errors={},
    )


@router.post("/{number}/accept", name="estimate_accept")
def estimate_accept(desk: At, form: Form, number: str) -> Response:
    """Makes the order of an estimate."""
    try:
        order = accept_estimate(
            desk.workplace, desk.actor, number, prices_confirmed=form.get("confirmed") == "yes"
        )
    except Refused as refused:
        return _page(desk, number, refused)
    return desk.done(f"/orders/{order}", f"Estimate {number} is order {order} now.")


@router.post("/{number}/mail", name="estimate_mail")
def estimate_mail(desk: At, form: Form, number: str) -> Response:
    """Mails an estimate to the customer."""
    try:
        to = mail_estimate(desk.workplace, desk.actor, number)
    except Refused as refused:
        return _page(desk, number, refused)
    return desk.done(f"/orders/estimates/{number}", f"It is mailed to {to}.")


@router.post("/{number}/cancel", name="estimate_cancel")
def estimate_cancel(desk: At, form: Form, number: str) -> Response:
    """Cancels an estimate."""
    try:
        cancel_estimate(desk.workplace, desk.actor, number)
    except Refused as refused:
        return _page(desk, number, refused)
    return desk.done("/orders/estimates", f"Estimate {number} is cancelled.")
