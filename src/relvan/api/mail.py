"""Serves the mail server over HTTP: where it is, and a test of it."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import described
from relvan.api.desk import By, Caller, setup_router
from relvan.api.shapes import Shape
from relvan.core.setup.mail import MOST_HOST, MOST_LOGIN, MOST_MAIL, MailSecurity
from relvan.services.setup.mail import (
    MOST_PASSWORD,
    change_mail_server,
    test_mail_server,
    view_mail_server,
)

router = setup_router()


class MailServerShape(Shape):
    """What is to change of the mail server; what is left out stays. An empty `host` means that no
    mail is sent.
    """

    host: Annotated[str, Field(max_length=MOST_HOST)] | None = None
    port: Annotated[int, Field(ge=1, le=65_535)] | None = None
    security: Annotated[str, described(MailSecurity)] | None = None
    login: Annotated[str, Field(max_length=MOST_LOGIN)] | None = None
    sender: Annotated[str, Field(max_length=MOST_MAIL)] | None = None
    alerts_to: Annotated[str, Field(max_length=MOST_MAIL)] | None = None
    password: Annotated[str, Field(max_length=MOST_PASSWORD)] | None = None


class MailTest(Shape):
    """The address to which the test mail goes."""

    to: Annotated[str, Field(max_length=MOST_MAIL)]


def _shape(by: Caller) -> dict[str, Any]:
    view = view_mail_server(by.workplace)
    return {
        **vars(view.server),
        "has_password": view.has_password,
        "tried_at": view.tried_at,
        "answer": view.answer,
        "works": view.works,
    }


@router.get("/mail-server")
def get_mail_server(by: By) -> dict[str, Any]:
    """Returns the mail server without its password, and how sending went last time."""
    return _shape(by)


@router.put("/mail-server")
def put_mail_server(by: By, change: MailServerShape) -> dict[str, Any]:
    """Changes the mail server."""
    wish = change.model_dump(exclude_none=True)
    password = wish.pop("password", None)
    change_mail_server(by.workplace, by.actor, wish, password)
    return _shape(by)


@router.post("/mail-server/test")
def post_mail_test(by: By, wish: MailTest) -> dict[str, Any]:
    """Sends a test mail; `answer` is what the mail server said."""
    return {"answer": test_mail_server(by.workplace, by.actor, wish.to)}
