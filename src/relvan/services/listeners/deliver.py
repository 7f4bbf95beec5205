"""Telling listeners what waits for them: taken in one transaction, told outside any, settled in another."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from sqlalchemy.orm import Session

from relvan.core.channels.sending import retry_wait
from relvan.core.listeners.announcing import KEPT, Matter, Outcome, outcome
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.listeners import announce
from relvan.services.listeners.saying import say
from relvan.services.workplace import Workplace
from relvan.store.listeners import find_listener, forget_announcements, next_announcements, waiting_subjects
from relvan.store.tables import Announcement, Listener

AT_ONCE = 20
TAKEN = timedelta(minutes=5)  # a round of slow answers is over sooner; then its worker has died


class Told(NamedTuple):
    """One announcement and what became of it; `trouble` says why it was not heard."""

    announcement: Announcement
    became: Outcome
    trouble: str


def tell_listener(workplace: Workplace, listener_id: int) -> int:
    """Tell a listener the next of what waits for it; how much it heard. After a failure it rests, longer each time."""
    listener, taken = _take(workplace, listener_id)
    told: list[Told] = []
    for announcement, data in taken:
        told.append(_tell(workplace, listener, announcement, data))
        if told[-1].became in (Outcome.AGAIN, Outcome.CLOSED):
            break
    if taken:
        untold = [announcement for announcement, _ in taken[len(told) :]]
        with workplace.database.writing() as session:
            _settle(session, workplace, find_listener(session, listener_id), told, untold)
    return sum(one.became == Outcome.HEARD for one in told)


def _take(workplace: Workplace, listener_id: int) -> tuple[Listener, list[tuple[Announcement, object]]]:
    """The next announcements with what they say now; a thing that is no more says nothing."""
    now = workplace.now()
    with workplace.database.writing() as session:
        listener = find_listener(session, listener_id)
        taken = next_announcements(session, listener_id, now, AT_ONCE) if _may_hear(listener, now) else []
        for announcement in taken:
            announcement.state, announcement.taken_until = "taken", now + TAKEN
        subjects: dict[Matter, list[str]] = defaultdict(list)
        for announcement in taken:
            subjects[Matter(announcement.matter)].append(announcement.subject)
        said = say(session, workplace, subjects)
    return listener, [(one, said[Matter(one.matter)].get(one.subject)) for one in taken]


def _may_hear(listener: Listener, now: datetime) -> bool:
    return listener.active and (listener.rests_until is None or listener.rests_until <= now)


def _tell(workplace: Workplace, listener: Listener, announcement: Announcement, data: object) -> Told:
    if data is None:
        return Told(announcement, Outcome.HEARD, "")
    status, trouble = None, ""
    try:
        status = announce(
            listener.address, workplace.secrets.open(listener.secret), key=announcement.key, at=workplace.now(),
            type=Matter(announcement.matter).type, data=data, private_allowed=workplace.settings.private_addresses,
        )  # fmt: skip
        trouble = f"it answered {status}"
    except OutsideTrouble as failure:
        trouble = str(failure)
    return Told(announcement, outcome(status, announcement.made_at, workplace.now()), trouble)


def _settle(
    session: Session, workplace: Workplace, listener: Listener, told: Sequence[Told], untold: Sequence[Announcement]
) -> None:
    """What was heard or given up has ended; all else waits again, and the listener rests after a failure."""
    now = workplace.now()
    again = [*untold]
    for announcement, became, trouble in told:
        if became == Outcome.AGAIN:
            again.append(announcement)
        else:
            _end(session, announcement, now)
        if became == Outcome.HEARD:
            listener.failures, listener.rests_until, listener.trouble, listener.heard_at = 0, None, "", now
        else:
            listener.failures, listener.trouble = listener.failures + 1, trouble[:300]
            listener.rests_until = now + timedelta(seconds=retry_wait(listener.failures, workplace.chance()))
        if became == Outcome.CLOSED:
            listener.active, listener.trouble = False, "it answered that it is gone, and hears of nothing more"
    for announcement in again:
        newer = waiting_subjects(session, listener.id, announcement.matter, [announcement.subject])
        if newer:  # which will say the same
            _end(session, announcement, now)
        else:
            kept = session.get_one(Announcement, announcement.id)
            kept.state, kept.taken_until = "waiting", None
    session.flush()
    forget_announcements(session, listener.id, now - KEPT)


def _end(session: Session, announcement: Announcement, now: datetime) -> None:
    kept = session.get_one(Announcement, announcement.id)
    kept.state, kept.taken_until, kept.ended_at = "ended", None, now
