"""The seller's mail server: where it is, how it is spoken to, and from whom mail comes."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from relvan.core.catalogue.checks import check_text
from relvan.core.refusal import Refusal

MOST_HOST, MOST_LOGIN, MOST_MAIL = 253, 200, 254
# RFC 5321, without the quoted forms that nobody types; other letters need servers that know RFC 6531
MAIL_ADDRESS = re.compile(r"[^\s@<>,;:\"\\]{1,64}@[^\s@<>,;:\"\\.]+(\.[^\s@<>,;:\"\\.]+)+")
HOST = re.compile(r"[A-Za-z0-9]([A-Za-z0-9.\-]*[A-Za-z0-9])?")


class MailSecurity(StrEnum):
    """How the way to the mail server is encrypted."""

    STARTTLS = "starttls"
    TLS = "tls"
    NONE = "none"


SECURITY_NAMES = {
    MailSecurity.STARTTLS: "STARTTLS, usually port 587",
    MailSecurity.TLS: "TLS from the start, usually port 465",
    MailSecurity.NONE: "not encrypted, on this machine or network alone",
}


@dataclass(frozen=True)
class MailServer:
    """A mail server (SMTP, RFC 5321). Without a host there is none. `alerts_to` is the
    address of the person in charge, who is mailed of what cannot wait."""

    host: str = ""
    port: int = 587
    security: str = MailSecurity.STARTTLS
    login: str = ""
    sender: str = ""
    alerts_to: str = ""

    def changed(self, wish: Mapping[str, Any]) -> "MailServer":
        """Returns the server with those values changed that a wish names."""
        texts = ("host", "security", "login", "sender", "alerts_to")
        told = {name: str(wish[name] or "").strip() for name in texts if name in wish}
        port = wish.get("port", self.port)
        return replace(self, port=port if isinstance(port, int) else -1, **told)


def is_mail_address(text: str) -> bool:
    """Says whether a text has the form of one mail address.

    >>> is_mail_address("orders@quillmoss.example"), is_mail_address("Quillmoss")
    (True, False)
    """
    return len(text) <= MOST_MAIL and text.isascii() and MAIL_ADDRESS.fullmatch(text) is not None


def check_mail_server(server: MailServer) -> list[Refusal]:
    """Checks the values of a mail server; one without a host needs no others."""
    if not server.host:
        return []
    found = check_text("login", "Login", server.login, MOST_LOGIN)
    if len(server.host) > MOST_HOST or not HOST.fullmatch(server.host):
        message = f"“Server” must be a name like mail.example.org; it got “{server.host[:60]}”."
        found.append(Refusal("form", message, "Leave out https and slashes.", "host"))
    if not 1 <= server.port <= 65_535:
        message = "“Port” must be a whole number from 1 to 65,535."
        found.append(Refusal("range", message, "It is usually 587 or 465.", "port"))
    if server.security not in set(MailSecurity):
        message = f"“Encryption” must be one of {', '.join(MailSecurity)}."
        found.append(Refusal("not-allowed", message, "Choose one.", "security"))
    if server.alerts_to and not is_mail_address(server.alerts_to):
        message = f"“In charge” must be a mail address; it got “{server.alerts_to[:60]}”."
        found.append(Refusal("form", message, "Type it like ada@example.org.", "alerts_to"))
    if not is_mail_address(server.sender):
        message = f"“From” must be a mail address; it got “{server.sender[:60]}”."
        found.append(Refusal("form", message, "Type it like orders@example.org.", "sender"))
    return found
