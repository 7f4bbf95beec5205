"""Recording what a channel answered: what it accepted, what it refused, what must be tried again."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic, retry_wait, topic_urgency
from relvan.core.listings.refusals import Said, after_accepting, keep_problems
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.channels.port import Placed, RowVerdict, SheetLine
from relvan.services import audit
from relvan.services.jobs.rows import rows_by_id, settle_done, settle_row, settle_rows_of, waiting_rows
from relvan.services.listings.refresh import (
    keep_refusal,
    news,
    problems_of,
    refresh_listings,
    refusal_gaps,
    settle_state,
)
from relvan.services.outbox.envelopes import Envelope, Outcome
from relvan.services.outbox.tell import Telling, listing_subject, tell
from relvan.services.outbox.waiting import return_to_waiting
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.among import among
from relvan.store.listings import listings_of, members_of
from relvan.store.tables import BulkJobRow, Channel, LagSample, Listing, OutboxEntry, PriceSent


@dataclass(frozen=True)
class Answer:
    """What came back for one envelope: a verdict, problems with its content, or trouble on the way."""

    envelope: Envelope
    verdict: Outcome | None = None
    problems: tuple[tuple[str, str], ...] = ()
    trouble: OutsideTrouble | None = None

    @property
    def accepted(self) -> bool:
        """Whether the channel took it."""
        if self.problems or self.trouble is not None:
            return False
        return isinstance(self.verdict, Placed) or bool(self.verdict and self.verdict.ok)


def kept_envelope(entry: OutboxEntry, line: SheetLine) -> Envelope:
    """The envelope of an update that was handed in: what it will have said when it is accepted. Of one that the channel
    had taken before, nobody knows which numbers it carried then."""
    unknown = {"sent_price": None, "sent_regular": None, "sent_quantity": None} if line.again and line.placed else {}
    return Envelope(
        entry.id, Topic(entry.topic), entry.subject, entry.key, entry.unsure, entry.listing_id, "",
        sent={**entry.sent, **unknown},
    )  # fmt: skip


def record_answers(
    session: Session, workplace: Workplace, worker: str, answers: Sequence[Answer], *, state: str = "sending"
) -> None:
    """Bring outbox, listings and bulk jobs in line with the answers; inside one transaction.

    An entry that is no longer this worker's (its lease was over and another took it) is left alone.
    """
    wanted = [answer.envelope.entry_id for answer in answers]
    entries = {row.id: row for row in session.scalars(select(OutboxEntry).where(among(OutboxEntry.id, wanted)))}
    about = [entry.listing_id for entry in entries.values() if entry.listing_id is not None]
    listings = {listing.id: listing for listing in listings_of(session, listing_ids=about)}
    rows = _rows_to_refuse(session, entries, answers)
    came = _Came()
    for answer in answers:
        entry = entries[answer.envelope.entry_id]
        if entry.state == state and entry.taken_by == worker:
            _take_in(session, workplace, entry, listings.get(entry.listing_id or 0), answer, came)
    del rows  # kept until here, so that each is at hand when it gets its verdict
    _end_accepted(session, workplace, came.accepted)
    went: list[tuple[int | None, str, audit.Changes]] = [(listing.id, "went live", {}) for listing in came.placed]
    audit.record_many(session, SYSTEM, workplace.now(), "listing", went)
    _after_placing(session, workplace, came.placed)
    _tell_what_changed_meanwhile(session, workplace, came.told)
    _settle_on_pages(session, workplace, came.placed, came.pages)
    _after_refused_heads(session, workplace, came.refused_heads)


@dataclass
class _Came:
    """What came of a round of answers: updates accepted, listings placed (with their page of the catalogue by id) and
    told on a topic, heads refused with the channel's words. What follows is done for all of them at once."""

    accepted: list[OutboxEntry] = field(default_factory=list)
    placed: list[Listing] = field(default_factory=list)
    told: list[tuple[Listing, str]] = field(default_factory=list)
    pages: dict[int, str] = field(default_factory=dict)
    refused_heads: dict[int, str] = field(default_factory=dict)


def _take_in(
    session: Session, workplace: Workplace, entry: OutboxEntry, listing: Listing | None, answer: Answer, came: _Came
) -> None:
    if answer.trouble is not None:
        try_again(session, workplace, entry, answer.trouble)
    elif answer.accepted:
        came.accepted.append(entry)
        _accepted(session, workplace, entry, listing, answer, came)
    else:
        _refused(session, workplace, entry, listing, answer, came)


def hold_back(session: Session, workplace: Workplace, envelopes: Sequence[Envelope]) -> list[Envelope]:
    """Keep back what has got gaps since it was to be published, and tell its job; what goes all the same. One whose
    answer was lost goes: the channel may have it."""
    kept = {envelope.entry_id: envelope.gap for envelope in envelopes if envelope.gap and not envelope.unsure}
    heads: dict[int, str] = {}
    for entry in session.scalars(select(OutboxEntry).where(OutboxEntry.id.in_(kept))) if kept else ():
        why = kept[entry.id]
        entry.state, entry.ended_at, entry.answer = "dropped", workplace.now(), f"not sent: {why}"[:300]
        settle_row(session, workplace, entry.job_row_id, ok=False, reason=why)
        listing = session.get_one(Listing, entry.listing_id)
        if entry.topic == Topic.PUBLISH:
            listing.wish = "none"
            heads[listing.id] = why
        settle_state(listing)
    _after_refused_heads(session, workplace, heads)
    return [envelope for envelope in envelopes if envelope.entry_id not in kept]


def try_again(session: Session, workplace: Workplace, entry: OutboxEntry, trouble: OutsideTrouble) -> None:
    """Let an update wait for another try."""
    entry.unsure = entry.unsure or trouble.unclear
    entry.answer = str(trouble)[:300]
    wait = retry_wait(entry.attempts, workplace.chance(), trouble.retry_after)
    return_to_waiting(session, entry, workplace.now() + timedelta(seconds=wait))


def _accepted(
    session: Session, workplace: Workplace, entry: OutboxEntry, listing: Listing | None, answer: Answer, came: _Came
) -> None:
    now = workplace.now()
    if entry.topic == Topic.QUANTITY and entry.caused_at is not None:
        seconds = max(0.0, (now - entry.caused_at).total_seconds())
        session.add(LagSample(channel_id=entry.channel_id, at=now, seconds=seconds))
    if listing is None:
        return
    came.told.append((listing, entry.topic))
    for name, value in answer.envelope.sent.items():
        setattr(listing, name, value)
    _note_price(session, now, listing, entry, answer.envelope.sent)
    if isinstance(answer.verdict, Placed):
        listing.placed, listing.shown = True, True
        listing.ref, listing.page, listing.until = answer.verdict.ref, answer.verdict.page, answer.verdict.until
        came.placed.append(listing)
        if answer.verdict.catalogue_page:
            came.pages[listing.id] = answer.verdict.catalogue_page
    if listing.refusal:
        keep_refusal(listing, after_accepting(problems_of(listing), entry.topic))
    _show_refusal(listing)


def _note_price(session: Session, now: datetime, listing: Listing, entry: OutboxEntry, sent: Mapping[str, Any]) -> None:
    """Keep every price that a channel has accepted, with what it came from."""
    amount = sent.get("sent_price")
    if amount is None:
        return
    cause = str(entry.payload.get("cause", "")) or ("published" if entry.topic == Topic.PUBLISH else "")
    session.add(
        PriceSent(
            listing_id=listing.id, channel_id=listing.channel_id, at=now, amount=amount,
            regular=sent.get("sent_regular"), cause=cause,
        )
    )  # fmt: skip


def _rows_to_refuse(
    session: Session, entries: Mapping[int, OutboxEntry], answers: Sequence[Answer]
) -> list[BulkJobRow]:
    refused = [entries[answer.envelope.entry_id] for answer in answers if not answer.accepted]
    return rows_by_id(session, [entry.job_row_id for entry in refused if entry.job_row_id is not None])


def _end_accepted(session: Session, workplace: Workplace, entries: Sequence[OutboxEntry]) -> None:
    """Close updates that the channel accepted, and the rows of bulk jobs that asked for them."""
    session.flush()
    ids = [entry.id for entry in entries]
    values = {"state": "accepted", "ended_at": workplace.now(), "answer": "accepted"}
    statement = update(OutboxEntry).where(among(OutboxEntry.id, ids)).values(values)
    session.execute(statement.execution_options(synchronize_session=False))
    settle_done(session, workplace, [entry.job_row_id for entry in entries if entry.job_row_id is not None])


def _after_placing(session: Session, workplace: Workplace, placed: Sequence[Listing]) -> None:
    """What changed while the channel was answering is told now that listings have a place; a change of mind too. The
    members of a family's page are sent once the page is there."""
    if not placed:
        return
    tellings = []
    for listing in placed:
        if listing.wish != "live":
            listing.wish = "down"
            tellings.append(_telling(listing, Topic.SHOWN))
    waiting = [
        member
        for member in members_of(session, [listing.id for listing in placed if listing.wish == "live"])
        if member.wish == "live" and not member.placed
    ]
    rows = waiting_rows(session, [member.id for member in waiting])
    tellings += [_telling(member, Topic.PUBLISH, rows.get(member.id)) for member in waiting]
    for listing in placed:  # what was worked out while it had no place holds, but nothing of it was told
        tellings += news(listing, set())
    tell(session, workplace, tellings)
    gapped = [listing.id for listing in placed if listing.gap_count]
    if gapped:  # a listing that has its place may stand at zero
        refresh_listings(session, workplace, listing_ids=gapped)


def _tell_what_changed_meanwhile(session: Session, workplace: Workplace, told: Sequence[tuple[Listing, str]]) -> None:
    """What the channel has taken may be older than what is held: an answer was lost, and the thing changed since."""
    tellings = []
    for listing, topic in told:
        if topic == Topic.SHOWN and listing.shown != listing.to_show:
            tellings.append(_telling(listing, Topic.SHOWN))
        tellings += [one for one in news(listing, set()) if one.topic == topic]
    tell(session, workplace, tellings)


def _settle_on_pages(session: Session, workplace: Workplace, placed: Sequence[Listing], pages: dict[int, str]) -> None:
    """An offer that got a new page of the channel's catalogue stands on it like any other from now on: what the page
    says is the channel's affair, and nothing of it is behind."""
    if not pages:
        return
    moved = []
    names = {key: workplace.rulebook(session.get_one(Channel, key)).page_field
             for key in {listing.channel_id for listing in placed}}  # fmt: skip
    for listing in placed:
        name, page = names[listing.channel_id], pages.get(listing.id, "")
        if name and page and listing.own.get(name) != page:
            listing.own = {**listing.own, name: page}
            moved.append(listing)
    if not moved:
        return
    refresh_listings(session, workplace, listing_ids=[listing.id for listing in moved])
    for listing in moved:
        listing.sent_content, listing.sent_pictures = listing.held_content, listing.held_pictures
        settle_state(listing)


def _telling(listing: Listing, topic: Topic, job_row_id: int | None = None) -> Telling:
    subject = listing_subject(listing.id)
    return Telling(listing.channel_id, subject, topic, topic_urgency(topic), listing.id, job_row_id)


def _after_refused_heads(session: Session, workplace: Workplace, refused: dict[int, str]) -> None:
    """A variant never goes out alone because its head was refused: what waited for it is let go, and said."""
    if not refused:
        return
    for member in members_of(session, list(refused)):
        if member.wish == "live" and not member.placed:
            member.wish = "none"
            reason = f"Its family’s page was refused: {refused[member.head_id or 0]}"
            settle_rows_of(session, workplace, member.id, ok=False, reason=reason[:400])
            settle_state(member)


def _refused(
    session: Session,
    workplace: Workplace,
    entry: OutboxEntry,
    listing: Listing | None,
    answer: Answer,
    came: _Came,
) -> None:
    now = workplace.now()
    says = answer.verdict.says if isinstance(answer.verdict, RowVerdict) else ""
    problems = answer.problems or (("", says or "The channel refused it."),)
    said = "; ".join(says for _, says in problems)
    entry.state, entry.ended_at, entry.answer = "refused", now, said[:300]
    settle_row(session, workplace, entry.job_row_id, ok=False, reason=said)
    if listing is None:
        return
    before = [problem for problem in problems_of(listing) if problem.topic != entry.topic]
    keep_refusal(listing, [*before, *keep_problems(entry.topic, problems, _said(listing, answer.envelope.sent))])
    if entry.topic == Topic.PUBLISH:
        listing.wish = "none"
        if listing.head_id is None:
            came.refused_heads[listing.id] = said
    audit.record(session, SYSTEM, now, "listing", listing.id, f"refused: {said[:200]}")
    _show_refusal(listing)


def _said(listing: Listing, sent: Mapping[str, Any]) -> Said:
    """What a listing said in an update; what the update left out, as it is held."""
    mark = sent.get("sent_content", listing.held_content) + sent.get("sent_pictures", listing.held_pictures)
    numbers: dict[str, int | None] = {
        Topic.PRICE: sent.get("sent_price", listing.price), Topic.QUANTITY: sent.get("sent_quantity", listing.quantity),
    }  # fmt: skip
    return Said(sent.get("sent_fields", {}), mark, numbers)


def _show_refusal(listing: Listing) -> None:
    """Show the refusal among the gaps, without telling the channel the same thing again."""
    kept = [gap for gap in listing.gaps if gap["kind"] != "refused"]
    listing.gaps = [*kept, *(asdict(gap) for gap in refusal_gaps(listing))]
    settle_state(listing)
