"""Channels over HTTP."""

from dataclasses import asdict
from typing import Any

from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import ChannelChange, ChannelConnect, amount_of, minor
from relvan.core.prices.steps import steps_data
from relvan.core.stock.availability import policy_data
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.prices.foresee import foresee_prices
from relvan.store.channels import channel_health, channel_settings, channels
from relvan.store.stock import warehouses

router = api_router(tags=["channels"])


def _shapes(by: Caller) -> list[dict[str, Any]]:
    with by.workplace.database.reading() as session:
        found = channels(session)
        health = channel_health(session, found, by.workplace.now())
        settings = channel_settings(session)
        keys = {warehouse.id: warehouse.key for warehouse in warehouses(session)}
        return [
            {
                "channel": channel.key,
                "name": channel.name,
                "address": channel.address,
                "health": {
                    "state": health[channel.id].state,
                    "lag_p95_s": health[channel.id].lag_p95_s,
                    "waiting": health[channel.id].waiting,
                },
                "supply_list": [keys[warehouse_id] for warehouse_id in settings[channel.id].supply_list],
                "stock_policy": policy_data(settings[channel.id].policy),
                "price_list": settings[channel.id].price_list.key,
                "price_steps": steps_data(settings[channel.id].steps),
                "least_margin": channel.least_margin,
                "delivery_cost": amount_of(channel.delivery_cost, by.workplace.settings.currency),
                "paused": channel.paused,
            }
            for channel in found
        ]


@router.get("/channels")
def list_channels(by: By) -> dict[str, Any]:
    """All channels with their settings and health."""
    return {"items": _shapes(by), "next": None}


@router.post("/channels", status_code=201)
def post_channel(by: By, wish: ChannelConnect) -> dict[str, Any]:
    """Connect a channel, after a test of the connection; its token is kept encrypted."""
    key = connect_channel(by.workplace, by.actor, ConnectChannel(**wish.model_dump()))
    return next(shape for shape in _shapes(by) if shape["channel"] == key)


@router.patch("/channels/{channel}")
def patch_channel(by: By, channel: str, change: ChannelChange) -> dict[str, Any]:
    """Change the settings that are given; every listing there is worked out again."""
    change_channel(by.workplace, by.actor, channel, _wishes(by, change))
    return next(shape for shape in _shapes(by) if shape["channel"] == channel)


@router.post("/channels/{channel}/foresee")
def post_foresee(by: By, channel: str, change: ChannelChange) -> dict[str, Any]:
    """What another price list, other steps, margin or delivery would do to all prices there; nothing is changed."""
    found = foresee_prices(by.workplace, by.actor, channel, _wishes(by, change))
    return {
        "listings": found.listings, "up": found.up, "down": found.down, "floored": found.floored, "none": found.none,
        "reasons": found.reasons, "samples": [asdict(sample) for sample in found.samples],
    }  # fmt: skip


def _wishes(by: Caller, change: ChannelChange) -> dict[str, Any]:
    wishes = change.model_dump(exclude_unset=True)
    if change.delivery_cost is not None:
        wishes["delivery_cost"] = minor(change.delivery_cost, by.workplace.settings.currency, "delivery_cost")
    return wishes
