"""Channels that answer later: updates are handed in together, and their reply sheet is asked for until it is there."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import cast

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import RowVerdict, SheetGateway, SheetLine
from relvan.services.outbox.answers import Answer, kept_envelope, record_answers, try_again
from relvan.services.outbox.envelopes import Envelope, as_lines
from relvan.services.workplace import Workplace
from relvan.store.among import among
from relvan.store.bulk import update_rows
from relvan.store.tables import Channel, OutboxEntry

HANDED_IN = frozenset({Topic.PUBLISH, Topic.CONTENT, Topic.QUANTITY, Topic.PRICE, Topic.SHOWN})
STATE = "handed in"
PATIENCE = timedelta(minutes=10)  # so long the next update about a thing waits for the sheet of the one before it


def hand_in(
    workplace: Workplace, channel: Channel, envelopes: Sequence[Envelope], mark: str, worker: str
) -> OutsideTrouble | None:
    """Hand in updates of one topic under a mark, after looking whether they arrived before; the trouble, if any."""
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
            record_answers(session, workplace, worker, [Answer(e, verdict=verdict) for e in envelopes])
        else:
            _keep_waiting(session, workplace, channel, envelopes, number, worker)
    return trouble


def _keep_waiting(
    session: Session, workplace: Workplace, channel: Channel, envelopes: Sequence[Envelope], number: str, worker: str
) -> None:
    due = workplace.now() + timedelta(seconds=workplace.rulebook(channel).reply_after_s(len(envelopes)))
    again = [envelope for envelope in envelopes if envelope.unsure]  # of all others it is written down already
    update_rows(session, OutboxEntry, ["sent"], [(envelope.sent, envelope.entry_id) for envelope in again])
    ours = (
        among(OutboxEntry.id, [envelope.entry_id for envelope in envelopes]),
        OutboxEntry.state == "sending",
        OutboxEntry.taken_by == worker,
    )
    until = workplace.now() + PATIENCE
    values = {"state": STATE, "sheet": number, "due_at": due, "taken_by": "", "taken_until": until}
    session.execute(update(OutboxEntry).where(*ours).values(values).execution_options(synchronize_session=False))


def sheet_due(session: Session, channel_id: int, now: datetime) -> str | float | None:
    """The number of the reply sheet to ask for now, the longest waiting first, or seconds until one is due; none when
    nothing is handed in."""
    statement = select(OutboxEntry.sheet, OutboxEntry.due_at).where(
        OutboxEntry.channel_id == channel_id, OutboxEntry.state == STATE
    )
    row = session.execute(statement.order_by(OutboxEntry.due_at, OutboxEntry.id).limit(1)).first()
    if row is None:
        return None
    return row[0] if row[1] <= now else float((row[1] - now).total_seconds())


def read_sheet(workplace: Workplace, channel_id: int, number: str) -> tuple[int, OutsideTrouble | None]:
    """Ask for a reply sheet and record its verdicts; how many updates were answered, and the trouble if any.

    A line that the sheet says nothing of, or a sheet that the channel does not know, is looked up and handed in again.
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
        entries = session.scalars(
            select(OutboxEntry).where(
                OutboxEntry.channel_id == channel_id, OutboxEntry.sheet == number, OutboxEntry.state == STATE
            )
        ).all()
        answers = []
        for entry in entries:
            line = said.get(entry.key)
            if line is None:
                _hand_in_again(session, workplace, entry)
                continue
            verdict = line.placed or RowVerdict("", True)
            answers.append(Answer(kept_envelope(entry, line), verdict=verdict, problems=line.problems))
        record_answers(session, workplace, "", answers, state=STATE)
        return len(entries)


def _hand_in_again(session: Session, workplace: Workplace, entry: OutboxEntry) -> None:
    """Nobody knows what became of it. Under its old key the channel places nothing twice; anything else is to be
    carried out, whether it was before or not."""
    entry.sheet = ""
    if entry.topic != Topic.PUBLISH:
        entry.key = workplace.new_key()
    try_again(session, workplace, entry, OutsideTrouble("The reply sheet says nothing of it"))


def _ask_later(workplace: Workplace, channel: Channel, number: str) -> None:
    due = workplace.now() + timedelta(seconds=workplace.rulebook(channel).reply_every_s)
    waiting = (OutboxEntry.channel_id == channel.id, OutboxEntry.sheet == number, OutboxEntry.state == STATE)
    with workplace.database.writing() as session:
        session.execute(update(OutboxEntry).where(*waiting).values(due_at=due))
