"""Drift: what a channel shows against what it last accepted from us. See docs/rules.md, “Telling the outside world”."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from relvan.core.channels.sending import Topic

TOPICS = (Topic.QUANTITY, Topic.PRICE, Topic.CONTENT)
BY_ITSELF = (Topic.QUANTITY, Topic.PRICE)  # what is told again by itself unless a channel is set up otherwise


@dataclass(frozen=True)
class Stand:
    """Price (minor units), quantity and fields of one listing, as we last sent them or as the channel shows them. None
    and fields that are not there are not compared."""

    price: int | None
    quantity: int | None
    fields: Mapping[str, str]


@dataclass(frozen=True)
class Difference:
    """One topic in which a channel shows something else than it has accepted; both as text."""

    topic: Topic
    ours: str
    theirs: str


def differences(sent: Stand, shown: Stand, *, unsettled: Collection[str] = (), owned: Collection[str] = ()) -> list[
    Difference
]:  # fmt: skip
    """Where a channel drifted. What is being told just now (`unsettled` topics) and fields that are the channel's own
    (`owned`) are left alone."""
    found = []
    numbers = ((Topic.QUANTITY, sent.quantity, shown.quantity), (Topic.PRICE, sent.price, shown.price))
    for topic, before, now in numbers:
        if topic not in unsettled and before is not None and now is not None and before != now:
            found.append(Difference(topic, str(before), str(now)))
    if Topic.CONTENT not in unsettled:
        names = [
            name for name, value in shown.fields.items()
            if name not in owned and name in sent.fields and sent.fields[name].strip() != value.strip()
        ]  # fmt: skip
        if names:
            ours, theirs = (_told(names, stand.fields) for stand in (sent, shown))
            found.append(Difference(Topic.CONTENT, ours, theirs))
    return found


def _told(names: Collection[str], fields: Mapping[str, str]) -> str:
    return "; ".join(f"{name}: {_short(fields[name])}" for name in names)


def _short(text: str, most: int = 120) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def pages_a_look(calls_a_second: float, every_s: float, share: float = 0.05) -> int:
    """How many pages one look at a channel may read, so that looking takes no more than a share of its rate limit; the
    next look goes on where this one stopped.

    >>> pages_a_look(30, 60), pages_a_look(0.5, 60), pages_a_look(0.1, 60)
    (90, 1, 1)
    """
    return max(1, int(calls_a_second * every_s * share))
