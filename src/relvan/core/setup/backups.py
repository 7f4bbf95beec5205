"""Backups by night: when one is due, which are kept, and when one is tried."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from relvan.core.refusal import Refusal

MOST_KEPT = 365
TRIED_EVERY = timedelta(days=7)


@dataclass(frozen=True)
class BackupPlan:
    """At which hour of the firm's clock a backup is made, how many are kept, and in which folder;
    an empty one is `backups` in the data folder. It may be switched off.
    """

    on: bool = True
    hour: int = 2
    keep: int = 14
    folder: str = ""


def check_plan(plan: BackupPlan) -> list[Refusal]:
    """Checks a plan; whether the folder can be written is tried elsewhere."""
    found = []
    if not 0 <= plan.hour <= 23:
        message = f"“Hour” must be from 0 to 23; it got {plan.hour}."
        found.append(Refusal("range", message, "Type 2 for two o'clock at night.", "hour"))
    if not 1 <= plan.keep <= MOST_KEPT:
        message = f"“Keep” must be from 1 to {MOST_KEPT}; it got {plan.keep}."
        found.append(Refusal("range", message, "Type how many to keep.", "keep"))
    if plan.folder and not plan.folder.startswith("/"):
        message = f"“Folder” must be a whole path; it got “{plan.folder[:60]}”."
        found.append(Refusal("form", message, "Begin it with a slash.", "folder"))
    return found


def last_night(plan: BackupPlan, now: datetime) -> datetime:
    """Returns the last moment at which the plan wanted a backup, by the clock that `now` goes by."""
    today = now.replace(hour=plan.hour, minute=0, second=0, microsecond=0)
    return today if today <= now else today - timedelta(days=1)


def is_due(plan: BackupPlan, now: datetime, last: datetime | None, first_day: datetime) -> bool:
    """Says whether a backup is due: since the last one, or since the first day of the firm, a night
    has passed for which there is none. A machine that was off at night catches up.
    """
    return plan.on and (last or first_day) < last_night(plan, now)


def is_try_due(now: datetime, tried: datetime | None) -> bool:
    """Says whether a backup is to be opened and checked, which is done once a week."""
    return tried is None or now - tried >= TRIED_EVERY


def surplus(newest_first: Sequence[int], keep: int) -> list[int]:
    """Returns the ids of backups that are not kept any more.

    >>> surplus([9, 8, 7], 2)
    [7]
    """
    return list(newest_first[keep:])
