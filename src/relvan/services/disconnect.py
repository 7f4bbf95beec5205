"""Disconnects a channel. What happens to its listings and open orders is chosen; the channel is told
first, and then its listings are deleted here, some at a time.

Orders, layers and translations stay, so that an account that is connected again finds them. Every
step may be repeated: a worker that is killed goes on where it stood.
"""

from collections.abc import Mapping

from relvan.core.channels.connection import (
    ChannelHoldings,
    Connection,
    ListingsThen,
    OrdersThen,
    check_parting,
    read_parting,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.jobs.rows import settle_row
from relvan.services.listings.publish import MOST_AT_ONCE, take_down_listings
from relvan.services.orders.cancel import cancel_orders
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.channels import channel_by_id, channel_by_key
from relvan.store.disconnect import (
    drop_open_updates,
    erase_findings,
    erase_listings,
    holdings_of_channel,
    last_words,
    next_listings,
    open_order_numbers,
    parting_channels,
    shown_listing_ids,
    unsettled_rows,
)
from relvan.store.session import Session
from relvan.store.tables import Channel

AT_ONCE, BLOCKS = 1_000, 10
WHY = "the channel was disconnected"


def foresee_disconnecting(workplace: Workplace, key: str) -> ChannelHoldings:
    """Returns what disconnecting a channel would touch."""
    with workplace.database.reading() as session:
        return holdings_of_channel(session, channel_by_key(session, key).id)


def disconnect(workplace: Workplace, actor: Actor, key: str, wish: Mapping[str, str]) -> Connection:
    """Disconnects a channel as `listings` and `orders` of the wish say; returns how it is connected
    then. When the channel must be told something, the connection ends once it has answered."""
    actor.must(Right.SETUP)
    parting = read_parting(wish)
    with workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        check_parting(channel.connection, channel.paused, parting, channel.name)
        shown = shown_listing_ids(session, channel.id)
        orders = open_order_numbers(session, channel.id)
    if parting.orders == OrdersThen.CANCEL:
        cancel_orders(workplace, actor, orders)
    if parting.listings == ListingsThen.TAKE_DOWN:
        for start in range(0, len(shown), MOST_AT_ONCE):
            take_down_listings(workplace, actor, shown[start : start + MOST_AT_ONCE])
    with workplace.database.writing() as session:  # last, so that it ends only if all was asked for
        channel = channel_by_key(session, key)
        check_parting(channel.connection, channel.paused, parting, channel.name)
        channel.connection = Connection.ENDING
        chosen = {"listings": ("", parting.listings), "orders": ("", parting.orders)}
        subject = audit.Subject("channel", channel.id)
        audit.record(session, actor, workplace.now(), subject, "disconnecting", chosen)
    return _end_when_told(workplace, actor, channel.id)


def stay_connected(workplace: Workplace, actor: Actor, key: str) -> None:
    """Cancels the end of a connection while the channel is still being told. What was taken down
    until then stays down."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        channel = _ending(session, key)
        channel.connection = Connection.CONNECTED
        subject = audit.Subject("channel", channel.id)
        audit.record(session, actor, workplace.now(), subject, "stays connected")


def end_at_once(workplace: Workplace, actor: Actor, key: str) -> None:
    """Ends a connection without waiting until the channel has been told everything."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        _end(session, workplace, actor, _ending(session, key))
    workplace.wake(Work.CHANNELS, 0)


def go_on_parting(workplace: Workplace) -> bool:
    """Ends the connections of channels that have been told everything, and deletes some listings of
    those whose connection has ended. The worker calls it now and then; it returns whether there is
    more to delete."""
    more = False
    with workplace.database.reading() as session:
        parting = parting_channels(session)
    for channel_id, connection in parting:
        if connection == Connection.ENDING:
            connection = _end_when_told(workplace, SYSTEM, channel_id)
        if connection == Connection.CLEARING:
            more = not _clear(workplace, channel_id) or more
    return more


def _ending(session: Session, key: str) -> Channel:
    channel = channel_by_key(session, key)
    if channel.connection != Connection.ENDING:
        raise refuse("not-ending", f"{channel.name} is not being disconnected.", "", "channel")
    return channel


def _end_when_told(workplace: Workplace, actor: Actor, channel_id: int) -> Connection:
    with workplace.database.writing() as session:
        channel = channel_by_id(session, channel_id)
        told = channel.paused or not last_words(session, channel_id)
        if channel.connection == Connection.ENDING and told:
            _end(session, workplace, actor, channel)
        reached = Connection(channel.connection)
    workplace.wake(Work.CHANNELS, 0)
    return reached


def _end(session: Session, workplace: Workplace, actor: Actor, channel: Channel) -> None:
    """Ends a connection: nothing is sent or read any more, and its secrets are deleted."""
    channel.connection, channel.paused = Connection.CLEARING, True
    channel.token = channel.hook_secret = ""
    channel.silent_minutes = 0  # what it sells from now on is not sold from our stock
    drop_open_updates(session, channel.id, workplace.now(), WHY)
    subject = audit.Subject("channel", channel.id)
    audit.record(session, actor, workplace.now(), subject, "disconnected")


def _clear(workplace: Workplace, channel_id: int) -> bool:
    """Deletes listings of a channel, a block in each transaction; returns whether all are gone."""
    for _ in range(BLOCKS):
        with workplace.database.writing() as session:
            ids = next_listings(session, channel_id, AT_ONCE)
            for row_id in unsettled_rows(session, ids) if ids else ():
                settle_row(session, workplace, row_id, ok=False, reason=WHY)
            session.flush()
            if ids:
                erase_listings(session, ids)
            elif not erase_findings(session, channel_id, AT_ONCE):
                drop_open_updates(session, channel_id, workplace.now(), WHY)
                channel_by_id(session, channel_id).connection = Connection.ENDED
                return True
    return False
