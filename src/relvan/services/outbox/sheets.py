"""Channels that answer later: updates are handed in together, and their reply sheet is asked for
until it is there."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import cast

from relvan.core.channels.sending import Topic, UpdateState
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import RowVerdict, SheetGateway, SheetLine
from relvan.services.outbox.answers import Answer, kept_envelope, record_answers, try_again
from relvan.services.outbox.envelopes import Envelope, as_lines
from relvan.services.workplace import Workplace
from relvan.store.bulk import update_rows
from relvan.store.outbox import (
    HandedIn,
    entries_on_sheet,
    keep_handed_in,
    next_sheet,
    put_off_sheet,
)
from relvan.store.session import Session
from relvan.store.tables import Channel, OutboxEntry

HANDED_IN = frozenset({Topic.PUBLISH, Topic.CONTENT, Topic.QUANTITY, Topic.PRICE, Topic.SHOWN})
PATIENCE = timedelta(
    minutes=10
)  # so long the next update about a thing waits for the sheet of the one before it


def hand_in(
    workplace: Workplace, channel: Channel, envelopes: Sequence[Envelope], mark: str, worker: str
) -> OutsideTrouble | None:
    """Hands in updates of one topic under a mark, after looking whether they arrived before;
    returns the trouble, if any."""
    gateway = cast(SheetGateway, workplace.gateway(channel))
    trouble, number, refusal = None, "", ""
    try:
        number = gateway.find_handed_in(mark) if envelopes[0].unsure else ""
        if number:
            envelopes = [envelope.as_found() for envelope in envelopes]
        else:
            number = gateway.hand_in(mark, as_lines(envelopes))
    except OutsideTrouble as failure:
        trouble = failure
    except OutsideRefusal as failure:
        refusal = str(failure)
    with workplace.database.writing() as session:
        if trouble is not None:
            answers = [Answer(envelope, trouble=trouble) for envelope in envelopes]
            record_answers(session, workplace, worker, answers)
        elif refusal:
            verdict = RowVerdict("", False, refusal)
            record_answers(
                session, workplace, worker, [Answer(e, verdict=verdict) for e in envelopes]
            )
        else:
            _keep_waiting(session, workplace, channel, envelopes, number, worker)
    return trouble


def _keep_waiting(
    session: Session,
    workplace: Workplace,
    channel: Channel,
    envelopes: Sequence[Envelope],
    number: str,
    worker: str,
) -> None:
    due = workplace.now() + timedelta(
        seconds=workplace.rulebook(channel).reply_after_s(len(envelopes))
    )
    again = [
        envelope for envelope in envelopes if envelope.unsure
    ]  # of all others it is written down already
    update_rows(
        session, OutboxEntry, ["sent"], [(envelope.sent, envelope.entry_id) for envelope in again]
    )
    sheet = HandedIn(worker, number, due, workplace.now() + PATIENCE)
    keep_handed_in(session, [envelope.entry_id for envelope in envelopes], sheet)


def sheet_due(session: Session, channel_id: int, now: datetime) -> str | float | None:
    """Returns the number of the reply sheet to ask for now, the one that waits longest first, or
    the seconds until one is due; None when nothing is handed in."""
    found = next_sheet(session, channel_id)
    if found is None:
        return None
    number, due = found
    return number if due <= now else (due - now).total_seconds()


def read_sheet(
    workplace: Workplace, channel_id: int, number: str
) -> tuple[int, OutsideTrouble | None]:
    """Asks for a reply sheet and records its verdicts; returns how many updates were answered, and
    the trouble if any.

    A line that the sheet says nothing about, or a sheet that the channel does not know, is looked
    up and handed in again.
    """
    with workplace.database.reading() as session:
        channel = session.get_one(Channel, channel_id)
    gateway = cast(SheetGateway, workplace.gateway(channel))
    lines: tuple[SheetLine, ...] | None
    try:
        lines = gateway.reply_sheet(number)
    except OutsideTrouble as failure:
        _ask_later(workplace, channel, number)
        return 0, failure
    except OutsideRefusal:
        lines = ()
    if lines is None:
        _ask_later(workplace, channel, number)
        return 0, None
    return _record(workplace, channel_id, number, lines), None


def _record(workplace: Workplace, channel_id: int, number: str, lines: Sequence[SheetLine]) -> int:
    said = {line.key: line for line in lines}
    with workplace.database.writing() as session:
        entries = entries_on_sheet(session, channel_id, number)
        answers = []
        for entry in entries:
            line = said.get(entry.key)
            if line is None:
                _hand_in_again(session, workplace, entry)
                continue
            verdict = line.placed or RowVerdict("", True)
            answers.append(
                Answer(kept_envelope(entry, line), verdict=verdict, problems=line.problems)
            )
        record_answers(session, workplace, "", answers, state=UpdateState.HANDED_IN)
        return len(entries)


def _hand_in_again(session: Session, workplace: Workplace, entry: OutboxEntry) -> None:
    """Hands in again what nobody knows the result of. Under its old key the channel places nothing
    twice; anything else is carried out again, whether it was before or not."""
    entry.sheet = ""
    if entry.topic != Topic.PUBLISH:
        entry.key = workplace.new_key()
    try_again(session, workplace, entry, OutsideTrouble("The reply sheet says nothing of it"))


def _ask_later(workplace: Workplace, channel: Channel, number: str) -> None:
    due = workplace.now() + timedelta(seconds=workplace.rulebook(channel).reply_every_s)
    with workplace.database.writing() as session:
        put_off_sheet(session, channel.id, number, due)
