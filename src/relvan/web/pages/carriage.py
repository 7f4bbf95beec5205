"""Serves the page of the seller's rules of carriage, and how accounts at carriers are used."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused
from relvan.core.shipping.accounts import CHOICES, AccountUse
from relvan.core.shipping.carriage import CarriageRule
from relvan.core.shipping.carriage_words import TAKE_WORDS, carriage_words
from relvan.services.channels.carriers import carrier_by_key, use_account
from relvan.services.shipping.carriage import (
    CarriageTried,
    carriage_rule,
    delete_carriage_rule,
    order_carriage_rules,
    save_carriage_rule,
    try_carriage,
)
from relvan.store.carriage import carriage_rules
from relvan.store.channels import carriers, channel_names, service_names
from relvan.store.stock import warehouses
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup")
NEW = CarriageRule("")
USE_WORDS = {
    "pdf": "PDF",
    "png": "PNG, for printers that take pictures",
    "A6": "A6",
    "100x150": "roll of 100 x 150 mm",
    "order and shipment": "the numbers of the order and the shipment",
    "order": "the number of the order",
    "channel": "the channel's number",
    "customer": "the customer's own reference",
    "wait": "it waits to be dispatched",
    "dispatch": "it is dispatched at once",
}
USE_LABELS = {
    "label_format": "Labels are",
    "label_size": "Their paper is",
    "reference": "As reference stands",
    "after_label": "Once a shipment has its labels",
}


@router.get("/carriage", name="carriage_index")
def carriage_index(desk: AtSetup, rule: int = 0) -> HTMLResponse:
    """Shows all rules, and the form of one of them or of a new one."""
    return _page(desk, carriage_rule(desk.workplace, rule) if rule else NEW)


def _page(
    desk: Desk,
    shown: CarriageRule,
    refused: Refused | None = None,
    tried: CarriageTried | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rules, accounts = carriage_rules(session), carriers(session)
        names = service_names(session)
        channels = dict(channel_names(session, ended=True))
        places = {one.key: one.name for one in warehouses(session)}
    money = desk.environment.filters["money"]
    values: dict[str, Any] = {
        "rules": [(rule, carriage_words(rule, channels, places, names, money)) for rule in rules],
        "shown": shown,
        "takes": TAKE_WORDS,
        "channels": channels,
        "places": places,
        "service_names": _in_order(names, shown.services),
        "accounts": accounts,
        "tried": tried,
        **last_try({}, refused),
    }
    return desk.page("setup/carriage.html", "setup", status=422 if refused else 200, **values)


def _in_order(names: dict[str, str], chosen: tuple[str, ...]) -> dict[str, str]:
    """Returns the names of services, first those that a rule names, in its order; a service that no
    carrier names any more stands by its key."""
    return {one: names.get(one, one) for one in (*chosen, *names)}


def _read(desk: Desk, form: PostedForm) -> CarriageRule:
    """Returns the rule that a form describes; what cannot be read is refused, never left out."""
    read = FormReader(form)
    currency = desk.workplace.firm.currency
    least_g, most_g = read.whole("least_g", "Weighs at least"), read.whole("most_g", "At most")
    least, most = read.amount("least_value", currency), read.amount("most_value", currency)
    read.raise_if_refused()
    told = {
        "name": read.text("name"),
        "take": form.get("take", ""),
        "services": form.all("services"),
        "countries": form.get("countries", "").upper().replace(",", " ").split(),
        "postcodes": [one.strip() for one in form.get("postcodes", "").split(",") if one.strip()],
        "channels": form.all("channel"),
        "warehouses": form.all("warehouse"),
        "least_g": least_g,
        "most_g": most_g,
        "least_value": least,
        "most_value": most,
        **{name: form.get(name) == "yes" for name in ("signature", "insured", "active")},
    }
    return CarriageRule.read(told, form.id_of("id") or 0)


@router.post("/carriage", name="carriage_save")
def carriage_save(desk: AtSetup, form: Form) -> Response:
    """Saves a rule, or shows what it would have cost when it is only to be tried."""
    rule = NEW
    try:
        rule = _read(desk, form)
        if form.get("try"):
            return _page(desk, rule, tried=try_carriage(desk.workplace, rule))
        save_carriage_rule(desk.workplace, desk.actor, rule)
    except Refused as refused:
        return _page(desk, rule, refused)
    return desk.done("/setup/carriage", f"The rule “{rule.name}” is saved.")


@router.post("/carriage/try", name="carriage_try")
def carriage_try(desk: AtSetup, form: Form) -> HTMLResponse:
    """Shows what all rules would have made of the shipments of the last weeks."""
    return _page(desk, NEW, tried=try_carriage(desk.workplace))


@router.post("/carriage/order", name="carriage_order")
def carriage_order(desk: AtSetup, form: Form) -> Response:
    """Saves the order of the rules."""
    order_carriage_rules(desk.workplace, desk.actor, form.ids("rule"))
    return desk.done("/setup/carriage", "The order of the rules is saved.")


@router.post("/carriage/{rule_id:int}/delete", name="carriage_delete")
def carriage_delete(desk: AtSetup, form: Form, rule_id: int) -> Response:
    """Deletes a rule."""
    delete_carriage_rule(desk.workplace, desk.actor, rule_id)
    return desk.done("/setup/carriage", "The rule is deleted.")


@router.get("/carriers/{key}", name="carrier_show")
def carrier_show(desk: AtSetup, key: str) -> HTMLResponse:
    """Shows how an account at a carrier is used."""
    return _account(desk, key)


def _account(desk: Desk, key: str, refused: Refused | None = None) -> HTMLResponse:
    carrier = carrier_by_key(desk.workplace, key)
    with desk.workplace.database.reading() as session:
        places = {one.key: one.name for one in warehouses(session) if not one.centre}
    return desk.page(
        "setup/carrier.html",
        "setup",
        status=422 if refused else 200,
        carrier=carrier,
        use=AccountUse.read(carrier.use).as_dict(),
        choices={name: [*kinds] for name, kinds in CHOICES.items()},
        labels=USE_LABELS,
        said=USE_WORDS,
        places=places,
        **last_try({}, refused),
    )


@router.post("/carriers/{key}/use", name="carrier_use")
def carrier_use(desk: AtSetup, key: str, form: Form) -> Response:
    """Says how an account at a carrier is used."""
    told: dict[str, Any] = {name: form.get(name, "") for name in CHOICES}
    try:
        use_account(desk.workplace, desk.actor, key, {**told, "collects": form.all("collects")})
    except Refused as refused:
        if refused.first.code == "not-found" and refused.first.field != "collects":
            raise
        return _account(desk, key, refused)
    return desk.done(f"/setup/carriers/{key}", "Saved.")
