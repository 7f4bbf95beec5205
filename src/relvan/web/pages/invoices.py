"""Serves the pages of invoices, credit notes, payments and the journal."""

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from relvan.core.money import parse_amount
from relvan.core.papers.layouts import PaperKind
from relvan.core.refusal import Refused, refuse
from relvan.documents.ubl import ubl_of
from relvan.services.orders.invoices import credit_invoice
from relvan.services.orders.journal import journal_csv
from relvan.services.orders.own_papers import printed_invoice
from relvan.services.orders.papers import invoice_paper
from relvan.services.orders.payments import (
    METHODS,
    NewPayment,
    add_payment,
    release_payments,
    void_payment,
)
from relvan.store.channels import channel_names
from relvan.store.counting import count_with_page
from relvan.store.invoices import (
    INVOICE_SORTING,
    InvoiceFilter,
    count_invoices,
    credited_units,
    credits_of,
    invoice_by_number,
    invoice_page,
    payment_page,
)
from relvan.store.orders import order_by_number
from relvan.web.asking_layout import ask_layout
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader, day_of
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

router = APIRouter(prefix="/orders")
PAGE = 50
KIND = ListKind(
    "Invoices",
    "/orders/invoices",
    hint="number, order, customer",
    sorts=INVOICE_SORTING.names(),
)
COLUMNS = (
    ("issued", "Issued"),
    ("order", "Order"),
    ("customer", "Customer"),
    ("channel", "Channel"),
    ("net", "Net"),
    ("tax", "Tax"),
    ("payable", "Payable"),
    ("due", "Due"),
    ("owed", "Still owed"),
)
DAYS = (("7", "of the last 7 days"), ("31", "of the last 31 days"), ("92", "of the last 92 days"))


def _sentence(desk: Desk, query: Mapping[str, str]) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = channel_names(session, ended=True)
    channels = (
        *(Choice(key, f"from {name}") for key, name in named),
        Choice("none", "taken by hand"),
    )
    chips = (
        Chip(
            "kind", "Kind", (Choice("invoice", "no credit notes"), Choice("credit", "credit notes"))
        ),
        Chip("owed", "Owed", (Choice("owed", "not paid in full"), Choice("paid", "paid in full"))),
        Chip("channel", "Channel", channels),
        Chip("days", "Issued", tuple(Choice(days, words) for days, words in DAYS)),
    )
    return read_sentence(KIND, chips, query)


def _filter(desk: Desk, sentence: Sentence) -> InvoiceFilter:
    chosen, days = sentence.chosen, sentence.chosen.get("days", "")
    since = desk.workplace.local_now().date() - timedelta(days=int(days)) if days else None
    return InvoiceFilter(
        sentence.words,
        chosen.get("kind", ""),
        chosen.get("channel", ""),
        since,
        None,
        chosen.get("owed", ""),
    )


@router.get("/invoices", name="invoice_index")
def invoice_index(desk: At, after: int = 0) -> HTMLResponse:
    """Shows the list of invoices and credit notes."""
    sentence = _sentence(desk, desk.request.query_params)
    wanted = _filter(desk, sentence)
    with desk.workplace.database.reading() as session:
        rows = invoice_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        total = count_with_page(rows, PAGE, after, lambda: count_invoices(session, wanted))
    today = desk.workplace.local_now().date()
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "columns": COLUMNS,
        "shown_first": tuple(key for key, _ in COLUMNS),
        "sorts": INVOICE_SORTING.names(),
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "today": today.isoformat(),
        "month": today.replace(day=1).isoformat(),
    }
    return desk.page("orders/invoices.html", "orders", **values)


@router.get("/invoices/{number}.pdf", name="invoice_file")
def invoice_file(desk: At, number: str, hybrid: str = "", layout: int | None = None) -> Response:
    """Returns the paper, or the hybrid with the XML inside."""
    paper = invoice_paper(desk.workplace, number)
    if asked := ask_layout(desk, PaperKind.INVOICE, layout):
        return asked
    content = printed_invoice(desk.workplace, paper, hybrid=bool(hybrid), layout=layout or 0)
    return Response(content, media_type="application/pdf")


@router.get("/invoices/{number}.xml", name="invoice_xml")
def invoice_xml(desk: At, number: str) -> Response:
    """Returns the invoice as UBL."""
    content = ubl_of(invoice_paper(desk.workplace, number))
    named = {"Content-Disposition": f'attachment; filename="{number.replace("/", "-")}.xml"'}
    return Response(content, media_type="application/xml", headers=named)


@router.get("/journal.csv", name="journal_file")
def journal_file(desk: At, since: str = "", until: str = "") -> StreamingResponse:
    """Returns the journal from one day to another."""
    today = desk.workplace.local_now().date()
    first, last = day_of(since, "since") or today, day_of(until, "until") or today
    pieces = journal_csv(desk.workplace, first, last)
    named = {"Content-Disposition": f'attachment; filename="journal-{first}-{last}.csv"'}
    return StreamingResponse(pieces, media_type="text/csv", headers=named)


@router.get("/invoices/{number}", name="invoice_show")
def invoice_show(desk: At, number: str) -> HTMLResponse:
    """Shows an invoice or credit note."""
    return _invoice(desk, number)


def _invoice(desk: Desk, number: str, refused: Refused | None = None) -> HTMLResponse:
    paper = invoice_paper(desk.workplace, number)
    with desk.workplace.database.reading() as session:
        row = invoice_by_number(session, number)
        credited, credits = credited_units(session, row.id), credits_of(session, row.id)
    refusals = refused.refusals if refused else ()
    return desk.page(
        "orders/invoice.html",
        "orders",
        status=422 if refused else 200,
        paper=paper,
        credits=credits,
        left={
            line.position: line.quantity - credited.get(line.position, 0)
            for line in (*paper.lines, *paper.charges)
        },
        refusals=refusals,
        errors=first_by_field(refusals),
    )


@router.post("/invoices/{number}/credit", name="invoice_credit")
def invoice_credit(desk: At, form: Form, number: str) -> Response:
    """Issues a credit note over the units that are typed."""
    try:
        read = FormReader(form)
        units = {
            int(name.removeprefix("units-")): read.whole(name, "Units") or 0
            for name in form
            if name.startswith("units-") and name.removeprefix("units-").isdigit()
        }
        read.raise_if_refused()
        made = credit_invoice(
            desk.workplace,
            desk.actor,
            number,
            form.get("reason", ""),
            units,
            again=form.get("again") == "yes",
        )
    except Refused as refused:
        return _invoice(desk, number, refused)
    return desk.done(f"/orders/invoices/{made}", f"Credit note {made} is issued.")


@router.get("/payments", name="payment_index")
def payment_index(desk: At, after: int = 0, waiting: str = "") -> HTMLResponse:
    """Shows the payments, or those that wait to be released."""
    return _payments(desk, after, waiting)


def _payments(
    desk: Desk,
    after: int = 0,
    waiting: str = "",
    refused: Refused | None = None,
    typed: Mapping[str, str] | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = payment_page(session, waiting=bool(waiting), after=after, limit=PAGE + 1)
    refusals = refused.refusals if refused else ()
    more = f"/orders/payments?after={rows[PAGE - 1].id}" if len(rows) > PAGE else ""
    return desk.page(
        "orders/payments.html",
        "orders",
        status=422 if refused else 200,
        rows=rows[:PAGE],
        waiting=waiting,
        more=f"{more}&waiting=yes" if more and waiting else more,
        methods=METHODS,
        typed=typed or {},
        today=desk.workplace.local_now().date().isoformat(),
        refusals=refusals,
        errors=first_by_field(refusals),
    )


@router.post("/payments", name="payment_add")
def payment_add(desk: At, form: Form) -> Response:
    """Notes a payment or a refund."""
    try:
        wish = _wish(desk, form)
        add_payment(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _payments(desk, refused=refused, typed=dict(form))
    back = form.get("back", "")
    words = "The refund is noted." if wish.amount < 0 else "The payment is noted."
    return desk.done(back if back.startswith("/orders/") else "/orders/payments", words)


def _wish(desk: Desk, form: PostedForm) -> NewPayment:
    number = form.get("order", "").strip()
    with desk.workplace.database.reading() as session:
        currency = order_by_number(session, number).currency
    typed = form.get("amount", "").strip()
    if not typed:
        raise refuse("missing", "“Amount” must not be empty.", "Type it like 12.50.", "amount")
    amount = parse_amount(typed, currency, "amount")
    return NewPayment(
        number,
        -amount if form.get("refund") == "yes" else amount,
        form.get("method", "transfer"),
        "provisional" if form.get("provisional") == "yes" else "firm",
        day_of(form.get("day", ""), "day"),
        form.get("note", ""),
    )


@router.post("/payments/release", name="payment_release")
def payment_release(desk: At, form: Form) -> Response:
    """Releases the ticked payments."""
    verdicts = release_payments(desk.workplace, desk.actor, form.ids("pick"))
    return desk.verdicts("/orders/payments?waiting=yes", verdicts, "Released")


@router.post("/payments/{payment_id:int}/void", name="payment_void")
def payment_void(desk: At, form: Form, payment_id: int) -> Response:
    """Says that a payment never came."""
    void_payment(desk.workplace, desk.actor, payment_id)
    return desk.done("/orders/payments?waiting=yes", "The payment is void.")
