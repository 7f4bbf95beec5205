"""Serves Setup of tax: rates by country, code and day, and where the seller is registered."""

from datetime import date
from decimal import Decimal
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.catalogue.product import TAX_CODES
from relvan.core.refusal import Refused, refuse
from relvan.core.setup.countries import country_names
from relvan.core.setup.tax import TaxRate
from relvan.services.setup.tax import rates_of_the_union, read_percent, set_tax_rates
from relvan.store.tax import tax_table
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/tax")
BACK = "/setup/tax"


def _tax_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        table = tax_table(session)
    today = desk.workplace.local_now().date()
    values: dict[str, Any] = {
        "table": table,
        "rows": [(rate, _stands(table.rates, rate, today)) for rate in table.rates],
        "codes": TAX_CODES,
        "countries": country_names(desk.workplace.firm.locale),
        "at_home": table.at_home(today),
        "union": rates_of_the_union(),
        "today": today,
        **last_try(typed, refused),
    }
    return desk.page("setup/tax.html", "setup", status=status, **values)


def _stands(rates: Any, rate: TaxRate, today: date) -> str:
    """Returns whether a rate holds today, held before, or comes."""
    same = [one for one in rates if (one.country, one.code) == (rate.country, rate.code)]
    begun = [one for one in same if one.since <= today]
    if rate.since > today:
        return "comes"
    return "holds" if rate == max(begun, key=lambda one: one.since) else "held before"


@router.get("", name="tax_show")
def tax_show(desk: AtSetup) -> HTMLResponse:
    """Shows all rates."""
    return _tax_page(desk)


@router.post("", name="tax_set")
def tax_set(desk: AtSetup, form: Form) -> Response:
    """Sets one rate."""
    read = FormReader(form)
    try:
        rate = TaxRate(
            read.text("country").upper(),
            read.text("code"),
            read_percent(read.text("percent")),
            _day(read.text("since")) or desk.workplace.local_now().date(),
            read.text("origin"),
        )
        set_tax_rates(desk.workplace, desk.actor, [rate])
    except Refused as refused:
        return _tax_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(BACK, "The rate is saved, and what depends on it is worked out.")


@router.post("/union", name="tax_union")
def tax_union(desk: AtSetup, form: Form) -> Response:
    """Takes the rates of the European Union that ship."""
    rates = rates_of_the_union()
    set_tax_rates(desk.workplace, desk.actor, rates)
    return desk.done(BACK, f"{len(rates)} rates of {_countries(rates)} countries are set.")


def _countries(rates: Any) -> int:
    return len({rate.country for rate in rates})


@router.post("/registered", name="tax_registered")
def tax_registered(desk: AtSetup, form: Form) -> Response:
    """Says where the seller is registered."""
    try:
        wanted = form.get("registered", "").replace(",", " ").split()
        set_tax_rates(desk.workplace, desk.actor, [], registered=wanted)
    except Refused as refused:
        return _tax_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(BACK, "Where you are registered is saved.")


@router.post("/gone", name="tax_gone")
def tax_gone(desk: AtSetup, form: Form) -> Response:
    """Takes one rate away."""
    set_tax_rates(desk.workplace, desk.actor, [], gone=[_named_in(form)])
    return desk.done(BACK, "The rate is gone, and what depends on it is worked out.")


def _named_in(form: PostedForm) -> TaxRate:
    day = _day(form.get("since", ""))
    if day is None:
        raise refuse("missing", "“From” must be a day.", "Load the page again.", "since")
    return TaxRate(form.get("country", ""), form.get("code", ""), Decimal(0), day)


def _day(text: str) -> date | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        message = f"“From” must be a day like 2026-12-31; it got “{text[:20]}”."
        raise refuse("form", message, "Type year, month and day.", "since") from None
