"""Serves an order's own page."""

from collections.abc import Mapping, Sequence
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.deeds import DeedAnswer, OrderDeed, deeds_of
from relvan.core.orders.facts import Extent
from relvan.core.orders.flow import OrderFlow, flow_of
from relvan.core.orders.late_changes import LateChoice
from relvan.core.orders.trays import Tray
from relvan.services.orders.aside import link_for_customer
from relvan.services.orders.earned import earned_of_order
from relvan.services.orders.link import likeliest, link_line, unlinked_in
from relvan.services.orders.notices import open_notices, see_notices
from relvan.services.orders.payments import METHODS
from relvan.services.orders.plan import why_of_route
from relvan.services.orders.returns import can_come_back
from relvan.services.orders.short import short_of
from relvan.services.orders.work_out import owed_by
from relvan.services.picking.late_changes import decide_late_change
from relvan.store.channels import channel_by_id
from relvan.store.customers import customer_by_id
from relvan.store.dispatch import parcel_rows
from relvan.store.history import history
from relvan.store.invoices import invoices_of_order, payments_of
from relvan.store.mailing import mails_of_order, texts_for_orders
from relvan.store.order_standing import standings_of
from relvan.store.orders import (
    lines_of,
    order_by_number,
    progress_of,
    reservations_of,
    shipment_rows,
    tellings_of_order,
)
from relvan.store.people import active_people, person_by_id
from relvan.store.returns import returns_of_order
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id, warehouses
from relvan.store.tables import Order, OrderLine, Reservation
from relvan.store.trays import all_tags, tags_of
from relvan.web.desk import At, Desk, Form
from relvan.web.order_deeds import BUTTONS, DeedButton
from relvan.web.whys import why_page
from relvan.web.words import LATE_CHOICES, LATE_DONE

router = APIRouter(prefix="/orders")


@router.get("/{number}", name="order_show")
def order_show(desk: At, number: str) -> HTMLResponse:
    """Shows an order's own page."""
    with desk.workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        held = reservations_of(session, [order.id])
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
        named = {warehouse.id: warehouse for warehouse in warehouses(session)}
        names = {key: warehouse.name for key, warehouse in named.items()}
        parcels = parcel_rows(session, order.id)
        values: dict[str, Any] = {
            "order": order,
            "lines": [
                (line, [(names[r.warehouse_id], r.quantity) for r in held.get(line.id, [])])
                for line in lines
            ],
            "promised_from": [
                (line, named[r.warehouse_id], r.quantity)
                for line in lines
                for r in held.get(line.id, [])
            ],
            "all_warehouses": list(named.values()),
            "flow": _flow(order, lines, held),
            "channel": channel,
            "short": short_of(session, order) if _is_short(order) else None,
            "shipments": shipment_rows(session, order_id=order.id),
            "parcels": parcels,
            "deeds": _deeds(deeds_of(standings_of(session, [order])[order.id])),
            "history": history(session, "order", order.id, 100),
            "tellings": tellings_of_order(session, order, [parcel.id for parcel in parcels]),
            "trays": [
                key
                for key in desk.workplace.tray_names()
                if key not in (Tray.CANCELLED, order.tray)
            ],
            "likely": {
                line.id: likeliest(session, line) for line in unlinked_in(session, order.id)
            },
            **_noted(desk, session, order),
        }
    bills = [row.due_on for row in values["invoices"] if row.kind == "invoice"]
    values["due_on"] = min(bills, default="")
    return desk.page("orders/show.html", "orders", **values)


def _noted(desk: Desk, session: Session, order: Order) -> dict[str, Any]:
    """Returns the money of an order, its mails, its returns, and what the team has noted of it."""
    return {
        "invoices": invoices_of_order(session, order.id),
        "payments": payments_of(session, order.id),
        "owed": owed_by(order),
        "methods": METHODS,
        "today": desk.workplace.local_now().date().isoformat(),
        "tags": tags_of(session, [order.id])[order.id],
        "buyer": customer_by_id(session, order.customer_id) if order.customer_id else None,
        "link": f"{desk.workplace.settings.base_url.rstrip('/')}/o/{order.secret}"
        if order.secret
        else "",
        "earned": earned_of_order(desk.workplace, session, order.id),
        "returns": returns_of_order(session, order.id),
        "coming_back": can_come_back(session, order),
        "mails": mails_of_order(session, order.id),
        "mail_choices": texts_for_orders(session),
        "notices": open_notices(session, order),
        "late_choices": LATE_CHOICES,
        "people": active_people(session),
        "all_tags": all_tags(session),
        "assigned": person_by_id(session, order.assigned_id) if order.assigned_id else None,
        "salesperson": person_by_id(session, order.salesperson_id)
        if order.salesperson_id
        else None,
        "only_from": warehouse_by_id(session, order.warehouse_id) if order.warehouse_id else None,
    }


def _is_short(order: Order) -> bool:
    return order.cancelled_at is None and Extent.ALL not in (
        order.fact_reserved,
        order.fact_shipped,
    )


def _flow(
    order: Order, lines: Sequence[OrderLine], held: Mapping[int, Sequence[Reservation]]
) -> OrderFlow:
    progress = progress_of(order, lines, held)
    goods = (
        ("ordered", progress.units),
        ("reserved", progress.units_reserved),
        ("picked", progress.units_picked),
        ("shipped", progress.units_shipped),
    )
    billed = sum(line.unit_price * line.invoiced for line in lines) + order.delivery_invoiced
    whole = order.total - order.credited
    invoiced = whole if order.fact_invoiced == Extent.ALL else min(billed, whole)
    return flow_of(goods, (("total", whole), ("invoiced", invoiced), ("paid", order.paid)))


def _deeds(
    answers: Mapping[OrderDeed, DeedAnswer],
) -> list[tuple[OrderDeed, DeedButton, DeedAnswer]]:
    """Returns (action, its button, what it would do) of all actions."""
    return [(deed, button, answers[deed]) for deed, button in BUTTONS.items()]


@router.get("/{number}/why", name="order_why")
def order_why(desk: At, number: str) -> HTMLResponse:
    """Explains why an order leaves from where it does."""
    with desk.workplace.database.reading() as session:
        order = order_by_number(session, number)
        why = why_of_route(session, order)
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
    links = [(channel.name, f"/setup/channels/{channel.key}#order-policy")] if channel else []
    return why_page(desk, f"Where {order.number} leaves from", why, links)


@router.post("/{number}/customer-link", name="order_customer_link")
def order_customer_link(desk: At, form: Form, number: str) -> Response:
    """Makes the link by which the customer sees the order."""
    link_for_customer(desk.workplace, desk.actor, number)
    return desk.go(f"/orders/{number}#customer")


@router.post("/{number}/seen", name="order_seen")
def order_seen(desk: At, form: Form, number: str) -> Response:
    """Deletes the notices of an order that were laid before the team."""
    see_notices(desk.workplace, desk.actor, number)
    return desk.go(f"/orders/{number}")


@router.post("/{number}/notices/{notice_id:int}", name="order_notice")
def order_notice(desk: At, form: Form, number: str, notice_id: int) -> Response:
    """Does what a person chose about a change of the channel that came too late."""
    chosen = decide_late_change(
        desk.workplace, desk.actor, number, notice_id, form.get("choice", "")
    )
    return desk.done(f"/orders/{number}", LATE_DONE[LateChoice(chosen)])


@router.post("/{number}/link", name="order_link")
def order_link(desk: At, form: Form, number: str) -> Response:
    """Links an unknown line to a product; all lines with the same code are linked too."""
    position = form.id_of("line") or 0
    sku = form.get("sku", "").strip()
    numbers = link_line(desk.workplace, desk.actor, number, position, sku)
    return desk.done(
        f"/orders/{number}",
        f"Linked in {len(numbers)} {'order' if len(numbers) == 1 else 'orders'}.",
    )
