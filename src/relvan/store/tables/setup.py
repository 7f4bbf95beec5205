"""Tables of what is set up once: the firm, and the code of the first visit."""

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


class FirstVisit(Table):
    """The hash of the code with which the owner's account is made while nobody exists. There is at
    most one.
    """

    __tablename__ = "first_visit"
    id: Mapped[int] = mapped_column(primary_key=True)
    code_hash: Mapped[str]
    made_at: Mapped[datetime]
