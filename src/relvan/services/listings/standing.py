"""Sees whether the channel still shows what we placed there, and notices listings that lapsed or
were taken down on the channel."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from relvan.core.channels.drift import pages_a_look
from relvan.core.channels.sending import Topic
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ShownListing
from relvan.services import audit
from relvan.services.listings.drift import note_drift
from relvan.services.listings.refresh import settle_state
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.listings import open_topics, placed_by_ref
from relvan.store.tables import Channel, Listing

LAPSED, TAKEN_DOWN = "lapsed", "taken down there"
UNSETTLED = (Topic.SHOWN, Topic.PUBLISH)  # what is being changed from here is not news from there


@dataclass(frozen=True)
class Look:
    """The result of a comparison with a channel: how many listings stand otherwise than we thought,
    how many differences in price, quantity or content were confirmed, and the channel's reference
    after which the next comparison continues; "" when all have been compared."""

    news: int = 0
    after: str = ""
    drifted: int = 0


def read_standing(workplace: Workplace, channel_id: int) -> Look:
    """Compares what a channel shows with our listings, some pages at a time, going on where the
    last comparison stopped. It takes only a small share of the channel's rate limit, so a pass over
    very many listings goes on through the day.

    Listings that we are just changing are not compared, and nothing is when the channel does not
    answer.
    """
    with workplace.database.reading() as session:
        channel = session.get_one(Channel, channel_id)
        if channel.paused or (channel.probe_at is not None and channel.probe_at > workplace.now()):
            return Look(after=channel.looked_to)
    gateway, book = workplace.gateway(channel), workplace.rulebook(channel)
    page, after, look = book.listings.page, channel.looked_to, Look()
    for _ in range(pages_a_look(book.calls.per_second, book.listings.read_every_s)):
        asked_at = workplace.now()
        try:
            shown = gateway.listings_after(after, page)
        except (OutsideTrouble, OutsideRefusal):
            return replace(look, after=after)
        after = shown[-1].ref if len(shown) == page else ""
        news, drifted = _take_note(workplace, channel_id, shown, asked_at, after)
        look = Look(look.news + news, after, look.drifted + drifted)
        if not after:
            break
    return look


def _take_note(
    workplace: Workplace,
    channel_id: int,
    shown: Sequence[ShownListing],
    asked_at: datetime,
    after: str,
) -> tuple[int, int]:
    now, news = workplace.now(), 0
    with workplace.database.writing() as session:
        channel = session.get_one(Channel, channel_id)
        _note_pass(channel, after, now)
        held = placed_by_ref(session, channel_id, [row.ref for row in shown])
        topics = open_topics(session, [listing.id for listing in held.values()], since=asked_at)
        unsettled = {listing_id for listing_id, topic in topics if topic in UNSETTLED}
        standing = [
            (listing, row)
            for row in shown
            if (listing := held.get(row.ref)) is not None and listing.id not in unsettled
        ]
        for listing, row in standing:
            listing.until = row.until
            told = _difference(listing, row)
            if told:
                news += 1
                listing.shown, listing.gone = row.live, "" if row.live else told
                audit.record(session, SYSTEM, now, audit.Subject("listing", listing.id), told)
                settle_state(listing)
        return news, note_drift(session, workplace, channel, standing, topics)


def _note_pass(channel: Channel, after: str, now: datetime) -> None:
    if not channel.looked_to:
        channel.pass_began_at = now
    channel.looked_to = after
    if not after:
        channel.passed_at = now


def _difference(listing: Listing, row: ShownListing) -> str:
    """Returns in words what has happened to a listing on the channel; "" when it stands as we
    thought."""
    if listing.shown and not row.live:
        return LAPSED if row.lapsed else TAKEN_DOWN
    if row.live and not listing.shown and listing.to_show:
        return "put back there"
    return ""
