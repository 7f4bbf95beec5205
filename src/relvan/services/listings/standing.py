"""Whether the channel still shows what we placed there: listings that lapsed or were taken down outside are noticed."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from relvan.core.channels.sending import Topic
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ShownListing
from relvan.services import audit
from relvan.services.listings.refresh import settle_state
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.listings import open_topics, placed_by_ref
from relvan.store.tables import Channel, Listing

LAPSED, TAKEN_DOWN = "lapsed", "taken down there"
UNSETTLED = (Topic.SHOWN, Topic.PUBLISH)  # what is being changed from here is not news from there


@dataclass(frozen=True)
class Look:
    """What a look at a channel brought: how many listings stand otherwise than we thought, and after which of the
    channel's references the next look goes on; "" when all has been read."""

    news: int = 0
    after: str = ""


def read_standing(workplace: Workplace, channel_id: int, after: str = "") -> Look:
    """Read what a channel shows of our listings, page by page, after one of its references.

    What we are just changing ourselves is left alone, and so is everything when the channel does not answer: the next
    look goes on where this one stopped.
    """
    with workplace.database.reading() as session:
        channel = session.get_one(Channel, channel_id)
        if channel.paused or (channel.probe_at is not None and channel.probe_at > workplace.now()):
            return Look(after=after)
    gateway, page = workplace.gateway(channel), workplace.rulebook(channel).listings.page
    news = 0
    while True:
        asked_at = workplace.now()
        try:
            shown = gateway.listings_after(after, page)
        except (OutsideTrouble, OutsideRefusal):
            return Look(news, after)
        news += _take_note(workplace, channel_id, shown, asked_at)
        if len(shown) < page:
            return Look(news)
        after = shown[-1].ref


def _take_note(workplace: Workplace, channel_id: int, shown: Sequence[ShownListing], asked_at: datetime) -> int:
    now, news = workplace.now(), 0
    with workplace.database.writing() as session:
        held = placed_by_ref(session, channel_id, [row.ref for row in shown])
        topics = open_topics(session, [listing.id for listing in held.values()], since=asked_at)
        unsettled = {listing_id for listing_id, topic in topics if topic in UNSETTLED}
        for row in shown:
            listing = held.get(row.ref)
            if listing is None or listing.id in unsettled:
                continue
            listing.until = row.until
            told = _difference(listing, row)
            if told:
                news += 1
                listing.shown, listing.gone = row.live, "" if row.live else told
                audit.record(session, SYSTEM, now, "listing", listing.id, told)
                settle_state(listing)
    return news


def _difference(listing: Listing, row: ShownListing) -> str:
    """What has happened to a listing outside, in words; "" when it stands as we thought."""
    if listing.shown and not row.live:
        return LAPSED if row.lapsed else TAKEN_DOWN
    if row.live and not listing.shown and listing.to_show:
        return "put back there"
    return ""
