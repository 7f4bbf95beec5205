"""Drafts of pick lists: proposed by a rule, changed, confirmed, and given back."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from relvan.core.people.roles import Right
from relvan.core.picking.zones import is_in_zone, read_zone
from relvan.core.refusal import not_found, refuse
from relvan.core.setup.warehouses import PickUp
from relvan.core.shipping.life import PICK_LIST, SHIPMENT, PickListState, ShipmentState, move
from relvan.services import audit
from relvan.services.orders.work_out import work_out_orders
from relvan.services.picking.lists import MOST_SHIPMENTS, ListWish, make_pick_lists
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import pick_list_by_id, shipment_by_id
from relvan.store.people import person_by_login
from relvan.store.picking import (
    bins_of_shipments,
    picks_of,
    promised_days,
    shipments_to_pick,
    shipments_with_picks,
)
from relvan.store.session import Session
from relvan.store.stock import warehouses
from relvan.store.tables import Order, Pick, PickList, Shipment, ShipmentLine

MOST_NAME = 80
MOST_LOOKED_AT = 2_000


@dataclass(frozen=True)
class ProposalRule:
    """Which shipments a list is proposed for: of a warehouse, a channel, promised by a day, of a single
    line, whose goods all lie in a zone (aisles, such as A-D), and with `cut_off` those that cannot wait
    for the pick-up after the next one; those that are promised first come first."""

    warehouse: str = ""
    channel: str = ""
    promised_by: date | None = None
    single_line: bool = False
    most: int = 20
    zone: str = ""
    cut_off: bool = False

    @property
    def words(self) -> str:
        """What the rule says, as the name of its lists."""
        parts = [
            self.channel,
            "single lines" if self.single_line else "",
            f"promised by {self.promised_by.isoformat()}" if self.promised_by else "",
            f"aisles {self.zone.upper()}" if self.zone else "",
            "with the next pick-up" if self.cut_off else "",
        ]
        return ", ".join(part for part in parts if part)


def propose_lists(
    workplace: Workplace, actor: Actor, rule: ProposalRule, wish: ListWish
) -> list[int]:
    """Makes drafts of the shipments that a rule finds, one for each warehouse; returns their ids.

    Raises:
        Refused: if there is nothing to pick that the rule finds.
    """
    actor.must(Right.DISPATCH)
    if not 1 <= rule.most <= MOST_SHIPMENTS:
        message = f"“At most” must be 1 to {MOST_SHIPMENTS}; it got {rule.most}."
        raise refuse("out-of-range", message, "Correct it.", "most")
    zone = read_zone(rule.zone)
    with workplace.database.reading() as session:
        found = _fitting(session, workplace, rule, zone)
    if not found:
        raise refuse("nothing", "Nothing that waits to be picked fits this.", "Ask for less.")
    name = wish.name or rule.words
    return make_pick_lists(
        workplace, actor, found, ListWish(wish.kind, wish.sort, name[:MOST_NAME], True)
    )


def _fitting(
    session: Session, workplace: Workplace, rule: ProposalRule, zone: frozenset[str]
) -> list[int]:
    """Returns the shipments that a rule finds, at most as many as it wants."""
    waiting = shipments_to_pick(
        session,
        warehouse=rule.warehouse,
        channel=rule.channel,
        promised_by=rule.promised_by.isoformat() if rule.promised_by else "",
        single_line=rule.single_line,
        limit=MOST_LOOKED_AT if zone or rule.cut_off else rule.most,
    )
    if rule.cut_off:
        last = _last_days(session, workplace)
        known = promised_days(session, waiting)
        waiting = [one for one in waiting if _must_leave(*known[one], last)]
    if zone:
        codes = bins_of_shipments(session, waiting)
        waiting = [one for one in waiting if _is_in(codes[one], zone)]
    return waiting[: rule.most]


def _last_days(session: Session, workplace: Workplace) -> dict[int, str]:
    """Returns for each warehouse with known pick-ups the day of the pick-up after the next one: what is
    promised by then cannot wait for it."""
    here, found = workplace.local_now(), {}
    for warehouse in warehouses(session):
        pick_up = PickUp.read(warehouse.pick_up)
        first = pick_up.next_cut_off(here)
        second = pick_up.next_cut_off(first) if first is not None else None
        if second is not None:
            found[warehouse.id] = second.date().isoformat()
    return found


def _must_leave(warehouse_id: int, promised: str | None, last: Mapping[int, str]) -> bool:
    return promised is not None and promised <= last.get(warehouse_id, "")


def _is_in(products: Sequence[Collection[str]], zone: frozenset[str]) -> bool:
    """Says whether each product of a shipment, given by the bins that have it, can be picked in a zone."""
    return all(any(is_in_zone(code, zone) for code in codes) for codes in products)


@dataclass(frozen=True)
class ListChange:
    """What is changed of a pick list: its name, who picks it (a login, or empty for nobody), and of a
    draft the units of picks by their ids, 0 for those that are removed."""

    name: str | None = None
    person: str | None = None
    units: Mapping[int, int] | None = None


def change_list(workplace: Workplace, actor: Actor, pick_list_id: int, change: ListChange) -> None:
    """Changes a pick list. Units that are taken off a draft stay promised to their orders, which can be
    released again for them; a shipment of which nothing is left is to be picked as before.

    Raises:
        Refused: if the list is done, units are changed of one that is no draft, or somebody unknown is
        named.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        pick_list = pick_list_by_id(session, pick_list_id)
        if pick_list.state not in (PickListState.DRAFT, PickListState.OPEN):
            message = f"{pick_list.number} is {pick_list.state}."
            raise refuse("wrong-state", message, "It stays as it is.")
        if change.name is not None:
            pick_list.name = change.name.strip()[:MOST_NAME]
        if change.person is not None:
            pick_list.person_id = _person(session, change.person)
        if change.units:
            if pick_list.state != PickListState.DRAFT:
                message = f"{pick_list.number} is confirmed."
                raise refuse("wrong-state", message, "Record a short pick instead.", "units")
            _change_units(session, workplace, actor, pick_list, change.units)
        _note(session, workplace, actor, pick_list, "changed")


def _person(session: Session, login: str) -> int | None:
    if not login:
        return None
    person = person_by_login(session, login)
    if person is None:
        raise refuse("not-found", f"Nobody here signs in as “{login[:60]}”.", "", "person")
    return person.id


def _change_units(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    pick_list: PickList,
    units: Mapping[int, int],
) -> None:
    picks = {pick.id: pick for pick in picks_of(session, pick_list.id)}
    touched: set[int] = set()
    for pick_id, wanted in units.items():
        pick = picks.get(pick_id)
        if pick is None:
            raise not_found("pick", pick_id)
        if not 0 <= wanted <= pick.quantity:
            message = f"“Units” must be 0 to {pick.quantity}; it got {wanted}."
            raise refuse("out-of-range", message, "Correct it.", "units")
        line = session.get_one(ShipmentLine, pick.shipment_line_id)
        touched.add(line.shipment_id)
        if wanted == 0:
            session.delete(pick)
        else:
            line.quantity -= pick.quantity - wanted
            pick.quantity = wanted
    session.flush()
    _settle_removed(session, {pick_id for pick_id, wanted in units.items() if not wanted}, picks)
    _give_back_empty(session, pick_list, touched)
    orders = {shipment_by_id(session, one).order_id for one in touched}
    work_out_orders(session, workplace, actor, [session.get_one(Order, one) for one in orders])


def _settle_removed(session: Session, gone: Collection[int], picks: Mapping[int, Pick]) -> None:
    """Takes the units of removed picks off shipments that stay on the list."""
    left = {picks[pick_id].shipment_line_id for pick_id in picks if pick_id not in gone}
    lines = {
        pick_id: session.get_one(ShipmentLine, picks[pick_id].shipment_line_id) for pick_id in gone
    }
    staying = {session.get_one(ShipmentLine, line_id).shipment_id for line_id in left}
    for pick_id, line in lines.items():
        if line.shipment_id in staying:
            line.quantity -= picks[pick_id].quantity
    session.flush()


def _give_back_empty(session: Session, pick_list: PickList, shipment_ids: set[int]) -> None:
    """Lets shipments without a pick on the list be picked by another one; a list without any picks is
    cancelled."""
    on_it = shipments_with_picks(session, pick_list.id)
    for shipment_id in shipment_ids - set(on_it):
        _unlist(shipment_by_id(session, shipment_id))
    if not on_it:
        pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "cancel")
    session.flush()


def _unlist(shipment: Shipment) -> None:
    shipment.state = move(SHIPMENT, shipment.number, shipment.state, "unlist")


def confirm_list(workplace: Workplace, actor: Actor, pick_list_id: int) -> None:
    """Lets a draft be picked. One that is open already stays as it is."""
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        pick_list = pick_list_by_id(session, pick_list_id)
        if pick_list.state == PickListState.OPEN:
            return
        pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "confirm")
        _note(session, workplace, actor, pick_list, "confirmed")


def cancel_list(workplace: Workplace, actor: Actor, pick_list_id: int) -> None:
    """Cancels a pick list of which nothing was picked; its shipments wait to be picked again.

    Raises:
        Refused: if something was picked, or it is done.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        pick_list = pick_list_by_id(session, pick_list_id)
        if pick_list.state == PickListState.CANCELLED:
            return
        picks = picks_of(session, pick_list.id)
        if any(pick.picked is not None for pick in picks):
            message = f"{pick_list.number} is begun."
            raise refuse("begun", message, "Undo its picks first, or finish it.")
        shipments = shipments_with_picks(session, pick_list.id)
        pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "cancel")
        for pick in picks:
            session.delete(pick)
        session.flush()
        for shipment_id in shipments:
            shipment = shipment_by_id(session, shipment_id)
            if shipment.state == ShipmentState.PICKING:
                _unlist(shipment)
        _note(session, workplace, actor, pick_list, "cancelled")


def _note(
    session: Session, workplace: Workplace, actor: Actor, pick_list: PickList, deed: str
) -> None:
    subject = audit.Subject("pick list", pick_list.id)
    audit.record(session, actor, workplace.now(), subject, deed)
