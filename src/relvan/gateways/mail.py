"""Sends mail by the seller's own mail server (SMTP, RFC 5321), with time-outs, and sorts failures by
what can be done about them.
"""

import smtplib
import ssl
from collections.abc import Iterator
from contextlib import contextmanager
from email.message import EmailMessage
from email.policy import SMTP

from relvan.core.setup.mail import MailSecurity, MailServer
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble

TIMEOUT_S = 8.0


def send_mail(server: MailServer, password: str, message: EmailMessage) -> str:
    """Sends one mail to all its recipients; returns what the server answered, such as `250 OK`.

    Raises:
        OutsideTrouble: if the server cannot be reached or asks to be tried later; `unclear` when
            the mail may have been taken all the same.
        OutsideRefusal: if it refuses the login, the sender or a recipient for good.
    """
    with _spoken_to(server, password) as smtp:
        smtp.ehlo_or_helo_if_needed()
        _heard(*smtp.mail(server.sender), about=f"mail from {server.sender}")
        for address in message["to"].addresses:
            _heard(*smtp.rcpt(address.addr_spec), about=address.addr_spec)
        return _hand_over(smtp, message)


def _hand_over(smtp: smtplib.SMTP, message: EmailMessage) -> str:
    try:
        code, words = smtp.data(message.as_bytes(policy=SMTP))  # lines end as RFC 5321 says
    except (smtplib.SMTPServerDisconnected, OSError) as failure:
        raise OutsideTrouble("the mail server broke off", unclear=True) from failure
    return _heard(code, words, about="the mail")


def _heard(code: int, words: bytes, *, about: str) -> str:
    """Returns an answer in words; an answer that says no is raised."""
    said = f"{code} {_text(words)}"[:300]
    if code >= 500:
        raise OutsideRefusal(f"the mail server refuses {about}: {said}", code, said)
    if code >= 400:
        raise OutsideTrouble(f"the mail server puts {about} off: {said}")
    return said


def _text(words: bytes | str) -> str:
    told = words if isinstance(words, str) else words.decode(errors="replace")
    return " ".join(told.split())


@contextmanager
def _spoken_to(server: MailServer, password: str) -> Iterator[smtplib.SMTP]:
    """Opens the way to a mail server and signs in; closes it afterwards."""
    name = f"{server.host}:{server.port}"
    try:
        with _opened(server) as smtp:
            if server.login:
                smtp.login(server.login, password)
            yield smtp
    except smtplib.SMTPAuthenticationError as failure:
        said = f"{failure.smtp_code} {_text(failure.smtp_error)}"[:300]
        message = f"{name} refuses the login: {said}"
        raise OutsideRefusal(message, failure.smtp_code, said) from failure
    except ssl.SSLError as failure:
        message = f"{name} does not speak TLS as it should: {failure.reason or failure}"
        raise OutsideTrouble(message) from failure
    except (smtplib.SMTPException, OSError) as failure:
        raise OutsideTrouble(f"{name} cannot be reached: {failure}"[:300]) from failure


def _opened(server: MailServer) -> smtplib.SMTP:
    context = ssl.create_default_context()
    if server.security == MailSecurity.TLS:
        return smtplib.SMTP_SSL(server.host, server.port, timeout=TIMEOUT_S, context=context)
    smtp = smtplib.SMTP(server.host, server.port, timeout=TIMEOUT_S)
    if server.security == MailSecurity.STARTTLS:
        try:
            smtp.starttls(context=context)
        except BaseException:
            smtp.close()
            raise
    return smtp
