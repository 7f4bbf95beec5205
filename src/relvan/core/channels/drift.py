"""Drift: a channel shows something else than it last accepted from us. See docs/rules.md, “Telling
the outside world”."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from relvan.core.channels.sending import Topic

TOPICS = (Topic.QUANTITY, Topic.PRICE, Topic.CONTENT)
BY_ITSELF = (
    Topic.QUANTITY,
    Topic.PRICE,
)  # what is told again by itself unless a channel is set up otherwise


@dataclass(frozen=True)
class Stand:
    """Price (minor units), quantity and fields of one listing, either as we last sent them or as
    the channel shows them. None and missing fields are not compared."""

    price: int | None
    quantity: int | None
    fields: Mapping[str, str]


@dataclass(frozen=True)
class DriftFound:
    """One topic in which a channel shows something else than it has accepted; both values are text."""

    topic: Topic
    ours: str
    theirs: str


def find_drift(
    sent: Stand, shown: Stand, *, unsettled: Collection[str] = (), owned: Collection[str] = ()
) -> list[DriftFound]:
    """Returns the topics in which a channel differs from what it accepted. Topics with an update
    under way (`unsettled`) and fields that belong to the channel (`owned`) are not compared."""
    found = []
    numbers = (
        (Topic.QUANTITY, sent.quantity, shown.quantity),
        (Topic.PRICE, sent.price, shown.price),
    )
    for topic, before, now in numbers:
        if topic not in unsettled and before is not None and now is not None and before != now:
            found.append(DriftFound(topic, str(before), str(now)))
    if Topic.CONTENT not in unsettled:
        names = [
            name
            for name, value in shown.fields.items()
            if name not in owned
            and name in sent.fields
            and sent.fields[name].strip() != value.strip()
        ]
        if names:
            ours, theirs = (_fields_in_words(names, stand.fields) for stand in (sent, shown))
            found.append(DriftFound(Topic.CONTENT, ours, theirs))
    return found


def _fields_in_words(names: Collection[str], fields: Mapping[str, str]) -> str:
    return "; ".join(f"{name}: {_short(fields[name])}" for name in names)


def _short(text: str, most: int = 120) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def pages_a_look(calls_a_second: float, every_s: float, share: float = 0.05) -> int:
    """Returns how many pages one comparison may read, so that comparing takes no more than a share
    of the channel's rate limit. The next comparison continues where this one stopped.

    >>> pages_a_look(30, 60), pages_a_look(0.5, 60), pages_a_look(0.1, 60)
    (90, 1, 1)
    """
    return max(1, int(calls_a_second * every_s * share))
