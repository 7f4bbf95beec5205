"""Lets the demo's mail go to the mailroom of the outside world."""

from collections.abc import Mapping
from typing import Any

from relvan.core.setup.mail import MailSecurity
from relvan.demo.plan import MAIL_FROM
from relvan.services.setup.mail import change_mail_server
from relvan.services.workplace import SYSTEM, Workplace


def use_mailroom(workplace: Workplace, mailroom: Mapping[str, Any]) -> None:
    """Saves the mailroom as the firm's mail server; `mailroom` is what `GET /world` says of it."""
    wish = {
        "host": mailroom["host"],
        "port": mailroom["port"],
        "security": MailSecurity.NONE,
        "login": mailroom["login"],
        "sender": MAIL_FROM,
    }
    change_mail_server(workplace, SYSTEM, wish, mailroom["token"])
