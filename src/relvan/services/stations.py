"""What stations register with the floor below, so that a lower station can reach a higher one
without naming it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from relvan.gateways.channels.port import Offer, Placed
from relvan.services.changes import Changes
from relvan.store.session import Session
from relvan.store.tables import Listing

if TYPE_CHECKING:
    from relvan.services.workplace import Workplace


@dataclass(frozen=True)
class Sending:
    """An offer, what the listing will have said when it is accepted, and the first gap that keeps
    it from being sent, if any. A lack of stock keeps nothing back: the listing is sent with 0."""

    offer: Offer
    said: dict[str, str]
    gap: str = ""


class UpdateOutcome(StrEnum):
    """What became of an update: the channel accepted it, the channel refused it, or it was held
    back because of a gap."""

    ACCEPTED = "accepted"
    REFUSED = "refused"
    KEPT_BACK = "kept back"


@dataclass(frozen=True)
class Heard:
    """What became of one update about a listing: its topic, what it said, what caused it, the place
    that the listing got, and what was refused, each as (field, words)."""

    listing: Listing
    topic: str
    outcome: UpdateOutcome
    sent: Mapping[str, Any] = field(default_factory=dict)
    cause: str = ""
    placed: Placed | None = None
    problems: tuple[tuple[str, str], ...] = ()


Follower = Callable[[Session, "Workplace", Changes], None]


def _nothing_to_send(
    _session: Session, _workplace: "Workplace", _listings: Sequence[Listing]
) -> dict[int, Sending]:
    return {}


def _nobody_hears(_session: Session, _workplace: "Workplace", _heard: Sequence[Heard]) -> None:
    return


@dataclass(frozen=True)
class Stations:
    """What is registered: which stations follow a change, in this order; what is sent of listings;
    and who is told what became of it.

    The outbox knows only updates and their topics. What a listing says and what an answer means for
    it is decided by the station *Listings*.
    """

    followers: tuple[Follower, ...] = ()
    contents: Callable[[Session, "Workplace", Sequence[Listing]], Mapping[int, Sending]] = (
        _nothing_to_send
    )
    hear: Callable[[Session, "Workplace", Sequence[Heard]], None] = _nobody_hears
