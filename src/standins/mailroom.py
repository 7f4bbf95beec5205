"""The mailroom: a mail server that speaks SMTP, keeps every mail, and shows it on a page.

It asks for a login. Mail to anybody whose name is `nobody` is refused for good. Its weather is that
of the other stand-ins: answers take time, are put off, or never arrive.
"""

import asyncio
import json
import logging
import socket
import warnings
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Annotated, Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session
from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse

from standins.hagglet import World
from standins.memory import Memory
from standins.shopwindow import page
from standins.weather import Weather

# it stands on this machine alone, so the login may travel as it is
warnings.filterwarnings("ignore", message="Requiring AUTH while not requiring TLS")
logging.getLogger("mail.log").setLevel(logging.CRITICAL)
LOGIN = "quillmoss"
LARGEST_MAIL = 20_000_000
AWAY, LATER = "421 nobody is here", "451 try again later"
router = APIRouter()


class Desk:
    """Takes mail in, as the weather lets it."""

    def __init__(self, memory: Memory, weather: Weather) -> None:
        self.memory, self.weather = memory, weather

    async def handle_MAIL(  # noqa: N802
        self,
        server: SMTP,
        session: Session,
        envelope: Envelope,
        address: str,
        options: list[str],
    ) -> str:
        """Answers to the sender's address; the weather is felt here."""
        kind, dice = self.weather.kind("mailroom"), self.weather.dice("mailroom")
        if kind == "slow":
            await asyncio.sleep(dice.uniform(0.5, 2.0))
        if kind == "down":
            return AWAY
        wait = self.weather.wait_for_call("mailroom")
        if wait or (kind == "flaky" and dice.random() < 0.2):
            return LATER
        envelope.mail_from = address
        envelope.mail_options.extend(options)
        return "250 OK"

    async def handle_RCPT(  # noqa: N802
        self,
        server: SMTP,
        session: Session,
        envelope: Envelope,
        address: str,
        options: list[str],
    ) -> str:
        """Answers to a recipient."""
        if address.split("@")[0].lower() == "nobody":
            return "550 there is no such mailbox"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:  # noqa: N802
        """Keeps a mail."""
        content = envelope.content or b""
        raw = content if isinstance(content, bytes) else content.encode()
        number = keep_mail(self.memory, envelope.mail_from or "", envelope.rcpt_tos, raw)
        dice = self.weather.dice("mailroom")
        if self.weather.kind("mailroom") == "lost answers" and dice.random() < 0.34:
            assert isinstance(server.transport, asyncio.Transport)
            server.transport.abort()
        return f"250 kept as {number}"


class Mailroom:
    """The server with its port; it runs in a thread of its own."""

    def __init__(self, memory: Memory, weather: Weather, port: int) -> None:
        desk = Desk(memory, weather)
        self.port = free_port(port)

        def knows(
            server: SMTP, session: Session, envelope: Envelope, mechanism: str, data: object
        ) -> AuthResult:
            right = isinstance(data, LoginPassword) and (
                data.login.decode(errors="replace"),
                data.password.decode(errors="replace"),
            ) == (LOGIN, memory.tokens["mailroom"])
            return AuthResult(success=right, handled=False)

        self._controller = Controller(
            desk,
            hostname="127.0.0.1",
            port=self.port,
            ident="Mailroom",
            authenticator=knows,
            auth_required=True,
            auth_require_tls=False,
            data_size_limit=LARGEST_MAIL,
        )
        self._controller.start()

    def close(self) -> None:
        """Stops taking mail."""
        self._controller.stop()


def free_port(wanted: int) -> int:
    """Returns a port that can be listened on: the one wanted, or any when it is taken or 0."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", wanted))
        except OSError:
            probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def keep_mail(memory: Memory, sender: str, recipients: list[str], raw: bytes) -> int:
    """Keeps a mail as it came; returns its number."""
    with memory.writing() as db:
        row = db.execute(
            "INSERT INTO mail (sender, recipients, raw, arrived_at) VALUES (?, ?, ?, ?) RETURNING id",
            (sender, json.dumps(recipients), raw, memory.now().isoformat()),
        ).fetchone()
    return int(row["id"])


def mails(memory: Memory, to: str = "") -> list[dict[str, Any]]:
    """Returns the mails, the newest first: all, or those to one address."""
    rows = memory.rows("SELECT * FROM mail ORDER BY id DESC LIMIT 500")
    found = [_shown(row) for row in rows]
    return [mail for mail in found if not to or to.lower() in map(str.lower, mail["to"])]


def _shown(row: Any) -> dict[str, Any]:
    message = message_from_bytes(row["raw"], policy=policy.default)
    assert isinstance(message, EmailMessage)
    body = message.get_body(("plain", "html"))
    return {
        "id": row["id"],
        "from": row["sender"],
        "to": json.loads(row["recipients"]),
        "subject": str(message["subject"] or ""),
        "message_id": str(message["message-id"] or ""),
        "references": " ".join(str(message["references"] or "").split()),
        "text": body.get_content() if body is not None else "",
        "attachments": [
            {
                "name": part.get_filename() or "",
                "type": part.get_content_type(),
                "size": len(part.get_payload(decode=True) or b""),
            }
            for part in message.iter_attachments()
        ],
        "arrived_at": row["arrived_at"],
    }


@router.get("/world/mailroom/messages")
def world_mails(memory: World, to: Annotated[str, Query()] = "") -> list[dict[str, Any]]:
    """Returns the mails that arrived, the newest first."""
    return mails(memory, to)


@router.get("/mailroom", response_class=HTMLResponse)
def mailroom_page(memory: World, to: Annotated[str, Query()] = "") -> HTMLResponse:
    """Shows the mails that arrived."""
    return page("mailroom.html", mails=mails(memory, to), to=to)
