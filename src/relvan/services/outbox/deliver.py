"""Sends the updates of one channel: takes some, sends them outside any transaction, and records the
answer.

One call of `deliver_next` sends one group of updates: in one call to the channel where it takes many
at once, else in a short series of calls, so that taking them and recording their answers costs one
transaction each and not one for every update. It may be killed at any point: updates that were being
sent are found again by their lease, looked up where sending twice would do harm, and sent again where
it would not.
"""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import takewhile

from relvan.core.channels.sending import SERIES_S, Breaker, Topic, UpdateState
from relvan.core.listings.rulebook import Rulebook
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ChannelGateway, ContentRefused, RowVerdict
from relvan.services.outbox.answers import Answer, hold_back, record_answers
from relvan.services.outbox.envelopes import (
    Envelope,
    keep_what_goes_out,
    make_envelopes,
    send_envelopes,
)
from relvan.services.outbox.sheets import HANDED_IN, hand_in, read_sheet, sheet_due
from relvan.services.outbox.waiting import return_to_waiting
from relvan.services.workplace import Workplace
from relvan.store.outbox import (
    entries_alike,
    entries_by_id,
    first_due,
    let_waiting_go,
    most_urgent_entry,
    take_entries,
    taken_entries,
)
from relvan.store.session import Session
from relvan.store.tables import Channel, OutboxEntry

LEASE = timedelta(seconds=90)


@dataclass(frozen=True)
class Delivery:
    """The result of one round: how many updates were sent or answered, and the seconds until there
    may be more to do (None when nothing waits)."""

    sent: int = 0
    wait_s: float | None = None


@dataclass(frozen=True)
class _Claimed:
    channel: Channel
    envelopes: list[Envelope]
    mark: str
    at_once: int = 1


def deliver_next(
    workplace: Workplace, channel_id: int, worker: str, series_s: float | None = None
) -> Delivery:
    """Sends the most urgent updates of a channel, as many at once as it takes; or reads a reply
    sheet. Updates that go one by one go in a series of at most `series_s` seconds, so that something
    more urgent waits no longer."""
    most_s = SERIES_S if series_s is None else series_s
    now = workplace.now()
    with workplace.database.reading() as session:
        idle = _at_rest(session, channel_id, now)
        sheet = None if idle is not None else sheet_due(session, channel_id, now)
        if idle is None and not isinstance(sheet, str):
            idle = _reason_to_wait(session, channel_id, now)
    if isinstance(sheet, str):
        return _read_sheet(workplace, channel_id, sheet)
    claimed = _claim(workplace, channel_id, worker, most_s) if idle is None else idle
    if isinstance(claimed, Delivery):
        return _sooner(claimed, sheet)
    if claimed.mark:
        return _hand_in(workplace, claimed, worker)
    return _send(workplace, claimed, worker, most_s)


def _send(workplace: Workplace, claimed: _Claimed, worker: str, most_s: float) -> Delivery:
    gateway = workplace.gateway(claimed.channel)
    answers: list[Answer] = []
    unsent, trouble, start, calls = claimed.envelopes, None, time.monotonic(), 0
    while unsent and trouble is None:
        if answers and time.monotonic() - start > most_s:
            break
        call, unsent = unsent[: claimed.at_once], unsent[claimed.at_once :]
        found, trouble = _call(gateway, call)
        answers += found
        calls += 1
    each_s = (time.monotonic() - start) / calls
    workplace.call_times.note(claimed.channel.id, claimed.envelopes[0].topic, each_s)
    with workplace.database.writing() as session:
        record_answers(session, workplace, worker, answers)
        _let_go(session, worker, unsent)
        if any(answer.trouble is None for answer in answers):
            note_call(session, workplace, claimed.channel.id, None)
        if trouble is not None:
            note_call(session, workplace, claimed.channel.id, trouble)
    return Delivery(sent=len(answers), wait_s=0.0 if trouble is None else 0.2)


def _call(
    gateway: ChannelGateway, envelopes: list[Envelope]
) -> tuple[list[Answer], OutsideTrouble | None]:
    """Sends envelopes in one call; returns the answers, and what went wrong on the way."""
    try:
        verdicts = send_envelopes(gateway, envelopes)
        return [Answer(envelope, verdict=verdict) for envelope, verdict in verdicts], None
    except ContentRefused as refusal:
        return [Answer(envelopes[0], problems=refusal.problems)], None
    except OutsideRefusal as refusal:
        verdict = RowVerdict("", False, str(refusal))
        return [Answer(envelope, verdict=verdict) for envelope in envelopes], None
    except OutsideTrouble as failure:
        return [Answer(envelope, trouble=failure) for envelope in envelopes], failure


def _let_go(session: Session, worker: str, envelopes: Sequence[Envelope]) -> None:
    """Lets updates that were taken and not sent wait again as they did before."""
    if not envelopes:
        return
    for entry in entries_by_id(session, [envelope.entry_id for envelope in envelopes]).values():
        if entry.state == UpdateState.SENDING and entry.taken_by == worker:
            entry.attempts -= 1
            return_to_waiting(session, entry, entry.due_at)


def _hand_in(workplace: Workplace, claimed: _Claimed, worker: str) -> Delivery:
    trouble = hand_in(workplace, claimed.channel, claimed.envelopes, claimed.mark, worker)
    with workplace.database.writing() as session:
        note_call(session, workplace, claimed.channel.id, trouble)
    return Delivery(sent=len(claimed.envelopes), wait_s=0.0 if trouble is None else 0.2)


def _read_sheet(workplace: Workplace, channel_id: int, sheet: str) -> Delivery:
    answered, trouble = read_sheet(workplace, channel_id, sheet)
    with workplace.database.writing() as session:
        note_call(session, workplace, channel_id, trouble)
    return Delivery(sent=answered, wait_s=0.0 if answered else 0.2)


def _sooner(delivery: Delivery, sheet_s: str | float | None) -> Delivery:
    if not isinstance(sheet_s, float):
        return delivery
    return Delivery(wait_s=sheet_s if delivery.wait_s is None else min(sheet_s, delivery.wait_s))


def note_call(
    session: Session, workplace: Workplace, channel_id: int, trouble: OutsideTrouble | None
) -> None:
    """Counts failures in a row. A success ends the trouble and lets all updates that wait go at
    once."""
    channel = session.get_one(Channel, channel_id)
    now = workplace.now()
    if trouble is None:
        if channel.failures:
            let_waiting_go(session, channel_id, now)
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
    """Takes back what a dead worker was sending: all of one name (when it starts again), else all
    whose lease is over."""
    now = workplace.now()
    with workplace.database.writing() as session:
        entries = taken_entries(session, now, worker)
        for entry in entries:
            entry.unsure = True
            return_to_waiting(session, entry, now)
        return len(entries)


def _claim(
    workplace: Workplace, channel_id: int, worker: str, most_s: float
) -> _Claimed | Delivery:
    now = workplace.now()
    with workplace.database.writing() as session:
        channel = session.get_one(Channel, channel_id)
        book = workplace.rulebook(channel)
        entries = _most_urgent(session, workplace, book, channel, most_s)
        if not entries:
            return Delivery()
        mark = ""
        if is_handed_in(
            book, entries[0]
        ):  # what may have arrived goes under the mark it went under before
            mark = (
                entries[0].sheet if entries[0].unsure and entries[0].sheet else workplace.new_key()
            )
        envelopes = make_envelopes(session, workplace, entries)
        if not mark:
            envelopes = _before_any_headless(envelopes)
        taken = [envelope.entry_id for envelope in envelopes]
        take_entries(session, taken, worker, now + LEASE, mark)
        keep_what_goes_out(session, envelopes)
        going = hold_back(session, workplace, envelopes)
        if not going:
            return Delivery(sent=len(envelopes), wait_s=0.0)
        return _Claimed(channel, going, mark, _rows_at_once(book, going[0].topic))


def _before_any_headless(envelopes: list[Envelope]) -> list[Envelope]:
    """Returns the first envelope and those after it, up to a member of a family whose head has no
    reference yet: the channel gives it in answer to one that goes before."""
    later = takewhile(
        lambda one: one.offer is None or one.offer.part != "member" or one.offer.head,
        envelopes[1:],
    )
    return [*envelopes[:1], *later]


def is_handed_in(book: Rulebook, entry: OutboxEntry) -> bool:
    """Says whether an update is handed in and answered by sheet; news of orders never is."""
    return book.answers == "by sheet" and entry.topic in HANDED_IN


def _at_rest(session: Session, channel_id: int, now: datetime) -> Delivery | None:
    channel = session.get(Channel, channel_id)
    if channel is None or channel.paused:
        return Delivery()
    if channel.probe_at is not None and channel.probe_at > now:
        return Delivery(wait_s=(channel.probe_at - now).total_seconds())
    return None


def _reason_to_wait(session: Session, channel_id: int, now: datetime) -> Delivery | None:
    due = first_due(session, channel_id)
    if due is None:
        return Delivery()
    return Delivery(wait_s=(due - now).total_seconds()) if due > now else None


def _most_urgent(
    session: Session, workplace: Workplace, book: Rulebook, channel: Channel, most_s: float
) -> list[OutboxEntry]:
    """Returns the updates to send together: the most urgent one, and others that may go with it."""
    now = workplace.now()
    first = most_urgent_entry(session, channel.id, now)
    if first is None:
        return []
    by_sheet = is_handed_in(book, first)
    most = _rows_at_once(book, Topic(first.topic))
    if most == 1 and not by_sheet:
        most = workplace.call_times.series_length(channel.id, Topic(first.topic), most_s)
    return entries_alike(session, first, now, most, by_sheet=by_sheet)


def _rows_at_once(book: Rulebook, topic: Topic) -> int:
    rows = book.rows_at_once
    most = {Topic.QUANTITY: rows.quantity, Topic.PRICE: rows.price}
    if book.answers == "by sheet":
        most |= {Topic.PUBLISH: rows.publish, Topic.CONTENT: rows.content, Topic.SHOWN: rows.shown}
    return most.get(topic, 1)
