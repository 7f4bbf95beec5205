"""Lets the demo's mail go to the mailroom of the outside world, and its packing bench weigh with
the scale there.
"""

from collections.abc import Mapping
from typing import Any

from relvan.core.setup.mail import MailSecurity
from relvan.demo.plan import MAIL_FROM
from relvan.services.setup.firm import change_firm
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
        "alerts_to": MAIL_FROM,
    }
    change_mail_server(workplace, SYSTEM, wish, mailroom["token"])


def use_scale(workplace: Workplace, world: str) -> None:
    """Saves the scale of the outside world, whose address is given, as that of the packing bench."""
    change_firm(workplace, SYSTEM, {"scale": f"{world}/devices/scale"})
