"""Publishing listings, taking them down and putting them back: one or hundreds, as a bulk job with verdicts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.listings.families import Member, plan_family
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.jobs.rows import NewRow, open_job, settle_rows_of
from relvan.services.listings.refresh import refresh_listings, settle_state
from relvan.services.outbox.tell import Telling, listing_subject, tell
from relvan.services.workplace import Actor, Workplace
from relvan.store.among import among
from relvan.store.listings import listing_ids_of, listings_of
from relvan.store.tables import Channel, Listing, OutboxEntry, Product

MOST_AT_ONCE = 20_000


@dataclass(frozen=True)
class Step:
    """What is done about one listing: topics to tell, or the reason why nothing is. A member of a family `waits` until
    the page is there."""

    topics: tuple[Topic, ...] = ()
    wish: str = ""
    refused: str = ""
    note: str = ""
    waits: bool = False


def publish_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int], *, leave_out: bool = False) -> int:
    """Send listings to their channels: new ones whole, behind ones what differs; of a family's page all its members,
    those with gaps left out only by choice. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "publish", "Publish", _publish, leave_out=leave_out)


def take_down_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Take listings off their channels, whole families with their heads. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "take down", "Take down", _take_down)


def put_back_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Offer listings again that were taken down, whole families with their heads. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "put back", "Put back", _put_back)


def _publish(listing: Listing) -> Step:
    if listing.gap_count:
        word = "gap keeps" if listing.gap_count == 1 else "gaps keep"
        first = listing.gaps[0]["message"]
        return Step(refused=f"{listing.gap_count} {word} it from going live: {first}")
    if not listing.placed:
        return Step((Topic.PUBLISH,), "live")
    if listing.state == "down":
        return _put_back(listing)
    differing = listing.behind.split()
    if "content" in differing or "pictures" in differing:
        return Step((Topic.CONTENT,), "live")
    if not listing.followed:
        return Step(wish="live", note="Its price and quantity are followed from now on.")
    return Step(wish="live", note="Nothing differs.")


def _take_down(listing: Listing) -> Step:
    if not listing.placed:
        return Step(wish="none", note="It is not on the channel.")
    return Step((Topic.SHOWN,), "down") if listing.shown else Step(wish="down", note="It is down already.")


def _put_back(listing: Listing) -> Step:
    if not listing.placed:
        return Step(refused="It has never been on the channel: publish it.")
    if listing.quantity <= 0 and not listing.is_head:
        return Step(refused="None is free to sell.")
    if listing.shown and listing.until is None:
        return Step(wish="live", note="It is shown already.")
    return Step((Topic.SHOWN,), "live")  # where listings lapse, one that is shown is renewed


def _run(
    workplace: Workplace,
    actor: Actor,
    listing_ids: Sequence[int],
    kind: str,
    word: str,
    decide: Callable[[Listing], Step],
    *,
    leave_out: bool = False,
) -> int:
    actor.must(Right.LISTINGS)
    asked = list(dict.fromkeys(listing_ids))
    if not asked or len(asked) > MOST_AT_ONCE:
        raise refuse("ids", f"Between 1 and {MOST_AT_ONCE:,} listings at once; it got {len(asked):,}.", "", "ids")
    with workplace.database.writing() as session:
        concerned = listing_ids_of(session, listing_ids=asked)
        found = {listing.id: listing for listing in listings_of(session, listing_ids=concerned)}
        missing = [listing_id for listing_id in asked if listing_id not in found]
        if missing:
            raise refuse("not-found", f"There is no listing “{missing[0]}”.", "Look at the list again.", "ids")
        wanted = list(dict.fromkeys([*asked, *found]))
        names = _names(session, wanted)
        steps = {listing_id: decide(found[listing_id]) for listing_id in wanted}
        if decide is _publish:
            steps |= _family_steps(session, found, names, leave_out=leave_out)
        rows = [_row(listing_id, steps[listing_id], names[listing_id]) for listing_id in wanted]
        plural = "listing" if len(wanted) == 1 else "listings"
        job, row_ids = open_job(session, workplace, actor, kind, f"{word} {len(wanted)} {plural}", rows)
        row_of = {row.listing_id: row_id for row, row_id in zip(rows, row_ids, strict=True)}
        _carry_out(session, workplace, actor, kind, found, steps, row_of)
        return job.id


def _family_steps(
    session: Session, found: dict[int, Listing], names: dict[int, str], *, leave_out: bool
) -> dict[int, Step]:
    """What is done about the members of families' pages: they go with their head, after it, or not at all."""
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
            refused = Step(refused="Its family’s page is not on the channel yet: publish the family.")
            steps |= {member.id: refused for member in below}
            continue
        first = head.gaps[0]["message"] if head.gaps else ""
        told = [Member(one.id, names[one.id].partition(" on ")[0], one.gap_count, one.must) for one in below]
        plan = plan_family(head.gap_count, first, told, leave_out=leave_out)
        if not plan.head_goes:
            steps[head_id] = Step(refused=plan.reason)
        steps |= {member_id: Step(refused=why) for member_id, why in plan.kept.items()}
        steps |= {member_id: Step(wish="live", waits=True) for member_id in plan.going}
    return steps


def _carry_out(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    kind: str,
    found: dict[int, Listing],
    steps: dict[int, Step],
    row_of: dict[int | None, int],
) -> None:
    tellings: list[Telling] = []
    cancelled: list[int] = []
    taken_over: list[int] = []
    noted: list[tuple[int | None, str, audit.Changes]] = []
    for listing_id, step in steps.items():
        listing = found[listing_id]
        if step.refused:
            continue
        if step.wish == "none" and listing.wish == "live":
            cancelled.append(listing_id)
        listing.wish, listing.refusal, listing.changed_at = step.wish, [], workplace.now()
        listing.gone = ""
        if kind == "publish" and not listing.followed:  # whoever sends it takes it over
            listing.followed = True
            taken_over.append(listing_id)
        noted.append((listing_id, kind, {}))
        for topic in step.topics:
            tellings.append(
                Telling(
                    listing.channel_id,
                    listing_subject(listing_id),
                    topic,
                    topic_urgency(topic),
                    listing_id,
                    row_of[listing_id],
                )
            )
        settle_state(listing)
    audit.record_many(session, actor, workplace.now(), "listing", noted)
    _drop_waiting_publish(session, workplace, cancelled)
    session.flush()
    tell(session, workplace, tellings)
    if taken_over:
        refresh_listings(session, workplace, listing_ids=taken_over)


def _drop_waiting_publish(session: Session, workplace: Workplace, listing_ids: list[int]) -> None:
    """A listing that waits to be published and is not wanted any more is not sent."""
    statement = select(OutboxEntry).where(
        among(OutboxEntry.listing_id, listing_ids), OutboxEntry.topic == Topic.PUBLISH,
        OutboxEntry.state.in_(("waiting", "sending", "handed in")),
    )  # fmt: skip
    under_way: set[int | None] = set()
    for entry in session.scalars(statement):
        if entry.state == "waiting" and not entry.unsure:
            entry.state, entry.ended_at, entry.answer = "dropped", workplace.now(), "no longer wanted"
        else:
            under_way.add(entry.listing_id)
    for listing_id in listing_ids:
        if listing_id not in under_way:  # a job must not wait for ever for what will never be sent
            settle_rows_of(session, workplace, listing_id, ok=False, reason="It was not wanted any more.")


def _row(listing_id: int, step: Step, name: str) -> NewRow:
    if step.refused:
        return NewRow(name, listing_id, "refused", step.refused)
    if not step.topics and not step.waits:
        return NewRow(name, listing_id, "done", step.note)
    return NewRow(name, listing_id)


def _names(session: Session, listing_ids: list[int]) -> dict[int, str]:
    rows = session.execute(
        select(Listing.id, func.coalesce(func.nullif(Listing.alias, ""), Product.sku), Channel.name)
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
        .where(among(Listing.id, listing_ids))
    )
    names = {listing_id: f"{sku} on {channel}" for listing_id, sku, channel in rows}
    return {listing_id: names[listing_id] for listing_id in listing_ids}
