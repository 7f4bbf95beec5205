"""Serves Setup of the firm: who it is, its currency and clock, and how its numbers are written."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response

from relvan.core.refusal import Refused, not_found
from relvan.core.setup.countries import country_names
from relvan.core.setup.firm import currency_names, locales, time_zones
from relvan.core.setup.numbering import SERIES_NAMES
from relvan.services.setup.firm import (
    MOST_LOGO,
    change_firm,
    change_series,
    delete_logo,
    keep_logo,
    number_series,
)
from relvan.services.setup.first_steps import skip_step
from relvan.web.desk import AtSetup, Desk, Form, last_try
from relvan.web.reading import FormReader, fields_under

router = APIRouter(prefix="/setup")


def _firm_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    firm = desk.workplace.firm
    values: dict[str, Any] = {
        "firm": firm,
        "series": number_series(desk.workplace),
        "countries": country_names(firm.locale),
        "currencies": currency_names(),
        "locales": locales(),
        "time_zones": {name: name.replace("_", " ") for name in time_zones()},
        **last_try(typed, refused),
    }
    return desk.page("setup/firm.html", "setup", status=status, **values)


@router.get("/firm", name="firm_show")
def firm_show(desk: AtSetup) -> HTMLResponse:
    """Shows what is known of the firm."""
    return _firm_page(desk)


@router.post("/firm", name="firm_save")
def firm_save(desk: AtSetup, form: Form) -> Response:
    """Saves what is known of the firm."""
    address, read = fields_under(form, "address_"), FormReader(form)
    try:
        told: dict[str, Any] = {**form, "address": address}
        told["two_step"] = form.get("two_step") == "yes"
        if "packaging" in form:
            told["packaging"] = read.amount("packaging", desk.workplace.firm.currency) or 0
        read.raise_if_refused()
        change_firm(desk.workplace, desk.actor, told)
    except Refused as refused:
        return _firm_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done("/setup/firm", "The firm is saved.")


@router.post("/firm/logo", name="firm_logo")
def firm_logo(desk: AtSetup, form: Form) -> Response:
    """Saves the logo, or deletes it."""
    try:
        if form.get("deed") == "away":
            delete_logo(desk.workplace, desk.actor)
            return desk.done("/setup/firm#logo", "The logo is deleted.")
        content = b"".join(upload.file.read(MOST_LOGO + 1) for upload in form.files("logo")[:1])
        keep_logo(desk.workplace, desk.actor, content)
    except Refused as refused:
        return _firm_page(desk, status=422, refused=refused)
    return desk.done("/setup/firm#logo", "The logo is saved.")


@router.get("/firm/logo", name="firm_logo_show")
def firm_logo_show(desk: AtSetup) -> Response:
    """Returns the logo."""
    path = desk.workplace.files.path(desk.workplace.firm.logo or "none")
    if not desk.workplace.firm.logo or not path.exists():
        raise not_found("picture", "logo")
    return FileResponse(path, headers={"Cache-Control": "no-store"})


@router.post("/firm/numbers", name="firm_numbers")
def firm_numbers(desk: AtSetup, form: Form) -> Response:
    """Saves how numbers are written, and from where they go on."""
    read = FormReader(form)
    wishes = {
        name: (read.text(f"{name} pattern"), read.whole(f"{name} next", f"Next number of {name}s"))
        for name in SERIES_NAMES.values()
    }
    try:
        read.raise_if_refused()
        change_series(desk.workplace, desk.actor, wishes)
    except Refused as refused:
        return _firm_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done("/setup/firm#numbers", "The numbers are saved.")


@router.post("/first-steps/{step}", name="first_step_skip")
def first_step_skip(desk: AtSetup, step: str, form: Form) -> Response:
    """Skips a first step, or takes it back into the list."""
    skip = form.get("restore") != "yes"
    skip_step(desk.workplace, desk.actor, step, skip=skip)
    return desk.done("/", "The step is skipped." if skip else "The step is back in the list.")
