"""Waits before something outside is asked again, where a job or a person waits for the answer."""

import time
from collections.abc import Callable

from relvan.core.channels.sending import retry_wait
from relvan.gateways.calling import OutsideTrouble
from relvan.services.workplace import Workplace

STEP_S = 0.25


def wait_to_ask_again(
    workplace: Workplace,
    failure: OutsideTrouble,
    attempt: int,
    *,
    most_s: float,
    stopped: Callable[[], bool] | None = None,
) -> None:
    """Waits after the `attempt`-th failure: as long as the other side asks for, at most `most_s`
    seconds, or until it is told to stop."""
    left = min(most_s, retry_wait(attempt, workplace.chance(), failure.retry_after))
    while left > 0 and not (stopped and stopped()):
        time.sleep(min(STEP_S, left))
        left -= STEP_S
