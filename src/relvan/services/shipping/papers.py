"""Gathers what papers say: the packing slip of a shipment, and the sheet of a pick list."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from operator import attrgetter

from relvan.core.orders.intake import Address
from relvan.core.papers.layouts import drawn
from relvan.core.refusal import not_found
from relvan.core.shipping.life import NOT_PICKED_YET
from relvan.documents.paper import written_day, written_moment
from relvan.services.setup.firm import logo_of
from relvan.services.workplace import Workplace
from relvan.store.dispatch import (
    PickListRow,
    PickRow,
    pick_list_rows,
    pick_rows,
    shipment_by_id,
    shipment_line_rows,
)
from relvan.store.tables import Channel, Order, Warehouse


@dataclass(frozen=True)
class PaperLine:
    """One line on a paper."""

    sku: str
    title: str
    quantity: int


@dataclass(frozen=True)
class PackingSlip:
    """The content of a packing slip; `logo` is a picture as a data address (RFC 2397), or empty."""

    shipment: str
    order: str
    channel: str
    channel_number: str
    placed: str
    sender: dict[str, str]
    to: dict[str, str]
    lines: tuple[PaperLine, ...]
    logo: str = ""


@dataclass(frozen=True)
class PickSheet:
    """The content of a printed pick list."""

    pick_list: PickListRow
    created: str
    picks: tuple[PickRow, ...]


def firm_values(workplace: Workplace) -> dict[str, str]:
    """Returns what layouts can say of the firm."""
    firm = workplace.firm
    address = firm.address.as_dict()
    logo = drawn("logo", "firm" if firm.logo else "")
    name = firm.name or address["name"]
    return {**address, "name": name, "vat_number": firm.vat_number, "logo": logo}


def kilograms(grams: int) -> str:
    """Returns a weight as papers write it.

    >>> kilograms(1_250)
    '1.250 kg'
    """
    return f"{grams / 1000:.3f} kg"


def packing_slip(workplace: Workplace, shipment_id: int) -> PackingSlip:
    """Returns the packing slip of a shipment: what was picked, or what is to be picked while
    nothing was."""
    firm = workplace.firm
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = session.get_one(Order, shipment.order_id)
        channel = session.get(Channel, order.channel_id) if order.channel_id else None
        warehouse = session.get_one(Warehouse, shipment.warehouse_id)
        waiting = shipment.state in NOT_PICKED_YET
        lines = tuple(
            PaperLine(row.sku, row.title, row.quantity if waiting else row.picked)
            for row in shipment_line_rows(session, shipment_id)
            if waiting or row.picked
        )
        return PackingSlip(
            shipment.number,
            order.number,
            channel.name if channel else "",
            order.channel_number or "",
            written_day(order.placed_at, firm.locale, firm.time_zone),
            Address.read(warehouse.address).as_dict(),
            Address.read(order.ship_to).as_dict(),
            lines,
            logo_of(workplace),
        )


def pick_sheet(workplace: Workplace, pick_list_id: int) -> PickSheet:
    """Returns a pick list for printing."""
    with workplace.database.reading() as session:
        found = pick_list_rows(session, pick_list_id=pick_list_id)
        if not found:
            raise not_found("pick list", pick_list_id)
        created = written_moment(
            found[0].created_at, workplace.firm.locale, workplace.firm.time_zone
        )
        return PickSheet(found[0], created, joined_picks(pick_rows(session, pick_list_id)))


def joined_picks(rows: Sequence[PickRow]) -> tuple[PickRow, ...]:
    """Returns picks with those of one stop as one: the units are summed, and each shipment is named with
    its own where there are several."""
    joined = []
    for _, found in groupby(rows, key=attrgetter("taken_as")):
        same = list(found)
        units = sum(row.quantity for row in same)
        named = [f"{row.shipment}: {row.quantity}" for row in same]
        shipments = ", ".join(named) if len(same) > 1 else same[0].shipment
        joined.append(replace(same[0], quantity=units, shipment=shipments))
    return tuple(joined)
