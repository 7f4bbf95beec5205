"""Which worker does what, when several share the work: every duty is one worker's at a time, and none is left out."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime, timedelta

LEASE = timedelta(seconds=20)  # a worker that was not seen for so long has died, and others take over what it did
JOBS, SALES = "jobs", "sales"  # bulk jobs, one after another; sale prices that start and end
HOLD_BACKS = "hold-backs"  # keeping up what is held back by risk


def channel_duty(channel_id: int) -> str:
    """Delivering to one channel and reading from it."""
    return f"channel:{channel_id}"


def listener_duty(listener_id: int) -> str:
    """Telling one listener."""
    return f"listener:{listener_id}"


def alive(seen: Mapping[str, datetime], now: datetime) -> frozenset[str]:
    """Workers that live, from when each was seen last."""
    return frozenset(name for name, at in seen.items() if now - at < LEASE)


def share_of(duties: Sequence[str], held: Mapping[str, str], living: Collection[str], me: str) -> frozenset[str]:
    """What a worker does from now on, given who holds what (duty -> worker) and who lives.

    It keeps what it has up to its fair share, gives up what is beyond that, and takes what nobody alive holds. Once
    each has had its turn after a change, every duty is held, and no worker has more than its fair share.
    """
    workers = {*living, me}
    fair = -(-len(duties) // len(workers))
    mine = [duty for duty in duties if held.get(duty) == me][:fair]
    free = [duty for duty in duties if held.get(duty) not in workers]
    return frozenset(mine + free[: fair - len(mine)])
