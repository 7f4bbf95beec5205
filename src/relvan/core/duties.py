"""Shares duties among several workers: each duty belongs to one worker at a time, and none is left
without one."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime, timedelta

LEASE = timedelta(
    seconds=20
)  # a worker that was not seen for so long has died, and others take over what it did
JOBS, SALES = "jobs", "sales"  # bulk jobs, one after another; sale prices that start and end
HOLD_BACKS = "hold-backs"  # keeping up what is held back by risk


def channel_duty(channel_id: int) -> str:
    """Returns the name of the duty to deliver to one channel and read from it."""
    return f"channel:{channel_id}"


def webhook_duty(webhook_id: int) -> str:
    """Returns the name of the duty to send messages to one webhook."""
    return f"webhook:{webhook_id}"


def alive(seen: Mapping[str, datetime], now: datetime) -> frozenset[str]:
    """Returns the workers that are alive, judged by when each was seen last."""
    return frozenset(name for name, at in seen.items() if now - at < LEASE)


def share_of(
    duties: Sequence[str], held: Mapping[str, str], living: Collection[str], me: str
) -> frozenset[str]:
    """Returns the duties that a worker takes from now on. `held` says which worker has which duty,
    `living` which workers are alive.

    A worker keeps what it has up to its fair share, gives up what is beyond that, and takes what no
    living worker has. Once each worker has had its turn after a change, every duty is held and no
    worker has more than its fair share.
    """
    workers = {*living, me}
    fair = -(-len(duties) // len(workers))
    mine = [duty for duty in duties if held.get(duty) == me][:fair]
    free = [duty for duty in duties if held.get(duty) not in workers]
    return frozenset(mine + free[: fair - len(mine)])
