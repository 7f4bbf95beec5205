"""Creates pick lists from shipments and records what is picked, with a scanner, in full or short."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.picking.walk import PickAsk, check_picked, check_scan, plan_walk
from relvan.core.refusal import refuse
from relvan.core.setup.numbering import Series
from relvan.core.shipping.life import PICK_LIST, SHIPMENT, PickListState, move
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_number
from relvan.services.orders.cancel import order_to_send
from relvan.services.orders.reserve import lower_reservation
from relvan.services.orders.work_out import work_out_orders
from relvan.services.stock.move import write_movement
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import (
    PickTarget,
    pick_list_by_id,
    pick_target,
    shipment_by_id,
    shipment_lines,
)
from relvan.store.order_lines import reservation_at
from relvan.store.picking import has_open_picks
from relvan.store.session import Session
from relvan.store.stock import bin_balance_row, places_of
from relvan.store.tables import (
    Movement,
    Order,
    Pick,
    PickList,
    Shipment,
)

MOST_SHIPMENTS = 60


@dataclass(frozen=True)
class Picked:
    """The result of a pick: the units taken, whether some were missing, and whether the pick list
    is done."""

    pick_id: int
    picked: int
    short: bool
    list_done: bool


def make_pick_list(workplace: Workplace, actor: Actor, shipment_ids: Sequence[int]) -> int:
    """Plans one round through the warehouse for shipments of one warehouse; returns the pick list's
    id.

    Raises:
        Refused: if the shipments are of several warehouses, or one of them cannot be picked now.
    """
    return _make_lists(workplace, actor, shipment_ids, most_warehouses=1)[0]


def make_pick_lists(workplace: Workplace, actor: Actor, shipment_ids: Sequence[int]) -> list[int]:
    """Plans a round for each warehouse that the shipments are in; returns the ids of the pick
    lists. All of them or none."""
    return _make_lists(workplace, actor, shipment_ids)


def _make_lists(
    workplace: Workplace,
    actor: Actor,
    shipment_ids: Sequence[int],
    *,
    most_warehouses: int | None = None,
) -> list[int]:
    actor.must(Right.DISPATCH)
    wanted = list(dict.fromkeys(shipment_ids))
    if not 1 <= len(wanted) <= MOST_SHIPMENTS:
        message = f"A pick list takes 1 to {MOST_SHIPMENTS} shipments; it got {len(wanted)}."
        raise refuse("shipments", message, "Tick some of them.", "pick")
    with workplace.database.writing() as session:
        by_warehouse: dict[int, list[Shipment]] = {}
        for shipment_id in wanted:
            shipment = shipment_by_id(session, shipment_id)
            order_to_send(session, shipment)
            by_warehouse.setdefault(shipment.warehouse_id, []).append(shipment)
        if most_warehouses is not None and len(by_warehouse) > most_warehouses:
            message = "A pick list is a round through one warehouse."
            raise refuse("warehouses", message, "Tick shipments of one warehouse.")
        return [
            _make_list(session, workplace, actor, warehouse_id, shipments)
            for warehouse_id, shipments in sorted(by_warehouse.items())
        ]


def _make_list(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    warehouse_id: int,
    shipments: Sequence[Shipment],
) -> int:
    pick_list = PickList(
        number=next_number(session, Series.PICK_LIST, workplace.local_now()),
        warehouse_id=warehouse_id,
        state=PickListState.OPEN,
        person_id=actor.person_id,
        created_at=workplace.now(),
    )
    session.add(pick_list)
    lines = shipment_lines(session, [shipment.id for shipment in shipments])
    places = places_of(session, warehouse_id, {line.product_id for line in lines})
    session.flush()
    asks = [PickAsk(line.id, line.product_id, line.quantity) for line in lines]
    for position, planned in enumerate(plan_walk(asks, places), 1):
        session.add(
            Pick(
                pick_list_id=pick_list.id,
                position=position,
                shipment_line_id=planned.shipment_line,
                product_id=planned.product,
                bin_id=planned.bin,
                quantity=planned.quantity,
            )
        )
    for shipment in shipments:
        shipment.state = move(SHIPMENT, f"Shipment {shipment.number}", shipment.state, "list")
    audit.record(session, actor, workplace.now(), audit.Subject("pick list", pick_list.id), "made")
    return pick_list.id


def record_pick(
    workplace: Workplace,
    actor: Actor,
    pick_list_id: int,
    pick_id: int,
    quantity: int,
    code: str | None = None,
) -> Picked:
    """Records how many units were taken. `code` is what the scanner read; fewer than asked is a
    short pick.

    Recorded again in the same way, it changes nothing.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        target = pick_target(session, pick_list_id, pick_id)
        pick = target.pick
        if code is not None:
            check_scan(code, target.sku, target.gtin, target.aliases)
        check_picked(quantity, pick.quantity)
        pick_list = pick_list_by_id(session, pick_list_id)
        if pick.picked is not None:
            if pick.picked == quantity:
                return Picked(
                    pick.id,
                    quantity,
                    quantity < pick.quantity,
                    pick_list.state == PickListState.DONE,
                )
            raise refuse(
                "picked", f"{target.sku} was picked already: {pick.picked} of {pick.quantity}.", ""
            )
        order_to_send(session, target.shipment)
        pick.picked, pick.picked_at = quantity, workplace.now()
        target.shipment_line.picked += quantity
        target.order_line.picked += quantity
        missing = pick.quantity - quantity
        if missing:
            _short(session, workplace, actor, target, missing)
        _finish(session, workplace, actor, target, pick_list)
        return Picked(pick.id, quantity, bool(missing), pick_list.state == PickListState.DONE)


def _short(
    session: Session, workplace: Workplace, actor: Actor, target: PickTarget, missing: int
) -> None:
    """Takes what is not there off the shipment and the promise, and blocks it in its bin until
    somebody counts.

    So what is free does not rise by goods that nobody can find.
    """
    pick, line = target.pick, target.shipment_line
    line.quantity -= missing
    reservation = reservation_at(session, line.order_line_id, target.shipment.warehouse_id)
    if reservation is not None:
        lower_reservation(session, reservation, min(missing, reservation.quantity))
    if pick.bin_id is not None:
        lies = bin_balance_row(session, pick.bin_id, pick.product_id)
        blocked = min(missing, max(0, lies.on_hand - lies.blocked))
        if blocked:
            write_movement(
                session,
                Movement(
                    at=pick.picked_at or workplace.now(),
                    product_id=pick.product_id,
                    warehouse_id=target.shipment.warehouse_id,
                    bin_id=pick.bin_id,
                    reason=Reason.SHORT_PICK,
                    on_hand=0,
                    blocked=blocked,
                    note=f"{target.shipment.number}: {missing} not found, count this bin",
                    person_id=actor.person_id,
                    shipment_id=target.shipment.id,
                ),
            )
    deed = f"short pick: {missing} of {target.sku} not found"
    audit.record(
        session, actor, workplace.now(), audit.Subject("order", target.shipment.order_id), deed
    )
    changes_of(session).stock_moved([pick.product_id])


def _finish(
    session: Session, workplace: Workplace, actor: Actor, target: PickTarget, pick_list: PickList
) -> None:
    """Moves the shipment on when its last pick is done, and ends the pick list with its last pick."""
    session.flush()
    shipment = target.shipment
    if not has_open_picks(session, shipment_id=shipment.id):
        got = any(line.picked for line in shipment_lines(session, [shipment.id]))
        event = "picked" if got else "none picked"
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, event)
    if not has_open_picks(session, pick_list_id=pick_list.id):
        pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "finish")
        pick_list.finished_at = workplace.now()
    work_out_orders(session, workplace, actor, [session.get_one(Order, shipment.order_id)])
