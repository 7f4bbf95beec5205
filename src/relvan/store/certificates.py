"""Queries over the certificates of the addresses that are called."""

from collections.abc import Mapping
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.channels import CONNECTED
from relvan.store.mail import mail_server_of
from relvan.store.portable import insert_into
from relvan.store.tables import Carrier, CertificateRow, Channel, Webhook


class Certificate(NamedTuple):
    """When the certificate of an address ends, when that was seen, or what kept it from being
    seen.
    """

    address: str
    seen_at: datetime
    ends_at: datetime | None
    trouble: str


def certificates(session: Session) -> list[Certificate]:
    """Returns the certificates that were looked at, the one that ends first before the others."""
    row = CertificateRow
    statement = select(row.address, row.seen_at, row.ends_at, row.trouble)
    found = session.execute(statement.order_by(row.ends_at, row.address)).all()
    return [Certificate(*one) for one in found]


def called_addresses(session: Session) -> list[str]:
    """Returns every address that is called: of channels, carriers, webhooks and the mail server."""
    asked = (
        select(Channel.address).where(CONNECTED),
        select(Carrier.address),
        select(Webhook.address),
    )
    found = [address for statement in asked for address in session.scalars(statement)]
    mail = mail_server_of(session)
    if mail is not None and mail.host and mail.security == "tls":
        found.append(f"https://{mail.host}:{mail.port}")
    return found


def keep_certificates(session: Session, seen: Mapping[str, Certificate]) -> None:
    """Saves what was seen; addresses that are not among these are called no more."""
    session.execute(delete(CertificateRow).where(~among(CertificateRow.address, seen)))
    for one in seen.values():
        row = insert_into(session, CertificateRow).values(**one._asdict())
        told = {"seen_at": one.seen_at, "ends_at": one.ends_at, "trouble": one.trouble}
        session.execute(row.on_conflict_do_update(index_elements=["address"], set_=told))
