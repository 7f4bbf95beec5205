"""Orders that are short of stock: what was oversold, and what can be done about an order."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from relvan.core.stock.reserving import ReservationPlan
from relvan.store.channels import supply_lists_of
from relvan.store.orders import lines_of, oversales_of, reservations_of
from relvan.store.session import Session
from relvan.store.stock import balances_of
from relvan.store.tables import Order, Oversale


def note_oversales(
    session: Session, channel_id: int, plans: Mapping[int, ReservationPlan], now: datetime
) -> None:
    """Notes what a channel sold and nobody has any more; the buffer by risk learns from it."""
    for order_id, plan in plans.items():
        units: dict[int, int] = {}
        for missing in plan.missing:
            units[missing.product] = units.get(missing.product, 0) + missing.quantity
        session.add_all(
            Oversale(
                order_id=order_id, channel_id=channel_id, product_id=product, units=count, at=now
            )
            for product, count in units.items()
        )


@dataclass(frozen=True)
class ShortLine:
    """One product that an order lacks: units still wanted, units free in the warehouses that feed
    its channel, units free in others; `oversold` units were gone already when the order came in."""

    sku: str
    wanted: int
    here: int
    elsewhere: int
    oversold: int


@dataclass(frozen=True)
class Short:
    """What an order lacks, and which choices there are."""

    lines: tuple[ShortLine, ...]
    elsewhere: bool
    part: bool

    @property
    def oversold(self) -> bool:
        """Says whether some of it was gone already when the order came in."""
        return any(line.oversold for line in self.lines)


def short_of(session: Session, order: Order) -> Short:
    """Returns what an order lacks of each stocked product; nothing when it lacks nothing."""
    lines, held = lines_of(session, [order.id])[order.id], reservations_of(session, [order.id])
    wanted: dict[int, int] = {}
    names: dict[int, str] = {}
    for line in lines:
        lacking = (
            line.quantity
            - line.shipped
            - sum(reservation.quantity for reservation in held.get(line.id, []))
        )
        if line.product_id is not None and line.stocked and lacking > 0:
            wanted[line.product_id] = wanted.get(line.product_id, 0) + lacking
            names[line.product_id] = line.sku
    balances = balances_of(session, wanted)
    supply = supply_lists_of(session, {order.channel_id})[order.channel_id]
    oversold = oversales_of(session, order.id)
    found = []
    for product_id, units in wanted.items():
        free = {place: balance.free for place, balance in balances.get(product_id, {}).items()}
        here = sum(free.get(place, 0) for place in supply)
        found.append(
            ShortLine(
                names[product_id],
                units,
                here,
                sum(free.values()) - here,
                oversold.get(product_id, 0),
            )
        )
    elsewhere = bool(found) and all(line.here + line.elsewhere >= line.wanted for line in found)
    part = (
        bool(held)
        or any(line.here for line in found)
        or len(found) < sum(line.stocked for line in lines)
    )
    return Short(tuple(found), elsewhere, part)
