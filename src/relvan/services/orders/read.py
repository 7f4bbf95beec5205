"""Reads orders from a channel: by polling a window that overlaps with the last one, and by its
signed webhooks."""

import logging
from dataclasses import dataclass
from datetime import timedelta

from standardwebhooks import Webhook as Signature
from standardwebhooks import WebhookVerificationError

from relvan.core.orders.intake import IncomingOrder
from relvan.core.refusal import refuse
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.services.orders.take import take_channel_orders
from relvan.services.orders.together import take_together
from relvan.services.outbox.deliver import note_call
from relvan.services.workplace import Workplace
from relvan.store.channels import PolledChannel, channel_by_key, polled_channel
from relvan.store.order_lines import marks_of_orders
from relvan.store.tables import Channel

log = logging.getLogger("relvan.orders")
NOTE_EVERY = timedelta(seconds=20)
MOST_PAGES = 40


@dataclass(frozen=True)
class OrdersRead:
    """The result of a round of reading: our numbers of new or changed orders."""

    numbers: tuple[str, ...] = ()
    ok: bool = True


def read_orders(workplace: Workplace, channel_id: int) -> OrdersRead:
    """Fetches what changed on a channel since the last round, and a little before, and takes it."""
    with workplace.database.reading() as session:
        channel = polled_channel(session, channel_id)
        now = workplace.now()
        if channel.paused or (channel.probe_at is not None and channel.probe_at > now):
            return OrdersRead()
    book = workplace.rulebook(channel)
    gateway = workplace.gateway(channel)
    mark, numbers = channel.order_mark, list[str]()
    from_mark, whole = max(0, mark - book.orders.overlap), True
    try:
        for _ in range(MOST_PAGES):
            page = gateway.orders_after(from_mark, book.orders.page)
            taken, all_taken = _take_all(workplace, channel_id, page) if page else ([], True)
            numbers, whole = numbers + taken, whole and all_taken
            from_mark = max([order.changed for order in page], default=from_mark)
            mark = max(mark, from_mark) if whole else mark  # what could not be taken is read again
            if len(page) < book.orders.page:
                break
    except (OutsideTrouble, OutsideRefusal) as failure:
        trouble = failure if isinstance(failure, OutsideTrouble) else OutsideTrouble(str(failure))
        _note(workplace, channel, mark, trouble)
        return OrdersRead(tuple(numbers), ok=False)
    _note(workplace, channel, mark, None)
    return OrdersRead(tuple(numbers))


def take_webhook(
    workplace: Workplace, channel_key: str, headers: dict[str, str], body: bytes
) -> str | None:
    """Takes an order from a webhook. Refused when it is not signed with the channel's secret, or is
    too old."""
    with workplace.database.reading() as session:
        channel = channel_by_key(session, channel_key)
    if not channel.hook_secret:
        raise refuse("no-webhook", f"{channel.name} has no webhook.", "Connect it again.")
    try:
        Signature(workplace.secrets.open(channel.hook_secret)).verify(
            body.decode(), headers, json_parse=False
        )
        incoming = workplace.gateway(channel).read_webhook(body)
    except (WebhookVerificationError, UnicodeDecodeError):
        raise refuse(
            "signature", "The webhook's signature is wrong or too old.", "Check the secret."
        ) from None
    except (KeyError, TypeError, ValueError):
        raise refuse(
            "form", "The webhook's content is not an order.", "Send it as the store does."
        ) from None
    return take_together(workplace, channel.id, incoming) if incoming else None


def _take_all(
    workplace: Workplace, channel_id: int, page: list[IncomingOrder]
) -> tuple[list[str], bool]:
    """Takes the orders of a page; returns whether all could be taken. Those that were told before
    are recognised by one query."""
    with workplace.database.reading() as session:
        known = marks_of_orders(session, channel_id, [order.number for order in page])
    fresh = [order for order in page if order.changed > known.get(order.number, -1)]
    try:
        return list(take_channel_orders(workplace, channel_id, fresh).values()), True
    except Exception:  # one that cannot be taken must not keep the others out
        log.exception("A page of orders could not be taken at once; they are taken one by one")
    taken, whole = list[str](), True
    for order in fresh:
        try:
            taken += take_channel_orders(workplace, channel_id, [order]).values()
        except Exception:
            whole = False
            log.exception("The order %s of channel %s could not be taken", order.number, channel_id)
    return taken, whole


def _note(
    workplace: Workplace, before: PolledChannel, mark: int, trouble: OutsideTrouble | None
) -> None:
    """Notes how far reading has come and how the channel is doing; a round without news writes only
    now and then."""
    now = workplace.now()
    fresh = before.orders_read_at is not None and now - before.orders_read_at < NOTE_EVERY
    if (
        trouble is None
        and mark == before.order_mark
        and not before.failures
        and fresh
        and before.probe_at is None
    ):
        return
    with workplace.database.writing() as session:
        channel = session.get_one(Channel, before.id)
        channel.order_mark = max(channel.order_mark, mark)
        if trouble is None:
            channel.orders_read_at = now
        note_call(session, workplace, before.id, trouble)
