"""Sends webhooks their messages: they are taken in one transaction, sent outside any, and settled
in another."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from relvan.core.channels.sending import retry_wait
from relvan.core.webhooks.announcing import (
    KEPT,
    AnnouncementOutcome,
    AnnouncementState,
    Matter,
    outcome,
)
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.webhooks import Message, post_message
from relvan.services.webhooks.saying import say
from relvan.services.workplace import Workplace
from relvan.store.session import Session
from relvan.store.tables import Announcement, Webhook
from relvan.store.webhooks import (
    find_webhook,
    forget_announcements,
    next_announcements,
    waiting_subjects,
)

AT_ONCE = 20
TAKEN = timedelta(minutes=5)  # a round of slow answers is over sooner; then its worker has died


class Told(NamedTuple):
    """One message and what became of it; `trouble` says why it was not delivered."""

    announcement: Announcement
    became: AnnouncementOutcome
    trouble: str


def tell_webhook(workplace: Workplace, webhook_id: int) -> int:
    """Sends a webhook the next of its messages; returns how many were delivered. After a failure
    the webhook rests, longer each time."""
    webhook, taken = _take(workplace, webhook_id)
    told: list[Told] = []
    for announcement, data in taken:
        told.append(_tell(workplace, webhook, announcement, data))
        if told[-1].became in (AnnouncementOutcome.AGAIN, AnnouncementOutcome.CLOSED):
            break
    if taken:
        untold = [announcement for announcement, _ in taken[len(told) :]]
        with workplace.database.writing() as session:
            _settle(session, workplace, find_webhook(session, webhook_id), told, untold)
    return sum(one.became == AnnouncementOutcome.HEARD for one in told)


def _take(
    workplace: Workplace, webhook_id: int
) -> tuple[Webhook, list[tuple[Announcement, object]]]:
    """Takes the next messages with what they say now; a thing that does not exist any more says
    nothing."""
    now = workplace.now()
    with workplace.database.writing() as session:
        webhook = find_webhook(session, webhook_id)
        taken = (
            next_announcements(session, webhook_id, now, AT_ONCE) if _may_hear(webhook, now) else []
        )
        for announcement in taken:
            announcement.state, announcement.taken_until = AnnouncementState.TAKEN, now + TAKEN
        subjects: dict[Matter, list[str]] = defaultdict(list)
        for announcement in taken:
            subjects[Matter(announcement.matter)].append(announcement.subject)
        said = say(session, workplace, subjects)
    return webhook, [(one, said[Matter(one.matter)].get(one.subject)) for one in taken]


def _may_hear(webhook: Webhook, now: datetime) -> bool:
    return webhook.active and (webhook.rests_until is None or webhook.rests_until <= now)


def _tell(workplace: Workplace, webhook: Webhook, announcement: Announcement, data: object) -> Told:
    if data is None:
        return Told(announcement, AnnouncementOutcome.HEARD, "")
    status, trouble = None, ""
    try:
        status = post_message(
            webhook.address,
            workplace.secrets.open(webhook.secret),
            Message(
                key=announcement.key,
                at=workplace.now(),
                type=Matter(announcement.matter).type,
                data=data,
            ),
            private_allowed=workplace.settings.private_addresses,
        )
        trouble = f"it answered {status}"
    except OutsideTrouble as failure:
        trouble = str(failure)
    return Told(announcement, outcome(status, announcement.made_at, workplace.now()), trouble)


def _settle(
    session: Session,
    workplace: Workplace,
    webhook: Webhook,
    told: Sequence[Told],
    untold: Sequence[Announcement],
) -> None:
    """Ends messages that were delivered or given up; all others wait again, and the webhook rests
    after a failure."""
    now = workplace.now()
    again = [*untold]
    for announcement, became, trouble in told:
        if became == AnnouncementOutcome.AGAIN:
            again.append(announcement)
        else:
            _end(session, announcement, now)
        if became == AnnouncementOutcome.HEARD:
            webhook.failures, webhook.rests_until, webhook.trouble, webhook.heard_at = (
                0,
                None,
                "",
                now,
            )
        else:
            webhook.failures, webhook.trouble = webhook.failures + 1, trouble[:300]
            webhook.rests_until = now + timedelta(
                seconds=retry_wait(webhook.failures, workplace.chance())
            )
        if became == AnnouncementOutcome.CLOSED:
            webhook.active, webhook.trouble = (
                False,
                "it answered that it is gone, and hears of nothing more",
            )
    for announcement in again:
        newer = waiting_subjects(session, webhook.id, announcement.matter, [announcement.subject])
        if newer:  # which will say the same
            _end(session, announcement, now)
        else:
            kept = session.get_one(Announcement, announcement.id)
            kept.state, kept.taken_until = AnnouncementState.WAITING, None
    session.flush()
    forget_announcements(session, webhook.id, now - KEPT)


def _end(session: Session, announcement: Announcement, now: datetime) -> None:
    kept = session.get_one(Announcement, announcement.id)
    kept.state, kept.taken_until, kept.ended_at = AnnouncementState.ENDED, None, now
