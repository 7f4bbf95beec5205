"""Says what an order is over HTTP: lines, progress, deeds, shipments."""

from collections.abc import Sequence
from typing import Any

from relvan.api.desk import (
    Caller,
)
from relvan.api.shapes import (
    amount_of,
)
from relvan.core.orders.deeds import DeedAnswer, deeds_of
from relvan.core.orders.intake import Address
from relvan.services.orders.notices import NoticeWithChoices, open_notices
from relvan.services.orders.work_out import owed_by
from relvan.store.channels import channel_by_id
from relvan.store.customers import customer_by_id
from relvan.store.dispatch import ParcelRow, parcel_rows
from relvan.store.invoices import invoices_of_order
from relvan.store.order_standing import standings_of
from relvan.store.orders import (
    ShipmentRow,
    lines_of,
    order_by_number,
    reservations_of,
    shipment_rows,
)
from relvan.store.people import person_by_id
from relvan.store.stock import warehouse_by_id
from relvan.store.tables import Order, OrderLine, Reservation
from relvan.store.trays import tags_of


def order_shape(by: Caller, number: str) -> dict[str, Any]:
    """Returns an order as the API tells it."""
    with by.workplace.database.reading() as session:
        order = order_by_number(session, number)
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
        lines = lines_of(session, [order.id])[order.id]
        held = reservations_of(session, [order.id])
        shipments = shipment_rows(session, order_id=order.id)
        parcels = parcel_rows(session, order.id)
        deeds = deeds_of(standings_of(session, [order])[order.id])
        tags = tags_of(session, [order.id])[order.id]
        invoices = invoices_of_order(session, order.id)
        customer = customer_by_id(session, order.customer_id) if order.customer_id else None
        notices = open_notices(session, order)
        assigned = person_by_id(session, order.assigned_id) if order.assigned_id else None
        seller = person_by_id(session, order.salesperson_id) if order.salesperson_id else None
        place = warehouse_by_id(session, order.warehouse_id) if order.warehouse_id else None
    return {
        "number": order.number,
        "channel": channel.key if channel else None,
        "channel_number": order.channel_number,
        "tray": order.tray,
        "tray_since": order.tray_since.isoformat() if order.tray_since else None,
        "set_aside": {"until": order.aside_until, "reason": order.aside_reason}
        if order.aside_until
        else None,
        "tags": tags,
        "assigned": assigned.login if assigned else None,
        "notices": [one.notice.words for one in notices],
        "to_choose": [_notice(one) for one in notices if not one.is_seen_only],
        "progress": progress_shape(order),
        "facts": progress_shape(order),  # the name of version 0.1, kept for one version
        "deeds": {deed: answer_shape(answer) for deed, answer in deeds.items()},
        "open": order.words,
        "customer": {
            "number": customer.number if customer else None,
            "name": order.customer,
            "mail": Address.read(order.ship_to).mail,
        },
        "reference": order.reference,
        "promised": order.promised_on,
        "salesperson": seller.login if seller else None,
        "warehouse": place.key if place else None,
        "prices": "with tax" if order.with_tax else "without tax",
        "overridden": order.overridden,
        "ship_to": Address.read(order.ship_to).as_dict(),
        "lines": [_order_line(order, line, held.get(line.id, [])) for line in lines],
        "invoices": [row.number for row in invoices],
        "owed": amount_of(owed_by(order), order.currency),
        "totals": {
            "delivery": amount_of(order.delivery_price, order.currency),
            "total": amount_of(order.total, order.currency),
            "paid": amount_of(order.paid, order.currency),
        },
        "shipments": [_shipment(row, parcels) for row in shipments],
        "placed_at": order.placed_at.isoformat(),
        "cancelled": order.cancelled_at is not None,
    }


def _notice(one: NoticeWithChoices) -> dict[str, Any]:
    row = one.notice
    return {
        "id": row.id,
        "kind": row.kind,
        "words": row.words,
        "line": row.line or None,
        "units": row.units,
        "choices": list(one.choices),
        "at": row.at.isoformat(),
    }


def _shipment(row: ShipmentRow, parcels: Sequence[ParcelRow]) -> dict[str, Any]:
    """Returns a shipment of an order with those of these parcels that belong to it."""
    return {
        "id": row.id,
        "number": row.number,
        "warehouse": row.warehouse_key,
        "state": row.state,
        "parcels": [
            {
                "id": parcel.id,
                "carrier": parcel.carrier,
                "tracking_number": parcel.tracking_number,
                "stage": parcel.stage,
                "stage_at": parcel.stage_at,
                "arrives_on": parcel.arrives_on,
            }
            for parcel in parcels
            if parcel.shipment_id == row.id
        ],
    }


def _order_line(order: Order, line: OrderLine, held: Sequence[Reservation]) -> dict[str, Any]:
    return {
        "id": line.id,
        "line": line.position,
        "sku": line.sku,
        "title": line.title,
        "known": line.is_known,
        "quantity": line.quantity,
        "taken_off": line.taken_off,
        "price": amount_of(line.unit_price, order.currency),
        "discount": amount_of(line.discount, order.currency),
        "tax": amount_of(line.tax, order.currency),
        "price_why": line.price_why or [],
        "reserved": sum(reservation.quantity for reservation in held),
        "picked": line.picked,
        "shipped": line.shipped,
        "invoiced": line.invoiced,
    }


def answer_shape(answer: DeedAnswer) -> dict[str, str]:
    """Returns what a deed would lead to as the API tells it."""
    return {
        "outcome": answer.outcome,
        "code": answer.code,
        "message": answer.message,
        "fix": answer.fix,
    }


def progress_shape(order: Order) -> dict[str, str]:
    """Returns the progress of an order as the API tells it."""
    return {
        "reserved": order.fact_reserved,
        "picked": order.fact_picked,
        "shipped": order.fact_shipped,
        "invoiced": order.fact_invoiced,
        "paid": order.fact_paid,
    }
