"""What has become of a parcel after it left, and what of it needs a person. See docs/rules.md, “Parcels
under way”.
"""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum

from relvan.core.refusal import Refusal

SILENT = timedelta(days=5)
MOST_NOTE = 300


class ParcelStage(StrEnum):
    """How far a carrier has brought a parcel."""

    ANNOUNCED = "announced"
    COLLECTED = "collected"
    UNDER_WAY = "under way"
    DELAYED = "delayed"
    DELIVERED = "delivered"
    LOST = "lost"


class ParcelStanding(StrEnum):
    """What a person needs to know of a parcel: it is on its way, late, missing (late, and silent for five
    days), lost as its carrier says, or delivered."""

    UNDER_WAY = "under way"
    LATE = "late"
    MISSING = "missing"
    LOST = "lost"
    DELIVERED = "delivered"


class ClaimState(StrEnum):
    """How far the claim for a parcel is that was lost or came late."""

    NONE = ""
    MADE = "made"
    PAID = "paid"
    REFUSED = "refused"


ENDED = (ParcelStage.DELIVERED, ParcelStage.LOST)
TROUBLE = (ParcelStanding.LATE, ParcelStanding.MISSING, ParcelStanding.LOST)


@dataclass(frozen=True)
class Tracked:
    """What is known of a parcel: its stage and since when, and the day on which its carrier promised it
    (None where none was said)."""

    stage: ParcelStage
    since: datetime | None
    arrives_on: date | None


def parcel_standing(parcel: Tracked, now: datetime) -> ParcelStanding:
    """Returns what a person needs to know of a parcel. It is late from the day after its promised day on.

    >>> from datetime import UTC
    >>> collected = datetime(2026, 3, 2, 18, tzinfo=UTC)
    >>> parcel = Tracked(ParcelStage.COLLECTED, collected, date(2026, 3, 4))
    >>> [str(parcel_standing(parcel, collected + timedelta(days=days))) for days in (1, 3, 5)]
    ['under way', 'late', 'missing']
    """
    if parcel.stage == ParcelStage.DELIVERED:
        return ParcelStanding.DELIVERED
    if parcel.stage == ParcelStage.LOST:
        return ParcelStanding.LOST
    if parcel.arrives_on is None or now.date() <= parcel.arrives_on:
        return ParcelStanding.UNDER_WAY
    if parcel.since is not None and now - parcel.since >= SILENT:
        return ParcelStanding.MISSING
    return ParcelStanding.LATE


def days_late(arrives_on: date | None, delivered_on: date | None, today: date) -> int:
    """Returns how many days a parcel came late, or is late until now.

    >>> days_late(date(2026, 3, 4), None, date(2026, 3, 6))
    2
    """
    if arrives_on is None:
        return 0
    return max(0, ((delivered_on or today) - arrives_on).days)


@dataclass(frozen=True)
class Claim:
    """The state that a claim is to have, what was paid in minor units, and a note."""

    state: ClaimState
    amount: int | None = None
    note: str = ""


def check_claim(claim: Claim, before: ClaimState) -> list[Refusal]:
    """Checks what is to be noted of a claim: it is made first, and answered afterwards."""
    found = []
    answered = (ClaimState.PAID, ClaimState.REFUSED)
    if claim.state in answered and before == ClaimState.NONE:
        message = "This claim was not made yet."
        found.append(Refusal("wrong-state", message, "Note that it was made first.", "state"))
    if claim.state == ClaimState.PAID and not claim.amount:
        message = "“Amount” is needed for a claim that was paid."
        found.append(Refusal("missing", message, "Type what the carrier has paid.", "amount"))
    if claim.amount is not None and claim.amount < 0:
        message = "“Amount” must not be below 0."
        found.append(Refusal("too-small", message, "Type what the carrier has paid.", "amount"))
    if len(claim.note) > MOST_NOTE:
        message = f"“Note” must have at most {MOST_NOTE} characters."
        found.append(Refusal("too-long", message, "Shorten it.", "note"))
    return found
