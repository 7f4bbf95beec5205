"""Tables of what is set up once: the firm, the code of the first visit, and its backups."""

from datetime import datetime
from typing import Any

from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table


class FirmRow(Table):
    """The firm that sells. There is at most one; `skipped` names the first steps that somebody has
    put aside.
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
