"""Adds the demo's prices and stock: sale prices, expected receipts, exceptions, prices that
changed, and one that drifted.
"""

from collections.abc import Callable
from datetime import timedelta

import httpx

from relvan.services.channels.settings import change_channel
from relvan.services.listings.standing import read_standing
from relvan.services.prices.sales import PlanSale, plan_sale
from relvan.services.prices.set import set_floor, set_list_price
from relvan.services.stock.coming import ExpectReceipt, SendTransfer, expect_receipt, send_transfer
from relvan.services.stock.policies import set_policy
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key


def move_prices(workplace: Workplace, owner: Actor, settle: Callable[..., None]) -> None:
    """Sets steps that follow each channel's fees, and raises one list price twice."""
    steps = [
        {"kind": "percent", "percent": "4"},
        {"kind": "ending", "endings": [99, 49], "direction": "nearest"},
    ]
    change_channel(workplace, owner, "hagglet", {"price_steps": steps})
    set_list_price(workplace, owner, "PT-14-INK", "retail", 1790)
    settle()


def keep_in_step(
    workplace: Workplace, owner: Actor, world: httpx.Client, settle: Callable[..., None]
) -> None:
    """Adds everything that the stations of stock and prices show besides the everyday."""
    now = workplace.now()
    today = now.date()
    for sku, place, units, days, note in (
        ("PT-24-RUS", "millrace", 24, -2, "kiln firing of last week"),
        ("WA-MISTB", "millrace", 60, 9, "PO 2291"),
        ("SO-POT-50", "yard", 120, 4, "PO 2304"),
        ("TL-SNIPS", "millrace", 80, 16, "PO 2299"),
    ):
        expect_receipt(
            workplace, owner, ExpectReceipt(sku, place, units, today + timedelta(days=days), note)
        )
    send_transfer(
        workplace,
        owner,
        SendTransfer("PT-18-CEL", "millrace", "yard", 4, note="for the shelf at the door"),
    )
    sales = (("PT-14-OCH", 1390, -1, 6), ("TL-TROWEL", 1090, -2, 3), ("CA-FEED", 790, 5, 12))
    for sku, amount, begins, ends in sales:
        window = (now + timedelta(days=begins), now + timedelta(days=ends))
        plan_sale(workplace, owner, PlanSale(sku, "retail", amount, *window))
    set_policy(workplace, owner, "hagglet", "category", "Soil", {"cap": 10})
    set_policy(workplace, owner, "ownshop", "product", "PT-24-INK", {"share": 50, "least": 2})
    change_channel(
        workplace, owner, "corvello", {"stock_policy": {"risk": "0.001"}, "delivery_cost": 390}
    )
    set_floor(workplace, owner, "TL-TROWEL", 1150)
    set_list_price(workplace, owner, "PT-14-INK", "retail", 1890)
    settle("hagglet", "ownshop", "loomstead")
    _drift(workplace, owner, world, settle)


def _drift(
    workplace: Workplace, owner: Actor, world: httpx.Client, settle: Callable[..., None]
) -> None:
    """Changes a price in the shop's own administration; drift of prices there is not corrected
    automatically.
    """
    change_channel(workplace, owner, "ownshop", {"mends": ["quantity"]})
    there = world.get("/world").json()["standins"]["ownshop"]
    head = {"Authorization": f"Bearer {there['token']}"}
    body = {"prices": [{"sku": "WA-CAN-1", "price": "21.50"}]}
    world.post("/ownshop/admin/prices", json=body, headers=head).raise_for_status()
    settle("ownshop")
    with workplace.database.reading() as session:
        shop = channel_by_key(session, "ownshop").id
    for _ in range(2):
        read_standing(workplace, shop)
