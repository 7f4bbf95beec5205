"""Orders that arrive at the same time, by webhooks, taken in one durable step: who comes while others are being taken
waits, and is taken with all that came meanwhile. So a rush of them costs little more than one."""

from collections.abc import Sequence

from relvan.core.orders.intake import IncomingOrder
from relvan.services.orders.take import take_channel_orders
from relvan.services.rush import Coming
from relvan.services.workplace import Workplace
from relvan.store.orders import channel_number_key


def take_together(workplace: Workplace, channel_id: int, incoming: IncomingOrder) -> str | None:
    """Take one order of a channel with those that came at the same time, or bring it up to date; our number, or none
    when there was nothing to do. One that cannot be taken keeps none of the others out."""
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


def _take(workplace: Workplace, channel_id: int, some: Sequence[Coming]) -> None:
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
