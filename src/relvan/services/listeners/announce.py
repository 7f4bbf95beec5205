"""Writing down what listeners are to hear of, in the transaction of the change."""

from collections.abc import Collection

from sqlalchemy.orm import Session

from relvan.core.listeners.announcing import Matter
from relvan.core.waking import Work
from relvan.services.workplace import Workplace
from relvan.store.database import after_commit
from relvan.store.listeners import add_announcements, listening, waiting_subjects


def announce(session: Session, workplace: Workplace, matter: Matter, subjects: Collection[object]) -> None:
    """Let every listener of a matter hear of some things: products or listings by their ids, orders by their numbers.

    What waits already is not written again: what is said is put together when it is sent.
    """
    wanted = list(dict.fromkeys(map(str, subjects)))
    listeners = listening(session, matter) if wanted else []
    for listener_id in listeners:
        waiting = waiting_subjects(session, listener_id, matter, wanted)
        rows = [
            (listener_id, str(matter), subject, f"msg_{workplace.new_key()}", workplace.now())
            for subject in wanted
            if subject not in waiting
        ]
        add_announcements(session, rows)
        if rows:
            after_commit(session, lambda one=listener_id: workplace.wake(Work.ANNOUNCE, one))  # type: ignore[misc]
