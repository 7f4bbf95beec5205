"""Publishes listings, takes them down and puts them back: one or hundreds, as a bulk job with
verdicts."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.channels.sending import UpdateState, topic_urgency
from relvan.core.channels.subject import listing_subject
from relvan.core.jobs.life import JobVerdict
from relvan.core.listings.deeds import (
    ListingAnswer,
    ListingDeed,
    ListingStanding,
    ListingWish,
    listing_deeds,
)
from relvan.core.listings.families import FamilyMember, plan_family
from relvan.core.listings.state import ListingState
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.jobs.rows import open_job, settle_rows_of
from relvan.services.listings.refresh import refresh_listings, settle_state
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import Actor, Workplace
from relvan.store.job_rows import NewRow
from relvan.store.listings import listing_ids_of, listing_names, listings_of, open_publishes
from relvan.store.session import Session
from relvan.store.tables import Listing

MOST_AT_ONCE = 20_000
_STAYS = "stay: gaps of their family’s page keep them from going live"


@dataclass(frozen=True)
class Step:
    """What is done about one listing. A member of a family `waits` until its page is there."""

    answer: ListingAnswer
    waits: bool = False

    @property
    def refused(self) -> str:
        """Says why nothing is done; empty when something is done."""
        return self.answer.refused


@dataclass(frozen=True)
class Plan:
    """What an action on listings comes to: a step for each, with the listings and their names by
    id. They are in the order in which they were asked for, with the other members of families after
    them."""

    steps: dict[int, Step]
    listings: dict[int, Listing]
    names: dict[int, str]


def publish_listings(
    workplace: Workplace, actor: Actor, listing_ids: Sequence[int], *, leave_out: bool = False
) -> int:
    """Sends listings to their channels: new ones whole, outdated ones as far as they differ, and of
    a family's page all its members; members with gaps are skipped only by choice. Returns the id of
    the bulk job."""
    return do_listings(workplace, actor, ListingDeed.PUBLISH, listing_ids, leave_out=leave_out)


def take_down_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Takes listings off their channels, whole families with their heads. Returns the id of the
    bulk job."""
    return do_listings(workplace, actor, ListingDeed.TAKE_DOWN, listing_ids)


def put_back_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Offers listings again that were taken down, whole families with their heads. Returns the id
    of the bulk job."""
    return do_listings(workplace, actor, ListingDeed.PUT_BACK, listing_ids)


def standing_of(listing: Listing) -> ListingStanding:
    """Returns what the actions on a listing depend on."""
    return ListingStanding(
        gaps=listing.gap_count,
        first_gap=listing.gaps[0]["message"] if listing.gaps else "",
        placed=listing.placed,
        shown=listing.shown,
        down=listing.state == ListingState.DOWN,
        outdated=frozenset(listing.outdated.split()),
        followed=listing.followed,
        quantity=listing.quantity,
        is_head=listing.is_head,
        lapses=listing.until is not None,
    )


def plan_deed(
    session: Session, deed: ListingDeed, listing_ids: Sequence[int], *, leave_out: bool = False
) -> Plan:
    """Plans what an action on listings would do; the action itself carries out this plan.

    Raises:
        Refused: if none or too many are asked for, or one of them does not exist.
    """
    asked = list(dict.fromkeys(listing_ids))
    if not asked or len(asked) > MOST_AT_ONCE:
        raise refuse(
            "ids",
            f"Between 1 and {MOST_AT_ONCE:,} listings at once; it got {len(asked):,}.",
            "",
            "ids",
        )
    concerned = listing_ids_of(session, listing_ids=asked)
    found = {listing.id: listing for listing in listings_of(session, listing_ids=concerned)}
    missing = [listing_id for listing_id in asked if listing_id not in found]
    if missing:
        raise refuse(
            "not-found", f"There is no listing “{missing[0]}”.", "Look at the list again.", "ids"
        )
    wanted = list(dict.fromkeys([*asked, *found]))
    names = listing_names(session, wanted)
    steps = {
        listing_id: Step(listing_deeds(standing_of(found[listing_id]))[deed])
        for listing_id in wanted
    }
    if deed == ListingDeed.PUBLISH:
        steps |= _family_steps(session, found, names, leave_out=leave_out)
    return Plan(steps, found, names)


def do_listings(
    workplace: Workplace,
    actor: Actor,
    deed: ListingDeed,
    listing_ids: Sequence[int],
    *,
    leave_out: bool = False,
) -> int:
    """Carries out an action on listings as a bulk job whose rows end when the channels have
    answered; returns the job's id."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        plan = plan_deed(session, deed, listing_ids, leave_out=leave_out)
        rows = [
            _row(position, listing_id, step, plan.names[listing_id])
            for position, (listing_id, step) in enumerate(plan.steps.items(), 1)
        ]
        plural = "listing" if len(rows) == 1 else "listings"
        title = f"{deed.capitalize()} {len(rows)} {plural}"
        job, row_ids = open_job(session, workplace, actor, deed, title, rows)
        row_of = {row.listing_id: row_id for row, row_id in zip(rows, row_ids, strict=True)}
        _carry_out(session, workplace, actor, deed, plan, row_of)
        return job.id


def _family_steps(
    session: Session, found: dict[int, Listing], names: dict[int, str], *, leave_out: bool
) -> dict[int, Step]:
    """Returns what is done about the members of families' pages: they go with their head, after it,
    or not at all."""
    steps: dict[int, Step] = {}
    members: dict[int, list[Listing]] = {}
    for listing in found.values():
        if listing.head_id is not None:
            members.setdefault(listing.head_id, []).append(listing)
    lacking = members.keys() - found.keys()
    heads = {head.id: head for head in listings_of(session, listing_ids=lacking)} if lacking else {}
    for head_id, below in members.items():
        head = found.get(head_id) or heads[head_id]
        if head.placed:  # the page is there: each of its variants goes by itself
            continue
        if head_id not in found:
            message = "Its family’s page is not on the channel yet: publish the family."
            refused = ListingAnswer(
                refused=message, would="stay: their family is not on the channel"
            )
            steps |= {member.id: Step(refused) for member in below}
            continue
        first = head.gaps[0]["message"] if head.gaps else ""
        told = [
            FamilyMember(one.id, names[one.id].partition(" on ")[0], one.gap_count, one.must)
            for one in below
        ]
        plan = plan_family(head.gap_count, first, told, leave_out=leave_out)
        if not plan.head_goes:
            steps[head_id] = Step(ListingAnswer(refused=plan.reason, would=_STAYS))
        kept = {
            member_id: ListingAnswer(refused=why, would=_STAYS)
            for member_id, why in plan.kept.items()
        }
        going = ListingAnswer(wish=ListingWish.LIVE, would="would be placed with their family")
        steps |= {member_id: Step(answer) for member_id, answer in kept.items()}
        steps |= {member_id: Step(going, waits=True) for member_id in plan.going}
    return steps


def _carry_out(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    deed: ListingDeed,
    plan: Plan,
    row_of: dict[int | None, int],
) -> None:
    tellings: list[Telling] = []
    cancelled: list[int] = []
    taken_over: list[int] = []
    noted: list[tuple[int | None, str, audit.Changes]] = []
    for listing_id, step in plan.steps.items():
        listing = plan.listings[listing_id]
        if step.refused:
            continue
        if step.answer.wish == ListingWish.NONE and listing.wish == ListingWish.LIVE:
            cancelled.append(listing_id)
        listing.wish, listing.refusal, listing.changed_at = step.answer.wish, [], workplace.now()
        listing.gone = ""
        if deed == ListingDeed.PUBLISH and not listing.followed:  # whoever sends it takes it over
            listing.followed = True
            taken_over.append(listing_id)
        noted.append((listing_id, deed, {}))
        subject = listing_subject(listing_id)
        tellings += [
            Telling(
                listing.channel_id,
                subject,
                topic,
                topic_urgency(topic),
                listing_id,
                row_of[listing_id],
            )
            for topic in step.answer.topics
        ]
        settle_state(listing)
    audit.record_many(session, actor, workplace.now(), "listing", noted)
    _drop_waiting_publish(session, workplace, cancelled)
    session.flush()
    tell(session, workplace, tellings)
    if taken_over:
        refresh_listings(session, workplace, listing_ids=taken_over)


def _drop_waiting_publish(session: Session, workplace: Workplace, listing_ids: list[int]) -> None:
    """Drops an update that waits to publish a listing which is no longer wanted."""
    under_way: set[int | None] = set()
    for entry in open_publishes(session, listing_ids):
        if entry.state == UpdateState.WAITING and not entry.unsure:
            entry.state, entry.ended_at, entry.answer = (
                UpdateState.DROPPED,
                workplace.now(),
                "no longer wanted",
            )
        else:
            under_way.add(entry.listing_id)
    for listing_id in listing_ids:
        if listing_id not in under_way:  # a job must not wait for ever for what will never be sent
            settle_rows_of(
                session, workplace, listing_id, ok=False, reason="It was not wanted any more."
            )


def _row(position: int, listing_id: int, step: Step, name: str) -> NewRow:
    row = NewRow(position, name, listing_id=listing_id)
    if step.refused:
        return row._replace(verdict=JobVerdict.REFUSED, reason=step.refused)
    if not step.answer.topics and not step.waits:
        return row._replace(verdict=JobVerdict.DONE, reason=step.answer.note)
    return row
