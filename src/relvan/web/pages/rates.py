"""Serves the pages of conversion rates: those that hold today and those before, entered by hand or
by file.
"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.money import MINOR_DIGITS
from relvan.core.prices.rates import Rates
from relvan.core.refusal import Refused, refuse
from relvan.documents.tables import small_table
from relvan.services.prices.foresee import foresee_rate
from relvan.services.prices.rates import drop_rate, keep_rates, keep_rates_of_file, read_rate
from relvan.store.prices import rate_rows
from relvan.web.desk import At, Desk, Form, first_by_field

router = APIRouter(prefix="/prices/rates")
BACK = "/prices/rates"
MOST_BYTES = 200_000


def _rates_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    today = desk.workplace.now().date()
    with desk.workplace.database.reading() as session:
        rows = rate_rows(session)
    holding = Rates.on((rate for _, rate in rows), today).known
    return desk.page(
        "prices/rates.html",
        "prices",
        status=status,
        rows=[(key, rate, rate in holding.values()) for key, rate in rows],
        currencies=sorted(MINOR_DIGITS),
        today=today.isoformat(),
        typed=typed or {},
        errors=first_by_field(refused.refusals) if refused else {},
        refusals=refused.refusals if refused else (),
    )


@router.get("", name="rate_index")
def rate_index(desk: At) -> HTMLResponse:
    """Shows all rates, the latest day first."""
    return _rates_page(desk)


@router.post("", name="rate_keep")
def rate_keep(desk: At, form: Form) -> Response:
    """Saves one rate."""
    try:
        told = [form.get(name, "") for name in ("source", "target", "rate", "since")]
        keep_rates(desk.workplace, desk.actor, [read_rate(desk.workplace.now().date(), *told)])
    except Refused as refused:
        return _rates_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(BACK, "The rate is kept; prices that it touches are worked out again.")


@router.post("/try", name="rate_try")
def rate_try(desk: At, form: Form) -> HTMLResponse:
    """Shows what a rate would do to the prices of every channel that depends on it, before it is
    saved.
    """
    try:
        told = [form.get(name, "") for name in ("source", "target", "rate", "since")]
        found = foresee_rate(
            desk.workplace, desk.actor, read_rate(desk.workplace.now().date(), *told)
        )
    except Refused as refused:
        return desk.fragment("parts/_refused.html", refusals=refused.refusals)
    return desk.fragment("prices/_foresight.html", touched=found)


@router.post("/file", name="rate_file")
def rate_file(desk: At, form: Form) -> Response:
    """Saves the rates of a file."""
    try:
        content = b"".join(upload.file.read(MOST_BYTES + 1) for upload in form.files("file")[:1])
        if not content or len(content) > MOST_BYTES:
            fix = f"CSV with the columns from, to, rate and since, at most {MOST_BYTES // 1000} kB."
            raise refuse("missing", "Choose a file of rates.", fix, "file")
        count = keep_rates_of_file(desk.workplace, desk.actor, small_table(content))
    except Refused as refused:
        return _rates_page(desk, status=422, refused=refused)
    return desk.done(BACK, f"{count} {'rate is' if count == 1 else 'rates are'} new or another.")


@router.post("/{rate_id:int}/drop", name="rate_drop")
def rate_drop(desk: At, form: Form, rate_id: int) -> Response:
    """Deletes a rate."""
    try:
        drop_rate(desk.workplace, desk.actor, rate_id)
    except Refused as refused:
        return _rates_page(desk, status=422, refused=refused)
    return desk.done(BACK, "It is taken away; the rate before it holds again.")
