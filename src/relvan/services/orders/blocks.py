"""Does something to many orders, a block of them in each transaction, with a verdict for each."""

from collections.abc import Callable, Mapping, Sequence

from relvan.core.orders.deeds import OrderDeed, deeds_of
from relvan.core.refusal import Refused
from relvan.services.verdicts import Verdict, for_blocks
from relvan.services.workplace import Workplace
from relvan.store.order_standing import standings_of
from relvan.store.orders import order_by_number, orders_by_numbers
from relvan.store.session import Session
from relvan.store.tables import Order

OrderAnswers = Mapping[int, str | Refused]


def for_orders(
    workplace: Workplace,
    numbers: Sequence[str],
    do: Callable[[Session, Sequence[Order]], OrderAnswers],
    deed: OrderDeed | None = None,
) -> list[Verdict]:
    """Does something to many orders; returns a verdict for every number, as often as it is named.

    `do` gets the orders of a block and answers, by their ids, what is told of some of them, or why
    they were refused and left as they are. With `deed` it gets only those to which that is to be
    done: the others are refused, or have it already.
    """

    def in_block(session: Session, block: Sequence[str]) -> dict[str, str | Refused]:
        answers, orders = _named(session, block)
        ready = orders
        if deed is not None:
            refused, ready = _ready(session, orders, deed)
            answers |= refused
        told = do(session, list(ready.values())) if ready else {}
        return answers | {
            number: told[order.id] for number, order in ready.items() if order.id in told
        }

    return for_blocks(workplace, numbers, in_block)


def one_after_another(
    do: Callable[[Session, Order], str | None],
) -> Callable[[Session, Sequence[Order]], OrderAnswers]:
    """Turns what is done to one order into what `for_orders` takes. It must change nothing before it
    refuses."""

    def each(session: Session, orders: Sequence[Order]) -> OrderAnswers:
        answers: dict[int, str | Refused] = {}
        for order in orders:
            try:
                answers[order.id] = do(session, order) or ""
            except Refused as refused:
                answers[order.id] = refused
        return answers

    return each


def _named(
    session: Session, numbers: Sequence[str]
) -> tuple[dict[str, str | Refused], dict[str, Order]]:
    """Returns the refusals of numbers that are no orders, and the orders by the numbers that name
    them; an order that two of them name stands under the first."""
    answers: dict[str, str | Refused] = {}
    known = {order.number.lower(): order for order in orders_by_numbers(session, numbers)}
    orders: dict[str, Order] = {}
    taken: set[int] = set()
    for number in numbers:
        order = known.get(number.strip().lower())
        try:
            order = order or order_by_number(session, number)
        except Refused as refused:
            answers[number] = refused
            continue
        answers[number] = ""
        if order.id not in taken:
            orders[number] = order
            taken.add(order.id)
    return answers, orders


def _ready(
    session: Session, orders: Mapping[str, Order], deed: OrderDeed
) -> tuple[dict[str, str | Refused], dict[str, Order]]:
    """Returns the refusals of orders to which something cannot be done, and those to which it is."""
    standings = standings_of(session, list(orders.values()))
    refused: dict[str, str | Refused] = {}
    ready: dict[str, Order] = {}
    for number, order in orders.items():
        answer = deeds_of(standings[order.id])[deed]
        try:
            answer.raise_if_refused()
        except Refused as why:
            refused[number] = why
            continue
        if answer.does:
            ready[number] = order
    return refused, ready
