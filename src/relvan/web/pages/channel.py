"""Serves the pages of one channel's set-up: what is in step and what is not, from which warehouses
it sells, how much it shows, and its prices.
"""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.channels.connection import Connection
from relvan.core.listings.rulebook import OtherFees
from relvan.core.mail.texts import EVENT_NAMES, MailEvent
from relvan.core.orders.policy import MAILED, Unpaid
from relvan.core.orders.routing import RoutePolicy
from relvan.core.orders.scarce import ServeBy
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.prices.steps import steps_data
from relvan.core.refusal import Refused, not_found
from relvan.services.channels.connect import test_channel
from relvan.services.channels.settings import change_channel
from relvan.services.disconnect import disconnect, end_at_once, stay_connected
from relvan.services.prices.foresee import Outside, foresee_prices
from relvan.services.prices.rates import read_rate
from relvan.services.stock.foresee import foresee_quantities
from relvan.services.stock.policies import set_policy
from relvan.store.channels import (
    channel_by_key,
    channel_health,
    channel_settings,
    listing_tally,
    order_policy_of,
)
from relvan.store.disconnect import holdings_of_channel, last_words
from relvan.store.history import history
from relvan.store.imports import list_currencies
from relvan.store.policies import policy_lines
from relvan.store.prices import price_lists
from relvan.store.stock import warehouses
from relvan.web.desk import At, AtSetup, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader
from relvan.web.reading_policy import read_policy
from relvan.web.reading_steps import read_steps, step_rows

router = APIRouter(prefix="/setup/channels")
Wish = Callable[[Desk, PostedForm], dict[str, Any]]


def _channel(
    desk: Desk,
    key: str,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        settings = channel_settings(session)[channel.id]
        names = {warehouse.id: warehouse for warehouse in warehouses(session)}
        values: dict[str, Any] = {
            "channel": channel,
            "settings": settings,
            "book": desk.workplace.rulebook(channel),
            "health": channel_health(session, [channel], desk.workplace.now())[channel.id],
            "tally": listing_tally(session, channel.id),
            "supply": [names[warehouse_id] for warehouse_id in settings.supply_list],
            "others": [one for one in names.values() if one.id not in settings.supply_list],
            "price_lists": price_lists(session),
            "nearer": policy_lines(session, channel.id, limit=60),
            "order_policy": order_policy_of(channel),
            "mail_words": {event: EVENT_NAMES[MailEvent(event)] for event in MAILED},
            "unpaid_words": _UNPAID,
            "serve_words": _SERVE,
            "route_words": _ROUTES,
            "start_trays": {
                "": "the Inbox, as usual",
                **{
                    key: name
                    for key, (name, _) in desk.workplace.tray_names().items()
                    if key not in (Tray.CLOSED, Tray.CANCELLED)
                },
            },
            "holdings": holdings_of_channel(session, channel.id) if refused else None,
            "last_words": last_words(session, channel.id),
            "history": history(session, "channel", channel.id, 20),
            "step_rows": step_rows(channel.price_steps, settings.price_list.currency),
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
        return desk.page("setup/channel.html", "setup", status=status, **values)


@router.get("/{key}", name="channel_show")
def channel_show(desk: AtSetup, key: str) -> HTMLResponse:
    """Shows one channel: what is in step, how its connection is, and its settings."""
    return _channel(desk, key)


@router.post("/{key}/test", name="channel_test")
def channel_test(desk: AtSetup, form: Form, key: str) -> Response:
    """Asks the channel whose account this is."""
    try:
        who = test_channel(desk.workplace, desk.actor, key)
    except Refused as refused:
        return _channel(desk, key, status=422, refused=refused)
    return desk.done(f"/setup/channels/{key}", f"It answers: {who}.")


@router.get("/{key}/disconnect", name="channel_holdings")
def channel_holdings(desk: AtSetup, key: str) -> HTMLResponse:
    """Shows what disconnecting the channel would touch, and asks what happens to it."""
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        holdings = holdings_of_channel(session, channel.id)
    values: dict[str, Any] = {"holdings": holdings, "typed": {}, "errors": {}}
    return desk.fragment("setup/_disconnect_form.html", channel=channel, **values)


@router.post("/{key}/disconnect", name="channel_disconnect")
def channel_disconnect(desk: AtSetup, form: Form, key: str) -> Response:
    """Disconnects the channel as chosen; or, while that is going on, ends it at once or cancels it."""
    deed = form.get("deed", "")
    try:
        if deed == "stay":
            stay_connected(desk.workplace, desk.actor, key)
            return desk.done(f"/setup/channels/{key}", "The channel stays connected.")
        if deed == "at once":
            end_at_once(desk.workplace, desk.actor, key)
            return desk.done("/setup", _ENDED)
        reached = disconnect(desk.workplace, desk.actor, key, form)
    except Refused as refused:
        return _channel(desk, key, status=422, typed=dict(form), refused=refused)
    if reached == Connection.ENDING:
        words = "It is disconnected as soon as the channel has answered."
        return desk.done(f"/setup/channels/{key}", words)
    return desk.done("/setup", _ENDED)


@router.post("/{key}/prices/try", name="channel_try")
def channel_try(desk: AtSetup, form: Form, key: str) -> HTMLResponse:
    """Shows what the prices would be with the settings in the form, before they are saved."""
    try:
        wishes = _steps_wish(desk, form)
        found = foresee_prices(desk.workplace, desk.actor, key, wishes, _outside(desk, form, key))
    except Refused as refused:
        return desk.fragment("parts/_refused.html", refusals=refused.refusals)
    return desk.fragment("setup/_foresight.html", found=found)


@router.post("/{key}/shown/try", name="channel_try_shown")
def channel_try_shown(desk: AtSetup, form: Form, key: str) -> HTMLResponse:
    """Shows what the quantities would be with the settings in the form, before they are saved."""
    try:
        wishes = _shown_wish(desk, form)
        found = foresee_quantities(desk.workplace, desk.actor, key, wishes)
    except Refused as refused:
        return desk.fragment("parts/_refused.html", refusals=refused.refusals)
    return desk.fragment("setup/_quantities.html", found=found)


@router.post("/{key}/nearer", name="channel_nearer")
def channel_nearer(desk: At, form: Form, key: str) -> Response:
    """Sets or deletes the exception for a category, a product or a listing."""
    away = form.get("deed") == "take away"
    try:
        policy = None if away else read_policy(form)
        set_policy(
            desk.workplace,
            desk.actor,
            key,
            form.get("kind", ""),
            form.get("of", "").strip(),
            policy,
        )
    except Refused as refused:
        if not desk.may(Right.SETUP):
            raise
        return _channel(desk, key, status=422, typed=dict(form), refused=refused)
    words = "the next nearest holds again" if away else "it goes instead of the channel's"
    back = form.get("back", "")
    path = back if back.startswith(("/stock/", "/listings/")) else f"/setup/channels/{key}#nearer"
    return desk.done(path, f"Stock rule of {form.get('of', '')}: {words}.")


@router.post("/{key}/{setting}", name="channel_change")
def channel_change(desk: AtSetup, form: Form, key: str, setting: str) -> Response:
    """Saves one group of settings at once."""
    if setting not in _WISHES:
        raise not_found("setting", setting)
    try:
        wishes = _WISHES[setting](desk, form)
        change_channel(desk.workplace, desk.actor, key, wishes)
    except Refused as refused:
        return _channel(desk, key, status=422, typed=dict(form), refused=refused)
    back = form.get("back", "")
    path = back if back == "/updates" else f"/setup/channels/{key}"
    return desk.done(path, _SAID.get(setting, "Saved; every listing there is worked out again."))


def _outside(desk: Desk, form: PostedForm, key: str) -> Outside:
    """Returns the other fees and the other rate that are only tried."""
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        listed_in = channel_settings(session)[channel.id].price_list.currency
    book, own = desk.workplace.rulebook(channel), desk.workplace.firm.currency
    read = FormReader(form)
    fees = OtherFees(
        referral_percent=read.percent("try_referral", "Referral"),
        least_referral=read.amount("try_least", book.currency),
        fixed=read.amount("try_fixed", book.currency),
        processing_percent=read.percent("try_processing", "Processing"),
    )
    read.raise_if_refused()
    typed = form.get("try_rate", "").strip()
    source = listed_in if listed_in != book.currency else own
    today = desk.workplace.now().date()
    return Outside(fees, [read_rate(today, source, book.currency, typed)] if typed else [])


def _shown_wish(desk: Desk, form: PostedForm) -> dict[str, Any]:
    wishes: dict[str, Any] = {"stock_policy": read_policy(form)}
    if "supply_asked" in form:
        wishes["supply_list"] = form.all("supply")
    return wishes


def _steps_wish(desk: Desk, form: PostedForm) -> dict[str, Any]:
    read, own = FormReader(form), desk.workplace.firm.currency
    with desk.workplace.database.reading() as session:
        listed_in = list_currencies(session).get(form.get("price_list", ""), own)
    wishes: dict[str, Any] = {
        "price_steps": steps_data(read_steps(form, listed_in)),
        "price_list": form.get("price_list", ""),
    }
    if "least_margin" in form:
        wishes["least_margin"] = form.get("least_margin", "")
    if "delivery_cost" in form:
        wishes["delivery_cost"] = read.amount("delivery_cost", own) or 0
    read.raise_if_refused()
    return wishes


def _pause_wish(desk: Desk, form: PostedForm) -> dict[str, Any]:
    return {"paused": form.get("paused") == "yes"}


def _name_wish(desk: Desk, form: PostedForm) -> dict[str, Any]:
    return {"name": form.get("name", "")}


def _orders_wish(desk: Desk, form: PostedForm) -> dict[str, Any]:
    read = FormReader(form)
    most = read.needed_whole("most", "Shipments at most")
    read.raise_if_refused()
    told = {name: form.get(name, "") for name in ("unpaid", "routing", "serve_by", "tray")}
    near, mails = form.get("prefer_near") == "yes", form.all("mails")
    collected = form.get("collected") == "yes"
    more = {"most": most, "prefer_near": near, "mails": mails, "collected": collected}
    return {"orders": {**told, **more}}


_WISHES: dict[str, Wish] = {
    "shown": _shown_wish,
    "prices": _steps_wish,
    "pause": _pause_wish,
    "name": _name_wish,
    "orders": _orders_wish,
}
_ENDED = "The channel is disconnected; its listings are being deleted here."
_SAID = {
    "pause": "Saved.",
    "name": "The channel has its new name.",
    "orders": "Saved; it counts for orders from now on.",
}
_UNPAID = {
    Unpaid.HOLD: "are taken, and held until they are paid",
    Unpaid.LEAVE: "are left out until they are paid",
    Unpaid.TAKE: "are taken like all others",
}
_SERVE = {
    ServeBy.AGE: "the promised day, then the oldest",
    ServeBy.MOST: "as many whole orders as possible",
    ServeBy.MONEY: "as much money as possible",
}
_ROUTES = {
    RoutePolicy.THERE: "from as many warehouses as it needs",
    RoutePolicy.SPLIT: "from up to a number of warehouses",
    RoutePolicy.ONE: "whole from one warehouse, or not at all",
}
