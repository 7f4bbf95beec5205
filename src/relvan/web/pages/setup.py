"""Setup: channels, carriers, warehouses and people."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.prices.steps import steps_data
from relvan.core.refusal import Refusal, Refused
from relvan.services.channels.connect import ConnectChannel, connect_carrier, connect_channel, test_channel
from relvan.services.channels.settings import change_channel
from relvan.services.prices.foresee import foresee_prices
from relvan.store.channels import (
    carriers,
    channel_by_key,
    channel_health,
    channel_settings,
    channels,
    recent_lags,
    refused_entries,
    waiting_by_topic,
)
from relvan.store.history import history
from relvan.store.people import active_people
from relvan.store.prices import price_lists
from relvan.store.stock import warehouses
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader
from relvan.web.reading_steps import read_steps, step_row

router = APIRouter(prefix="/setup")


def _index(desk: Desk, *, status: int = 200, typed: dict[str, str] | None = None,
           refused: Refused | None = None) -> HTMLResponse:  # fmt: skip
    with desk.workplace.database.reading() as session:
        found = channels(session)
        health = channel_health(session, found, desk.workplace.now())
        connected = {channel.rulebook for channel in found}
        values: dict[str, Any] = {
            "channels": [(channel, health[channel.id]) for channel in found],
            "offered": [book for key, book in desk.workplace.rulebooks.by_key.items() if key not in connected],
            "troubles": desk.workplace.rulebooks.troubles,
            "carriers": carriers(session),
            "warehouses": warehouses(session),
            "people": active_people(session),
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
        return desk.page("setup/index.html", "setup", status=status, **values)


@router.get("", name="setup_index")
def setup_index(desk: At) -> HTMLResponse:
    """Everything that is set up once."""
    return _index(desk)


@router.post("/channels", name="channel_connect")
def channel_connect(desk: At, form: Form) -> Response:
    """Connect a channel, or renew its connection."""
    wish = ConnectChannel(form.get("rulebook", ""), form.get("address", "").strip(), form.get("token", "").strip())
    try:
        key = connect_channel(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _index(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(f"/setup/channels/{key}", "Connected: the channel knows us.")


@router.post("/carriers", name="carrier_connect")
def carrier_connect(desk: At, form: Form) -> Response:
    """Connect the carrier account."""
    try:
        connect_carrier(desk.workplace, desk.actor, "ostrel", "Ostrel Post", form.get("carrier_address", "").strip(),
                        form.get("carrier_token", "").strip())  # fmt: skip
    except Refused as refused:
        renamed = Refused(*(Refusal(r.code, r.message, r.fix, f"carrier_{r.field}") for r in refused.refusals))
        return _index(desk, status=422, typed=dict(form), refused=renamed)
    return desk.done("/setup", "Connected: the carrier knows us.")


def _channel(desk: Desk, key: str, *, status: int = 200, typed: dict[str, str] | None = None,
             refused: Refused | None = None) -> HTMLResponse:  # fmt: skip
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        settings = channel_settings(session)[channel.id]
        names = {warehouse.id: warehouse for warehouse in warehouses(session)}
        values: dict[str, Any] = {
            "channel": channel,
            "settings": settings,
            "book": desk.workplace.rulebook(channel),
            "health": channel_health(session, [channel], desk.workplace.now())[channel.id],
            "supply": [names[warehouse_id] for warehouse_id in settings.supply_list],
            "others": [one for one in names.values() if one.id not in settings.supply_list],
            "price_lists": price_lists(session),
            "waiting": waiting_by_topic(session, channel.id),
            "refused_entries": refused_entries(session, channel.id),
            "lags": recent_lags(session, channel.id, desk.workplace.now()),
            "history": history(session, "channel", channel.id, 20),
            "step_rows": [*(step_row(step) for step in channel.price_steps), step_row({})],
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
        return desk.page("setup/channel.html", "setup", status=status, **values)


@router.get("/channels/{key}", name="channel_show")
def channel_show(desk: At, key: str) -> HTMLResponse:
    """One channel: what is in step, how it does, and its settings."""
    return _channel(desk, key)


@router.post("/channels/{key}/test", name="channel_test")
def channel_test(desk: At, form: Form, key: str) -> Response:
    """Ask the channel whose account this is."""
    try:
        who = test_channel(desk.workplace, desk.actor, key)
    except Refused as refused:
        return _channel(desk, key, status=422, refused=refused)
    return desk.done(f"/setup/channels/{key}", f"It answers: {who}.")


@router.post("/channels/{key}/prices/try", name="channel_try")
def channel_try(desk: At, form: Form, key: str) -> HTMLResponse:
    """What these prices would be, before they are saved."""
    try:
        found = foresee_prices(desk.workplace, desk.actor, key, _steps_wish(form, desk.workplace.settings.currency))
    except Refused as refused:
        return desk.fragment("parts/_refused.html", refusals=refused.refusals)
    return desk.fragment("setup/_foresight.html", found=found)


@router.post("/channels/{key}/{setting}", name="channel_change")
def channel_change(desk: At, form: Form, key: str, setting: str) -> Response:
    """Save one group of settings at once."""
    try:
        wishes = _WISHES[setting](form, desk.workplace.settings.currency) if setting in _WISHES else {}
        change_channel(desk.workplace, desk.actor, key, wishes)
    except Refused as refused:
        return _channel(desk, key, status=422, typed=dict(form), refused=refused)
    return desk.done(f"/setup/channels/{key}", "Saved; every listing there is worked out again.")


def _policy_wish(form: PostedForm, currency: str) -> dict[str, Any]:
    read = FormReader(form)
    policy = {
        "share": read.text("share") or "100",
        "hold_back": read.whole("hold_back", "Hold-back") or 0,
        "cap": read.whole("cap", "Cap"),
        "least": read.whole("least", "Least") or 0,
        "fixed": read.whole("fixed", "Fixed number"),
        "risk": read.text("risk").replace(",", ".") or None,
    }
    read.raise_if_refused()
    return {"stock_policy": policy}


def _steps_wish(form: PostedForm, currency: str) -> dict[str, Any]:
    read = FormReader(form)
    wishes: dict[str, Any] = {
        "price_steps": steps_data(read_steps(form)), "price_list": form.get("price_list", ""),
    }  # fmt: skip
    if "least_margin" in form:
        wishes["least_margin"] = form.get("least_margin", "")
    if "delivery_cost" in form:
        wishes["delivery_cost"] = read.amount("delivery_cost", currency) or 0
    read.raise_if_refused()
    return wishes


def _supply_wish(form: PostedForm, currency: str) -> dict[str, Any]:
    return {"supply_list": form.all("supply")}


def _pause_wish(form: PostedForm, currency: str) -> dict[str, Any]:
    return {"paused": form.get("paused") == "yes"}


_WISHES = {"policy": _policy_wish, "prices": _steps_wish, "supply": _supply_wish, "pause": _pause_wish}
