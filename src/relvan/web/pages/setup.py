"""Serves the pages of set-up of channels, carriers, warehouses and people."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refusal, Refused
from relvan.gateways.carriers.dialects import CARRIERS, dialect_of
from relvan.services.channels.carriers import connect_carrier, test_carrier
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.store.channels import (
    carriers,
    channel_health,
    channels,
)
from relvan.web.desk import AtSetup, Desk, Form, first_by_field

router = APIRouter(prefix="/setup")


def _setup_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        found = channels(session)
        health = channel_health(session, found, desk.workplace.now())
        connected = {channel.rulebook for channel in found}
        values: dict[str, Any] = {
            "channels": [(channel, health[channel.id]) for channel in found],
            "offered": [
                book
                for key, book in desk.workplace.rulebooks.by_key.items()
                if key not in connected
            ],
            "books": list(desk.workplace.rulebooks.by_key.values()),
            "troubles": desk.workplace.rulebooks.troubles,
            "carriers": carriers(session),
            "carrier_names": CARRIERS,
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
        return desk.page("setup/index.html", "setup", status=status, **values)


@router.get("", name="setup_index")
def setup_index(desk: AtSetup) -> HTMLResponse:
    """Shows everything that is set up once."""
    return _setup_page(desk)


@router.post("/channels", name="channel_connect")
def channel_connect(desk: AtSetup, form: Form) -> Response:
    """Connects a channel, or renews its connection."""
    rulebook, _, account = form.get("rulebook", "").partition("/")
    wish = ConnectChannel(
        rulebook,
        form.get("address", "").strip(),
        form.get("token", "").strip(),
        form.get("name", ""),
        "" if account == "another" else account,
        account == "another",
    )
    try:
        key = connect_channel(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _setup_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(f"/setup/channels/{key}", "Connected: the channel knows us.")


@router.post("/carriers", name="carrier_connect")
def carrier_connect(desk: AtSetup, form: Form) -> Response:
    """Connects an account at a carrier."""
    account = form.get("carrier_account", "").strip().lower()
    key = form.get("carrier", "ostrel").strip() + (f"-{account}" if account else "")
    try:
        holder = connect_carrier(
            desk.workplace,
            desk.actor,
            key,
            f"{CARRIERS.get(dialect_of(key), key)} {account}".strip(),
            form.get("carrier_address", "").strip(),
            form.get("carrier_token", "").strip(),
        )
    except Refused as refused:
        renamed = Refused(
            *(Refusal(r.code, r.message, r.fix, f"carrier_{r.field}") for r in refused.refusals)
        )
        return _setup_page(desk, status=422, typed=dict(form), refused=renamed)
    return desk.done("/setup", f"Connected: the carrier knows us as {holder}.")


@router.post("/carriers/{key}/test", name="carrier_test")
def carrier_test(desk: AtSetup, key: str, form: Form) -> Response:
    """Asks the carrier whose account this is."""
    account = test_carrier(desk.workplace, desk.actor, key)
    return desk.done("/setup", f"The carrier answers: this is the account of {account}.")
