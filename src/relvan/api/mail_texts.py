"""Serves texts of mails and mails over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Flag, Id, described, described_text
from relvan.api.desk import By, Caller, Cursor, Limit, OneOf, api_router, page_of
from relvan.api.shapes import OrderNumbers, Shape, verdicts_of
from relvan.core.mail.life import MailState
from relvan.core.mail.texts import MOST_NAME, MOST_SUBJECT, MailEvent, MailText
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.texts import SAYING, WORDS
from relvan.services.mail.deliver import send_again
from relvan.services.mail.texts import delete_mail_text, preview_mail, save_mail_text
from relvan.services.mail.write import mail_estimate, mail_orders
from relvan.store.mailing import (
    mail_by_id,
    mail_page,
    mail_text_row,
    mail_texts,
    mails_of_order,
    text_of_row,
)
from relvan.store.orders import order_by_number
from relvan.store.tables import MailRow

router = api_router(tags=["mail"])
TextName = Annotated[str, Field(max_length=400), described_text(SAYING, MOST_NAME)]
Subject = Annotated[str, Field(max_length=1000), described_text(SAYING, MOST_SUBJECT)]
Body = Annotated[str, Field(max_length=20_000), described_text(r"[A-Za-z0-9]", 20_000)]
Event = Annotated[str, described(MailEvent)]


class MailTextShape(Shape):
    """A text of mails: for one event, and for one channel or one language alone if these are not
    empty (`none` is for orders taken by hand). `subject` and `text` name places such as
    `{{ order.number }}`."""

    name: TextName
    event: Event
    subject: Subject
    text: Body
    channel: Annotated[str, Field(max_length=60)] = ""
    language: Annotated[str, Field(max_length=10)] = ""
    automatic: Flag = False


class MailTextChange(Shape):
    """The fields of a text that change."""

    name: TextName | None = None
    event: Event | None = None
    subject: Subject | None = None
    text: Body | None = None
    channel: Annotated[str, Field(max_length=60)] | None = None
    language: Annotated[str, Field(max_length=10)] | None = None
    automatic: Flag | None = None


class MailPreview(MailTextShape):
    """A text, saved or not, and the order over which it is shown."""

    order: Annotated[str, Field(max_length=60), described_text(WORDS, 60)]


class OrdersMail(OrderNumbers):
    """Orders and the text that their customers are mailed."""

    text: Id


def _read(told: dict[str, Any], text_id: int = 0) -> MailText:
    if told["event"] not in set(MailEvent):
        message = f"“event” must be one of {', '.join(MailEvent)}."
        raise refuse("not-allowed", message, "Choose one of them.", "event")
    return MailText(
        told["name"],
        MailEvent(told["event"]),
        told["subject"],
        told["text"],
        told["channel"],
        told["language"].lower(),
        bool(told["automatic"]),
        text_id,
    )


def _told(text: MailText) -> dict[str, Any]:
    return {**vars(text), "event": str(text.event)}


def _saved(by: Caller, text_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return _told(text_of_row(mail_text_row(session, text_id)))


@router.get("/mail-texts")
def list_mail_texts(by: By) -> dict[str, Any]:
    """Returns every text of mails, in the order of their names."""
    with by.workplace.database.reading() as session:
        return {"items": [_told(text) for text in mail_texts(session)], "next": None}


@router.post("/mail-texts", status_code=201)
def post_mail_text(by: By, wish: MailTextShape) -> dict[str, Any]:
    """Creates a text. One that names a place that there is not is refused."""
    return _saved(by, save_mail_text(by.workplace, by.actor, _read(wish.model_dump())))


@router.post("/mail-texts/preview")
def post_mail_preview(by: By, wish: MailPreview) -> dict[str, Any]:
    """Returns a text as an order would get it, and the places that this order cannot fill. Nothing
    is sent."""
    written = preview_mail(by.workplace, _read(wish.model_dump()), wish.order)
    return {"subject": written.subject, "text": written.text, "missing": list(written.missing)}


@router.get("/mail-texts/{text_id}")
def get_mail_text(by: By, text_id: Id) -> dict[str, Any]:
    """Returns one text."""
    return _saved(by, text_id)


@router.patch("/mail-texts/{text_id}")
def patch_mail_text(by: By, text_id: Id, change: MailTextChange) -> dict[str, Any]:
    """Changes a text. Mails that were written before stay as they are."""
    by.actor.must(Right.SETUP)
    told = {**_saved(by, text_id), **change.model_dump(exclude_none=True)}
    return _saved(by, save_mail_text(by.workplace, by.actor, _read(told, text_id)))


@router.delete("/mail-texts/{text_id}", status_code=204)
def delete_mail_text_call(by: By, text_id: Id) -> None:
    """Deletes a text. One that a rule sends is refused."""
    delete_mail_text(by.workplace, by.actor, text_id)


@router.post("/orders/mail")
def post_orders_mail(by: By, wish: OrdersMail) -> dict[str, Any]:
    """Writes a mail to the customer of each order. The same text is not written for an order twice
    within five minutes. A verdict per order."""
    return verdicts_of(mail_orders(by.workplace, by.actor, wish.numbers, wish.text))


@router.post("/estimates/{number}/mail")
def post_estimate_mail(by: By, number: str) -> dict[str, Any]:
    """Mails an estimate with its paper to the customer; `to` is the address."""
    return {"to": mail_estimate(by.workplace, by.actor, number)}


@router.get("/mails")
def list_mails(
    by: By,
    state: Annotated[str, OneOf("state", tuple(MailState))] = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns mails, the newest first."""
    with by.workplace.database.reading() as session:
        rows = mail_page(session, state=state, after=after, limit=limit + 1)
    shown, more = page_of(rows, limit, lambda row: row.id)
    return {"items": [vars(row) for row in shown], "next": more}


def _mail(row: MailRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "event": row.event,
        "recipient": row.recipient,
        "subject": row.subject,
        "text": row.body,
        "papers": [number for _, number in row.papers],
        "state": row.state,
        "answer": row.answer,
        "made_at": row.made_at,
        "sent_at": row.sent_at,
    }


@router.get("/orders/{number}/mails")
def list_order_mails(by: By, number: str) -> dict[str, Any]:
    """Returns the mails about an order, and about the estimate that it was, the oldest first."""
    with by.workplace.database.reading() as session:
        rows = mails_of_order(session, order_by_number(session, number).id)
    return {"items": [_mail(row) for row in rows], "next": None}


@router.post("/mails/{mail_id}/send-again")
def post_mail_again(by: By, mail_id: Id) -> dict[str, Any]:
    """Lets a mail that was refused, or may not have arrived, be sent once more."""
    send_again(by.workplace, by.actor, mail_id)
    with by.workplace.database.reading() as session:
        return _mail(mail_by_id(session, mail_id))
