"""Tells the channel of an order what of it is not sent."""

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import order_subject
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_is_connected
from relvan.store.orders import lines_of
from relvan.store.session import Session
from relvan.store.tables import Order


def tell_taken_off(session: Session, workplace: Workplace, order: Order) -> None:
    """Tells the channel of an order how many units of each line are not sent, in all."""
    if order.channel_id is None or not order.channel_number:
        return
    if not channel_is_connected(session, order.channel_id):
        return  # its page says that a person must tell the channel
    lines = lines_of(session, [order.id])[order.id]
    gone = order.cancelled_at is not None
    off = {
        line.channel_line: line.taken_off + (line.quantity - line.shipped if gone else 0)
        for line in lines
        if line.part_of is None and line.channel_line
    }
    told = {name: units for name, units in off.items() if units}
    if told:
        subject = order_subject(order.channel_number)
        urgency = topic_urgency(Topic.TAKEN_OFF)
        payload = {"lines": told}
        telling = Telling(order.channel_id, subject, Topic.TAKEN_OFF, urgency, payload=payload)
        tell(session, workplace, [telling])
