"""Takes orders that arrive by webhooks at the same time in one transaction. An order that comes
while others are being taken waits, and is then taken with all that came meanwhile, so that a rush
of orders costs little more than one."""

from collections.abc import Sequence

from relvan.core.orders.intake import IncomingOrder
from relvan.services.orders.take import take_channel_orders
from relvan.services.rush import Arrival
from relvan.services.workplace import Workplace
from relvan.store.orders import channel_number_key


def take_together(workplace: Workplace, channel_id: int, incoming: IncomingOrder) -> str | None:
    """Takes one order of a channel with those that came at the same time, or brings it up to date.
    Returns our number, or None when there was nothing to do. An order that cannot be taken does not
    stop the others."""
    rush = workplace.rush
    mine = rush.come(channel_id, incoming)
    while some := rush.next_ones(channel_id, mine):
        try:
            _take(workplace, channel_id, some)
        except BaseException:  # we are to end: nobody must believe that the order was taken
            for one in some:
                one.error = RuntimeError("The order could not be taken; tell it again.")
            raise
        finally:
            rush.settled(channel_id, some)
    if mine.error is not None:
        raise mine.error
    return mine.number


def _take(workplace: Workplace, channel_id: int, some: Sequence[Arrival]) -> None:
    try:
        numbers = take_channel_orders(workplace, channel_id, [one.order for one in some])
    except Exception as error:
        if len(some) > 1:
            for one in some:
                _take(workplace, channel_id, [one])
            return
        some[0].error = error
        return
    for one in some:
        one.number = numbers.get(channel_number_key(one.order.number))
