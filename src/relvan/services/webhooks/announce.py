"""Writes down the messages that webhooks are to get, in the transaction of the change."""

from collections.abc import Collection

from relvan.core.waking import Work
from relvan.core.webhooks.announcing import Matter
from relvan.services.workplace import Workplace
from relvan.store.database import after_commit
from relvan.store.session import Session
from relvan.store.webhooks import add_announcements, listening, waiting_subjects


def announce(
    session: Session, workplace: Workplace, matter: Matter, subjects: Collection[object]
) -> None:
    """Notes that every webhook of a matter is to be told of some things: products or listings by
    their ids, orders by their numbers.

    A message that waits already is not written again, because its content is put together when it
    is sent.
    """
    wanted = list(dict.fromkeys(map(str, subjects)))
    webhooks = listening(session, matter) if wanted else []
    for webhook_id in webhooks:
        waiting = waiting_subjects(session, webhook_id, matter, wanted)
        rows = [
            (webhook_id, str(matter), subject, f"msg_{workplace.new_key()}", workplace.now())
            for subject in wanted
            if subject not in waiting
        ]
        add_announcements(session, rows)
        if rows:
            after_commit(session, lambda one=webhook_id: workplace.wake(Work.ANNOUNCE, one))  # type: ignore[misc]
