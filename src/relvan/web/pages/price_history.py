"""Serves the price history, with every price that a channel has accepted as a chart, a list and a
file; and the pages of sale prices.
"""

from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from relvan.core.money import as_decimal
from relvan.core.prices.history import price_chart
from relvan.core.refusal import Refusal, Refused
from relvan.documents.tables import write_csv
from relvan.services.prices.sales import PlanSale, end_sale, plan_sale
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_names
from relvan.store.prices import price_lists, sale_lines
from relvan.store.prices_sent import SentFilter, SentRow, prices_sent
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.reading import FormReader
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence

router = APIRouter(prefix="/prices")
PAGE, MOST_IN_FILE, MOST_SKUS = 100, 200_000, 500
HEADINGS = ("at", "sku", "channel", "price", "regular", "currency", "cause")


def _sent_prices(
    desk: Desk, *, before: int | None = None, limit: int
) -> tuple[Any, list[SentRow], str]:
    with desk.workplace.database.reading() as session:
        chips = (
            Chip(
                "channel",
                "Channel",
                tuple(Choice(key, f"on {name}") for key, name in channel_names(session)),
            ),
        )
        sentence = read_sentence(
            ListKind("Prices sent", "/prices/history", hint="SKU"), chips, desk.request.query_params
        )
        product, wrong = None, ""
        if sentence.words:
            try:
                product = find_product(session, sentence.words).id
            except Refused:
                wrong = f"There is no product “{sentence.words[:40]}”: type its whole SKU."
        wanted = SentFilter(product_id=product, channel=sentence.chosen.get("channel", ""))
        rows = [] if wrong else prices_sent(session, wanted, before=before, limit=limit)
    return sentence, rows, wrong


@router.get("/history", name="price_history")
def price_history(desk: At, before: int | None = None) -> HTMLResponse:
    """Shows what was sent, the last first; for one product with a chart."""
    sentence, rows, wrong = _sent_prices(desk, before=before, limit=PAGE + 1)
    sent: dict[str, list[tuple[datetime, int]]] = {}
    if sentence.words and rows:
        for row in reversed(rows[:PAGE]):
            sent.setdefault(f"{row.channel}, {row.currency}", []).append((row.at, row.amount))
    more = sentence.url(before=str(rows[PAGE - 1].id)) if len(rows) > PAGE else ""
    return desk.page(
        "prices/history.html",
        "prices",
        sentence=sentence,
        rows=rows[:PAGE],
        wrong=wrong,
        chart=price_chart(sent, desk.workplace.now()),
        more=more,
        first=sentence.url() if before else "",
        total=f"{len(rows[:PAGE])}{'+' if more else ''}",
    )


@router.get("/history.csv", name="price_history_file")
def price_history_file(desk: At) -> Response:
    """Returns what was sent as a file."""
    _, rows, _ = _sent_prices(desk, limit=MOST_IN_FILE)
    lines = (
        (
            row.at.isoformat(),
            row.sku,
            row.channel_key,
            as_decimal(row.amount, row.currency),
            "" if row.regular is None else as_decimal(row.regular, row.currency),
            row.currency,
            row.cause,
        )
        for row in rows
    )
    head = {"Content-Disposition": 'attachment; filename="prices-sent.csv"'}
    return StreamingResponse(
        write_csv(HEADINGS, lines), media_type="text/csv; charset=utf-8", headers=head
    )


def _sales(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        values: dict[str, Any] = {
            "rows": sale_lines(session, limit=500),
            "over": sale_lines(session, limit=30, over=True),
            "lists": [(one.key, one.name, one.currency) for one in price_lists(session)],
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
    return desk.page("prices/sales.html", "prices", status=status, **values)


@router.get("/sales", name="sale_index")
def sale_index(desk: At) -> HTMLResponse:
    """Shows sale prices that are planned or running, and those that are over."""
    return _sales(desk)


@router.post("/sales", name="sale_plan")
def sale_plan(desk: At, form: Form) -> Response:
    """Creates a sale price for one or more products."""
    read = FormReader(form)
    with desk.workplace.database.reading() as session:
        currencies = {one.key: one.currency for one in price_lists(session)}
    key = read.text("price_list")
    amount = read.amount("amount", currencies.get(key, desk.workplace.firm.currency))
    since = _moment(desk, read, "since", "From") or desk.workplace.now()
    until = _moment(desk, read, "until", "Until")
    skus = [
        sku.strip() for sku in form.get("sku", "").replace(",", "\n").split("\n") if sku.strip()
    ]
    if amount is None and not read.refusals:
        read.refusals.append(
            Refusal("missing", "“Sale price” must not be empty.", "Type an amount.", "amount")
        )
    if until is None and not any(one.field == "until" for one in read.refusals):
        read.refusals.append(
            Refusal("missing", "“Until” must not be empty.", "Choose a time.", "until")
        )
    if not 0 < len(skus) <= MOST_SKUS:
        message = f"Between 1 and {MOST_SKUS} products at once; it got {len(skus)}."
        read.refusals.append(Refusal("missing", message, "Type their SKUs, one a line.", "sku"))
    problems: list[Refusal] = []
    planned = 0
    try:
        read.raise_if_refused()
        for sku in skus:
            try:
                assert amount is not None
                assert until is not None
                plan_sale(desk.workplace, desk.actor, PlanSale(sku, key, amount, since, until))
                planned += 1
            except Refused as refused:
                problems += [
                    Refusal(one.code, f"{sku}: {one.message}", one.fix, one.field or "sku")
                    for one in refused.refusals
                ]
        if problems:
            raise Refused(*problems)
    except Refused as refused:
        return _sales(desk, status=422, typed=dict(form), refused=refused)
    words = "The sale price is planned." if planned == 1 else f"{planned} sale prices are planned."
    return desk.done(
        "/prices/sales", f"{words} They start and end by themselves." if planned > 1 else words
    )


def _moment(desk: Desk, read: FormReader, name: str, label: str) -> datetime | None:
    typed = read.text(name)
    if not typed:
        return None
    try:
        return (
            datetime.fromisoformat(typed)
            .replace(tzinfo=ZoneInfo(desk.workplace.firm.time_zone))
            .astimezone(UTC)
        )
    except ValueError:
        message = f"“{label}” must be a day and a time."
        read.refusals.append(Refusal("form", message, "Like 2026-11-30T09:00.", name))
        return None


@router.post("/sales/{window_id:int}/end", name="sale_end")
def sale_end(desk: At, form: Form, window_id: int) -> Response:
    """Ends a sale price now, or cancels one that is planned."""
    end_sale(desk.workplace, desk.actor, window_id)
    return desk.done("/prices/sales", "It is at an end; the regular price holds again.")
