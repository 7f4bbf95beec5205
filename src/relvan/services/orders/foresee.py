"""Previews what an action on orders would do, with the same answers and plans as the action itself."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.orders.deeds import DOES, DeedAnswer, OrderDeed, OrderStanding, answer_of, deeds_of
from relvan.core.refusal import not_found
from relvan.core.stock.reserving import ReservationPlan
from relvan.services.orders.plan import plan_reservations
from relvan.services.orders.reserve import part_answer, short_answer
from relvan.services.workplace import Workplace
from relvan.store.order_standing import standings_of
from relvan.store.orders import orders_by_numbers
from relvan.store.session import Session
from relvan.store.tables import Order

RESERVING = (OrderDeed.RESERVE, OrderDeed.RESERVE_ANYWHERE, OrderDeed.RELEASE_PART)
WOULD = {
    OrderDeed.RELEASE: "would go to the warehouse",
    OrderDeed.RELEASE_PART: "would go to the warehouse as far as there is stock",
    OrderDeed.RESERVE: "would be reserved in full",
    OrderDeed.RESERVE_ANYWHERE: "would be reserved in full",
    OrderDeed.TAKE_BACK: "would come back from the warehouse",
    OrderDeed.UNRESERVE: "would give their stock back",
    OrderDeed.CANCEL: "would be cancelled, for good",
    OrderDeed.MOVE: "would be moved",
    OrderDeed.SET_ASIDE: "would be set aside",
    OrderDeed.BRING_BACK: "would be brought back",
    OrderDeed.TAG: "would be tagged",
    OrderDeed.UNTAG: "would lose the tag",
    OrderDeed.ASSIGN: "would be assigned",
    OrderDeed.INVOICE: "would be invoiced",
    OrderDeed.MAIL: "would be mailed",
    OrderDeed.SEND_TO_CENTRE: "would be handed over as far as the centre has the goods",
}
ALREADY = {
    OrderDeed.RELEASE: "with the warehouse already",
    OrderDeed.RELEASE_PART: "with the warehouse already",
    OrderDeed.RESERVE: "reserved already",
    OrderDeed.RESERVE_ANYWHERE: "reserved already",
    OrderDeed.CANCEL: "cancelled already",
    OrderDeed.BRING_BACK: "not set aside",
    OrderDeed.INVOICE: "invoiced already",
    OrderDeed.SEND_TO_CENTRE: "with a warehouse already",
}
STAYS = {
    "cancelled": "cancelled",
    "shipped": "shipped already",
    "not-paid": "not paid",
    "under-way": "picking has begun, or nothing is with the warehouse",
    "nothing": "nothing to free",
    "closed": "shipped and invoiced",
    "not-found": "no such order",
    "no-address": "no mail address",
}


@dataclass(frozen=True)
class ForeseenDeed:
    """What an action would lead to for one order."""

    number: str
    answer: DeedAnswer


def foresee_orders(
    workplace: Workplace, deed: OrderDeed, numbers: Sequence[str]
) -> list[ForeseenDeed]:
    """Returns what an action would lead to for each order. Where stock is scarce, the order that is
    named first is served first, as the action does. Nothing is changed."""
    with workplace.database.reading() as session:
        found = {order.number: order for order in orders_by_numbers(session, numbers)}
        named = list(dict.fromkeys(numbers))
        orders = [found[number] for number in named if number in found]
        standings = standings_of(session, orders)
        answers = {order.number: deeds_of(standings[order.id])[deed] for order in orders}
        if deed in RESERVING:
            answers |= _planned(
                session, deed, [order for order in orders if answers[order.number].does], standings
            )
    missing = {
        number: answer_of(not_found("order", number)) for number in named if number not in answers
    }
    return [ForeseenDeed(number, (answers | missing)[number]) for number in named]


def _planned(
    session: Session,
    deed: OrderDeed,
    orders: Sequence[Order],
    standings: Mapping[int, OrderStanding],
) -> dict[str, DeedAnswer]:
    part = deed == OrderDeed.RELEASE_PART
    anywhere = deed == OrderDeed.RESERVE_ANYWHERE
    planned = plan_reservations(session, orders, part=part, anywhere=anywhere)
    return {
        order.number: _answer(session, deed, order, planned.plans[order.id], standings[order.id])
        for order in orders
    }


def _answer(
    session: Session, deed: OrderDeed, order: Order, plan: ReservationPlan, standing: OrderStanding
) -> DeedAnswer:
    if deed == OrderDeed.RELEASE_PART:
        return part_answer(session, order, standing, plan)
    return DOES if plan.whole else short_answer(session, deed, order, plan)


def in_short(deed: OrderDeed, answer: DeedAnswer) -> str:
    """Returns one sentence for all orders to which the same happens: what would be done, or why
    they stay as they are."""
    if answer.does:
        return WOULD[deed]
    short = "not reserved in full" if deed == OrderDeed.RELEASE else "not enough stock"
    reasons = {"already": ALREADY.get(deed, "done already"), "short": short, **STAYS}
    return f"stay: {reasons.get(answer.code, answer.message)}"
