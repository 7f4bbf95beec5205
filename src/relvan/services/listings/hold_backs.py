"""Keeps buffers by risk up to date: for the time that a channel is silent, and as the pace of sales
changes.

While a channel cannot be read it goes on selling, unseen. What it may have sold is kept back on
every channel with a buffer by risk. The buffer grows with the time and shrinks when the channel has
been read.
"""

from collections.abc import Collection

from relvan.core.stock.pace import silence_of
from relvan.services.listings.quantities import rework_quantities
from relvan.services.stock.whole import work_out_quantities
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelSettings, channel_settings, channels
from relvan.store.kits import kits_above
from relvan.store.paces import sold_on
from relvan.store.policies import policy_places
from relvan.store.quantities import QuantityRow, quantity_rows
from relvan.store.session import Session
from relvan.store.tables import Channel

CHUNK, AT_ONCE = 2_000, 100


def mind_silence(workplace: Workplace) -> bool:
    """Sees which channels are silent and for how long, and updates the buffers; returns whether
    that has changed. The worker calls it again and again; it costs one query when nothing has
    changed."""
    with workplace.database.reading() as session:
        changed = _changes(session, workplace)
    if not changed:
        return False
    with workplace.database.writing() as session:
        changed = _changes(session, workplace)
        for channel_id, minutes in changed.items():
            session.get_one(Channel, channel_id).silent_minutes = minutes
    with workplace.database.reading() as session:
        sold = sold_on(session, changed, workplace.now())
        concerned = sold | kits_above(session, sold)
    if concerned:
        bring_hold_backs_along(workplace, concerned)
    return bool(changed)


def bring_hold_backs_along(workplace: Workplace, product_ids: Collection[int] | None = None) -> int:
    """Works out anew what listings of some products, or of all, show where the buffer is set by
    risk; returns how many differed. No movement of stock triggers this: the pace of sales, delays
    and oversold units change with time."""
    with workplace.database.reading() as session:
        places, found = policy_places(session), channel_settings(session)
        risky = [
            key for key, one in found.items() if one.policy.risk is not None or key in places.risky
        ]
    count = 0
    for channel_id in risky:
        after: int | None = 0
        while after is not None:
            after, differing = _differing(workplace, channel_id, after, product_ids)
            count += len(differing)
            for start in range(0, len(differing), AT_ONCE):
                with workplace.database.writing() as session:
                    rework_quantities(session, workplace, differing[start : start + AT_ONCE])
    return count


def _changes(session: Session, workplace: Workplace) -> dict[int, int]:
    """Returns the channels that count as silent for longer or shorter than before, with their
    minutes."""
    now, found = workplace.now(), dict[int, int]()
    for channel in channels(session):
        age = None if channel.orders_read_at is None else now - channel.orders_read_at
        failing = bool(channel.failures or channel.paused or channel.probe_at is not None)
        minutes = silence_of(age, failing=failing, before=channel.silent_minutes)
        if minutes != channel.silent_minutes:
            found[channel.id] = minutes
    return found


def _differing(
    workplace: Workplace, channel_id: int, after: int, product_ids: Collection[int] | None
) -> tuple[int | None, list[int]]:
    """Returns how far the next chunk of a channel's listings goes (None at the end), and the
    listings in it that show another quantity."""
    with workplace.database.reading() as session, uncollected():
        settings = channel_settings(session).get(channel_id)
        if settings is None:
            return None, []
        rows = quantity_rows(session, channel_id, after=after, most=CHUNK, product_ids=product_ids)
        if not rows:
            return None, []
        return rows[-1].listing_id, _other(session, workplace, settings, rows)


def _other(
    session: Session, workplace: Workplace, settings: ChannelSettings, rows: list[QuantityRow]
) -> list[int]:
    most = workplace.rulebook(settings.channel).most_units
    shown = work_out_quantities(session, workplace, settings, rows, most)
    return [
        row.listing_id
        for row, (_, quantity) in zip(rows, shown, strict=True)
        if quantity != row.quantity
    ]
