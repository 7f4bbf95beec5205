"""Recording what a channel answered: what it accepted, what it refused, what must be tried again."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic, retry_wait, topic_urgency
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.channels.port import Placed
from relvan.services import audit
from relvan.services.jobs.rows import settle_row
from relvan.services.listings.refresh import refresh_listings, refusal_gaps, settle_state
from relvan.services.outbox.envelopes import Envelope, Outcome
from relvan.services.outbox.tell import Telling, listing_subject, tell
from relvan.services.outbox.waiting import return_to_waiting
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.tables import LagSample, Listing, OutboxEntry


@dataclass(frozen=True)
class Answer:
    """What came back for one envelope: a verdict, problems with its content, or trouble on the way."""

    envelope: Envelope
    ok: bool
    verdict: Outcome | None = None
    problems: tuple[tuple[str, str], ...] = ()
    trouble: OutsideTrouble | None = None


def record_answers(
    session: Session, workplace: Workplace, channel_id: int, worker: str, answers: Sequence[Answer]
) -> None:
    """Bring outbox, listings and bulk jobs in line with the answers; inside one transaction.

    An entry that is no longer this worker's (its lease was over and another took it) is left alone.
    """
    for answer in answers:
        entry = session.get_one(OutboxEntry, answer.envelope.entry_id)
        if entry.state != "sending" or entry.taken_by != worker:
            continue
        if answer.trouble is not None:
            _try_again(session, workplace, entry, answer.trouble)
        elif answer.problems:
            _refused(session, workplace, entry, list(answer.problems))
        elif isinstance(answer.verdict, Placed) or (answer.verdict and answer.verdict.ok):
            _accepted(session, workplace, entry, answer)
        else:
            says = answer.verdict.says if answer.verdict else ""
            _refused(session, workplace, entry, [("", says or "The channel refused it.")])
    session.flush()


def _try_again(session: Session, workplace: Workplace, entry: OutboxEntry, trouble: OutsideTrouble) -> None:
    entry.unsure = entry.unsure or trouble.unclear
    entry.answer = str(trouble)[:300]
    wait = retry_wait(entry.attempts, workplace.chance(), trouble.retry_after)
    return_to_waiting(session, entry, workplace.now() + timedelta(seconds=wait))


def _accepted(session: Session, workplace: Workplace, entry: OutboxEntry, answer: Answer) -> None:
    now = workplace.now()
    entry.state, entry.ended_at, entry.answer = "accepted", now, "accepted"
    settle_row(session, workplace, entry.job_row_id, ok=True)
    if entry.topic == Topic.QUANTITY and entry.caused_at is not None:
        seconds = max(0.0, (now - entry.caused_at).total_seconds())
        session.add(LagSample(channel_id=entry.channel_id, at=now, seconds=seconds))
    if entry.listing_id is None:
        return
    listing = session.get_one(Listing, entry.listing_id)
    for name, value in answer.envelope.sent.items():
        setattr(listing, name, value)
    if isinstance(answer.verdict, Placed):
        listing.placed, listing.shown = True, True
        listing.ref, listing.page, listing.until = answer.verdict.ref, answer.verdict.page, answer.verdict.until
        audit.record(session, SYSTEM, now, "listing", listing.id, "went live")
    listing.refusal = []  # what it has accepted since outweighs what it refused before
    _keep_refusal(listing)
    if entry.topic == Topic.PUBLISH:
        _after_placing(session, workplace, listing)


def _after_placing(session: Session, workplace: Workplace, listing: Listing) -> None:
    """What changed while the channel was answering is told now that the listing has a place; a change of mind too."""
    if listing.wish != "live":
        listing.wish = "down"
        urgency = topic_urgency(Topic.SHOWN)
        tell(session, workplace, [
            Telling(listing.channel_id, listing_subject(listing.id), Topic.SHOWN, urgency, listing.id)
        ])  # fmt: skip
    refresh_listings(session, workplace, listing_ids=[listing.id])


def _refused(session: Session, workplace: Workplace, entry: OutboxEntry, problems: list[tuple[str, str]]) -> None:
    now = workplace.now()
    said = "; ".join(says for _, says in problems)
    entry.state, entry.ended_at, entry.answer = "refused", now, said[:300]
    settle_row(session, workplace, entry.job_row_id, ok=False, reason=said)
    if entry.listing_id is None:
        return
    listing = session.get_one(Listing, entry.listing_id)
    listing.refusal = [{"field": name, "says": says} for name, says in problems]
    if entry.topic == Topic.PUBLISH:
        listing.wish = "none"
    audit.record(session, SYSTEM, now, "listing", listing.id, f"refused: {said[:200]}")
    _keep_refusal(listing)


def _keep_refusal(listing: Listing) -> None:
    """Show the refusal among the gaps, without telling the channel the same thing again."""
    kept = [gap for gap in listing.gaps if gap["kind"] != "refused"]
    listing.gaps = [*kept, *(asdict(gap) for gap in refusal_gaps(listing))]
    settle_state(listing)
