"""Serves Setup of the mail server: where it is, and a test that shows what it answers."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused
from relvan.core.setup.mail import SECURITY_NAMES
from relvan.services.setup.mail import change_mail_server, test_mail_server, view_mail_server
from relvan.web.desk import AtSetup, Desk, Form, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/mail")
BACK = "/setup/mail"


def _mail_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    return desk.page(
        "setup/mail.html",
        "setup",
        status=status,
        view=view_mail_server(desk.workplace),
        securities=[(str(key), name) for key, name in SECURITY_NAMES.items()],
        **last_try(typed, refused),
    )


@router.get("", name="mail_show")
def mail_show(desk: AtSetup) -> HTMLResponse:
    """Shows the mail server."""
    return _mail_page(desk)


@router.post("", name="mail_save")
def mail_save(desk: AtSetup, form: Form) -> Response:
    """Saves the mail server; an empty password leaves the saved one."""
    read = FormReader(form)
    try:
        port = read.whole("port", "Port")
        read.raise_if_refused()
        texts = ("host", "security", "login", "sender", "alerts_to")
        wish: dict[str, Any] = {name: form.get(name, "") for name in texts}
        password = form.get("password", "") or None
        view = change_mail_server(
            desk.workplace, desk.actor, {**wish, "port": port or 587}, password
        )
    except Refused as refused:
        return _mail_page(desk, status=422, typed=dict(form), refused=refused)
    words = "The mail server is saved. Test it now." if view.server.host else "No mail is sent."
    return desk.done(BACK, words)


@router.post("/test", name="mail_test")
def mail_test(desk: AtSetup, form: Form) -> Response:
    """Sends a test mail."""
    try:
        answer = test_mail_server(desk.workplace, desk.actor, form.get("to", ""))
    except Refused as refused:
        return _mail_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(BACK, f"The mail server answers: {answer}")
