"""Serves channels over HTTP."""

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field, WithJsonSchema

from relvan.api.described import STOCK_POLICY
from relvan.api.desk import By, Caller, Cursor, Limit, api_router
from relvan.api.price_shapes import ChannelTrial, foresight_shape
from relvan.api.shapes import ChannelChange, ChannelConnect, Shape, amount_of, minor
from relvan.core.prices.steps import steps_data
from relvan.core.stock.availability import policy_data
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.prices.foresee import Outside, PriceForesight, foresee_prices
from relvan.services.prices.rates import read_rate
from relvan.services.stock.foresee import TRIED, foresee_quantities
from relvan.services.stock.policies import set_policy
from relvan.store.channels import (
    channel_by_key,
    channel_health,
    channel_settings,
    channels,
    order_policy_of,
)
from relvan.store.policies import policy_lines
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
                "supply_list": [
                    keys[warehouse_id] for warehouse_id in settings[channel.id].supply_list
                ],
                "stock_policy": policy_data(settings[channel.id].policy),
                "price_list": settings[channel.id].price_list.key,
                "price_steps": steps_data(settings[channel.id].steps),
                "least_margin": channel.least_margin,
                "delivery_cost": amount_of(channel.delivery_cost, by.workplace.firm.currency),
                "mends": channel.mends.split(),
                "passed_at": channel.passed_at,
                "paused": channel.paused,
                "orders": order_policy_of(channel).as_dict(),
                "connection": channel.connection,
            }
            for channel in found
        ]


@router.get("/channels")
def list_channels(by: By) -> dict[str, Any]:
    """Returns all channels with their settings and health."""
    return {"items": _shapes(by), "next": None}


@router.post("/channels", status_code=201)
def post_channel(by: By, wish: ChannelConnect) -> dict[str, Any]:
    """Connects a channel after a test of the connection. Its token is stored encrypted."""
    key = connect_channel(by.workplace, by.actor, _connecting(wish))
    return next(shape for shape in _shapes(by) if shape["channel"] == key)


def _connecting(wish: ChannelConnect) -> ConnectChannel:
    told = wish.model_dump()
    return ConnectChannel(key=told.pop("channel"), **told)


@router.patch("/channels/{channel}")
def patch_channel(by: By, channel: str, change: ChannelChange) -> dict[str, Any]:
    """Changes the settings that are given, and works out every listing of the channel again."""
    change_channel(by.workplace, by.actor, channel, _wishes(by, change))
    return next(shape for shape in _shapes(by) if shape["channel"] == channel)


@router.post("/channels/{channel}/foresee")
def post_channel_foresee(by: By, channel: str, change: ChannelTrial) -> dict[str, Any]:
    """Says what other settings would do on the channel, and changes nothing. Another price list,
    other steps, margin, delivery, `fees` or `rates` are foreseen for all prices; another stock rule
    or supply list for all `quantities`.
    """
    wishes = {
        name: wish for name, wish in _wishes(by, change).items() if name not in ("fees", "rates")
    }
    today = by.workplace.now().date()
    outside = Outside(
        change.fees, [read_rate(today, one.source, one.target, one.rate) for one in change.rates]
    )
    told = {name: wishes.pop(name) for name in list(wishes) if name in TRIED}
    quantities = foresee_quantities(by.workplace, by.actor, channel, told) if told else None
    found = PriceForesight()
    if wishes or not told or change.fees or change.rates:
        found = foresee_prices(by.workplace, by.actor, channel, wishes, outside)
    return {"quantities": asdict(quantities) if quantities else None, **foresight_shape(found)}


class PolicyChange(Shape):
    """The exception for a `category` (path), a `product` (SKU) or a `listing` (id). Without a rule
    the exception is deleted, and the next nearest rule applies again.
    """

    kind: Literal["category", "product", "listing"]
    of: str = Field(max_length=1000)
    policy: Annotated[dict[str, Any], WithJsonSchema(STOCK_POLICY)] | None = None


@router.get("/channels/{channel}/policies")
def list_policies(by: By, channel: str, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns the exceptions from the channel's stock rule: those for categories, products and
    listings.
    """
    with by.workplace.database.reading() as session:
        found = policy_lines(
            session, channel_by_key(session, channel).id, after=after, limit=limit + 1
        )
    items = [
        {"kind": line.kind, "of": line.of, "policy": policy_data(line.policy)}
        for line in found[:limit]
    ]
    return {"items": items, "next": found[limit - 1].id if len(found) > limit else None}


@router.put("/channels/{channel}/policies")
def put_policy(by: By, channel: str, change: PolicyChange) -> dict[str, bool]:
    """Sets or deletes one exception, and works out again the listings to which it applies."""
    return {
        "changed": set_policy(
            by.workplace, by.actor, channel, change.kind, change.of, change.policy
        )
    }


def _wishes(by: Caller, change: ChannelChange) -> dict[str, Any]:
    wishes = change.model_dump(exclude_unset=True)
    if change.orders is not None:
        wishes["orders"] = change.orders.model_dump(exclude_none=True)
    if change.delivery_cost is not None:
        wishes["delivery_cost"] = minor(
            change.delivery_cost, by.workplace.firm.currency, "delivery_cost"
        )
    return wishes
