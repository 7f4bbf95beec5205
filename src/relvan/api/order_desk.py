"""Serves the work of the order desk over HTTP: trays, what is set aside, tags, persons, scarce
goods."""

from typing import Annotated, Any

from relvan.api.described import Id, described
from relvan.api.desk import By, api_router
from relvan.api.order_shapes import order_shape
from relvan.api.shapes import (
    OrderMove,
    OrdersAside,
    OrdersAssign,
    OrdersTag,
    ScarceChoice,
    Shape,
    amount_of,
    verdicts_of,
)
from relvan.core.orders.late_changes import LateChoice
from relvan.services.orders.aside import (
    assign_orders,
    link_for_customer,
    set_aside,
    tag_orders,
)
from relvan.services.orders.cancel import move_orders
from relvan.services.orders.notices import see_notices
from relvan.services.orders.plan import why_of_route
from relvan.services.orders.scarce import contest, serve_by_choice
from relvan.services.picking.late_changes import decide_late_change
from relvan.store.orders import order_by_number

router = api_router(tags=["orders"])


@router.post("/orders/move")
def post_move(by: By, wish: OrderMove) -> dict[str, Any]:
    """Moves orders into a tray and returns a verdict for each order."""
    return verdicts_of(move_orders(by.workplace, by.actor, wish.numbers, wish.tray))


@router.post("/orders/set-aside")
def post_set_aside(by: By, wish: OrdersAside) -> dict[str, Any]:
    """Sets orders aside for a reason until a day, on which they come back by themselves; with a tray
    they are moved there too. A verdict per order."""
    done = set_aside(
        by.workplace, by.actor, wish.numbers, wish.reason, wish.until, tray=wish.tray or ""
    )
    return verdicts_of(done)


@router.post("/orders/tag")
def post_tag(by: By, wish: OrdersTag) -> dict[str, Any]:
    """Adds a tag to orders, or deletes it when `off`. A verdict per order."""
    return verdicts_of(tag_orders(by.workplace, by.actor, wish.numbers, wish.tag, off=wish.off))


@router.post("/orders/assign")
def post_assign(by: By, wish: OrdersAssign) -> dict[str, Any]:
    """Says by a login who takes care of orders; nobody when it is empty. A verdict per order."""
    return verdicts_of(assign_orders(by.workplace, by.actor, wish.numbers, wish.login))


@router.get("/scarce")
def get_scarce(by: By) -> dict[str, Any]:
    """Returns the ways to give out goods that are not enough for all orders that wait: which orders
    each serves whole, their value, the oldest that still waits, and whether no choice serves more."""
    found = contest(by.workplace)
    return {
        "orders": found.orders,
        "alternatives": [
            {
                "by": one.by,
                "first": one.first or None,
                "whole": list(one.served.whole),
                "value": [amount_of(amount, code) for code, amount in one.amounts.items()],
                "oldest_left": one.oldest_left.isoformat() if one.oldest_left else None,
                "proof": "exact" if one.served.exact else "bound",
                "bound": one.served.bound,
            }
            for one in found.alternatives
        ],
        "goods": [
            {"sku": sku, "wanted": wanted, "free": free} for sku, wanted, free in found.goods
        ],
    }


@router.post("/scarce")
def post_scarce(by: By, wish: ScarceChoice) -> dict[str, Any]:
    """Reserves for the orders that a way serves; with `keep` it becomes the habit of the channels. A
    verdict per order."""
    done = serve_by_choice(by.workplace, by.actor, wish.by, first=wish.first, keep=wish.keep)
    return verdicts_of(done)


@router.get("/orders/{number}/why")
def get_route_why(by: By, number: str) -> dict[str, Any]:
    """Returns why an order leaves from where it does: the warehouses that were chosen, and what each
    would have left missing."""
    with by.workplace.database.reading() as session:
        why = why_of_route(session, order_by_number(session, number))
    return {"number": number, "why": why.as_dicts()}


@router.post("/orders/{number}/customer-link")
def post_customer_link(by: By, number: str) -> dict[str, str]:
    """Returns the path of the page by which the customer sees an order; it is made when it is first
    asked for."""
    return {"number": number, "link": f"/o/{link_for_customer(by.workplace, by.actor, number)}"}


class LateChange(Shape):
    """What a person chooses about a change of the channel that came too late."""

    choice: Annotated[str, described(LateChoice)]


@router.post("/orders/{number}/notices/{notice}")
def post_notice_choice(by: By, number: str, notice: Id, wish: LateChange) -> dict[str, Any]:
    """Does what a person chose about a notice of an order, and returns the order. `to_choose` of the
    order has the notices with the choices that each allows; repeated, nothing changes."""
    decide_late_change(by.workplace, by.actor, number, notice, wish.choice)
    return order_shape(by, number)


@router.post("/orders/{number}/seen")
def post_seen(by: By, number: str) -> dict[str, Any]:
    """Deletes the notices of an order about which nothing is to be chosen, and returns the order."""
    see_notices(by.workplace, by.actor, number)
    return order_shape(by, number)
