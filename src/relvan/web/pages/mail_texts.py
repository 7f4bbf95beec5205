"""Serves the pages of texts of mails, with a preview over a real order, and the list of mails."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.mail.life import MailState
from relvan.core.mail.texts import (
    EVENT_NAMES,
    NO_CHANNEL,
    MailEvent,
    MailText,
    language_names,
    places_in_words,
)
from relvan.core.refusal import Refused, refuse
from relvan.services.mail.deliver import send_again
from relvan.services.mail.texts import delete_mail_text, preview_mail, save_mail_text
from relvan.store.channels import channel_names
from relvan.store.mailing import mail_page, mail_text_row, mail_texts, text_of_row
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.web.desk import At, AtSetup, Desk, Form, PostedForm, first_by_field

router = APIRouter()
NEW = MailText(
    "",
    MailEvent.SHIPPED,
    "Your order {{ order.number }}",
    "Dear {{ customer.name }},\n\nyour order {{ order.number }} of {{ order.placed }}\n",
)
PAGE = 50


@router.get("/setup/mail/texts", name="mail_text_index")
def mail_text_index(desk: AtSetup, text: int = 0) -> HTMLResponse:
    """Shows all texts, and the form of one of them or of a new one."""
    shown = NEW
    if text:
        with desk.workplace.database.reading() as session:
            shown = text_of_row(mail_text_row(session, text))
    return _page(desk, shown)


def _page(desk: Desk, shown: MailText, refused: Refused | None = None) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        texts, channels = mail_texts(session), dict(channel_names(session, ended=True))
        last = order_page(session, OrderFilter(), limit=1)
    values: dict[str, Any] = {
        "texts": texts,
        "shown": shown,
        "events": EVENT_NAMES,
        "channels": {"": "all", NO_CHANNEL: "orders taken by hand", **channels},
        "languages": {"": "all", **language_names(desk.workplace.firm.locale)},
        "places": places_in_words(),
        "example": last[0].number if last else "",
        "errors": first_by_field(refused.refusals) if refused else {},
        "refusals": refused.refusals if refused else (),
    }
    return desk.page("setup/mail_texts.html", "setup", status=422 if refused else 200, **values)


def _read(form: PostedForm) -> MailText:
    event = form.get("event", "")
    if event not in set(MailEvent):
        raise refuse("not-allowed", f"Nothing is called “{event[:20]}”.", "Choose one.", "event")
    return MailText(
        form.get("name", ""),
        MailEvent(event),
        form.get("subject", ""),
        form.get("text", ""),
        form.get("channel", ""),
        form.get("language", ""),
        form.get("automatic") == "yes",
        form.id_of("id") or 0,
    )


@router.post("/setup/mail/texts", name="mail_text_save")
def mail_text_save(desk: AtSetup, form: Form) -> Response:
    """Saves a text."""
    shown = NEW
    try:
        shown = _read(form)
        save_mail_text(desk.workplace, desk.actor, shown)
    except Refused as refused:
        return _page(desk, shown, refused)
    return desk.done("/setup/mail/texts", f"The text “{shown.name}” is saved.")


@router.post("/setup/mail/texts/preview", name="mail_text_preview")
def mail_text_preview(desk: AtSetup, form: Form) -> HTMLResponse:
    """Shows a text as an order would get it."""
    values: dict[str, Any] = {"written": None, "refusal": None}
    try:
        number = form.get("order", "").strip()
        values["written"] = preview_mail(desk.workplace, _read(form), number)
    except Refused as refused:
        values["refusal"] = refused.first
    return desk.fragment("setup/_mail_preview.html", **values)


@router.post("/setup/mail/texts/{text_id:int}/delete", name="mail_text_delete")
def mail_text_delete(desk: AtSetup, form: Form, text_id: int) -> Response:
    """Deletes a text."""
    try:
        text = delete_mail_text(desk.workplace, desk.actor, text_id)
    except Refused as refused:
        with desk.workplace.database.reading() as session:
            shown = text_of_row(mail_text_row(session, text_id))
        return _page(desk, shown, refused)
    return desk.done("/setup/mail/texts", f"The text “{text.name}” is deleted.")


@router.get("/orders/mails", name="mail_index")
def mail_index(desk: At, state: str = "", after: int = 0) -> HTMLResponse:
    """Shows the mails, the newest first."""
    wanted = state if state in set(MailState) else ""
    with desk.workplace.database.reading() as session:
        rows = mail_page(session, state=wanted, after=after, limit=PAGE + 1)
    return desk.page(
        "orders/mails.html",
        "orders",
        rows=rows[:PAGE],
        state=wanted,
        states=list(MailState),
        events=EVENT_NAMES,
        more=rows[PAGE - 1].id if len(rows) > PAGE else 0,
    )


@router.post("/orders/mails/{mail_id:int}/again", name="mail_again")
def mail_again(desk: At, form: Form, mail_id: int) -> Response:
    """Lets a mail be sent once more."""
    send_again(desk.workplace, desk.actor, mail_id)
    back = form.get("back", "")
    return desk.done(back if back.startswith("/orders") else "/orders/mails", "It is sent again.")
