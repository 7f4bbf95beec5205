"""Tables of what is set up once: the firm, its rates of tax, the code of the first visit, and its
backups.
"""

from datetime import datetime
from typing import Any

from sqlalchemy import Index
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class FirmRow(Table):
    """The firm that sells. There is at most one; `skipped` names the first steps that somebody has
    skipped, and `registered` the countries besides its own in which it is registered for tax.
    `two_step` says that owners must sign in by two steps, `logo` is the file of the firm's logo, and
    `scale` the address of the scale on the packing bench. `packaging` is what the packaging of a parcel
    costs, in minor units.
    """

    __tablename__ = "firm"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(default="")
    address: Mapped[dict[str, Any]] = mapped_column(default=dict)
    vat_number: Mapped[str] = mapped_column(default="")
    eori: Mapped[str] = mapped_column(default="")
    currency: Mapped[str]
    locale: Mapped[str]
    time_zone: Mapped[str]
    skipped: Mapped[list[Any]] = mapped_column(default=list)
    backups: Mapped[dict[str, Any]] = mapped_column(default=dict)
    registered: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    two_step: Mapped[bool] = mapped_column(default=False, server_default="0")
    logo: Mapped[str] = mapped_column(default="", server_default="")
    scale: Mapped[str] = mapped_column(default="", server_default="")
    packaging: Mapped[int] = mapped_column(default=0, server_default="0")


class TaxRateRow(Table):
    """The percentage of a tax code in a country from a day (ISO 8601) on, and where it is from."""

    __tablename__ = "tax_rate"
    __table_args__ = strict(Index("uq_tax_rate", "country", "code", "since", unique=True))
    id: Mapped[int] = mapped_column(primary_key=True)
    country: Mapped[str]
    code: Mapped[str]
    since: Mapped[str]
    percent: Mapped[str]
    origin: Mapped[str] = mapped_column(default="", server_default="")


class FirstVisit(Table):
    """The hash of the code with which the owner's account is made while nobody exists. There is at
    most one.
    """

    __tablename__ = "first_visit"
    id: Mapped[int] = mapped_column(primary_key=True)
    code_hash: Mapped[str]
    made_at: Mapped[datetime]


class BackupRun(Table):
    """A backup that was made, or what kept it from being made; and when it was opened and checked,
    with what was found. `gone` says that its file is not kept any more.
    """

    __tablename__ = "backup_run"
    id: Mapped[int] = mapped_column(primary_key=True)
    made_at: Mapped[datetime]
    file: Mapped[str] = mapped_column(default="")
    bytes: Mapped[int] = mapped_column(default=0)
    trouble: Mapped[str] = mapped_column(default="")
    tried_at: Mapped[datetime | None]
    found: Mapped[str] = mapped_column(default="")
    gone: Mapped[bool] = mapped_column(default=False)


class SettingsMark(Table):
    """The number that every change of the settings that processes keep replaces by another one
    (`store/kept.py`). The table has one row, and none before the first change.
    """

    __tablename__ = "settings_mark"
    id: Mapped[int] = mapped_column(primary_key=True)
    mark: Mapped[int]


class MailServerRow(Table):
    """The seller's mail server; its password is encrypted. There is at most one. `alerts_to` is
    the person in charge, who is mailed of what cannot wait. `tried_at`, `answer` and `works` say how
    sending went last time.
    """

    __tablename__ = "mail_server"
    id: Mapped[int] = mapped_column(primary_key=True)
    host: Mapped[str]
    port: Mapped[int]
    security: Mapped[str]
    login: Mapped[str] = mapped_column(default="")
    sender: Mapped[str] = mapped_column(default="")
    alerts_to: Mapped[str] = mapped_column(default="", server_default="")
    password: Mapped[str] = mapped_column(default="")
    tried_at: Mapped[datetime | None]
    answer: Mapped[str] = mapped_column(default="")
    works: Mapped[bool] = mapped_column(default=False)


class CertificateRow(Table):
    """When the certificate of an address ends, as it was seen at `seen_at`; or what kept it from
    being seen.
    """

    __tablename__ = "certificate"
    address: Mapped[str] = mapped_column(primary_key=True)
    seen_at: Mapped[datetime]
    ends_at: Mapped[datetime | None]
    trouble: Mapped[str] = mapped_column(default="")
