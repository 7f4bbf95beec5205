"""Holds samples for the page of patterns: for every shared piece, the values that show its states."""

from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import product
from types import SimpleNamespace
from typing import Any

from relvan.core.channels.pulse import Beat
from relvan.core.jobs.life import JobState, JobVerdict
from relvan.core.listings.state import ListingState
from relvan.core.refusal import Refusal
from relvan.core.stock.waterfall import Fall
from relvan.core.today.figures import ChannelSales
from relvan.store.history import HistoryRow
from relvan.web.sentence import Chip, Choice, Sentence

REFUSAL = Refusal(
    "form", "“Weight” must be between 1 and 2,000,000 grams; it got -4.", "Correct the number."
)


@dataclass(frozen=True)
class ListingSample:
    """The attributes of a listing that `state_word` reads."""

    state: str
    outdated: str = ""
    gap_count: int = 0
    gone: str = ""
    followed: bool = True


@dataclass(frozen=True)
class StepSample:
    """One row of the fields of price steps, as the form posts them."""

    kind: str
    value: str
    direction: str = "nearest"


STEPS = (
    StepSample("percent", "+8"),
    StepSample("amount", "-1.50"),
    StepSample("cover fees", ""),
    StepSample("convert", "CHF"),
    StepSample("ending", "99, 49", "up"),
    StepSample("", ""),
)
STATES = (
    *(
        ListingSample(state, gap_count=gaps, outdated=outdated)
        for state, gaps, outdated in product(ListingState, (0, 1, 4), ("", "price quantity"))
        if (gaps > 0) == (state == ListingState.DRAFT)
        and bool(outdated) == (state == ListingState.OUTDATED)
    ),
    ListingSample(ListingState.DOWN, gone="deleted on the channel"),
    ListingSample(ListingState.LIVE, followed=False),
)
VERDICTS = tuple(JobVerdict)
JOBS = (
    SimpleNamespace(total=10, done=0, refused=0, state=JobState.APPLYING),
    SimpleNamespace(total=10, done=3, refused=1, state=JobState.RUNNING),
    SimpleNamespace(total=10, done=10, refused=0, state=JobState.ENDED),
)
FALLS = (
    Fall("On hand", 20, 0, sum=True),
    Fall("Reserved", 20, 17),
    Fall("Safety", 17, 12),
    Fall("Lacking elsewhere", 12, 14),
    Fall("Free", 14, 0, sum=True),
    Fall("Stock rule", 14, 9),
    Fall("Shown", 9, 0, sum=True),
)
SALES = ChannelSales(210, {"EUR": 412_000}, tuple(range(1, 29)))
BEATS = tuple(
    Beat(datetime(2026, 11, 2, 9, 10 * at, tzinfo=UTC), at, 0.4, 0.3 * at) for at in range(6)
)
HISTORY = (
    HistoryRow(
        2,
        datetime(2026, 11, 2, 9, 30, tzinfo=UTC),
        "A person",
        "api",
        "changed the product",
        {"title": ["Old words", "New words"], "cost": [None, 890]},
        job=7,
    ),
    HistoryRow(1, datetime(2026, 11, 2, 8, 5, tzinfo=UTC), "Relvan", "relvan", "made it", {}),
)


def pattern_samples(path: str) -> dict[str, Any]:
    """Returns the names that the page of patterns reads; `path` is the page's own."""
    chips = (
        Chip("state", "State", (Choice("live", "that are live"), Choice("draft", "not yet live"))),
        Chip("year", "Year", (Choice("2026", "of this year"),)),
    )
    sentence = Sentence("Patterns", path, chips, {"state": "live"}, hint="name, SKU", sort="-name")
    return {
        "refusal": REFUSAL,
        "steps": STEPS,
        "states": STATES,
        "verdicts": VERDICTS,
        "jobs": JOBS,
        "falls": FALLS,
        "sales": SALES,
        "beats": BEATS,
        "sentence": sentence,
        "views": (SimpleNamespace(id=1, name="A kept view", query="year=2026"),),
        "history": HISTORY,
    }
