"""The kinds of work that wake the worker.

What is to be done is kept in tables. A signal only lets the worker see it sooner; when a signal is
lost, the worker finds the work by looking, every `SAFETY_S` seconds at the latest.
"""

from enum import StrEnum


class Work(StrEnum):
    """A kind of work. The number that goes with a signal is a channel, a bulk job or a webhook; for
    other kinds it is 0."""

    DELIVER = "deliver"  # updates of a channel wait to be sent
    READ = "read"  # orders of a channel are to be read
    LOOK = "look"  # what a channel shows is to be compared with what was sent
    PAGES = "pages"  # listings of a channel need a page of its catalogue
    JOBS = "jobs"  # a bulk job is to be rehearsed, applied or undone
    ANNOUNCE = "announce"  # a webhook of the seller's has something to hear
    CENTRES = "centres"  # marketplaces' centres are to be handed something, or asked
    PARCELS = "parcels"  # carriers are to be asked about parcels under way
    MAIL = "mail"  # mails wait to be sent
    SALES = "sales"  # a sale price was planned or ended
    CHANNELS = "channels"  # a channel was connected, paused or let go on
    HOLD_BACKS = "hold-backs"  # quantities held back by risk are to be worked out anew
    DESK = "desk"  # orders may come back, be reminded of, or have waited long enough for a rule
    BACKUPS = "backups"  # a backup may be due
    RECLAIM = "reclaim"  # updates that a dead worker was sending are to be taken back


# seconds after which the worker looks by itself, should no signal have come
SAFETY_S = {
    Work.DELIVER: 5.0,
    Work.PAGES: 10.0,
    Work.JOBS: 5.0,
    Work.ANNOUNCE: 5.0,
    Work.CENTRES: 20.0,
    Work.PARCELS: 120.0,
    Work.MAIL: 10.0,
    Work.SALES: 30.0,
    Work.CHANNELS: 5.0,
    Work.HOLD_BACKS: 5.0,
    Work.DESK: 60.0,
    Work.BACKUPS: 300.0,
    Work.RECLAIM: 30.0,
}
Task = tuple[Work, int]
