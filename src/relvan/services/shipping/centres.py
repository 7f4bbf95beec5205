"""Lets marketplaces' centres send shipments: handed over by themselves or by hand, recalled as long as the
centre allows, and followed until they have left. The network is asked outside any transaction; the
number of the shipment is its reference, so that nothing is handed over twice.
"""

from collections.abc import Callable, Sequence
from typing import cast

from relvan.core.orders.deeds import OrderDeed, deeds_of
from relvan.core.orders.intake import Address
from relvan.core.orders.routing import RoutePolicy, RouteRule, RouteSource, route
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import SHIPMENT, WITH_CENTRE, ShipmentState, move
from relvan.core.waking import Work
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import CentreGateway, CentreNews, HandedOver
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.cancel import order_to_send
from relvan.services.orders.plan import wants_of
from relvan.services.orders.release import release_in
from relvan.services.orders.reserve import answer_for, free_in, promise_route
from relvan.services.orders.work_out import work_out_orders
from relvan.services.shipping.dispatch import send_off
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.centres import (
    centre_shipments,
    channels_with_centres,
    handed_lines,
    orders_for_centres,
    shipment_by_number,
    shipments_by_itself,
)
from relvan.store.channels import channel_by_id
from relvan.store.database import after_commit
from relvan.store.dispatch import shipment_by_id, shipment_lines
from relvan.store.notices import add_notice
from relvan.store.order_lines import orders_by_id
from relvan.store.order_standing import standings_of, unreleased_units
from relvan.store.orders import order_by_id, order_by_number, shipments_of
from relvan.store.session import Session
from relvan.store.stock import balances_of, warehouse_by_id, warehouse_by_key
from relvan.store.tables import Channel, Order, OrderLine, Parcel, ParcelLine, Shipment, Warehouse

AT_ONCE = 50


def send_to_centre(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], warehouse: str
) -> list[Verdict]:
    """Hands orders over to a centre by hand: what waits there is handed over; of the others what it has
    is promised from there, whole or in part as the centre takes it. Returns a verdict per order."""
    actor.must(Right.ORDERS)
    with workplace.database.reading() as session:
        _refuse_no_centre(warehouse_by_key(session, warehouse))

    def deed(session: Session, number: str) -> str:
        order = order_by_number(session, number)
        place = warehouse_by_key(session, warehouse)
        waiting = [
            shipment
            for shipment in shipments_of(session, [order.id])[order.id]
            if shipment.state == ShipmentState.TO_HAND_OVER and shipment.warehouse_id == place.id
        ]
        if not waiting:
            if not answer_for(session, order, OrderDeed.SEND_TO_CENTRE).does:
                return ""
            _promise_there(session, workplace, actor, order, place)
            release_in(session, workplace, actor, order, only=place.id)
            waiting = [
                shipment
                for shipment in shipments_of(session, [order.id])[order.id]
                if shipment.state == ShipmentState.TO_HAND_OVER
            ]
        for shipment in waiting:
            _begin_hand_over(session, workplace, shipment)
        return ", ".join(shipment.number for shipment in waiting)

    return for_each(workplace, numbers, deed)


def hand_over(workplace: Workplace, actor: Actor, shipment_ids: Sequence[int]) -> list[Verdict]:
    """Hands over the shipments that wait for it, and returns a verdict per shipment. One that a centre
    has already, or has sent, stays as it is."""
    actor.must(Right.DISPATCH)

    def deed(session: Session, shipment_id: str) -> str:
        shipment = shipment_by_id(session, int(shipment_id))
        has_gone = shipment.state == ShipmentState.DISPATCHED
        if has_gone and warehouse_by_id(session, shipment.warehouse_id).centre:
            return shipment.number
        if shipment.state not in WITH_CENTRE:
            order_to_send(session, shipment)
            _begin_hand_over(session, workplace, shipment)
        return shipment.number

    return for_each(workplace, map(str, shipment_ids), deed)


def _refuse_no_centre(place: Warehouse) -> None:
    """Refuses a warehouse that is no centre of a connected channel."""
    if place.kind != "centre" or not place.channel or not place.centre:
        message = f"{place.name} is no marketplace's centre."
        fix = "Say under Setup, Warehouses, which centre of which channel it is."
        raise refuse("no-centre", message, fix, "warehouse")


def _promise_there(
    session: Session, workplace: Workplace, actor: Actor, order: Order, place: Warehouse
) -> None:
    """Promises what a centre has of an order from there, in place of what is promised elsewhere and not
    released yet; refused when it has nothing, or takes whole orders only and has not all."""
    free_in(session, workplace, actor, order)
    wants = wants_of(session, order)
    ids = {want.product for want in wants}
    free = {
        (product_id, place.id): balance.free
        for product_id, by_warehouse in balances_of(session, ids).items()
        for warehouse_id, balance in by_warehouse.items()
        if warehouse_id == place.id
    }
    whole = place.takes == "whole"
    rule = RouteRule(RoutePolicy.ONE if whole else RoutePolicy.THERE)
    plan = route(wants, free, [RouteSource(place.id, whole_only=whole)], rule).plan
    if not plan.promises:
        message = f"{place.name} has {'not all' if whole else 'nothing'} of “{order.number}”."
        raise refuse("short", message, "Send goods there, or choose another warehouse.")
    promise_route(session, order, plan)
    work_out_orders(session, workplace, actor, [order], move=False)
    changes_of(session).stock_moved(ids, freed=True)


def recall_shipment(workplace: Workplace, actor: Actor, shipment_id: int) -> None:
    """Asks a centre to give a shipment back; what comes of it stands on the shipment. One that waits to
    be handed over is cancelled at once.

    Raises:
        Refused: if no centre has it.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        shipment = shipment_by_id(session, shipment_id)
        if shipment.state == ShipmentState.TO_HAND_OVER:
            _end(session, workplace, actor, shipment, "cancel")
            return
        if shipment.state not in WITH_CENTRE:
            message = f"Shipment {shipment.number} is “{shipment.state}”."
            raise refuse("wrong-state", message, "Only what a centre has can be recalled.")
        shipment.recall = True
        _wake(session, workplace)


def _begin_hand_over(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    """Starts handing a shipment over. Its units count as picked from then on: nobody else takes them,
    and the order is not changed behind the centre's back."""
    shipment.state = move(SHIPMENT, shipment.number, shipment.state, "hand over")
    shipment.said = ""
    for line in shipment_lines(session, [shipment.id]):
        session.get_one(OrderLine, line.order_line_id).picked += line.quantity
        line.picked = line.quantity
    _work_out(session, workplace, shipment)
    _wake(session, workplace)


def _count_as_not_picked(session: Session, shipment: Shipment) -> None:
    """Counts the units of a shipment as not picked, because its centre does not send them."""
    for line in shipment_lines(session, [shipment.id]):
        session.get_one(OrderLine, line.order_line_id).picked -= line.picked
        line.picked = 0
    session.flush()


def _work_out(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    session.flush()
    order = order_by_id(session, shipment.order_id)
    work_out_orders(session, workplace, SYSTEM, [order])


def _wake(session: Session, workplace: Workplace) -> None:
    after_commit(session, lambda: workplace.wake(Work.CENTRES, 0))


def mind_centres(workplace: Workplace) -> int:
    """Hands over what is to be, recalls what is wanted back, and takes over what the centres say; returns
    how many shipments went on. Trouble leaves all as it is, for the next time."""
    with workplace.database.reading() as session:
        channel_ids = channels_with_centres(session)
    done = 0
    for channel_id in channel_ids:
        _begin_by_itself(workplace, channel_id)
        try:
            done += _all_of(_hand_over, workplace, channel_id)
            done += _all_of(_recall, workplace, channel_id)
            done += _hear(workplace, channel_id)
        except OutsideTrouble as trouble:
            _note_trouble(workplace, channel_id, str(trouble))
    return done


def _all_of(part: Callable[[Workplace, int], int], workplace: Workplace, channel_id: int) -> int:
    """Does something to `AT_ONCE` shipments at a time until none is left; returns to how many."""
    done = some = part(workplace, channel_id)
    while some == AT_ONCE:
        some = part(workplace, channel_id)
        done += some
    return done


def _begin_by_itself(workplace: Workplace, channel_id: int) -> None:
    """Releases what orders have in centres that take it by themselves, and hands it over. What a centre
    has refused waits for a person."""
    after = 0
    while True:
        with workplace.database.reading() as session:
            waiting = orders_for_centres(session, channel_id, after, AT_ONCE)
            orders = orders_by_id(session, {order_id for order_id, _ in waiting})
            standings = standings_of(session, orders)
        ready = {
            order_id
            for order_id, standing in standings.items()
            if standing.unreleased and deeds_of(standing)[OrderDeed.SEND_TO_CENTRE].does
        }
        for order_id, warehouse_id in waiting:
            if order_id in ready:
                _release_there(workplace, order_id, warehouse_id)
        if len(waiting) < AT_ONCE:
            break
        after = waiting[-1][0]
    with workplace.database.reading() as session:
        ids = [shipment.id for shipment in shipments_by_itself(session, channel_id, AT_ONCE)]
    if ids:
        with workplace.database.writing() as session:
            for shipment_id in ids:
                shipment = shipment_by_id(session, shipment_id)
                if shipment.state == ShipmentState.TO_HAND_OVER:
                    _begin_hand_over(session, workplace, shipment)


def _release_there(workplace: Workplace, order_id: int, warehouse_id: int) -> None:
    """Releases what an order has in a warehouse, if it still may be sent."""
    with workplace.database.writing() as session:
        order = order_by_id(session, order_id)
        held = unreleased_units(session, [order.id])[order.id]
        deeds = deeds_of(standings_of(session, [order])[order.id])
        if deeds[OrderDeed.SEND_TO_CENTRE].does and any(
            place == warehouse_id for _, _, place, _ in held
        ):
            release_in(session, workplace, SYSTEM, order, only=warehouse_id)


def _gateway(workplace: Workplace, channel_id: int) -> CentreGateway:
    with workplace.database.reading() as session:
        return cast(CentreGateway, workplace.gateway(channel_by_id(session, channel_id)))


def _hand_over(workplace: Workplace, channel_id: int) -> int:
    with workplace.database.reading() as session:
        rows = centre_shipments(session, channel_id, ShipmentState.HANDING_OVER, AT_ONCE)
        goods = []
        for shipment in rows:
            place = warehouse_by_id(session, shipment.warehouse_id)
            order = order_by_id(session, shipment.order_id)
            lines = handed_lines(session, shipment.id)
            to = Address.read(order.ship_to)
            goods.append((shipment.id, HandedOver(shipment.number, place.centre, lines, to)))
    gateway, done = _gateway(workplace, channel_id) if goods else None, 0
    for shipment_id, told in goods:
        assert gateway is not None
        try:
            gateway.hand_over(told)
            event, said = "taken", ""
        except OutsideRefusal as refusal:
            event, said = "refused", str(refusal)
        done += 1
        with workplace.database.writing() as session:
            shipment = shipment_by_id(session, shipment_id)
            if shipment.state != ShipmentState.HANDING_OVER:
                continue
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, event)
            shipment.said = said[:300]
            if said:
                _not_taken(session, workplace, shipment)
            deed = f"{shipment.number} handed over" if not said else f"{shipment.number}: {said}"
            _log(session, workplace, shipment, deed)
    return done


def _not_taken(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    """Lets a shipment that its centre refuses wait for a person; that of a cancelled order ends."""
    _count_as_not_picked(session, shipment)
    if order_by_id(session, shipment.order_id).cancelled_at is not None or shipment.recall:
        shipment.recall = False
        _end(session, workplace, SYSTEM, shipment, "cancel")
        return
    words = f"The centre does not take {shipment.number}: {shipment.said}"
    add_notice(session, shipment.order_id, words[:300], workplace.now())
    _work_out(session, workplace, shipment)


def _recall(workplace: Workplace, channel_id: int) -> int:
    with workplace.database.reading() as session:
        rows = centre_shipments(
            session, channel_id, ShipmentState.HANDED_OVER, AT_ONCE, recall=True
        )
        wanted = [(shipment.id, shipment.number) for shipment in rows]
    gateway = _gateway(workplace, channel_id) if wanted else None
    for shipment_id, number in wanted:
        assert gateway is not None
        said = "It was recalled too late: the centre packs it."
        try:
            in_time = gateway.recall(number)
        except OutsideRefusal as refusal:
            in_time, said = False, f"It was not recalled: {refusal}"[:300]
        with workplace.database.writing() as session:
            shipment = shipment_by_id(session, shipment_id)
            if shipment.state != ShipmentState.HANDED_OVER:
                continue
            shipment.recall = False
            if in_time:
                _end(session, workplace, SYSTEM, shipment, "recalled")
                continue
            shipment.said = said
            add_notice(session, shipment.order_id, f"{number}: {said}"[:300], workplace.now())
    return len(wanted)


def _end(
    session: Session, workplace: Workplace, actor: Actor, shipment: Shipment, event: str
) -> None:
    """Ends a shipment that a centre does not send; its goods stay promised there unless the order was
    cancelled."""
    shipment.state = move(SHIPMENT, shipment.number, shipment.state, event)
    shipment.said = shipment.said or "It was recalled."
    _count_as_not_picked(session, shipment)
    _log(session, workplace, shipment, f"{shipment.number} {event}", actor)
    order = order_by_id(session, shipment.order_id)
    session.flush()
    freed = free_in(session, workplace, actor, order) if order.cancelled_at else set()
    work_out_orders(session, workplace, actor, [order])
    changes_of(session).stock_moved(freed, freed=True)


def _hear(workplace: Workplace, channel_id: int) -> int:
    """Takes over what the centres of a channel say, a page at a time; the mark is kept with it. Nobody
    is asked while they have nothing."""
    with workplace.database.reading() as session:
        if not any(centre_shipments(session, channel_id, state, 1) for state in WITH_CENTRE):
            return 0
    gateway, done = _gateway(workplace, channel_id), 0
    while True:
        with workplace.database.reading() as session:
            mark = channel_by_id(session, channel_id).centre_mark
        news = gateway.centre_news(mark, AT_ONCE)
        if not news:
            return done
        with workplace.database.writing() as session:
            for one in news:
                done += _take(session, workplace, channel_id, one)
            channel_by_id(session, channel_id).centre_mark = news[-1].mark


def _take(session: Session, workplace: Workplace, channel_id: int, news: CentreNews) -> int:
    shipment = shipment_by_number(session, news.ref)
    if shipment is None or shipment.state not in WITH_CENTRE:
        return 0
    if shipment.state == ShipmentState.HANDING_OVER:  # its answer was lost
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, "taken")
    if news.state == "packing":
        shipment.said = "The centre packs it."
    elif news.state == "recalled":
        shipment.recall = False
        _end(session, workplace, SYSTEM, shipment, "recalled")
    elif news.state == "gone":
        _note_parcel(session, workplace, channel_by_id(session, channel_id), shipment, news)
        send_off(session, workplace, SYSTEM, shipment)
    return 1


def _note_parcel(
    session: Session, workplace: Workplace, channel: Channel, shipment: Shipment, news: CentreNews
) -> None:
    """Notes the parcel in which a centre has sent all of a shipment, with what it charges."""
    parcel = Parcel(
        shipment_id=shipment.id,
        position=1,
        weight_g=max(1, news.weight_g),
        label_key=f"{shipment.number}-centre",
        service=news.carrier,
        price=news.charge,
        currency=workplace.rulebook(channel).currency,
        tracking_number=news.tracking_number,
        created_at=workplace.now(),
    )
    session.add(parcel)
    session.flush()
    for line in shipment_lines(session, [shipment.id]):
        content = ParcelLine(parcel_id=parcel.id, shipment_line_id=line.id, quantity=line.quantity)
        session.add(content)
    session.flush()


def _log(
    session: Session,
    workplace: Workplace,
    shipment: Shipment,
    deed: str,
    actor: Actor = SYSTEM,
) -> None:
    subject = audit.Subject("order", shipment.order_id)
    audit.record(session, actor, workplace.now(), subject, deed[:300])


def _note_trouble(workplace: Workplace, channel_id: int, trouble: str) -> None:
    """Says on shipments that wait for a centre why they do."""
    with workplace.database.writing() as session:
        for shipment in centre_shipments(session, channel_id, ShipmentState.HANDING_OVER, AT_ONCE):
            shipment.said = f"It is tried again: {trouble}"[:300]
