"""Changes where an order goes, as long as nothing of it is picked."""

from dataclasses import replace

from relvan.core.orders.changing import refuse_new_address, words_of_late_address
from relvan.core.orders.intake import Address, check_receiver
from relvan.core.orders.late_changes import NoticeKind
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse_if_any
from relvan.services import audit
from relvan.services.orders.addresses import check_written_address, with_written_phone
from relvan.services.orders.work_out import order_progress, work_out_orders
from relvan.services.workplace import Actor, Workplace
from relvan.store.notices import put_late_notice
from relvan.store.orders import order_by_number
from relvan.store.session import Session
from relvan.store.tables import Order, OrderNotice

ADDRESS_CHANGED = "address changed"


def change_address(workplace: Workplace, actor: Actor, number: str, wanted: Address) -> list[str]:
    """Sends an order to another address in the same country. Returns what looks wrong by the rules
    of that country; the customer's own addresses stay as they are.

    Raises:
        Refused: if something of the address is missing, or the order cannot be changed any more.
    """
    actor.must(Right.ORDERS)
    wanted = Address(**{name: part.strip() for name, part in wanted.as_dict().items()})
    wanted = with_written_phone(replace(wanted, country=wanted.country.upper()))
    refuse_if_any(check_receiver(wanted))
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        facts = order_progress(session, order)
        before = Address.read(order.ship_to)
        cancelled = order.cancelled_at is not None
        refusals = refuse_new_address(order.number, facts, before, wanted, cancelled=cancelled)
        refuse_if_any(refusals)
        if wanted != before:
            keep_told_address(order)
            set_address(session, workplace, actor, order, wanted)
            work_out_orders(session, workplace, actor, [order])
    return [one.message for one in check_written_address(wanted)]


def set_address(
    session: Session, workplace: Workplace, actor: Actor, order: Order, wanted: Address
) -> None:
    """Writes the address of an order inside a transaction, with an entry in its log."""
    before, after = Address.read(order.ship_to).as_dict(), wanted.as_dict()
    changes = {part: (before[part], after[part]) for part in after if before[part] != after[part]}
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, ADDRESS_CHANGED, changes)
    order.ship_to, order.customer, order.country = wanted.as_dict(), wanted.name, wanted.country


def take_told_address(
    session: Session, workplace: Workplace, actor: Actor, order: Order, told: Address
) -> bool:
    """Takes the address that a channel tells of an order inside a transaction, if it is another one
    than it told before; says whether the order goes there now. Once goods have left it does not,
    and once they are picked the team is told.
    """
    if told.mark == (order.told_address or Address.read(order.ship_to).mark):
        return False
    order.told_address = told.mark
    if order.cancelled_at is not None:
        return False
    facts = order_progress(session, order)
    if words := words_of_late_address(facts, told):
        kind = NoticeKind.ADDRESS
        late = OrderNotice(order_id=order.id, words=words, at=workplace.now(), kind=kind)
        put_late_notice(session, late)
    if facts.units_shipped:
        return False
    set_address(session, workplace, actor, order, told)
    return True


def keep_told_address(order: Order) -> None:
    """Keeps the mark of the address that the channel told, before another takes its place."""
    order.told_address = order.told_address or Address.read(order.ship_to).mark
