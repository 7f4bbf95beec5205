"""Creates pick lists from shipments and records what is picked, with a scanner, in full or short."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.picking.lists import (
    ListSort,
    OpenPick,
    RoundKind,
    lengthened,
    ordered_picks,
    totes_of,
)
from relvan.core.picking.places import NamedPlan, read_named_plan
from relvan.core.picking.walk import (
    BinRule,
    PickAsk,
    Place,
    PlannedPick,
    check_picked,
    check_scan,
    plan_walk,
)
from relvan.core.refusal import refuse
from relvan.core.setup.numbering import Series
from relvan.core.shipping.life import PICK_LIST, SHIPMENT, PickListState, move
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.cancel import order_to_send
from relvan.services.orders.work_out import work_out_orders
from relvan.services.picking.short import note_short
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import skus_of
from relvan.store.dispatch import (
    PickTarget,
    pick_list_by_id,
    pick_target,
    shipment_by_id,
    shipment_lines,
)
from relvan.store.ids import add_together
from relvan.store.picking import has_open_picks
from relvan.store.session import Session
from relvan.store.stock import places_of, warehouse_by_id
from relvan.store.tables import (
    Order,
    Pick,
    PickList,
    Shipment,
    ShipmentLine,
)

MOST_SHIPMENTS = 60


@dataclass(frozen=True)
class Picked:
    """The result of a pick: the units taken, whether some were missing, whether the pick list is done,
    and from which other bins what was missing is taken instead, as (code, units)."""

    pick_id: int
    picked: int
    short: bool
    list_done: bool
    instead: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class ListWish:
    """How a pick list is wanted: its kind, the order of its picks, its name, and whether it is a draft
    that waits to be confirmed."""

    kind: RoundKind = RoundKind.MANY
    sort: ListSort = ListSort.PLACE
    name: str = ""
    draft: bool = False


USUAL = ListWish()


def make_pick_list(
    workplace: Workplace, actor: Actor, shipment_ids: Sequence[int], wish: ListWish = USUAL
) -> int:
    """Plans one round through the warehouse for shipments of one warehouse; returns the pick list's
    id. Of the kind *one* there may be a single shipment.

    Raises:
        Refused: if the shipments are of several warehouses, or one of them cannot be picked now.
    """
    if wish.kind == RoundKind.ONE and len(set(shipment_ids)) > 1:
        message = f"A list for one order takes one shipment; it got {len(set(shipment_ids))}."
        raise refuse("shipments", message, "Choose many or totes.", "kind")
    return _make_lists(workplace, actor, shipment_ids, wish, most_warehouses=1)[0]


def make_pick_lists(
    workplace: Workplace, actor: Actor, shipment_ids: Sequence[int], wish: ListWish = USUAL
) -> list[int]:
    """Makes a pick list for each warehouse that the shipments are in, or, where lists of the kind *one*
    are wished, one for each shipment; returns their ids. Either all of them are made or none."""
    return _make_lists(workplace, actor, shipment_ids, wish)


def _make_lists(
    workplace: Workplace,
    actor: Actor,
    shipment_ids: Sequence[int],
    wish: ListWish,
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
        rounds = [
            (warehouse_id, part)
            for warehouse_id, shipments in sorted(by_warehouse.items())
            for part in (
                [[one] for one in shipments] if wish.kind == RoundKind.ONE else [shipments]
            )
        ]
        return [
            _make_list(session, workplace, actor, warehouse_id, shipments, wish)
            for warehouse_id, shipments in rounds
        ]


def _make_list(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    warehouse_id: int,
    shipments: Sequence[Shipment],
    wish: ListWish,
) -> int:
    pick_list = PickList(
        number=next_number(session, Series.PICK_LIST, workplace.local_now()),
        warehouse_id=warehouse_id,
        state=PickListState.DRAFT if wish.draft else PickListState.OPEN,
        person_id=actor.person_id,
        created_at=workplace.now(),
        name=wish.name.strip(),
        kind=wish.kind,
        sort=wish.sort,
    )
    session.add(pick_list)
    lines = shipment_lines(session, [shipment.id for shipment in shipments])
    session.flush()
    planned = _planned(session, workplace, warehouse_id, lines, wish.sort)
    shipment_of = {line.id: line.shipment_id for line in lines}
    totes = totes_of([shipment_of[one.shipment_line] for one in planned])
    picks = [
        Pick(
            pick_list_id=pick_list.id,
            position=position,
            shipment_line_id=one.shipment_line,
            product_id=one.product,
            bin_id=one.bin,
            quantity=one.quantity,
            tote=totes[shipment_of[one.shipment_line]] if wish.kind == RoundKind.TOTES else None,
        )
        for position, one in enumerate(planned, 1)
    ]
    add_together(session, picks)
    for shipment in shipments:
        shipment.state = move(SHIPMENT, f"Shipment {shipment.number}", shipment.state, "list")
    audit.record(session, actor, workplace.now(), audit.Subject("pick list", pick_list.id), "made")
    return pick_list.id


def _planned(
    session: Session,
    workplace: Workplace,
    warehouse_id: int,
    lines: Sequence[ShipmentLine],
    sort: ListSort,
) -> list[PlannedPick]:
    """Returns the picks of lines of shipments in the order of the walk, or as the list is sorted."""
    warehouse = warehouse_by_id(session, warehouse_id)
    plan = read_named_plan(warehouse.plan) if warehouse.plan else None
    products = {line.product_id for line in lines}
    places = places_of(session, warehouse_id, products, workplace.local_now().date())
    far = _how_far(plan, places)
    asks = [PickAsk(line.id, line.product_id, line.quantity) for line in lines if line.quantity]
    picks = plan_walk(asks, places, BinRule(warehouse.bin_rule), far)
    codes = {place.bin: place.code for found in places.values() for place in found}
    skus = skus_of(session, products)
    shipment_of = {line.id: line.shipment_id for line in lines}
    told = [
        OpenPick(
            codes[pick.bin] if pick.bin is not None else None,
            pick.walk,
            skus[pick.product],
            shipment_of[pick.shipment_line],
        )
        for pick in picks
    ]
    return [picks[at] for at in ordered_picks(told, sort, plan)]


def _how_far(
    plan: NamedPlan | None, places: Mapping[int, Sequence[Place]]
) -> dict[int, float] | None:
    """Returns by how many metres each bin lengthens the walk past the bins that must be visited: those
    of products that lie in one bin alone."""
    if plan is None or all(len(found) < 2 for found in places.values()):
        return None
    at = {place.bin: plan.place(place.code) for found in places.values() for place in found}
    alone = [stop for one in places.values() if len(one) == 1 and (stop := at[one[0].bin])]
    return lengthened(plan, alone, {bin_id: stop for bin_id, stop in at.items() if stop})


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
        if pick_list.state == PickListState.DRAFT:
            message = f"{pick_list.number} is a draft."
            raise refuse("draft", message, "Confirm it first.", "pick")
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
        instead = note_short(session, workplace, actor, target, missing) if missing else ()
        _finish(session, workplace, actor, target, pick_list)
        done = pick_list.state == PickListState.DONE
        return Picked(pick.id, quantity, bool(missing), done, instead)


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
