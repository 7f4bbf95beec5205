"""Lets the buyers of the demo's outside world buy something."""

from datetime import datetime

import httpx


def buy(
    world: httpx.Client,
    channel: str,
    sku: str,
    quantity: int,
    placed_at: datetime,
    *,
    paid: bool = True,
) -> None:
    """Buys something on a channel as a buyer does; what is sold out is not bought."""
    body = {"sku": sku, "quantity": quantity, "paid": paid, "placed_at": placed_at.isoformat()}
    answer = world.post(f"/world/{channel}/purchases", json=body)
    if answer.status_code not in (201, 409):
        answer.raise_for_status()
