"""Delivering the outbox of one channel: claim, send outside any transaction, record the answer.

One call of `deliver_next` sends one bulk of updates. It may be killed at any point: what was being sent is
found again by its lease, looked up where a second sending would do harm, and sent again where it would not.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Breaker, Topic
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ContentRefused, RowVerdict
from relvan.services.outbox.answers import Answer, record_answers
from relvan.services.outbox.envelopes import Envelope, make_envelopes, send_envelopes
from relvan.services.outbox.waiting import return_to_waiting
from relvan.services.workplace import Workplace
from relvan.store.tables import Channel, OutboxEntry

LEASE = timedelta(seconds=90)


@dataclass(frozen=True)
class Delivery:
    """What came of one round: updates sent, and seconds until there may be more to do (none: nothing waits)."""

    sent: int = 0
    wait_s: float | None = None


def deliver_next(workplace: Workplace, channel_id: int, worker: str) -> Delivery:
    """Send the most urgent updates of a channel, as many at once as its rulebook takes."""
    claimed = _claim(workplace, channel_id, worker)
    if isinstance(claimed, Delivery):
        return claimed
    channel, envelopes = claimed
    gateway = workplace.gateway(channel)
    try:
        verdicts = send_envelopes(gateway, envelopes)
        answers = [Answer(envelope, ok=True, verdict=verdict) for envelope, verdict in verdicts]
        trouble = None
    except ContentRefused as refusal:
        answers, trouble = [Answer(envelopes[0], ok=False, problems=refusal.problems)], None
    except OutsideRefusal as refusal:
        verdict = RowVerdict("", False, str(refusal))
        answers, trouble = [Answer(envelope, ok=True, verdict=verdict) for envelope in envelopes], None
    except OutsideTrouble as failure:
        answers, trouble = [Answer(envelope, ok=False, trouble=failure) for envelope in envelopes], failure
    with workplace.database.writing() as session:
        record_answers(session, workplace, channel_id, worker, answers)
        note_call(session, workplace, channel_id, trouble)
    return Delivery(sent=len(answers), wait_s=0.0 if trouble is None else 0.2)


def note_call(session: Session, workplace: Workplace, channel_id: int, trouble: OutsideTrouble | None) -> None:
    """Keep count of failures in a row; a success heals the channel and lets all that waits go at once."""
    channel = session.get_one(Channel, channel_id)
    now = workplace.now()
    if trouble is None:
        if channel.failures:
            statement = update(OutboxEntry).where(
                OutboxEntry.channel_id == channel_id, OutboxEntry.state == "waiting", OutboxEntry.due_at > now
            )
            session.execute(statement.values(due_at=now))
        channel.failures, channel.probe_at, channel.last_ok_at = 0, None, now
        return
    channel.last_error = str(trouble)[:300]
    if trouble.retry_after is not None:
        channel.probe_at = now + timedelta(seconds=trouble.retry_after + workplace.chance() * 0.25)
        return
    breaker = Breaker(channel.failures).after(ok=False)
    channel.failures = breaker.failures
    if breaker.in_trouble:
        channel.probe_at = now + timedelta(seconds=breaker.probe_wait(workplace.chance()))


def reclaim(workplace: Workplace, worker: str = "") -> int:
    """Take back what a dead worker was sending: all of one name (at its start), else all whose lease is over."""
    now = workplace.now()
    condition = OutboxEntry.taken_by == worker if worker else OutboxEntry.taken_until < now
    with workplace.database.writing() as session:
        entries = session.scalars(select(OutboxEntry).where(OutboxEntry.state == "sending", condition)).all()
        for entry in entries:
            entry.unsure = True
            return_to_waiting(session, entry, now)
        return len(entries)


def _claim(workplace: Workplace, channel_id: int, worker: str) -> tuple[Channel, list[Envelope]] | Delivery:
    now = workplace.now()
    with workplace.database.reading() as session:
        idle = _reason_to_wait(session, channel_id, now)
    if idle is not None:
        return idle
    with workplace.database.writing() as session:
        channel = session.get_one(Channel, channel_id)
        entries = _most_urgent(session, workplace, channel, now)
        if not entries:
            return Delivery()
        for entry in entries:
            entry.state, entry.taken_by, entry.taken_until = "sending", worker, now + LEASE
            entry.attempts += 1
        envelopes = make_envelopes(session, workplace, entries)
        session.flush()
        return channel, envelopes


def _reason_to_wait(session: Session, channel_id: int, now: datetime) -> Delivery | None:
    channel = session.get(Channel, channel_id)
    if channel is None or channel.paused:
        return Delivery()
    if channel.probe_at is not None and channel.probe_at > now:
        return Delivery(wait_s=(channel.probe_at - now).total_seconds())
    due = session.scalar(
        select(OutboxEntry.due_at)
        .where(OutboxEntry.channel_id == channel_id, OutboxEntry.state == "waiting")
        .order_by(OutboxEntry.due_at)
        .limit(1)
    )
    if due is None:
        return Delivery()
    return Delivery(wait_s=(due - now).total_seconds()) if due > now else None


def _most_urgent(session: Session, workplace: Workplace, channel: Channel, now: datetime) -> list[OutboxEntry]:
    """The entries to send in one call: the most urgent one, and others that may travel with it."""
    waiting = (
        select(OutboxEntry)
        .where(OutboxEntry.channel_id == channel.id, OutboxEntry.state == "waiting", OutboxEntry.due_at <= now)
        .order_by(OutboxEntry.urgency, OutboxEntry.due_at, OutboxEntry.id)
    )
    first = session.scalar(waiting.limit(1))
    if first is None:
        return []
    rows = workplace.rulebook(channel).rows_at_once
    most = {Topic.QUANTITY: rows.quantity, Topic.PRICE: rows.price}.get(Topic(first.topic), 1)
    if most == 1:
        return [first]
    return list(session.scalars(waiting.where(OutboxEntry.topic == first.topic).limit(most)))
