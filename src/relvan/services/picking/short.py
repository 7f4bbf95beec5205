"""What happens when goods are not in their bin: another bin serves them, or the promise is given up and the
goods are blocked until somebody counts. The other picks of the list go on.
"""

from relvan.core.picking.short import look_elsewhere
from relvan.core.refusal import refuse
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.reserve import lower_reservation
from relvan.services.stock.move import write_movement
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import PickTarget
from relvan.store.order_lines import reservation_at
from relvan.store.picking import drop_picks, last_pick_position, picks_instead_of
from relvan.store.session import Session
from relvan.store.stock import balance_row, bin_balance_row, places_of
from relvan.store.tables import Bin, Movement, Pick


def note_short(
    session: Session, workplace: Workplace, actor: Actor, target: PickTarget, missing: int
) -> tuple[tuple[str, int], ...]:
    """Blocks what was not found in its bin until somebody counts, so that what is free does not rise by
    goods that nobody can find. What other bins of the warehouse have beyond their promises is picked
    there instead; the rest is taken off the shipment and the promise. Returns the other bins."""
    pick, line = target.pick, target.shipment_line
    warehouse_id = target.shipment.warehouse_id
    _block(session, workplace, actor, target, missing)
    session.flush()
    balance = balance_row(session, pick.product_id, warehouse_id)
    spare = balance.on_hand - balance.blocked - balance.reserved
    today = workplace.local_now().date()
    places = places_of(session, warehouse_id, [pick.product_id], today).get(pick.product_id, [])
    found = look_elsewhere(missing, spare, [one for one in places if one.bin != pick.bin_id])
    line.quantity -= found.given_up
    reservation = reservation_at(session, line.order_line_id, warehouse_id)
    if reservation is not None and found.given_up:
        lower_reservation(session, reservation, min(found.given_up, reservation.quantity))
    instead = _pick_instead(session, target, found.instead)
    words = f"short pick: {missing} of {target.sku} not found"
    if instead:
        words += f"; instead {', '.join(f'{units} from {code}' for code, units in instead)}"
    subject = audit.Subject("order", target.shipment.order_id)
    audit.record(session, actor, workplace.now(), subject, words)
    changes_of(session).stock_moved([pick.product_id])
    return instead


def _block(
    session: Session, workplace: Workplace, actor: Actor, target: PickTarget, missing: int
) -> None:
    pick = target.pick
    if pick.bin_id is None:
        return
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


def _pick_instead(
    session: Session, target: PickTarget, instead: tuple[tuple[int, int], ...]
) -> tuple[tuple[str, int], ...]:
    """Adds picks in other bins at the end of the list; returns their bins by code."""
    pick, told = target.pick, []
    last = last_pick_position(session, pick.pick_list_id) if instead else 0
    for at, (bin_id, units) in enumerate(instead, 1):
        session.add(
            Pick(
                pick_list_id=pick.pick_list_id,
                position=last + at,
                shipment_line_id=pick.shipment_line_id,
                product_id=pick.product_id,
                bin_id=bin_id,
                quantity=units,
                tote=pick.tote,
                instead_of=pick.id,
            )
        )
        told.append((session.get_one(Bin, bin_id).code, units))
    session.flush()
    return tuple(told)


def take_back_instead(session: Session, target: PickTarget) -> int:
    """Drops the picks in other bins that a short pick has led to; returns their units.

    Raises:
        Refused: if one of them was done.
    """
    picks = picks_instead_of(session, target.pick.id)
    if any(pick.picked is not None for pick in picks):
        message = f"{target.sku} was taken from another bin since."
        raise refuse("moved-on", message, "Undo that pick first.")
    drop_picks(session, [pick.id for pick in picks])
    return sum(pick.quantity for pick in picks)
