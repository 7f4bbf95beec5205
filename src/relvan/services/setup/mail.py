"""The mail server: saving where it is, testing it, and sending mail by it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.utils import make_msgid
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse, refuse_if_any
from relvan.core.setup.mail import MailServer, check_mail_server, is_mail_address
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble, check_public
from relvan.gateways.mail import send_mail
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.mail import keep_mail_server, mail_server_of, note_mail
from relvan.store.tables import MailServerRow

SUBJECT = audit.Subject("firm", 1)
MOST_PASSWORD = 500
MOST_REFERENCES = 20


@dataclass(frozen=True)
class MailView:
    """The mail server as it is saved, whether it has a password, and how sending went last time:
    when, what was answered, and whether it worked."""

    server: MailServer
    has_password: bool = False
    tried_at: datetime | None = None
    answer: str = ""
    works: bool = False


@dataclass(frozen=True)
class MailFile:
    """A PDF that goes with a mail."""

    name: str
    content: bytes


@dataclass(frozen=True)
class Mail:
    """A mail to one address, in plain text, with the files that go with it. `message_id` is its own
    id if that was given before, and `earlier` are those of the mails that it follows."""

    to: str
    subject: str
    text: str
    files: Sequence[MailFile] = ()
    message_id: str = ""
    earlier: Sequence[str] = ()


@dataclass(frozen=True)
class OpenServer:
    """A mail server with its password, ready to send."""

    server: MailServer
    password: str


def view_mail_server(workplace: Workplace) -> MailView:
    """Returns the mail server; one without a host while none is saved."""
    with workplace.database.reading() as session:
        row = mail_server_of(session)
    if row is None:
        return MailView(MailServer())
    return MailView(_server(row), bool(row.password), row.tried_at, row.answer, row.works)


def change_mail_server(
    workplace: Workplace, actor: Actor, wish: Mapping[str, Any], password: str | None = None
) -> MailView:
    """Changes what a wish names of the mail server. Without a `password` the saved one stays;
    without a host there is no mail server any more, and its password is deleted."""
    actor.must(Right.SETUP)
    if password and len(password) > MOST_PASSWORD:
        message = f"“Password” may have {MOST_PASSWORD} characters."
        raise refuse("too-long", message, "", "password")
    before = view_mail_server(workplace).server
    server = before.changed(wish)
    refuse_if_any(check_mail_server(server))
    if server.host:
        _check_place(workplace, server)
    sealed = None if password is None else workplace.secrets.seal(password) if password else ""
    changes = {
        name: (old, new)
        for name, old in vars(before).items()
        if (new := getattr(server, name)) != old
    }
    if sealed is not None:
        changes["password"] = ("", "changed" if sealed else "deleted")
    with workplace.database.writing() as session:
        keep_mail_server(session, server, sealed if server.host else "")
        if changes:
            audit.record(session, actor, workplace.now(), SUBJECT, "mail server changed", changes)
    return view_mail_server(workplace)


def test_mail_server(workplace: Workplace, actor: Actor, to: str) -> str:
    """Sends a test mail to an address; returns what the server answered."""
    actor.must(Right.SETUP)
    name = workplace.firm.name or "Relvan"
    text = f"This is a test of the mail server of {name}, sent from Relvan by {actor.name}."
    return send(workplace, Mail(to.strip(), f"Test from {name}", text))


def send(workplace: Workplace, mail: Mail) -> str:
    """Sends a mail once; returns what the server answered. How it went is noted for Health.

    Raises:
        Refused: if there is no mail server, the address is none, or the server does not take it.
    """
    if not is_mail_address(mail.to):
        message = f"“To” must be a mail address; it got “{mail.to[:60]}”."
        raise refuse("form", message, "Type it like name@example.org.", "to")
    opened = open_mail_server(workplace)
    if opened is None:
        raise no_mail_server()
    try:
        answer, works = send_by(workplace, opened, mail), True
    except (OutsideTrouble, OutsideRefusal) as failure:
        answer, works = str(failure), False
    with workplace.database.writing() as session:
        note_mail(session, workplace.now(), answer, works=works)
    if not works:
        words = answer[:1].upper() + answer[1:]
        raise refuse("unreachable", f"{words}.", "Check the mail server, then try again.", "host")
    return answer


def no_mail_server() -> Refused:
    """Returns the refusal of a mail while there is no mail server."""
    fix = "Save where it is under Setup, Mail."
    return refuse("no-mail-server", "There is no mail server yet.", fix, "host")


def open_mail_server(workplace: Workplace) -> OpenServer | None:
    """Returns the mail server with its password, or None while none is saved."""
    with workplace.database.reading() as session:
        row = mail_server_of(session)
    if row is None or not row.host:
        return None
    password = workplace.secrets.open(row.password) if row.password else ""
    return OpenServer(_server(row), password)


def send_by(workplace: Workplace, opened: OpenServer, mail: Mail) -> str:
    """Sends a mail once by an open mail server; returns what it answered. Nothing is noted.

    Raises:
        OutsideTrouble: as `gateways/mail.py` says.
        OutsideRefusal: likewise.
    """
    server = opened.server
    _check_place(workplace, server)  # a name can lead elsewhere than on the day it was saved
    return send_mail(server, opened.password, _written(workplace, server, mail))


def new_message_id(sender: str) -> str:
    """Returns a new id for a mail (RFC 5322), in the domain of its sender."""
    return make_msgid(domain=sender.partition("@")[2] or "localhost")


def mail_invitation(workplace: Workplace, actor: Actor, to: str, link: str) -> str:
    """Mails the link of an invitation; returns what the server answered. The link is a secret: it
    stands in the mail alone, and in no log."""
    actor.must(Right.SETUP)
    name = workplace.firm.name or "Relvan"
    text = (
        f"{actor.name} invites you to work with {name} in Relvan. Choose a password here:\n\n"
        f"{link}\n\nThe link is good once, and for seven days."
    )
    return send(workplace, Mail(to.strip(), f"Invitation to {name}", text))


def _check_place(workplace: Workplace, server: MailServer) -> None:
    if not workplace.settings.private_addresses:
        check_public(server.host, server.port, "host")


def _server(row: MailServerRow) -> MailServer:
    return MailServer(row.host, row.port, row.security, row.login, row.sender, row.alerts_to)


def _written(workplace: Workplace, server: MailServer, mail: Mail) -> EmailMessage:
    message = EmailMessage()
    name = "".join(one for one in workplace.firm.name if one.isprintable() and one not in '"<>')
    message["From"] = f'"{name}" <{server.sender}>' if name else server.sender
    message["To"], message["Subject"] = mail.to, mail.subject
    message["Date"] = workplace.now()
    message["Message-ID"] = mail.message_id or new_message_id(server.sender)
    if mail.earlier:
        message["In-Reply-To"] = mail.earlier[-1]
        message["References"] = " ".join(mail.earlier[-MOST_REFERENCES:])
    message.set_content(mail.text)
    for file in mail.files:
        message.add_attachment(
            file.content, maintype="application", subtype="pdf", filename=file.name
        )
    return message
