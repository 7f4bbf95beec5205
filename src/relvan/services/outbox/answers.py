"""Records what a channel answered: what it accepted, what it refused, and what must be tried again."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

from relvan.core.channels.sending import Topic, UpdateState, retry_wait
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.channels.port import Placed, RowVerdict, SheetLine
from relvan.services.jobs.rows import settle_done, settle_row
from relvan.services.outbox.envelopes import Envelope, Outcome
from relvan.services.outbox.waiting import return_to_waiting
from relvan.services.stations import Heard, UpdateOutcome
from relvan.services.workplace import Workplace
from relvan.store.job_rows import job_rows_by_id
from relvan.store.listings import listings_of
from relvan.store.outbox import close_as_accepted, entries_by_id
from relvan.store.session import Session
from relvan.store.tables import BulkJobRow, LagSample, Listing, OutboxEntry


@dataclass(frozen=True)
class Answer:
    """The answer to one envelope: a verdict, problems with its content, or trouble on the way."""

    envelope: Envelope
    verdict: Outcome | None = None
    problems: tuple[tuple[str, str], ...] = ()
    trouble: OutsideTrouble | None = None

    @property
    def accepted(self) -> bool:
        """Says whether the channel accepted it."""
        if self.problems or self.trouble is not None:
            return False
        return isinstance(self.verdict, Placed) or bool(self.verdict and self.verdict.ok)

    @property
    def words(self) -> tuple[tuple[str, str], ...]:
        """What the channel has refused about the update, each as (field, words)."""
        says = self.verdict.says if isinstance(self.verdict, RowVerdict) else ""
        return self.problems or (("", says or "The channel refused it."),)


def kept_envelope(entry: OutboxEntry, line: SheetLine) -> Envelope:
    """Returns the envelope of an update that was handed in: what it will have said when it is
    accepted. For one that the channel had accepted before, it is not known which numbers it
    carried."""
    unknown = (
        {"sent_price": None, "sent_regular": None, "sent_quantity": None}
        if line.again and line.placed
        else {}
    )
    return Envelope(
        entry.id,
        Topic(entry.topic),
        entry.subject,
        entry.key,
        entry.unsure,
        entry.listing_id,
        "",
        sent={**entry.sent, **unknown},
    )


def record_answers(
    session: Session,
    workplace: Workplace,
    worker: str,
    answers: Sequence[Answer],
    *,
    state: UpdateState = UpdateState.SENDING,
) -> None:
    """Brings updates, bulk jobs and listings in line with the answers, inside one transaction.

    An update that does not belong to this worker any more (its lease was over and another took it)
    is left alone.
    """
    entries = entries_by_id(session, [answer.envelope.entry_id for answer in answers])
    about = [entry.listing_id for entry in entries.values() if entry.listing_id is not None]
    listings = {listing.id: listing for listing in listings_of(session, listing_ids=about)}
    rows = _rows_to_refuse(session, entries, answers)
    accepted: list[OutboxEntry] = []
    heard: list[Heard] = []
    for answer in answers:
        entry = entries[answer.envelope.entry_id]
        if entry.state != state or entry.taken_by != worker:
            continue
        listing = listings.get(entry.listing_id or 0)
        if answer.trouble is not None:
            try_again(session, workplace, entry, answer.trouble)
            continue
        if answer.accepted:
            accepted.append(entry)
            _note_delay(session, workplace, entry)
        else:
            _refuse(session, workplace, entry, answer)
        if listing is not None:
            heard.append(_heard(entry, listing, answer))
    del rows  # kept until here, so that each is at hand when it gets its verdict
    _end_accepted(session, workplace, accepted)
    workplace.stations.hear(session, workplace, heard)


def _heard(entry: OutboxEntry, listing: Listing, answer: Answer) -> Heard:
    cause = str(entry.payload.get("cause", ""))
    if not answer.accepted:
        return Heard(
            listing,
            entry.topic,
            UpdateOutcome.REFUSED,
            answer.envelope.sent,
            cause,
            problems=answer.words,
        )
    placed = answer.verdict if isinstance(answer.verdict, Placed) else None
    return Heard(listing, entry.topic, UpdateOutcome.ACCEPTED, answer.envelope.sent, cause, placed)


def hold_back(
    session: Session, workplace: Workplace, envelopes: Sequence[Envelope]
) -> list[Envelope]:
    """Holds back listings that have got gaps since they were to be published, and tells their job;
    returns those that go. One whose answer was lost goes, because the channel may have it."""
    kept = {
        envelope.entry_id: envelope.gap
        for envelope in envelopes
        if envelope.gap and not envelope.unsure
    }
    heard = []
    for entry in entries_by_id(session, kept).values() if kept else ():
        why = kept[entry.id]
        entry.state, entry.ended_at, entry.answer = (
            UpdateState.DROPPED,
            workplace.now(),
            f"not sent: {why}"[:300],
        )
        settle_row(session, workplace, entry.job_row_id, ok=False, reason=why)
        heard.append(
            Heard(
                session.get_one(Listing, entry.listing_id),
                entry.topic,
                UpdateOutcome.KEPT_BACK,
                cause=why,
            )
        )
    workplace.stations.hear(session, workplace, heard)
    return [envelope for envelope in envelopes if envelope.entry_id not in kept]


def try_again(
    session: Session, workplace: Workplace, entry: OutboxEntry, trouble: OutsideTrouble
) -> None:
    """Lets an update wait for another try."""
    entry.unsure = entry.unsure or trouble.unclear
    entry.answer = str(trouble)[:300]
    wait = retry_wait(entry.attempts, workplace.chance(), trouble.retry_after)
    return_to_waiting(session, entry, workplace.now() + timedelta(seconds=wait))


def _note_delay(session: Session, workplace: Workplace, entry: OutboxEntry) -> None:
    """Notes how long after a sale the channel accepted the new quantity."""
    if entry.topic == Topic.QUANTITY and entry.caused_at is not None:
        seconds = max(0.0, (workplace.now() - entry.caused_at).total_seconds())
        session.add(LagSample(channel_id=entry.channel_id, at=workplace.now(), seconds=seconds))


def _rows_to_refuse(
    session: Session, entries: Mapping[int, OutboxEntry], answers: Sequence[Answer]
) -> list[BulkJobRow]:
    refused = [entries[answer.envelope.entry_id] for answer in answers if not answer.accepted]
    return job_rows_by_id(
        session, [entry.job_row_id for entry in refused if entry.job_row_id is not None]
    )


def _end_accepted(session: Session, workplace: Workplace, entries: Sequence[OutboxEntry]) -> None:
    """Closes updates that the channel accepted, and the rows of bulk jobs that asked for them."""
    session.flush()
    close_as_accepted(session, [entry.id for entry in entries], workplace.now())
    settle_done(
        session, workplace, [entry.job_row_id for entry in entries if entry.job_row_id is not None]
    )


def _refuse(session: Session, workplace: Workplace, entry: OutboxEntry, answer: Answer) -> None:
    said = "; ".join(says for _, says in answer.words)
    entry.state, entry.ended_at, entry.answer = UpdateState.REFUSED, workplace.now(), said[:300]
    settle_row(session, workplace, entry.job_row_id, ok=False, reason=said)
